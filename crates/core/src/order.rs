//! What the walk asks of an edge, and what it is told.

use std::fmt;
use std::net::SocketAddr;

use crate::conversation::Conversation;
use crate::endpoint::Endpoint;
use crate::fact::Fact;
use crate::layer::{Layer, Micros};
use crate::permit::{Permit, Withheld};
use crate::redact::visible;

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
    /// Connect once and close: for control ports.
    Knock {
        /// Where.
        to: SocketAddr,
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
            Probe::Knock { to } => write!(f, "Knock({to})"),
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
