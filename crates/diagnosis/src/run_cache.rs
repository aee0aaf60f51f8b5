//! What the targets of a run share beside the leave to try a secret: what one of them has
//! asked of the world, no other asks again.

use std::collections::{BTreeMap, BTreeSet};
use std::net::{IpAddr, SocketAddr};

use chronaxis_model::fact::{Fact, HostQuestion, RecordKind, StepAnswer, Subject};
use chronaxis_model::layer::Layer;
use chronaxis_model::reserved_ranges::shares_prefix;

/// Something that is asked once in a run.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Shared {
    /// The system's own answer for a name.
    Name(String),
    /// One resolver's answer to one question.
    Asked(SocketAddr, String, RecordKind),
    /// What an attempt to connect comes to; and who speaks there, as far as it matters to
    /// other engines.
    Port(SocketAddr),
    /// What a control port does.
    Knock(SocketAddr),
    /// What a host says of itself, beside its ports.
    Host(IpAddr, HostQuestion),
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
pub struct RunCache {
    entries: BTreeMap<Shared, Option<Vec<Seen>>>,
    /// Whether a walk asks for a missing step once more.
    asking_again: bool,
    /// Places where a server counts lines that end early, whatever speaks to it.
    counting: BTreeSet<SocketAddr>,
    /// The targets that wait for something, by their numbers; none: for that leave.
    waiting: BTreeMap<Option<Shared>, BTreeSet<usize>>,
    woken: BTreeSet<usize>,
}

impl RunCache {
    /// Asks for something, as the target of this number: it is woken once another one has
    /// an answer.
    pub fn claim(&mut self, what: &Shared, who: usize) -> Claim {
        match self.entries.get(what) {
            Some(Some(seen)) => return Claim::Known(seen.clone()),
            Some(None) => {
                self.wait_for(Some(what.clone()), who);
                return Claim::Pending;
            }
            None => {}
        }
        self.entries.insert(what.clone(), None);
        Claim::Yours
    }

    /// Says what came of it.
    pub fn publish(&mut self, what: Shared, seen: Vec<Seen>) {
        self.wake(&Some(what.clone()));
        self.entries.insert(what, Some(seen));
    }

    /// Gives a claim back that came to nothing.
    pub fn release(&mut self, what: &Shared) {
        if let Some(None) = self.entries.get(what) {
            self.entries.remove(what);
            self.wake(&Some(what.clone()));
        }
    }

    /// A server that counts lines which end early speaks there.
    pub fn counts(&mut self, place: SocketAddr) {
        self.counting.insert(place);
    }

    /// Whether one is known to.
    pub fn is_counting(&self, place: SocketAddr) -> bool {
        self.counting.contains(&place)
    }

    fn wait_for(&mut self, what: Option<Shared>, who: usize) {
        self.waiting.entry(what).or_default().insert(who);
    }

    fn wake(&mut self, what: &Option<Shared>) {
        self.woken
            .extend(self.waiting.remove(what).unwrap_or_default());
    }

    /// The targets whose answers came, by their numbers.
    pub fn take_woken(&mut self) -> BTreeSet<usize> {
        std::mem::take(&mut self.woken)
    }

    /// Asks for what a control port of this host does: on this very port, or, for telling
    /// whether the host is up, on any other. The claim is on the port given.
    pub fn claim_knock(&mut self, to: SocketAddr, any_port: bool, who: usize) -> Claim {
        let fits = |known: &Shared| match known {
            Shared::Knock(known) => *known == to || (any_port && known.ip() == to.ip()),
            _ => false,
        };
        let of_host =
            Shared::Knock((to.ip(), 0).into())..=Shared::Knock((to.ip(), u16::MAX).into());
        let known = self.entries.range(of_host).find(|(known, _)| fits(known));
        match known.map(|(known, seen)| (known.clone(), seen.clone())) {
            Some((_, Some(seen))) => Claim::Known(seen),
            Some((known, None)) => {
                self.wait_for(Some(known), who);
                Claim::Pending
            }
            None => self.claim(&Shared::Knock(to), who),
        }
    }

    /// Asks for the steps to an address and port, where nothing or something answers. Those
    /// to another address of its network on this port, if they ended alike, stand for it:
    /// [`Fact::PathLike`] says so.
    pub fn claim_steps(&mut self, to: SocketAddr, answers: bool, who: usize) -> Claim {
        let own = Shared::Steps(to);
        if self.entries.contains_key(&own) {
            return self.claim(&own, who);
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
        let pending: Vec<SocketAddr> = near
            .iter()
            .filter(|(_, seen)| seen.is_none())
            .map(|(other, _)| *other)
            .collect();
        let count = near.len();
        if !pending.is_empty() {
            for other in pending {
                self.wait_for(Some(Shared::Steps(other)), who);
            }
            return Claim::Pending;
        }
        match count < MOST_OF_A_NETWORK {
            true => self.claim(&own, who),
            false => Claim::Known(Vec::new()),
        }
    }

    /// Asks for the leave to ask for a missing step once more. One walk of a run has it at
    /// a time: two would take the one answer that a router may give from each other.
    pub fn claim_again(&mut self, who: usize) -> bool {
        if self.asking_again {
            self.wait_for(None, who);
        }
        !std::mem::replace(&mut self.asking_again, true)
    }

    /// Gives that leave back.
    pub fn release_again(&mut self) {
        self.asking_again = false;
        self.wake(&None);
    }
}

/// Whether steps met the host, or a refusal.
fn met(seen: &[Seen]) -> bool {
    seen.iter().any(|(.., fact)| {
        matches!(fact, Fact::PathStep { answer, .. }
            if !matches!(answer, StepAnswer::Expired | StepAnswer::Silent))
    })
}
