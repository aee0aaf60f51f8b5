//! The encrypted part of the way.

use chronaxis_model::conversation::{NotSecured, Output, Secured};
use chronaxis_model::fact::Fact;
use chronaxis_model::layer::{Layer, Micros};

use super::{ClientHalf, State};
use crate::{encryption, hello};

impl ClientHalf {
    /// Asks the edge to encrypt the line.
    pub(super) fn secure(&mut self, now: Micros) {
        let Some(ask) = self.settings.ask.clone() else {
            return self.over();
        };
        self.state = State::Securing;
        self.exchange.wait(now);
        self.exchange.ask(Output::Secure(Box::new(ask)));
    }

    pub(super) fn secured(&mut self, now: Micros, secured: &Secured) {
        let elapsed = self.exchange.elapsed(now);
        if self.settings.direct {
            let spoke = Fact::SpokeProtocol {
                elapsed_us: elapsed,
            };
            self.observe(Layer::Listener, spoke);
        }
        for fact in encryption::secured(secured, elapsed, &self.exchange.redactor) {
            self.observe(Layer::Tls, fact);
        }
        self.secured = true;
        self.certificate = (secured.asked_certificate, secured.showed_certificate);
        if let Some(leaf) = secured.judged.chain.first() {
            self.settings.binding = self.settings.binding.bound_to(leaf);
        }
        if self.exchange.stop <= Layer::Tls {
            return self.over();
        }
        self.start_up(now);
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
        self.over();
    }

    /// What came of our own hello; `ended` says that no more comes.
    pub(super) fn old_hello_answer(&mut self, ended: bool) {
        let answer = hello::read_answer(&self.exchange.inbox);
        if answer.is_whole() || ended || self.exchange.inbox.len() >= hello::LONGEST {
            self.observe(Layer::Tls, answer.fact());
            self.over();
        }
    }
}
