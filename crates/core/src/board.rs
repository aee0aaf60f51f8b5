//! What the targets of a run share beside the leave to try a secret: what one of them has
//! asked of the world, no other asks again.

use std::collections::BTreeMap;
use std::net::{IpAddr, SocketAddr};

use crate::fact::{Fact, RecordKind, StepAnswer, Subject};
use crate::layer::Layer;
use crate::special::shares_prefix;

/// Something that is asked once in a run.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Shared {
    /// The system's own answer for a name.
    Name(String),
    /// One resolver's answer to one question.
    Asked(SocketAddr, String, RecordKind),
    /// What a control port does.
    Knock(SocketAddr),
    /// The steps of the way to an address and port.
    Steps(SocketAddr),
}

/// A fact as it is handed on: where it belongs, what it is about.
pub type Seen = (Layer, Subject, Fact);

/// What a request for something shared gets.
#[derive(Clone, Debug, PartialEq)]
pub enum Claim {
    /// Nobody has asked: the claimant does, and publishes what comes of it.
    Yours,
    /// Another one is asking.
    Pending,
    /// It was asked, and this came of it.
    Known(Vec<Seen>),
}

/// How many of the addresses of one network are walked to on a port. The others that end as
/// one of them does are taken to lie behind the same devices: routers answer only so many
/// expired packets.
const MOST_OF_A_NETWORK: usize = 4;

/// The length of the prefix that addresses of one network share, as most sites cut theirs.
fn network_bits(ip: IpAddr) -> u8 {
    if ip.is_ipv4() { 24 } else { 64 }
}

/// What was asked in a run, and by nobody again.
#[derive(Debug, Default)]
pub struct Board {
    entries: BTreeMap<Shared, Option<Vec<Seen>>>,
    /// Whether a walk asks for a missing step once more.
    asking_again: bool,
}

impl Board {
    /// Asks for something.
    pub fn claim(&mut self, what: &Shared) -> Claim {
        match self.entries.get(what) {
            Some(Some(seen)) => return Claim::Known(seen.clone()),
            Some(None) => return Claim::Pending,
            None => {}
        }
        self.entries.insert(what.clone(), None);
        Claim::Yours
    }

    /// Says what came of it.
    pub fn publish(&mut self, what: Shared, seen: Vec<Seen>) {
        self.entries.insert(what, Some(seen));
    }

    /// Gives a claim back that came to nothing.
    pub fn release(&mut self, what: &Shared) {
        if let Some(None) = self.entries.get(what) {
            self.entries.remove(what);
        }
    }

    /// Asks for what a control port of this host does: on this very port, or, for telling
    /// whether the host is up, on any other. The claim is on the port given.
    pub fn claim_knock(&mut self, to: SocketAddr, any_port: bool) -> Claim {
        let fits = |known: &Shared| match known {
            Shared::Knock(known) => *known == to || (any_port && known.ip() == to.ip()),
            _ => false,
        };
        let known = self.entries.iter().find(|(known, _)| fits(known));
        match known {
            Some((_, Some(seen))) => Claim::Known(seen.clone()),
            Some((_, None)) => Claim::Pending,
            None => self.claim(&Shared::Knock(to)),
        }
    }

    /// Asks for the steps to an address and port, where nothing or something answers. Those
    /// to another address of its network on this port, if they ended alike, stand for it:
    /// [`Fact::PathLike`] says so.
    pub fn claim_steps(&mut self, to: SocketAddr, answers: bool) -> Claim {
        let own = Shared::Steps(to);
        if self.entries.contains_key(&own) {
            return self.claim(&own);
        }
        let bits = network_bits(to.ip());
        let near: Vec<(SocketAddr, &Option<Vec<Seen>>)> = self
            .entries
            .iter()
            .filter_map(|(known, seen)| match known {
                Shared::Steps(other)
                    if other.port() == to.port() && shares_prefix(other.ip(), to.ip(), bits) =>
                {
                    Some((*other, seen))
                }
                _ => None,
            })
            .collect();
        let mut done = near
            .iter()
            .filter_map(|(o, seen)| Some((*o, seen.as_ref()?)));
        if let Some((other, seen)) = done.find(|(_, seen)| met(seen) == answers) {
            let about = Subject {
                address: Some(to.ip()),
                port: Some(to.port()),
                ..Subject::default()
            };
            let address = other.ip();
            let like = (Layer::Port, about, Fact::PathLike { address });
            return Claim::Known(std::iter::once(like).chain(seen.iter().cloned()).collect());
        }
        if near.iter().any(|(_, seen)| seen.is_none()) {
            return Claim::Pending;
        }
        match near.len() < MOST_OF_A_NETWORK {
            true => self.claim(&own),
            false => Claim::Known(Vec::new()),
        }
    }

    /// Asks for the leave to ask for a missing step once more. One walk of a run has it at
    /// a time: two would take the one answer that a router may give from each other.
    pub fn claim_again(&mut self) -> bool {
        !std::mem::replace(&mut self.asking_again, true)
    }

    /// Gives that leave back.
    pub fn release_again(&mut self) {
        self.asking_again = false;
    }
}

/// Whether steps met the host, or a refusal.
fn met(seen: &[Seen]) -> bool {
    seen.iter().any(|(.., fact)| {
        matches!(fact, Fact::PathStep { answer, .. }
            if !matches!(answer, StepAnswer::Expired | StepAnswer::Silent))
    })
}
