//! `chronaxis bundle`.

mod aliases;
mod live;
mod unpack;
mod used;

use std::path::Path;

use chronaxis_bundle::analysis::Analysis;
use chronaxis_bundle::findings::in_order;
use chronaxis_diagnosis::bundle::{BundleDocument, Looked};
use chronaxis_diagnosis::report;
use chronaxis_model::shell;
use chronaxis_model::target::Target;
use chronaxis_tls::ByRing;

use self::used::Lying;
use super::diagnose;
use crate::args::{self, Diagnose};
use crate::bundles;
use crate::delivery;
use crate::error::Failure;
use crate::way_in::typed::Typed;
use crate::way_in::{self, Wanted};

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
    let Analysis {
        together,
        uses,
        findings: mut found,
    } = Analysis::of(&loaded.bundle, &ByRing, now);
    let shown = path.to_string_lossy();
    let mut command = format!("chronaxis bundle {}", shell::quoted(&shown));
    let mut used_by = None;
    let mut live = None;
    if let Some(typed) = &args.target {
        let plain = one(way_in::targets(&diagnosis(args, typed, false))?)?;
        used_by = Some(place(&plain.target));
        for word in plain.again.iter().flat_map(|again| &again.target) {
            command.push_str(&format!(" --for {}", shell::quoted(word)));
        }
        let lying = Lying {
            path,
            is_folder: loaded.kind == "folder",
            bundle: &loaded.bundle,
            together: &together,
        };
        let mut of_use = used::findings(&plain.target, &lying);
        if args.live {
            let asked = diagnosis(args, typed, true);
            let scope = diagnose::scope(&asked)?;
            let (said, more) = live::ask(one(way_in::targets(&asked)?)?, &scope, path)?;
            live = Some(said);
            // What the server says of it counts before what the parts say by themselves.
            found.retain(|f| !f.fault || more.iter().all(|m| m.id != f.id));
            of_use.extend(more);
        }
        in_order(&mut of_use);
        // What this use fails of comes before what is wrong besides.
        of_use.append(&mut found);
        found = of_use;
        found.sort_by_key(|f| !f.fault);
    }
    Ok(BundleDocument::new(
        env!("CARGO_PKG_VERSION"),
        &Looked {
            path: &shown,
            kind: loaded.kind,
            bundle: &loaded.bundle,
            together: &together,
            uses: &uses,
            findings: &found,
            aliases: aliases::of_files(path, &loaded),
            command: &command,
            used_by,
            live,
        },
    ))
}

/// The connection, in words without secrets.
fn place(target: &Target) -> String {
    let ends: Vec<String> = target.ends.iter().map(ToString::to_string).collect();
    format!("{}, {}", target.label, ends.join(", "))
}

/// The one target that was asked for.
fn one(mut wanted: Vec<Wanted>) -> Result<Wanted, Failure> {
    match (wanted.pop(), wanted.is_empty()) {
        (Some(one), true) => Ok(one),
        _ => Err(Failure::SeveralForBundle),
    }
}

/// The arguments of a diagnosis of that target; with the bundle, where it is to be used.
fn diagnosis(args: &args::Bundle, typed: &Typed, with_bundle: bool) -> Diagnose {
    let mut out = Diagnose::of(typed.clone());
    if with_bundle {
        out.bundle = Some(args.path.clone());
        out.passphrase_file.clone_from(&args.passphrase_file);
    }
    out
}
