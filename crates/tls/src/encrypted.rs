//! A conversation with its encryption.

use std::collections::VecDeque;

use chronaxis_model::conversation::{Conversation, Derivation, Input, Output};
use chronaxis_model::fact::Fact;
use chronaxis_model::layer::{Layer, Micros};
use chronaxis_model::permit::Permit;

use crate::pump::Pump;

/// What is left for the edge to do.
#[derive(Debug)]
pub enum Step {
    /// Send these bytes, as they are.
    Send(Vec<u8>),
    /// Write this to the log.
    Observe(Layer, Fact),
    /// From now, wait so long for a complete answer.
    Await(Micros),
    /// Compute this; [`Input::Derived`] is the answer.
    Derive(Derivation),
    /// The line rests after this layer.
    Rest(Layer),
    /// The line is done with: close it.
    Over,
}

/// A conversation, encrypted where it asks to be. Call [`EncryptedConversation::handle`] once, then
/// [`EncryptedConversation::poll`] until it gives `None`, as for a bare conversation.
pub struct EncryptedConversation {
    inner: Box<dyn Conversation>,
    pump: Option<Pump>,
    steps: VecDeque<Step>,
    /// Unix time in seconds when the line began.
    wall: i64,
}

impl EncryptedConversation {
    /// Takes a conversation; `wall` is the Unix time in seconds, by which certificates
    /// are judged.
    pub fn new(inner: Box<dyn Conversation>, wall: i64) -> EncryptedConversation {
        EncryptedConversation {
            inner,
            pump: None,
            steps: VecDeque::new(),
            wall,
        }
    }

    /// Takes in what happened on the wire.
    pub fn handle(&mut self, now: Micros, input: Input<'_>) {
        match (input, &mut self.pump) {
            (Input::Bytes(bytes), Some(pump)) if pump.is_handshaking() => {
                let unwrapped = self.inner.unwrap(bytes);
                match unwrapped {
                    Ok(bytes) => self.decrypt(now, &bytes),
                    Err(ungarbled) => {
                        self.pump = None;
                        self.inner.handle(now, Input::NotSecured(&ungarbled));
                    }
                }
            }
            (Input::Bytes(bytes), Some(_)) => self.decrypt(now, bytes),
            (input, _) => self.inner.handle(now, input),
        }
        self.carry_out(now);
    }

    /// The next thing to do.
    #[must_use]
    pub fn poll(&mut self) -> Option<Step> {
        self.steps.pop_front()
    }

    /// The permit, whatever became of it.
    pub fn give_back(&mut self) -> Option<Permit> {
        self.inner.give_back()
    }

    fn decrypt(&mut self, now: Micros, bytes: &[u8]) {
        let Some(pump) = self.pump.as_mut() else {
            return;
        };
        let before = pump.is_handshaking();
        let read = pump.read(bytes);
        self.flush(before);
        let Some(pump) = self.pump.as_mut() else {
            return;
        };
        match read {
            Ok(plain) => {
                if before && !pump.is_handshaking() {
                    let secured = pump.secured();
                    self.inner.handle(now, Input::Secured(&secured));
                    self.carry_out(now);
                }
                if !plain.is_empty() {
                    self.inner.handle(now, Input::Bytes(&plain));
                }
            }
            Err(ended) if before => {
                self.pump = None;
                self.inner.handle(now, Input::NotSecured(&ended));
            }
            Err(ended) => {
                self.pump = None;
                self.inner.handle(now, Input::Broken(&ended));
            }
        }
    }

    /// What the library has to send.
    fn flush(&mut self, wrapped: bool) {
        let Some(pump) = self.pump.as_mut() else {
            return;
        };
        let mut wire = pump.wire();
        if wrapped && !wire.is_empty() {
            wire = self.inner.wrap(wire);
        }
        if !wire.is_empty() {
            self.steps.push_back(Step::Send(wire));
        }
    }

    /// Carries out what the conversation asks for, as far as it is not the edge's.
    fn carry_out(&mut self, now: Micros) {
        while let Some(output) = self.inner.poll() {
            match output {
                Output::Send(bytes) => match self.pump.as_mut() {
                    Some(pump) => {
                        pump.write(&bytes);
                        self.flush(false);
                    }
                    None => self.steps.push_back(Step::Send(bytes)),
                },
                Output::Secure(ask) => match Pump::new(&ask, self.wall) {
                    Ok(pump) => {
                        self.pump = Some(pump);
                        self.flush(true);
                    }
                    Err(lacking) => self.inner.handle(now, Input::NotSecured(&lacking)),
                },
                Output::Unsecure => self.pump = None,
                Output::Observe(layer, fact) => self.steps.push_back(Step::Observe(layer, fact)),
                Output::Await(span) => self.steps.push_back(Step::Await(span)),
                Output::Derive(work) => self.steps.push_back(Step::Derive(work)),
                Output::Rest(layer) => self.steps.push_back(Step::Rest(layer)),
                Output::Over => {
                    if let Some(pump) = self.pump.as_mut() {
                        pump.bid_farewell();
                        self.flush(false);
                    }
                    self.steps.push_back(Step::Over);
                }
            }
        }
    }
}
