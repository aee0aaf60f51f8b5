//! The encrypted part of the way.

use chronaxis_model::conversation::{NotSecured, Output, Secured};
use chronaxis_model::layer::{Layer, Micros};

use super::super::codec;
use super::{ClientHalf, State};
use crate::protocol::LinePurpose;
use crate::{encryption, hello};

impl ClientHalf {
    /// Asks the server, and in the same breath the edge, to encrypt the line.
    pub(super) fn secure(&mut self, now: Micros) {
        let Some(ask) = self.settings.ask.clone() else {
            return self.over();
        };
        self.send(
            now,
            &codec::encryption_request(
                self.settings.database.is_some(),
                self.takes_several_factors(),
            ),
            State::Securing,
        );
        if self.settings.manner == LinePurpose::OldHello {
            self.state = State::OldHello;
            let hello = hello::client_hello(self.settings.seeds.hello);
            self.exchange.ask(Output::Send(hello));
            return;
        }
        self.exchange.ask(Output::Secure(Box::new(ask)));
    }

    pub(super) fn secured(&mut self, now: Micros, secured: &Secured) {
        let elapsed = self.exchange.elapsed(now);
        for fact in encryption::secured(secured, elapsed, &self.exchange.redactor) {
            self.observe(Layer::Tls, fact);
        }
        self.secured = true;
        self.settings.protected = true;
        if self.exchange.stop <= Layer::Tls {
            return self.leave(now);
        }
        self.respond(now);
    }

    /// The handshake failed, or the encryption ended `after` it had begun.
    pub(super) fn not_secured(&mut self, now: Micros, ended: &NotSecured, after: bool) {
        let own = self.settings.ask.as_ref();
        let own = own.is_some_and(|ask| ask.identity.is_some());
        let elapsed = self.exchange.elapsed(now);
        let redactor = &self.exchange.redactor;
        for fact in encryption::not_secured(ended, after, own, elapsed, redactor) {
            self.observe(Layer::Tls, fact);
        }
        // A handshake that ends without a response is one that the server counts.
        self.observe(Layer::Listener, chronaxis_model::fact::Fact::LeftCounted);
        self.over();
    }

    /// What came of our own hello; `ended` says that no more comes.
    pub(super) fn old_hello_answer(&mut self, ended: bool) {
        let answer = hello::read_answer(&self.exchange.inbox);
        if answer.is_whole() || ended || self.exchange.inbox.len() >= hello::LONGEST {
            self.observe(Layer::Tls, answer.fact());
            self.observe(Layer::Listener, chronaxis_model::fact::Fact::LeftCounted);
            self.over();
        }
    }
}
