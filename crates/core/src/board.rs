//! What the targets of a run share beside the leave to try a secret: what one of them has
//! asked of the world, no other asks again.

use std::collections::BTreeMap;
use std::net::{IpAddr, SocketAddr};

use crate::fact::{Fact, RecordKind, Subject};
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

/// How many of the addresses of one network are walked to. The others are taken to lie
/// behind the same devices: routers answer only so many expired packets.
const WALKED_OF_A_NETWORK: usize = 3;

/// The length of the prefix that addresses of one network share, as most sites cut theirs.
fn network_bits(ip: IpAddr) -> u8 {
    if ip.is_ipv4() { 24 } else { 64 }
}

/// What was asked in a run, and by nobody again.
#[derive(Debug, Default)]
pub struct Board {
    entries: BTreeMap<Shared, Option<Vec<Seen>>>,
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

    /// Asks for the steps to an address and port. Once enough addresses of its network
    /// were walked to on this port, theirs stand for it: [`Fact::PathLike`] says so.
    pub fn claim_steps(&mut self, to: SocketAddr) -> Claim {
        if self.entries.contains_key(&Shared::Steps(to)) {
            return self.claim(&Shared::Steps(to));
        }
        let bits = network_bits(to.ip());
        let mut near = self.entries.iter().filter_map(|(known, seen)| match known {
            Shared::Steps(other) if shares_prefix(other.ip(), to.ip(), bits) => {
                Some((*other, seen))
            }
            _ => None,
        });
        if near.clone().count() < WALKED_OF_A_NETWORK {
            return self.claim(&Shared::Steps(to));
        }
        let done = near.find_map(|(other, seen)| Some((other, seen.as_ref()?)));
        let Some((other, seen)) = done else {
            return Claim::Pending;
        };
        let about = Subject {
            address: Some(to.ip()),
            port: Some(to.port()),
            ..Subject::default()
        };
        let like = Fact::PathLike {
            address: other.ip(),
        };
        let like = (Layer::Port, about, like);
        Claim::Known(std::iter::once(like).chain(seen.iter().cloned()).collect())
    }
}
