//! The encrypted part of the way.

use super::{State, Talk};
use crate::conversation::{NotSecured, Output, Secured};
use crate::engine::{encryption, hello};
use crate::fact::Fact;
use crate::layer::{Layer, Micros};

impl Talk {
    /// Asks the edge to encrypt the line.
    pub(super) fn secure(&mut self, now: Micros) {
        let Some(ask) = self.settings.ask.clone() else {
            return self.over();
        };
        self.asked_at = now;
        self.state = State::Securing;
        self.out.push_back(Output::Await(self.settings.patience));
        self.out.push_back(Output::Secure(Box::new(ask)));
    }

    pub(super) fn secured(&mut self, now: Micros, secured: &Secured) {
        let elapsed = now.since(self.asked_at);
        if self.settings.direct {
            let spoke = Fact::SpokeProtocol {
                elapsed_us: elapsed,
            };
            self.observe(Layer::Listener, spoke);
        }
        for fact in encryption::secured(secured, elapsed, &self.settings.redactor) {
            self.observe(Layer::Tls, fact);
        }
        self.secured = true;
        if let Some(leaf) = secured.judged.chain.first() {
            self.settings.binding = self.settings.binding.bound_to(leaf);
        }
        if self.stop <= Layer::Tls {
            return self.over();
        }
        self.start_up(now);
    }

    /// The handshake failed, or the encryption ended `after` it had begun.
    pub(super) fn not_secured(&mut self, now: Micros, ended: &NotSecured, after: bool) {
        let own = self.settings.ask.as_ref();
        let own = own.is_some_and(|ask| ask.identity.is_some());
        let elapsed = now.since(self.asked_at);
        let redactor = &self.settings.redactor;
        for fact in encryption::not_secured(ended, after, own, elapsed, redactor) {
            self.observe(Layer::Tls, fact);
        }
        self.over();
    }

    /// What came of our own hello; `ended` says that no more comes.
    pub(super) fn old_hello_answer(&mut self, ended: bool) {
        let answer = hello::read_answer(&self.inbox);
        if answer.is_whole() || ended || self.inbox.len() >= hello::LONGEST {
            self.observe(Layer::Tls, answer.fact());
            self.over();
        }
    }
}
