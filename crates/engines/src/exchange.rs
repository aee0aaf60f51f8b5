//! What the client's half of every protocol does alike: it notes what it sees, sends and
//! waits, keeps the leave to try a secret, and ends in a fact whatever comes.

use std::collections::VecDeque;

use chronaxis_model::conversation::{Derivation, Derived, Output};
use chronaxis_model::fact::{Awaited, Fact};
use chronaxis_model::layer::{Layer, Micros};
use chronaxis_model::permit::{Permit, Withheld};
use chronaxis_model::redact::Redactor;

use crate::who;

/// Most bytes that a server may send from its first one to the end of the session. A real
/// one sends under 4 KB.
const MOST_BYTES: usize = 256 * 1024;

/// So many hashes take less than a handing over to another thread is worth.
const DERIVED_AT_ONCE: u32 = 600;

/// The frame of a conversation.
#[derive(Debug)]
pub struct Exchange {
    /// Longest wait for one complete answer.
    pub patience: Micros,
    /// Masks the server's texts.
    pub redactor: Redactor,
    /// How far to go.
    pub stop: Layer,
    /// The leave to try the secret.
    pub permit: Option<Permit>,
    /// Why there is none.
    pub withheld: Option<Withheld>,
    /// What came and is not read yet.
    pub inbox: Vec<u8>,
    received: usize,
    asked_at: Micros,
    out: VecDeque<Output>,
}

impl Exchange {
    /// Begins; nothing is asked yet.
    pub fn new(patience: Micros, redactor: Redactor) -> Exchange {
        Exchange {
            patience,
            redactor,
            stop: Layer::Port,
            permit: None,
            withheld: None,
            inbox: Vec::new(),
            received: 0,
            asked_at: Micros(0),
            out: VecDeque::new(),
        }
    }

    /// Takes what comes with the word to go on.
    pub fn go(&mut self, stop: Layer, permit: Option<Permit>, withheld: Option<Withheld>) {
        self.stop = stop;
        self.permit = permit;
        self.withheld = withheld;
    }

    /// Takes what the server sent.
    pub fn arrived(&mut self, bytes: &[u8]) {
        self.received += bytes.len();
        self.inbox.extend_from_slice(bytes);
    }

    /// How the unread rest begins, where more came than any true server sends; the rest is
    /// dropped.
    pub fn flood(&mut self) -> Option<Vec<u8>> {
        (self.received > MOST_BYTES).then(|| {
            let mut begins = std::mem::take(&mut self.inbox);
            begins.truncate(64);
            begins
        })
    }

    /// The next thing to do.
    pub fn poll(&mut self) -> Option<Output> {
        self.out.pop_front()
    }

    /// Asks for something else of the edge.
    pub fn ask(&mut self, output: Output) {
        self.out.push_back(output);
    }

    /// Has a proof computed: here where that takes no time, which is then the outcome, else at
    /// the edge, which answers with it. The rounds are none where what takes long is known.
    pub fn derive(
        &mut self,
        rounds: u32,
        work: impl FnOnce() -> Derived + Send + 'static,
    ) -> Option<Derived> {
        if rounds <= DERIVED_AT_ONCE {
            return Some(work());
        }
        self.ask(Output::Derive(Derivation::new(rounds, work)));
        None
    }

    /// A proof that was computed goes out: the leave is spent, and keeps what took long.
    pub fn spend_on(&mut self, derived: &Derived) {
        if let Some(permit) = self.permit.as_mut() {
            permit.spend();
            permit.keep_salted(derived.salted.clone());
        }
    }

    /// Writes to the log.
    pub fn observe(&mut self, layer: Layer, fact: Fact) {
        self.out.push_back(Output::Observe(layer, fact));
    }

    /// Waits for a complete answer from now on.
    pub fn wait(&mut self, now: Micros) {
        self.asked_at = now;
        self.out.push_back(Output::Await(self.patience));
    }

    /// Sends, and waits for the answer.
    pub fn send(&mut self, now: Micros, bytes: Vec<u8>) {
        self.out.push_back(Output::Send(bytes));
        self.wait(now);
    }

    /// The time since the last request.
    pub fn elapsed(&self, now: Micros) -> Micros {
        now.since(self.asked_at)
    }

    /// The conversation is done with.
    pub fn over(&mut self) {
        self.out.push_back(Output::Over);
    }

    /// The server ended the line, or let the wait run out (none), instead of what was
    /// awaited.
    pub fn ended(&mut self, now: Micros, awaited: Awaited, reset: Option<bool>) {
        let (since, bytes) = (self.elapsed(now), self.inbox.len());
        let fact = match reset {
            Some(reset) => Fact::PeerClosed {
                awaited,
                reset,
                elapsed_us: since,
                bytes,
            },
            None => Fact::PeerSilent {
                awaited,
                waited_us: since,
                bytes,
            },
        };
        self.observe(awaited.layer(), fact);
        self.over();
    }

    /// What came is no answer of this protocol.
    pub fn other_answer(&mut self, awaited: Awaited, bytes: &[u8]) {
        let fact = Fact::OtherAnswer {
            awaited,
            begins: self.redactor.bytes(bytes),
            service: who::answered(bytes).filter(|_| awaited == Awaited::Greeting),
        };
        self.observe(awaited.layer(), fact);
        self.over();
    }
}
