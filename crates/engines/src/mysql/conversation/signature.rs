//! The sign-in by a signature whose key the server has the client derive.

use std::sync::Arc;

use chronaxis_model::conversation::Derived;
use chronaxis_model::fact::{Beyond, Fact};
use chronaxis_model::layer::{Layer, Micros};

use super::super::methods::Method;
use super::super::parsec::{self, KeyRule, MOST_FACTOR, Refused};
use super::{ClientHalf, State};

impl ClientHalf {
    /// Asks how the key is derived. An empty packet says nothing of the password.
    pub(super) fn ask_key_rule(&mut self, now: Micros) {
        self.send(now, &[], State::KeyRule);
    }

    pub(super) fn key_rule(&mut self, now: Micros, body: &[u8]) -> Option<()> {
        let rule = match KeyRule::read(body) {
            Ok(rule) => rule,
            Err(Refused::Malformed) => return None,
            Err(Refused::TooCostly(factor)) => {
                let detail = format!(
                    "the server asks for 1024 x 2^{factor} rounds of hashing, more than the 1024 x 2^{MOST_FACTOR} computed here"
                );
                self.beyond_signature(now, &detail);
                return Some(());
            }
        };
        let (rounds, seed) = (rule.rounds(), self.settings.seeds.scramble);
        let permit = self.exchange.permit.as_ref();
        let known = permit.and_then(|p| p.salted(rule.salt(), rounds));
        // A client that is given no password signs with the empty one.
        let secret = permit.map(chronaxis_model::permit::Permit::prepared);
        let scramble = self.greeting.scramble.clone();
        let rounds = if known.is_some() { 0 } else { rounds };
        let work = move || {
            let password = secret.as_ref().map_or("", |s| s.expose());
            let salted = known.unwrap_or_else(|| Arc::new(rule.derive(password)));
            Derived {
                proof: parsec::answer(&salted, &scramble, &seed),
                expected: String::new(),
                salted,
            }
        };
        self.state = State::Deriving;
        if let Some(derived) = self.exchange.derive(rounds, work) {
            self.derived(now, Some(&derived));
        }
        Some(())
    }

    /// The signature is made, or could not be in time.
    pub(super) fn derived(&mut self, now: Micros, derived: Option<&Derived>) {
        let Some(derived) = derived.filter(|_| matches!(self.state, State::Deriving)) else {
            let detail = "the signature that this server asks for was not computed here in time";
            return self.beyond_signature(now, detail);
        };
        self.exchange.spend_on(derived);
        self.note_proof(Method::Parsec);
        self.send(now, &derived.proof, State::Login(Method::Parsec));
    }

    fn beyond_signature(&mut self, now: Micros, detail: &str) {
        let detail = self.exchange.redactor.text(detail);
        let what = Beyond::ProofCost;
        self.observe(Layer::Login, Fact::BeyondUs { what, detail });
        self.leave(now);
    }
}
