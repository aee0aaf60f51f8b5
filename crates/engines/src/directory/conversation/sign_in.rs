//! The sign-in, and the session that it leads to.

use base64::Engine as _;
use base64::engine::general_purpose::STANDARD;
use chronaxis_model::conversation::{Derived, Output};
use chronaxis_model::fact::{Beyond, Fact, Instance};
use chronaxis_model::layer::{Layer, Micros};
use chronaxis_model::permit::Withheld;
use chronaxis_model::redact::Redacted;

use super::super::message::{Request, Who};
use super::{ClientHalf, State};
use crate::idle::Idle;
use crate::protocol::Errand;
use crate::scram::{self, Binding, Opening, Refused, ServerFirst};

impl ClientHalf {
    /// The server wants a proof.
    pub(super) fn challenged(&mut self, now: Micros, method: &str) {
        if method != scram::NAME {
            let methods = self.exchange.redactor.text(method);
            self.observe(Layer::Login, Fact::MethodUnsupported { methods });
            return self.over();
        }
        let method = method.to_owned();
        self.observe(Layer::Login, Fact::PasswordAsked { method });
        if !self.may_prove() {
            return;
        }
        let first = self.opened().first(&Binding::Without, false);
        let prove = Request::Prove {
            data: STANDARD.encode(first),
        };
        self.send(now, &prove, State::ScramFirst);
    }

    fn opened(&self) -> Opening<'_> {
        Opening {
            user: &self.settings.user,
            seed: self.settings.seeds.nonce,
        }
    }

    /// Whether the secret may go out now; if not, the reason is noted and the line ends.
    fn may_prove(&mut self) -> bool {
        if self.exchange.permit.is_some() {
            return true;
        }
        let fact = match self.exchange.withheld.take() {
            Some(Withheld::Placeholder) => Some(Fact::ProofWithheldPlaceholder),
            Some(Withheld::Spent) => Some(Fact::ProofWithheldSpent),
            Some(Withheld::RefusedBefore(by)) => Some(Fact::RefusedBefore { by }),
            Some(Withheld::Unknown) | None => None,
        };
        if let Some(fact) = fact {
            self.observe(Layer::Login, fact);
        }
        self.over();
        false
    }

    /// The server's first message; none where it is no such message.
    pub(super) fn proof(&mut self, data: &str, now: Micros) -> Option<()> {
        let data = STANDARD.decode(data).ok()?;
        let seed = self.settings.seeds.nonce;
        let first = match ServerFirst::read(&data, seed) {
            Ok(first) => first,
            Err(Refused::Malformed) => return None,
            Err(Refused::TooCostly(rounds)) => {
                let most = scram::MOST_ITERATIONS;
                let detail =
                    format!("the server asks for {rounds} rounds; the protocol allows {most}");
                self.beyond(&detail);
                return Some(());
            }
        };
        let permit = self.exchange.permit.as_ref()?;
        let opening = (self.settings.user.clone(), seed);
        let bound = (Binding::Without, false);
        let (rounds, work) = scram::derivation(permit, first, opening, bound);
        self.state = State::Deriving;
        if let Some(derived) = self.exchange.derive(rounds, work) {
            self.derived(now, Some(&derived));
        }
        Some(())
    }

    /// The proof is made, or could not be in time.
    pub(super) fn derived(&mut self, now: Micros, derived: Option<&Derived>) {
        let Some(derived) = derived.filter(|_| matches!(self.state, State::Deriving)) else {
            return self
                .beyond("the proof that this server asks for was not computed here in time");
        };
        self.exchange.spend_on(derived);
        self.observe(Layer::Login, Fact::ProofSent);
        let prove = Request::Prove {
            data: STANDARD.encode(&derived.proof),
        };
        let signature = derived.expected.clone();
        self.send(now, &prove, State::ScramFinal { signature });
    }

    fn beyond(&mut self, detail: &str) {
        let detail = self.exchange.redactor.text(detail);
        let what = Beyond::ProofCost;
        self.observe(Layer::Login, Fact::BeyondUs { what, detail });
        self.over();
    }

    /// The server takes the proof, and proves itself; none where this is no such message.
    pub(super) fn proved(&mut self, now: Micros, data: &str) -> Option<()> {
        let data = STANDARD.decode(data).ok()?;
        let State::ScramFinal { signature } = &self.state else {
            return None;
        };
        if signature.as_bytes() != data {
            self.observe(Layer::Login, Fact::ServerProofWrong);
            self.over();
            return Some(());
        }
        self.send(now, &Request::Who {}, State::Who { proved: true });
        Some(())
    }

    /// The server lets the client in as it is.
    pub(super) fn admitted_without_proof(&mut self, now: Micros) {
        let elapsed_us = now.since(self.login_began);
        self.observe(Layer::Login, Fact::LoggedIn { elapsed_us });
        self.observe(Layer::Session, Fact::SessionReady);
        if self.exchange.stop < Layer::Session {
            return self.over();
        }
        self.send(now, &Request::Who {}, State::Who { proved: false });
    }

    /// Which instance it is, and as whom one is there.
    pub(super) fn known(&mut self, now: Micros, who: &Who) {
        if matches!(self.state, State::Who { proved: true }) {
            if let Some(permit) = self.exchange.permit.as_mut() {
                permit.accepted();
            }
            let elapsed_us = now.since(self.login_began);
            self.observe(Layer::Login, Fact::LoggedIn { elapsed_us });
            self.observe(Layer::Session, Fact::SessionReady);
            if self.exchange.stop < Layer::Session {
                return self.over();
            }
        }
        let fact = self.instance(now, who);
        self.observe(Layer::Session, fact);
        match self.settings.errand {
            Errand::Idle(longest) => self.keep_idle(Idle::begin(longest, now, None)),
            Errand::Stay => {
                self.state = State::Staying;
                self.exchange.ask(Output::Rest(Layer::Session));
            }
            Errand::Nothing | Errand::LookUp(_) => self.over(),
        }
    }

    fn instance(&self, now: Micros, who: &Who) -> Fact {
        let redactor = &self.exchange.redactor;
        let shown = |text: &Option<String>| {
            let text = text.as_deref();
            text.map_or_else(Redacted::default, |text| redactor.text(text))
        };
        let service = who
            .service
            .clone()
            .or_else(|| self.settings.service.clone());
        let user = who
            .user
            .clone()
            .or_else(|| Some(self.settings.user.clone()));
        let databases = match who.databases.as_slice() {
            [] => None,
            some => Some(redactor.text(&some.join(", "))),
        };
        let role = who
            .role
            .as_deref()
            .map(|role| redactor.text(&format!("role {role}")));
        Fact::Instance(Box::new(Instance {
            user: shown(&user),
            session_user: shown(&user),
            database: shown(&service),
            version: shown(&who.version),
            started: shown(&who.started),
            system_identifier: who.instance.as_deref().map(|name| redactor.text(name)),
            // Two directories may well have instances of one name.
            uuid: who
                .instance
                .as_ref()
                .zip(who.started.as_ref())
                .map(|(name, started)| redactor.text(&format!("{name} since {started}"))),
            databases,
            privileges: role,
            round_trip_us: self.exchange.elapsed(now),
            ..Instance::default()
        }))
    }
}
