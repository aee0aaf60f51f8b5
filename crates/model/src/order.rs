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

/// What carries a line.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Over {
    /// A connection of its own: over the network, or to a socket file.
    Endpoint(Endpoint),
    /// A channel of another line, from whose far end it leads on.
    Line {
        /// Which line.
        line: LineId,
        /// Where to, as the far end of that line sees it.
        to: Endpoint,
    },
}

impl Over {
    /// Where the line ends.
    pub fn end(&self) -> &Endpoint {
        match self {
            Over::Endpoint(to) | Over::Line { to, .. } => to,
        }
    }
}

/// What this machine is asked about itself.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum LocalLook {
    /// What it says of names by itself: its hosts file, and which resolvers it is set up to
    /// ask.
    NameSources {
        /// The names.
        names: Vec<String>,
    },
    /// What its own filter says of packets to there and of the answers to them, where this
    /// user may read that.
    Firewall {
        /// Where to.
        to: SocketAddr,
        /// From where an attempt began.
        from: Option<SocketAddr>,
        /// By which interface they leave.
        interface: Option<String>,
    },
    /// How many packets its system could not send by itself, from now until the end of this
    /// look.
    SendFailures {
        /// Where an attempt is silent meanwhile.
        to: SocketAddr,
    },
    /// What its tables say of the next hop.
    NextHop {
        /// On the way to there.
        to: SocketAddr,
    },
    /// Which of its connections to there stand open.
    Connections {
        /// Where to.
        to: SocketAddr,
    },
    /// Which of its programs listen that bear on a target on it, and whether anything tells
    /// of a tunnel from its port.
    Listeners {
        /// The port.
        port: u16,
        /// The engine that is meant there.
        engine: EngineId,
    },
    /// Whether anything listens on a port of it, and how many connections wait in its queue.
    Queue {
        /// The port, at an address of this machine.
        to: SocketAddr,
    },
}

/// How many echo requests a host gets that is asked by them.
pub const ECHOES: u32 = 3;

/// Something that takes time at the edge.
pub enum Probe {
    /// Ask the system for the addresses of a name.
    LookUp {
        /// The name.
        name: String,
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
    /// Read what this machine's own tables, files and counters say: nothing is sent.
    LookHere {
        /// Which of them.
        what: LocalLook,
        /// What must not be shown of a name or a rule.
        redactor: Redactor,
    },
    /// Look for the way, connect, and hold the conversation up to where it rests.
    Open {
        /// The line's name from now on.
        line: LineId,
        /// What carries it.
        over: Over,
        /// What to say.
        conversation: Box<dyn Conversation>,
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
            Probe::Ask {
                resolver,
                asked,
                kind,
                ..
            } => write!(f, "Ask({resolver}, {} {})", visible(asked), kind.as_str()),
            Probe::Knock { to } => write!(f, "Knock({to})"),
            Probe::AskHost { to, with } => write!(f, "AskHost({to}, {with:?})"),
            Probe::Step { to, ttl, least } => write!(f, "Step({to}, {ttl}, {least:?})"),
            Probe::LookHere { what, .. } => {
                write!(f, "LookHere({})", visible(&format!("{what:?}")))
            }
            Probe::Open { line, over, .. } => {
                write!(f, "Open({line:?}, {})", visible(&over.end().to_string()))
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
