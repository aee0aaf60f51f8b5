//! The client's half of a protocol, without a socket.
//!
//! An edge opens the line, hands in what happened and carries out what is asked:
//! `handle` once, then `poll` until it gives `None`, and so on. Whatever a server sends,
//! a conversation ends in a fact.

use std::fmt;
use std::sync::Arc;

use crate::certificate::{Ask, Judged, Version};
use crate::fact::{Fact, HandshakeTrouble};
use crate::layer::{Layer, Micros};
use crate::permit::{Permit, Salted, Withheld};

/// What happened to a line.
#[derive(Debug)]
pub enum Input<'a> {
    /// The connection is there.
    Opened,
    /// Go on up to this layer. Without a permit nothing derived from a secret is sent.
    Go {
        /// The last layer to walk.
        stop: Layer,
        /// The leave to try the secret once.
        permit: Option<Permit>,
        /// Why there is none, where a secret was given.
        withheld: Option<Withheld>,
    },
    /// These bytes came.
    Bytes(&'a [u8]),
    /// The complete answer did not come in the time that `Await` gave.
    TimedOut,
    /// The server closed the line.
    Closed {
        /// By a reset.
        reset: bool,
    },
    /// The line is encrypted from here on.
    Secured(&'a Secured),
    /// The line could not be encrypted.
    NotSecured(&'a NotSecured),
    /// The encryption of the line ended in the middle of it.
    Broken(&'a NotSecured),
    /// What was asked for with `Derive`; none where it was not done in time.
    Derived(Option<&'a Derived>),
    /// Leave in the politest way that the protocol has here.
    Leave,
}

/// What a handshake brought. Its texts are the server's, and not yet masked.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Secured {
    /// The version agreed on.
    pub version: Version,
    /// The cipher suite agreed on, by its standard name.
    pub cipher: String,
    /// The server's chain, and what the judge says of it.
    pub judged: Judged,
    /// Whether the server asked for the client's certificate.
    pub asked_certificate: bool,
    /// Whether the client showed one.
    pub showed_certificate: bool,
}

/// Why a line is not, or no longer, encrypted. Its texts are not yet masked.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct NotSecured {
    /// In a word.
    pub trouble: HandshakeTrouble,
    /// The alert that the server sent (RFC 8446, section 6).
    pub alert: Option<String>,
    /// The particular.
    pub detail: String,
    /// The server's chain, as far as it came, and what the judge says of it.
    pub judged: Option<Box<Judged>>,
    /// Whether the server asked for the client's certificate.
    pub asked_certificate: bool,
}

/// What the edge is asked to do for a line.
#[derive(PartialEq, Eq)]
pub enum Output {
    /// Send these bytes.
    Send(Vec<u8>),
    /// Encrypt the line: `Secured` or `NotSecured` is the answer.
    Secure(Box<Ask>),
    /// Go on in clear: the encryption is dropped without a word.
    Unsecure,
    /// Write this to the log.
    Observe(Layer, Fact),
    /// From now, wait so long for a complete answer; each `Await` replaces the last.
    Await(Micros),
    /// The line rests after this layer, and waits for `Go`.
    Rest(Layer),
    /// Compute this, wherever it holds nobody up: `Derived` is the answer.
    Derive(Derivation),
    /// The line is done with: close it.
    Over,
}

impl fmt::Debug for Output {
    /// Of the bytes only their number: they may be derived from a secret, or be it.
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Output::Send(bytes) => write!(f, "Send({} bytes)", bytes.len()),
            Output::Secure(ask) => write!(f, "Secure({})", crate::redact::visible(&ask.host)),
            Output::Unsecure => f.write_str("Unsecure"),
            Output::Observe(layer, fact) => write!(f, "Observe({layer}, {fact:?})"),
            Output::Await(span) => write!(f, "Await({span})"),
            Output::Derive(_) => f.write_str("Derive"),
            Output::Rest(layer) => write!(f, "Rest({layer})"),
            Output::Over => f.write_str("Over"),
        }
    }
}

/// What a proof is made of; both halves are derived from a secret.
pub struct Derived {
    /// What the client sends.
    pub proof: Vec<u8>,
    /// What the server must answer, where it has to prove something too.
    pub expected: String,
    /// What took long about it, for the next one.
    pub salted: Arc<Salted>,
}

impl fmt::Debug for Derived {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("Derived(hidden)")
    }
}

/// Work that takes long enough to hold up other lines.
pub struct Derivation {
    rounds: u32,
    work: Box<dyn FnOnce() -> Derived + Send>,
}

impl Derivation {
    /// Takes the work, with how many rounds of hashing it is.
    pub fn new(rounds: u32, work: impl FnOnce() -> Derived + Send + 'static) -> Derivation {
        Derivation {
            rounds,
            work: Box::new(work),
        }
    }

    /// How many rounds of hashing it is: what takes long waits for what does not.
    pub fn rounds(&self) -> u32 {
        self.rounds
    }

    /// Does it.
    #[must_use]
    pub fn run(self) -> Derived {
        (self.work)()
    }
}

impl fmt::Debug for Derivation {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("Derivation")
    }
}

impl PartialEq for Derivation {
    /// Work is never the same as other work.
    fn eq(&self, _: &Derivation) -> bool {
        false
    }
}

impl Eq for Derivation {}

/// The client's half of a protocol.
pub trait Conversation: Send {
    /// Takes in what happened. Call `poll` until it gives `None` afterwards.
    fn handle(&mut self, now: Micros, input: Input<'_>);

    /// The next thing to do.
    #[must_use]
    fn poll(&mut self) -> Option<Output>;

    /// The permit, whatever became of it. Asked once the line rests or is over.
    fn give_back(&mut self) -> Option<Permit>;

    /// Puts a flight of the TLS handshake into the protocol's own packets, where it wants
    /// that.
    fn wrap(&mut self, flight: Vec<u8>) -> Vec<u8> {
        flight
    }

    /// Takes the TLS handshake out of the protocol's own packets; what is not yet complete
    /// it keeps.
    ///
    /// # Errors
    /// When the bytes are no such packets.
    fn unwrap(&mut self, bytes: &[u8]) -> Result<Vec<u8>, NotSecured> {
        Ok(bytes.to_vec())
    }
}
