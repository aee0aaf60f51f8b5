//! For what the parts suffice: to check a server, and to show a certificate of one's own.

use crate::chain::{Together, is_authority};
use crate::item::{At, Bundle};
use crate::manifest::Purpose;

/// One use, and what is missing for it.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Use {
    /// Which.
    pub purpose: Purpose,
    /// The parts that serve it.
    pub parts: Vec<At>,
    /// What is missing, in words; nothing where it suffices.
    pub missing: Vec<String>,
}

impl Use {
    /// Whether nothing is missing.
    pub fn suffices(&self) -> bool {
        self.missing.is_empty()
    }
}

/// Both uses; `now` in seconds of Unix time.
pub fn uses(bundle: &Bundle, together: &Together, now: i64) -> [Use; 2] {
    let all = bundle.certificates();
    let of = |at: &At| all.iter().find(|(a, _)| a == at).map(|(_, c)| *c);
    let authorities: Vec<At> = all
        .iter()
        .filter(|(_, c)| is_authority(c))
        .map(|(at, _)| *at)
        .collect();
    let in_time = |at: &At| of(at).is_some_and(|c| c.not_before <= now && now <= c.not_after);
    let mut check = Use {
        purpose: Purpose::ServerCheck,
        parts: authorities.clone(),
        missing: Vec::new(),
    };
    if authorities.is_empty() {
        check.missing.push("a CA certificate".to_owned());
    } else if !authorities.iter().any(in_time) {
        check
            .missing
            .push("a CA certificate that is valid today".to_owned());
    }
    let own: Vec<At> = together
        .chains
        .iter()
        .filter_map(|c| c.links.first().copied())
        .filter(|at| of(at).is_some_and(|c| c.for_clients != Some(false)))
        .collect();
    let paired = |at: &At| {
        together
            .pairs
            .iter()
            .any(|p| p.certificates.contains(at) || p.open.contains(at))
    };
    let mut show = Use {
        purpose: Purpose::ClientCertificate,
        parts: own.iter().filter(|at| paired(at)).copied().collect(),
        missing: Vec::new(),
    };
    let locked = bundle.is_locked();
    let servers_only = together.chains.len() > own.len();
    match (own.is_empty(), show.parts.is_empty()) {
        (true, _) if servers_only => {
            let text = "a certificate for clients (the one here is for servers only)";
            show.missing.push(text.to_owned());
        }
        (true, _) => show.missing.push("a client certificate".to_owned()),
        (false, true) if locked => {
            show.missing
                .push("its private key (something is locked)".to_owned());
        }
        (false, true) => show
            .missing
            .push("the private key of its certificate".to_owned()),
        (false, false) if !show.parts.iter().any(in_time) => {
            show.missing
                .push("a client certificate that is valid today".to_owned());
        }
        _ => {}
    }
    if own.is_empty() && !together.pairs.is_empty() {
        show.parts.extend(together.pairs.iter().map(|p| p.key));
    }
    [check, show]
}
