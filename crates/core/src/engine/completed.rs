//! The last step from a draft to a target, the same for all engines.

use super::spec::{Draft, Engine, NotFollowed, Surroundings};
use crate::secret::{Secret, is_invisible, is_placeholder};
use crate::settings::{Defect, DefectKind};
use crate::shown;
use crate::target::{End, Target};

/// Fills in what the draft leaves open, by the client's own rules, and takes out every host
/// that is no name, address or socket path: it may be a secret in the wrong place, so it is
/// neither looked up nor shown.
///
/// # Errors
/// Names what stands in the draft or around it that this version does not follow.
pub fn completed(
    engine: &dyn Engine,
    draft: Draft,
    around: &Surroundings,
) -> Result<Target, NotFollowed> {
    let mut target = engine.complete(draft, around)?;
    let (kept, odd): (Vec<End>, Vec<End>) = target.ends.into_iter().partition(can_be_dialled);
    target.ends = kept;
    if let Some(first) = odd.first() {
        target.defects.push(no_host(first, target.ends.is_empty()));
    }
    target.withheld = odd.iter().map(|end| Secret::new(told(end))).collect();
    Ok(target)
}

fn told(end: &End) -> &str {
    match end {
        End::Host { host, .. } => host,
        End::Socket { socket } => socket,
    }
}

/// Whether it is a host or a socket; outer blanks and quotes are a slip that is looked into
/// as it stands.
fn can_be_dialled(end: &End) -> bool {
    let told = told(end);
    let slip = |c: char| c.is_whitespace() || is_invisible(c) || matches!(c, '"' | '\'' | '`');
    let bare = told.trim_matches(slip);
    let bare: String = bare.chars().filter(|c| !is_invisible(*c)).collect();
    match end {
        End::Host { .. } => shown::is_dialled(&bare) || is_placeholder(told),
        End::Socket { .. } => shown::is_path(&bare.trim_start_matches('@').replace(' ', "_")),
    }
}

fn no_host(end: &End, stops: bool) -> Defect {
    Defect {
        kind: DefectKind::Unreadable,
        subject: "host".to_owned(),
        stops,
        text: format!(
            "the host is no valid name, address or socket path, so it is neither looked up nor shown: {}",
            shown::hidden(told(end))
        ),
        expected: "a host name, an address, or the path of a socket".to_owned(),
        place: None,
        mended: None,
    }
}
