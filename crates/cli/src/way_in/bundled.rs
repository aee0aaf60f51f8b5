//! What a credential bundle gives to a target: certificates and a key in the place of files
//! of the client's own.

use std::path::Path;

use chronaxis_bundle::analysis::Analysis;
use chronaxis_bundle::choice::Choice;
use chronaxis_bundle::findings::Finding;
use chronaxis_bundle::item::{At, Bundle, What};
use chronaxis_engines::{ClientEnvironment, FileSeen, by_id};
use chronaxis_model::certificate::{TlsMode, pem_written};
use chronaxis_model::found::{CauseId, FindingId};
use chronaxis_model::layer::Layer;
use chronaxis_model::redact::visible;
use chronaxis_model::settings::{Defect, DefectKind, Field, Place};
use chronaxis_model::shown;
use chronaxis_model::sourced::{Origin, Sourced};
use chronaxis_model::target::Target;
use chronaxis_tls::ByRing;
use zeroize::Zeroizing;

use crate::bundles;
use crate::error::Failure;

/// What a bundle gives; nothing, by default.
#[derive(Default)]
pub(crate) struct Material {
    /// Which parts stand for which option: `ca`, `certificate`, `key`.
    parts: Vec<(&'static str, String)>,
    files: Vec<FileSeen>,
    defects: Vec<Defect>,
}

impl Material {
    /// What the bundle at a path gives.
    pub(crate) fn of(path: &Path, passphrase_file: Option<&Path>) -> Result<Material, Failure> {
        let passphrase = bundles::passphrase(passphrase_file)?;
        let loaded = bundles::load(path, passphrase.as_ref(), &ByRing)?;
        Ok(Material::chosen(&path.to_string_lossy(), &loaded.bundle))
    }

    /// Which of its parts are used: those that the manifest names; else all CA certificates,
    /// and the certificate of a client with its key.
    pub(super) fn chosen(path: &str, bundle: &Bundle) -> Material {
        let now = jiff::Timestamp::now().as_second();
        let analysis = Analysis::of(bundle, &ByRing, now);
        let choice = Choice::of(bundle, &analysis.together);
        let mut out = Material::default();
        out.put("ca", "CERTIFICATE", path, bundle, &choice.authorities);
        if let Some(key) = choice.key {
            out.put("certificate", "CERTIFICATE", path, bundle, &choice.chain);
            out.put("key", "PRIVATE KEY", path, bundle, &[key]);
        }
        let whole = (!choice.authorities.is_empty(), choice.key.is_some());
        out.defects = defects(path, bundle, &analysis.findings, whole);
        out
    }

    /// A part, as a file that a client would read.
    fn put(
        &mut self,
        option: &'static str,
        label: &str,
        path: &str,
        bundle: &Bundle,
        parts: &[At],
    ) {
        let Some(first) = parts.first().and_then(|at| bundle.files.get(at.file)) else {
            return;
        };
        let name = format!("{path}#{}", first.path);
        let mut text = Zeroizing::new(String::new());
        for at in parts {
            let object = bundle
                .files
                .get(at.file)
                .and_then(|f| f.objects.get(at.object));
            match object.map(|o| &o.what) {
                Some(What::Certificate(one)) => text.push_str(&pem_written(label, one.der())),
                Some(What::Key(one)) => text.push_str(&pem_written(label, &one.der)),
                _ => {}
            }
        }
        // Certificate and key may be of one file: each has a text of its own.
        let name = match self.files.iter().any(|f| f.path == name) {
            true => format!("{name} ({option})"),
            false => name,
        };
        let access = first.access;
        self.files.push(FileSeen {
            path: name.clone(),
            mode: access.map_or(0o600, |a| a.mode),
            regular: true,
            root_owned: access.is_some_and(|a| a.root),
            text,
            ..FileSeen::default()
        });
        self.parts.push((option, name));
    }

