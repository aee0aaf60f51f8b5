//! A second target on the same server, with more rights, that looks the first one up: what it
//! is asked, whether it is believed, and what its word means for the sign-in.

mod lists;
mod standing;

use chronaxis_model::account::{AccountTold, Inquiry, SameServer};
use chronaxis_model::endpoint::Endpoint;
use chronaxis_model::fact::{Fact, Instance, Observation, Subject};
use chronaxis_model::layer::{Layer, Micros};
use chronaxis_model::redact::{Redacted, Redactor};

use crate::judge::Evidence;
use crate::verdict::{Occasion, assess};
use crate::walk::Touched;

pub use lists::quoted_host;
pub use standing::{Standing, Word, database, standing};

/// Most names near an unknown one that are kept.
const MOST_NEAR: usize = 5;

/// What the second target is asked about the first; none where the first says no user.
pub fn inquiry(first: Evidence<'_>) -> Option<Inquiry> {
    let user = first.target.user.clone().filter(|user| !user.is_empty())?;
    Some(Inquiry {
        user,
        database: first
            .target
            .database
            .clone()
            .filter(|name| !name.is_empty()),
    })
}

/// What the walk of the second target is worth to the first: one entry for its log, and what
/// was touched for it.
pub fn learnt(
    first: Evidence<'_>,
    second: Evidence<'_>,
    touched: Touched,
    occasion: &Occasion,
) -> (Observation, Touched) {
    let at = first.log.last().map_or(Micros(0), |o| o.at);
    let fact = match told(second) {
        Some(found) => Fact::AccountTold(Box::new(believed(first, second, found))),
        None => Fact::AccountUntold {
            asked_as: second.target.user.clone().unwrap_or_default(),
            // Its words are ours: nothing in them is a secret, whatever a password may be.
            why: Redactor::default().text(&assess(second, occasion).verdict.headline),
        },
    };
    let count = |fits: fn(&Fact) -> bool| second.facts().filter(move |(_, fact)| fits(fact));
    let proofs = count(|fact| matches!(fact, Fact::ProofSent));
    let sessions = count(|fact| matches!(fact, Fact::SessionReady)).count();
    let touched = Touched {
        other_sign_ins: proofs.filter_map(|(o, _)| Endpoint::of(&o.about)).collect(),
        other_sessions: u32::try_from(sessions).unwrap_or(u32::MAX),
        ..touched
    };
    let entry = Observation::new(Layer::Login, at, Subject::default(), fact);
    (entry, touched)
}

/// What the log holds of an administrator's view.
pub fn told(evidence: Evidence<'_>) -> Option<&AccountTold> {
    evidence.facts().find_map(|(_, fact)| match fact {
        Fact::AccountTold(told) => Some(&**told),
        _ => None,
    })
}

/// The view with whether it is one of the same server, and without what only a long list
/// holds.
fn believed(first: Evidence<'_>, second: Evidence<'_>, found: &AccountTold) -> AccountTold {
    let mut told = found.clone();
    let (server, because) = same_server(first, second, found);
    (told.server, told.server_because) = (server, because);
    if end_of(first) != end_of(second) {
        // From another end this machine may be known by another address.
        told.client = None;
    }
    if let Some(user) = &first.target.user {
        told.near_users = near(user, &told.near_users);
    }
    if let Some(database) = &mut told.database
        && let Some(name) = first
            .target
            .database
            .as_deref()
            .filter(|_| !database.exists)
    {
        database
            .others
            .sort_by_key(|other| distance(name, other.as_str()));
    }
    told
}

/// Those that a slip of the hand makes of a name, the nearest first.
fn near(name: &str, all: &[Redacted]) -> Vec<Redacted> {
    let most = 1 + name.chars().count() / 4;
    let mut out: Vec<(usize, &Redacted)> = all
        .iter()
        .map(|other| (distance(name, other.as_str()), other))
        .filter(|(distance, _)| *distance <= most)
        .collect();
    out.sort();
    out.into_iter()
        .take(MOST_NEAR)
        .map(|(_, other)| other.clone())
        .collect()
}

fn distance(a: &str, b: &str) -> usize {
    strsim::damerau_levenshtein(&a.to_lowercase(), &b.to_lowercase())
}

/// The end at which the server spoke last of the sign-in.
fn end_of(evidence: Evidence<'_>) -> Option<Endpoint> {
    let spoken = |fact: &Fact| {
        matches!(
            fact,
            Fact::ServerRefused { .. }
                | Fact::LoggedIn { .. }
                | Fact::PasswordAsked { .. }
                | Fact::SpokeProtocol { .. }
        )
    };
    let last = evidence.facts().filter(|(_, fact)| spoken(fact)).last()?;
    Endpoint::of(&last.0.about)
}

fn instance(evidence: Evidence<'_>) -> Option<&Instance> {
    evidence.facts().find_map(|(_, fact)| match fact {
        Fact::Instance(instance) => Some(&**instance),
        _ => None,
    })
}

/// Whether both targets lead to one server, and what tells.
fn same_server(
    first: Evidence<'_>,
    second: Evidence<'_>,
    told: &AccountTold,
) -> (SameServer, String) {
    let (own, other) = (instance(first), instance(second));
    let ids = (
        own.and_then(Instance::identifier),
        other.and_then(Instance::identifier),
    );
    match ids {
        (Some(own), Some(other)) if own == other => {
            return (
                SameServer::Same,
                "both sessions report the same identifier".to_owned(),
            );
        }
        (Some(own), Some(other)) => {
            let why = format!("this target is on instance {own}, the administrator's on {other}");
            return (SameServer::Other, why);
        }
        _ => {}
    }
    let (Some(here), Some(there)) = (end_of(first), end_of(second)) else {
        return (
            SameServer::Unproven,
            "this target did not reach a server".to_owned(),
        );
    };
    if here == there {
        return (SameServer::Same, format!("both connect to {here}"));
    }
    let port = told.port.or(other.and_then(|o| o.port));
    let is_own = |evidence: Evidence<'_>, end: &Endpoint| match end {
        Endpoint::Tcp(to) => evidence.is_own_address(to.ip()),
        Endpoint::Socket(_) => true,
    };
    let on_this_machine = is_own(first, &here) && is_own(second, &there);
    if on_this_machine && here.port().is_some() && here.port() == port {
        let why = format!("both are on this machine, and the server says that {here} is its port");
        return (SameServer::Same, why);
    }
    if let (Some(address), Some(ip)) = (other.and_then(|o| o.address.as_ref()), here.ip())
        && address.as_str().parse() == Ok(ip)
        && here.port() == port
    {
        return (
            SameServer::Same,
            format!("the server says that {here} is its address"),
        );
    }
    let why = format!(
        "the administrator's target is at {there}, this one at {here}, and nothing shows that they are one server"
    );
    (SameServer::Unproven, why)
}
