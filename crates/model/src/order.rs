//! What the walk asks of an edge, and what it is told.

use std::collections::BTreeSet;
use std::fmt;
use std::net::SocketAddr;

use crate::conversation::Conversation;
use crate::endpoint::Endpoint;
use crate::fact::{Fact, HostQuestion, RecordKind};
use crate::layer::{Layer, Micros};
use crate::permit::{Permit, Withheld};
use crate::redact::{Redactor, visible};
use crate::target::EngineId;

/// Names one thing in progress at the edge.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub struct ProbeId(pub u32);

/// Names one line that the edge keeps.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub struct LineId(pub u32);

/// Something that takes time at the edge.
pub enum Probe {
    /// Ask the system for the addresses of a name.
    LookUp {
        /// The name.
        name: String,
    },
    /// Read what this machine says of names by itself: its hosts file, and which resolvers
    /// it is set up to ask.
    NameSources {
        /// The names.
        names: Vec<String>,
    },
    /// Ask one resolver one question.
    Ask {
        /// Whom.
        resolver: SocketAddr,
        /// For which whole name.
        asked: String,
        /// For which records.
        kind: RecordKind,
        /// What must not be shown of an answer.
        redactor: Redactor,
    },
    /// Connect once and close: for control ports.
    Knock {
        /// Where.
        to: SocketAddr,
    },
    /// Ask a host itself, beside its ports, whether it is up.
    AskHost {
        /// Where; the port is that of a datagram.
        to: SocketAddr,
        /// By what.
        with: HostQuestion,
    },
    /// Send a packet that begins a connection and lives for so many devices only, and close
    /// what comes of it.
    Step {
        /// Where to.
        to: SocketAddr,
        /// For how many devices.
        ttl: u8,
        /// For how many an answer must still have to live to be heard (RFC 5082).
        least: Option<u8>,
    },
    /// Read what this machine's own filter says of packets to there and of the answers to
    /// them, where this user may.
    OwnFilter {
        /// Where to.
        to: SocketAddr,
        /// From where an attempt began.
        from: Option<SocketAddr>,
        /// By which interface they leave.
        interface: Option<String>,
        /// What must not be shown of a rule.
        redactor: Redactor,
    },
    /// Count the packets that this machine's system could not send by itself, from now
    /// until the end of this probe.
    OwnSendFailures {
        /// Where an attempt is silent meanwhile.
        to: SocketAddr,
    },
    /// Read what this machine's own tables say of the next device on the way.
    NextDevice {
        /// Where to.
        to: SocketAddr,
    },
    /// Read which connections of this machine to there stand open.
    ConnectionsOpen {
        /// Where to.
        to: SocketAddr,
        /// What must not be shown of a program's name.
        redactor: Redactor,
    },
    /// Read which programs of this machine listen that bear on a target on it, and whether
    /// anything tells of a tunnel from its port.
    ListenersHere {
        /// The port.
        port: u16,
        /// The engine that is meant there.
        engine: EngineId,
        /// What must not be shown of a program's name.
        redactor: Redactor,
    },
    /// Read what this machine's own table of sockets says of a port: whether anything
    /// listens there, and how many connections wait in its queue.
    LocalListener {
        /// The port, at an address of this machine.
        to: SocketAddr,
    },
    /// Look for the way, connect, and hold the conversation up to where it rests.
    Open {
        /// The line's name from now on.
        line: LineId,
        /// Where.
        to: Endpoint,
        /// What to say.
        talk: Box<dyn Conversation>,
        /// The largest segment to ask for, in bytes; none for the system's own.
        segment: Option<u16>,
    },
    /// Let a resting line go on.
    Advance {
        /// Which.
        line: LineId,
        /// How far.
        stop: Layer,
        /// Leave to try the secret.
        permit: Option<Permit>,
        /// Why there is none.
        withheld: Option<Withheld>,
    },
}

