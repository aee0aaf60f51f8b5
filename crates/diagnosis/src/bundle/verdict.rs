//! How a bundle stands.

use chronaxis_bundle::item::{Bundle, Content, File, What};
use chronaxis_model::found::FindingId;
use chronaxis_model::layer::Layer;
use chronaxis_model::redact::visible;

use super::{BundleFinding, Looked};
use crate::knowledge::causes::cause;
use crate::verdict::{NextTest, State, Verdict};

/// Whether nothing in it can be looked into that serves a connection.
fn is_bare(bundle: &Bundle) -> bool {
    let public = |f: &File| {
        let parts = [What::PublicKey, What::Request, What::Revoked];
        f.objects.iter().any(|o| {
            parts
                .iter()
                .any(|p| std::mem::discriminant(p) == std::mem::discriminant(&o.what))
        })
    };
    bundle.certificates().is_empty()
        && bundle.keys().is_empty()
        && bundle.manifest().is_none()
        && !bundle.files.iter().any(public)
}

pub(super) fn verdict(looked: &Looked<'_>, findings: &[BundleFinding]) -> Verdict {
    let bundle = looked.bundle;
    let count = findings.iter().filter(|f| f.fault).count();
    if let Some(first) = findings.first().filter(|f| f.fault)
        && let FindingId::Cause(id) = first.id
        && let Some(known) = cause(id)
    {
        let more = match count {
            1 => String::new(),
            2 => " One more fault is listed below.".to_owned(),
            n => format!(" {} more faults are listed below.", n - 1),
        };
        let headline = format!("{}.{more}", capital(&first.text));
        let mut out = Verdict::bare(State::Broken, Layer::Bundle, headline);
        out.seen_at = Some(Layer::Bundle);
        out.layer = Some(known.layer);
        out.cause = Some(id.as_str().to_owned());
        out.probability = Some(1.0);
        out.owner = known.owner;
        out.fix = first.fix.iter().cloned().collect();
        out.handover = Some(first.message.clone().unwrap_or_else(|| {
            let fix = first.fix.as_deref().unwrap_or_default();
            format!(
                "The bundle {} cannot be used as it is: {}. {fix}",
                visible(looked.path),
                first.text
            )
        }));
        out.next_test = Some(next(
            "After the fix, this command should find no fault.",
            looked.command,
        ));
        return out;
    }
    if bundle.is_untried() {
        let headline = "Something in the bundle is locked, and no passphrase was given: whether it fits cannot be told.";
        let mut out = Verdict::bare(State::Undecided, Layer::Bundle, headline.to_owned());
        let what = "Put the passphrase into a file that only you can read, and ask again:";
        let command = format!("{} --passphrase-file FILE", looked.command);
        out.next_test = Some(next(what, &command));
        return out;
    }
    if is_bare(bundle) {
        let is_archive = |f: &File| matches!(f.content, Content::Archive(_));
        let inner = bundle.files.iter().find(|f| is_archive(f));
        let headline = match inner {
            Some(inner) => format!(
                "It holds {}, an archive of its own: unpack it, and look into that.",
                visible(&inner.path)
            ),
            None if bundle.files.is_empty() && !bundle.left_out.is_empty() => {
                "Nothing in it can be read: see what was left out, and why.".to_owned()
            }
            None => "No certificate or key that can be looked into is in it.".to_owned(),
        };
        return Verdict::bare(State::Undecided, Layer::Bundle, headline);
    }
    let good: Vec<&str> = looked
        .uses
        .iter()
        .filter(|u| u.suffices())
        .map(|u| u.purpose.as_str())
        .collect();
    let headline = match good.as_slice() {
        [] => "No fault in the parts; but they suffice neither to check a server nor to show a client certificate.".to_owned(),
        some => format!("No fault found. The bundle suffices for: {}.", some.join(", ")),
    };
    Verdict::bare(State::Working, Layer::Bundle, headline)
}

fn next(what: &str, command: &str) -> NextTest {
    NextTest {
        question: "bundle".to_owned(),
        what: what.to_owned(),
        command: Some(command.to_owned()),
    }
}

fn capital(text: &str) -> String {
    let mut letters = text.chars();
    match letters.next() {
        // A path stays as it is.
        Some(first)
            if text
                .split(' ')
                .next()
                .is_some_and(|w| !w.contains(['.', '/'])) =>
        {
            first.to_uppercase().chain(letters).collect()
        }
        _ => text.to_owned(),
    }
}
