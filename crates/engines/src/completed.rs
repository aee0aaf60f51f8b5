//! The last step from a draft to a target, the same for all engines.

use chronaxis_model::secret::{Secret, is_invisible, is_placeholder};
use chronaxis_model::settings::{Defect, DefectKind, Field};
use chronaxis_model::shown;
use chronaxis_model::target::{End, Target};

use super::beyond_ascii;
use super::spec::Engine;
use super::strings::{ClientEnvironment, Draft, NotFollowed};

/// Fills in what the draft leaves open, by the client's own rules, and takes out every host
/// that is no name, address or socket path: it may be a secret in the wrong place, so it is
/// neither looked up nor shown.
///
/// # Errors
/// Names what stands in the draft or around it that this version does not follow.
pub fn completed(
    engine: &Engine,
    draft: Draft,
    around: &ClientEnvironment,
) -> Result<Target, NotFollowed> {
    let mut target = engine.strings.complete(draft, around)?;
    let (kept, odd): (Vec<End>, Vec<End>) = target.ends.into_iter().partition(can_be_dialled);
    target.ends = kept;
    let beyond = beyond_ascii::asked_for(target.client, &mut target.ends);
    target.remarks.extend(beyond);
    if let Some(first) = odd.first() {
        target.defects.push(no_host(first, target.ends.is_empty()));
    }
    target.withheld = odd.iter().map(|end| Secret::new(told(end))).collect();
    Ok(target)
}

/// What a target is called until somebody names it: by its database, else by where it goes.
pub(crate) fn label(database: Option<&String>, ends: &[End]) -> String {
    database
        .cloned()
        .or_else(|| ends.first().map(End::to_string))
        .unwrap_or_else(|| "a connection".to_owned())
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
        subject: Field::HOST,
        stops,
        text: format!(
            "the host is not a valid name, address or socket path, so it is neither looked up nor shown: {}",
            shown::hidden(told(end))
        ),
        expected: "a host name, an address, or the path of a socket".to_owned(),
        place: None,
        mended: None,
    }
}