impl fmt::Debug for Probe {
    /// For the trace: names and paths with their control characters made visible.
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Probe::LookUp { name } => write!(f, "LookUp({})", visible(name)),
            Probe::NameSources { names } => write!(f, "NameSources({} names)", names.len()),
            Probe::Ask {
                resolver,
                asked,
                kind,
                ..
            } => write!(f, "Ask({resolver}, {} {})", visible(asked), kind.as_str()),
            Probe::Knock { to } => write!(f, "Knock({to})"),
            Probe::AskHost { to, with } => write!(f, "AskHost({to}, {with:?})"),
            Probe::Step { to, ttl, least } => write!(f, "Step({to}, {ttl}, {least:?})"),
            Probe::OwnFilter { to, .. } => write!(f, "OwnFilter({to})"),
            Probe::OwnSendFailures { to } => write!(f, "OwnSendFailures({to})"),
            Probe::NextDevice { to } => write!(f, "NextDevice({to})"),
            Probe::ConnectionsOpen { to, .. } => write!(f, "ConnectionsOpen({to})"),
            Probe::ListenersHere { port, .. } => write!(f, "ListenersHere({port})"),
            Probe::LocalListener { to } => write!(f, "LocalListener({to})"),
            Probe::Open { line, to, .. } => {
                write!(f, "Open({line:?}, {})", visible(&to.to_string()))
            }
            Probe::Advance { line, stop, .. } => write!(f, "Advance({line:?}, {stop})"),
        }
    }
}

/// What the walk asks of the edge.
#[derive(Debug)]
pub enum Order {
    /// Begin something. It gets exactly one `Ended`, at `until` at the latest.
    Start {
        /// Its name from now on.
        probe: ProbeId,
        /// What to do.
        what: Probe,
        /// When it must have ended.
        until: Micros,
    },
    /// Give up something that runs; its `Ended` follows.
    Stop(ProbeId),
    /// Leave a resting line politely.
    Close(LineId),
    /// Nothing can add to this layer any more.
    Settled(Layer),
    /// Nothing to do before this moment, unless an event comes first.
    Wait(Micros),
    /// The walk is over.
    Over,
}

/// How something in progress ended.
#[derive(Debug)]
pub enum Ended {
    /// It did what it could; its facts say what.
    Done,
    /// The line rests after this layer and can go on.
    Resting(Layer),
    /// Nothing came until the given time.
    Unanswered,
    /// It was given up, as ordered.
    Stopped,
}

/// What the edge tells the walk.
#[derive(Debug)]
pub enum Event {
    /// Something was seen.
    Observed {
        /// By what.
        probe: ProbeId,
        /// The name that it is about, where the probe asked for several.
        name: Option<String>,
        /// To which layer it belongs.
        layer: Layer,
        /// What.
        fact: Fact,
    },
    /// Something in progress is over.
    Ended {
        /// What.
        probe: ProbeId,
        /// How.
        how: Ended,
        /// The permit that it held.
        permit: Option<Permit>,
    },
}

/// What several of those who give orders share in a run.
pub trait Shared: Default {
    /// Those who waited for something that has happened, by their numbers.
    fn take_woken(&mut self) -> BTreeSet<usize>;

    /// The edge woke so much later than it meant to: this machine is busy.
    fn woke_late(&mut self, by: Micros);
}

/// Whoever decides what an edge does: it is polled for orders, and told what came of them.
pub trait Decider {
    /// What it shares with the others of a run.
    type Shared: Shared;

    /// The next order.
    #[must_use]
    fn poll(&mut self, shared: &mut Self::Shared, now: Micros) -> Order;

    /// Takes in an event.
    fn handle(&mut self, shared: &mut Self::Shared, now: Micros, event: Event);

    /// Its number in the run.
    fn number(&self) -> usize;

    /// Whether it waits for what another one of the run does.
    fn awaits_others(&self) -> bool;

    /// Something that it waited for has happened: poll it again.
    fn ring(&mut self);

    /// When it must be over.
    fn deadline(&self) -> Micros;
}