    /// Puts the parts in the place of the client's own files.
    pub(crate) fn add_to(&self, around: &mut ClientEnvironment) {
        for (option, name) in &self.parts {
            let origin = Origin::Argument {
                name: "--bundle".to_owned(),
            };
            // What an option of its own names wins.
            around
                .options
                .entry(option)
                .or_insert_with(|| Sourced::new(name.clone(), origin));
        }
        around.files.extend(self.files.iter().cloned());
    }

    /// What is wrong with it, which is looked at before anything is sent.
    pub(crate) fn judge(&self, target: &mut Target) {
        if self.defects.iter().any(|d| d.stops) {
            target.encryption.stopped_late = false;
        }
        target.encryption.from_bundle = self.parts.iter().any(|(option, _)| *option == "ca");
        // That a file of the client's own is missing follows from what the bundle did not give.
        let mut defects = self.defects.clone();
        // A client that never encrypts opens none of its files.
        let spoken = by_id(target.engine).protocol.last_layer(&target.shown()) > Layer::Port;
        if spoken && target.encryption.mode == TlsMode::Never {
            for defect in &mut defects {
                defect.stops = false;
            }
        }
        defects.append(&mut target.defects);
        target.defects = defects;
    }
}

/// Whether a bundle has names for connections, and is not meant to hold anything else.
fn is_of_names(bundle: &Bundle) -> bool {
    let manifest = bundle.manifest().map(|(_, manifest)| manifest);
    manifest.is_some_and(|m| !m.aliases.is_empty() && m.purpose.is_none() && m.paths().is_empty())
}

/// What is wrong with a bundle, as it meets a client that is given it. `whole` says whether
/// there are CA certificates, and a certificate with its key.
fn defects(
    path: &str,
    bundle: &Bundle,
    found: &[Finding],
    (authorities, identity): (bool, bool),
) -> Vec<Defect> {
    let nothing = !authorities && !identity;
    let mut out: Vec<Defect> = found
        .iter()
        // An old certificate beside a good one harms nobody.
        .filter(|one| one.fault)
        .filter_map(|one| {
            let FindingId::Cause(id) = one.id else {
                return None;
            };
            let (kind, stops) = match id {
                CauseId::BundleUnreadable => (DefectKind::FileUnusable, nothing),
                CauseId::BundlePathStale => (DefectKind::FileElsewhere, !identity),
                CauseId::BundleIncomplete => (DefectKind::FileMissing, !identity),
                CauseId::BundlePassphraseWrong => (DefectKind::FileLocked, !identity),
                CauseId::BundleKeyMismatch => (DefectKind::FileMismatch, !identity),
                CauseId::BundlePermissions => (DefectKind::FileOpen, nothing),
                CauseId::BundleExpired => (DefectKind::FileExpired, false),
                _ => return None,
            };
            let file = one.file.and_then(|index| bundle.files.get(index));
            Some(Defect {
                kind,
                subject: Field::CERTIFICATES,
                stops,
                text: format!(
                    "in the bundle {}: {}",
                    shown::path(path),
                    visible(&one.text)
                ),
                expected: one.fix.clone().unwrap_or_default(),
                place: file.map(|f| Place::of_file(&format!("{path}#{}", f.path), one.line, None)),
                mended: None,
            })
        })
        .collect();
    let shut = bundle.is_untried();
    let note = |kind, text: &str, expected: &str| Defect {
        kind,
        subject: Field::CERTIFICATES,
        stops: true,
        text: format!("in the bundle {}: {text}", shown::path(path)),
        expected: expected.to_owned(),
        place: None,
        mended: None,
    };
    if shut && !identity {
        let text = "a key or keystore is locked with a passphrase, and none was given";
        let expected = "the passphrase, by --passphrase-file or CHRONAXIS_PASSPHRASE";
        out.push(note(DefectKind::FileLocked, text, expected));
    } else if nothing && !is_of_names(bundle) && !out.iter().any(|d| d.stops) {
        let text = "there is no CA certificate, and no client certificate with its key";
        let expected = "certificates and keys in PEM or DER, or a PKCS #12 keystore";
        out.push(note(DefectKind::FileUnusable, text, expected));
    }
    out
}
