//! What is wrong with a bundle by itself, before anything is sent.

mod files;
mod manifest;
mod parts;

use chronaxis_model::found::{CauseId, FindingId, Warning};

use crate::chain::Together;
use crate::item::{At, Bundle};
use crate::uses::Use;

/// Something that was found.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Finding {
    /// What it is.
    pub id: FindingId,
    /// Whether something fails of it; else it is a remark.
    pub fault: bool,
    /// What was seen, a sentence without its full stop.
    pub text: String,
    /// What to do.
    pub fix: Option<String>,
    /// The file, by its place in the bundle.
    pub file: Option<usize>,
    /// The line in it.
    pub line: Option<u32>,
    /// The thing that it is about.
    pub about: Option<At>,
}

impl Finding {
    /// A fault.
    pub fn fault(id: CauseId, text: impl Into<String>) -> Finding {
        Finding {
            id: FindingId::Cause(id),
            fault: true,
            text: text.into(),
            fix: None,
            file: None,
            line: None,
            about: None,
        }
    }

    /// A remark.
    pub fn remark(id: Warning, text: impl Into<String>) -> Finding {
        Finding {
            id: FindingId::Warning(id),
            fault: false,
            ..Finding::fault(CauseId::BundleUnreadable, text)
        }
    }

    /// With what to do.
    #[must_use]
    pub fn fix(self, fix: impl Into<String>) -> Finding {
        Finding {
            fix: Some(fix.into()),
            ..self
        }
    }

    /// In a file.
    #[must_use]
    pub fn file(self, file: usize, line: Option<u32>) -> Finding {
        Finding {
            file: Some(file),
            line,
            ..self
        }
    }

    /// About a thing in a file.
    #[must_use]
    pub fn about(self, bundle: &Bundle, at: At) -> Finding {
        let object = bundle
            .files
            .get(at.file)
            .and_then(|f| f.objects.get(at.object));
        Finding {
            file: Some(at.file),
            line: object.and_then(|o| o.line),
            about: Some(at),
            ..self
        }
    }
}

/// In which order faults stop whoever uses the bundle.
fn rank(finding: &Finding) -> usize {
    const ORDER: [CauseId; 9] = [
        CauseId::BundleUnreadable,
        CauseId::BundleAliasUnknown,
        CauseId::BundlePathStale,
        CauseId::BundlePermissions,
        CauseId::BundlePassphraseWrong,
        CauseId::BundleIncomplete,
        CauseId::BundleKeyMismatch,
        CauseId::BundleExpired,
        CauseId::CertificateNotYetValid,
    ];
    let place = |id: CauseId| ORDER.iter().position(|o| *o == id);
    match finding.id {
        FindingId::Cause(id) if finding.fault => place(id).unwrap_or(ORDER.len()),
        _ => ORDER.len() + 1,
    }
}

/// Everything that is found: what stops first comes first. `now` in seconds of Unix time.
pub fn findings(bundle: &Bundle, together: &Together, uses: &[Use; 2], now: i64) -> Vec<Finding> {
    let mut out = files::findings(bundle);
    let told = manifest::findings(bundle, together);
    // What is damaged or not where the manifest has it is not missing besides.
    let lost = |f: &Finding| {
        let ids = [
            CauseId::BundleUnreadable,
            CauseId::BundlePermissions,
            CauseId::BundlePathStale,
            CauseId::BundleIncomplete,
        ];
        f.fault && ids.iter().any(|id| f.id == FindingId::Cause(*id))
    };
    let explained = out.iter().chain(&told).any(lost);
    let parts = parts::findings(bundle, together, now);
    out.extend(parts.into_iter().filter(|f| !(explained && lost(f))));
    out.extend(told);
    if !out.iter().any(|f| f.fault) {
        out.extend(manifest::purpose(bundle, uses));
    }
    in_order(&mut out);
    out
}

/// Puts first what stops first.
pub fn in_order(found: &mut [Finding]) {
    found.sort_by_key(rank);
}
