//! `chronaxis bundle`.

mod unpack;

use std::path::Path;

use chronaxis_bundle::chain::together;
use chronaxis_bundle::findings::findings;
use chronaxis_bundle::uses::uses;
use chronaxis_diagnosis::bundle::{BundleDocument, Looked};
use chronaxis_diagnosis::report;
use chronaxis_model::shell;
use chronaxis_tls::ByRing;

use crate::args;
use crate::bundles;
use crate::delivery;
use crate::error::Failure;

pub(crate) fn run(args: &args::Bundle) -> Result<u8, Failure> {
    if let Some(folder) = &args.unpack {
        return unpack::run(args, folder);
    }
    let document = look(args, &args.path)?;
    let state = document.verdict.state;
    delivery::document(args.output, args.plain, state, &document, || {
        report::bundle::report(&document, args.verbose)
    })
}

/// Looks into a bundle.
fn look(args: &args::Bundle, path: &Path) -> Result<BundleDocument, Failure> {
    let passphrase = bundles::passphrase(args.passphrase_file.as_deref())?;
    let loaded = bundles::load(path, passphrase.as_ref(), &ByRing)?;
    let now = jiff::Timestamp::now().as_second();
    let together = together(&loaded.bundle, &ByRing);
    let uses = uses(&loaded.bundle, &together, now);
    let findings = findings(&loaded.bundle, &together, &uses, now);
    let shown = path.to_string_lossy();
    Ok(BundleDocument::new(
        env!("CARGO_PKG_VERSION"),
        &Looked {
            path: &shown,
            kind: loaded.kind,
            bundle: &loaded.bundle,
            together: &together,
            uses: &uses,
            findings: &findings,
            aliases: Vec::new(),
            command: &format!("chronaxis bundle {}", shell::quoted(&shown)),
        },
    ))
}
