//! The sign-in: what is proved, by which method, and what is withheld.

use chronaxis_model::conversation::Derived;
use chronaxis_model::fact::{Beyond, Fact};
use chronaxis_model::layer::{Layer, Micros};
use chronaxis_model::permit::Withheld;

use super::super::codec::{self, Asked};
use super::super::sign_in::md5_answer;
use super::{ClientHalf, State};
use crate::scram::{self, Binding};

/// SASL with a token (RFC 7628); libpq has it from version 18 on.
const OAUTH: &str = "OAUTHBEARER";

/// The server takes the user from the start-up message.
const NO_USER: &str = "";

impl ClientHalf {
    pub(super) fn authentication(&mut self, now: Micros, asked: Asked) -> Option<()> {
        if matches!(self.state, State::Greeting)
            && let Some(methods) = self.not_taken(&asked)
        {
            let methods = self.exchange.redactor.text(&methods);
            self.observe(Layer::Login, Fact::MethodUnsupported { methods });
            self.over();
            return Some(());
        }
        match (&self.state, asked) {
            (State::Greeting | State::Admission, Asked::Ok) => match self.lacks_certificate() {
                Some(methods) => {
                    let methods = self.exchange.redactor.text(methods);
                    self.observe(Layer::Login, Fact::MethodUnsupported { methods });
                    self.over();
                }
                None => self.admitted(now),
            },
            (State::Greeting, Asked::Cleartext) => self.cleartext(now),
            (State::Greeting, Asked::Md5(salt)) => self.md5(now, salt),
            (State::Greeting, Asked::Sasl(mechanisms)) => self.sasl(now, &mechanisms),
            (State::Greeting, Asked::Other(number)) => self.other_method(number),
            (State::ScramFirst { plus }, Asked::SaslContinue(data)) => {
                let plus = *plus;
                self.scram_proof(now, &data, plus)?;
            }
            (State::ScramFinal { signature }, Asked::SaslFinal(data)) => {
                if signature.as_bytes() == data {
                    self.state = State::Admission;
                } else {
                    self.observe(Layer::Login, Fact::ServerProofWrong);
                    self.over();
                }
            }
            _ => return None,
        }
        Some(())
    }

    /// Why this client does not take the way in that the server opens, by its own settings.
    fn not_taken(&self, asked: &Asked) -> Option<String> {
        let (name, title) = match asked {
            Asked::Ok => ("none", "no authentication"),
            Asked::Cleartext => ("password", "the password in clear"),
            Asked::Md5(_) => ("md5", "MD5"),
            Asked::Sasl(all) if all.iter().any(|one| one.starts_with(b"SCRAM-")) => {
                ("scram-sha-256", "SCRAM-SHA-256")
            }
            Asked::Sasl(_) => ("oauth", "OAUTHBEARER"),
            Asked::Other(7) => ("gss", "GSSAPI"),
            Asked::Other(9) => ("sspi", "SSPI"),
            _ => return None,
        };
        if self
            .settings
            .required
            .as_ref()
            .is_some_and(|all| !all.takes(name))
        {
            return Some(format!(
                "{title}, which the settings (require_auth) do not allow"
            ));
        }
        let bound = name == "scram-sha-256";
        (self.settings.demands_binding && !bound)
            .then(|| format!("{title}, without the channel binding that the settings demand"))
    }

    /// Why this client ends a connection on which the server lets it in: its settings demand
    /// that its certificate was asked for.
    fn lacks_certificate(&self) -> Option<&'static str> {
        match self.certificate {
            _ if !self.settings.demands_certificate => None,
            (true, true) => None,
            (true, false) => Some("a client certificate (sslcertmode); none was shown"),
            (false, _) => Some("a client certificate (sslcertmode); the server asks for none"),
        }
    }

    fn asks_password(&mut self, method: &str) {
        let method = method.to_owned();
        self.observe(Layer::Login, Fact::PasswordAsked { method });
    }

    /// Whether the secret may go out now; if not, the reason is noted and the line ends.
    fn may_prove(&mut self) -> bool {
        if self.exchange.permit.is_some() {
            return true;
        }
        match self.exchange.withheld.take() {
            Some(Withheld::Placeholder) => {
                self.observe(Layer::Login, Fact::ProofWithheldPlaceholder);
            }
            // What is asked for is not known here: nothing is answered, not even with nothing.
            Some(Withheld::Unknown) => {
                let method = "a password".to_owned();
                self.observe(Layer::Login, Fact::PasswordAsked { method });
            }
            Some(Withheld::Spent) => self.observe(Layer::Login, Fact::ProofWithheldSpent),
            Some(Withheld::RefusedBefore(by)) => {
                self.observe(Layer::Login, Fact::RefusedBefore { by });
            }
            None => {}
        }
        self.over();
        false
    }

    fn prove(&mut self, now: Micros, bytes: Vec<u8>, state: State) {
        self.proof_sent = true;
        self.observe(Layer::Login, Fact::ProofSent);
        self.send(now, bytes, state);
    }

    fn cleartext(&mut self, now: Micros) {
        self.asks_password("password in clear");
        if !self.may_prove() {
            return;
        }
        if !self.secured && !self.settings.allow_plaintext {
            self.observe(Layer::Login, Fact::PlaintextWithheld);
            return self.over();
        }
        let Some(permit) = self.exchange.permit.as_mut() else {
            return;
        };
        let bytes = codec::text_message(b'p', permit.spend().expose().as_bytes());
        self.prove(now, bytes, State::Admission);
    }

    fn md5(&mut self, now: Micros, salt: [u8; 4]) {
        self.asks_password("MD5");
        if !self.may_prove() {
            return;
        }
        let Some(permit) = self.exchange.permit.as_mut() else {
            return;
        };
        let answer = md5_answer(&self.settings.user, permit.spend().expose(), salt);
        let bytes = codec::text_message(b'p', answer.as_bytes());
        self.prove(now, bytes, State::Admission);
    }

    fn sasl(&mut self, now: Micros, mechanisms: &[Vec<u8>]) {
        let offers = |name: &str| mechanisms.iter().any(|m| m == name.as_bytes());
        if offers(OAUTH) && !offers(scram::NAME) {
            let detail = format!("the server asks for {OAUTH} (a token of an identity provider)");
            return self.beyond(Layer::Login, Beyond::LoginMethod, &detail);
        }
        let bound = matches!(self.settings.binding, Binding::EndPoint(_));
        let plus = bound && offers(scram::PLUS);
        if !plus && (!offers(scram::NAME) || self.settings.demands_binding) {
            let methods = self.exchange.redactor.bytes(&mechanisms.join(&b' '));
            self.observe(Layer::Login, Fact::MethodUnsupported { methods });
            return self.over();
        }
        let name = if plus { scram::PLUS } else { scram::NAME };
        self.asks_password(name);
        if self.may_prove() {
            let (user, seed) = (NO_USER, self.settings.seeds.nonce);
            let first = scram::Opening { user, seed }.first(&self.settings.binding, plus);
            let bytes = codec::sasl_first(name, first.as_bytes());
            self.send(now, bytes, State::ScramFirst { plus });
        }
    }

    fn scram_proof(&mut self, now: Micros, data: &[u8], plus: bool) -> Option<()> {
        let seed = self.settings.seeds.nonce;
        let first = match scram::ServerFirst::read(data, seed) {
            Ok(first) => first,
            Err(scram::Refused::Malformed) => return None,
            Err(scram::Refused::TooCostly(iterations)) => {
                let detail = format!(
                    "the server asks for {iterations} iterations, more than the {} computed here",
                    scram::MOST_ITERATIONS
                );
                self.beyond(Layer::Login, Beyond::ProofCost, &detail);
                return Some(());
            }
        };
        let permit = self.exchange.permit.as_ref()?;
        let binding = self.settings.binding.clone();
        let opening = (NO_USER.to_owned(), seed);
        let (rounds, work) = scram::derivation(permit, first, opening, (binding, plus));
        self.state = State::Deriving;
        if let Some(derived) = self.exchange.derive(rounds, work) {
            self.derived(now, Some(&derived));
        }
        Some(())
    }

    /// The proof is made, or could not be in time.
    pub(super) fn derived(&mut self, now: Micros, derived: Option<&Derived>) {
        let Some(derived) = derived.filter(|_| matches!(self.state, State::Deriving)) else {
            let detail = "the proof that this server asks for was not computed here in time";
            return self.beyond(Layer::Login, Beyond::ProofCost, detail);
        };
        self.exchange.spend_on(derived);
        let bytes = codec::message(b'p', &derived.proof);
        let signature = derived.expected.clone();
        self.prove(now, bytes, State::ScramFinal { signature });
    }

    /// Numbers of the protocol: 2 Kerberos V5, 6 SCM, 7 GSSAPI, 9 SSPI.
    fn other_method(&mut self, number: u32) {
        if matches!(number, 7 | 9) {
            let name = if number == 7 { "GSSAPI" } else { "SSPI" };
            let detail = format!("the server asks for {name}");
            return self.beyond(Layer::Login, Beyond::LoginMethod, &detail);
        }
        let name = match number {
            2 => "Kerberos V5".to_owned(),
            6 => "SCM credentials".to_owned(),
            other => format!("method number {other}"),
        };
        let methods = self.exchange.redactor.text(&name);
        self.observe(Layer::Login, Fact::MethodUnsupported { methods });
        self.over();
    }

    fn beyond(&mut self, layer: Layer, what: Beyond, detail: &str) {
        let detail = self.exchange.redactor.text(detail);
        self.observe(layer, Fact::BeyondUs { what, detail });
        self.over();
    }

    fn admitted(&mut self, now: Micros) {
        if self.proof_sent
            && let Some(permit) = self.exchange.permit.as_mut()
        {
            permit.accepted();
        }
        let elapsed_us = now.since(self.login_began);
        self.observe(Layer::Login, Fact::LoggedIn { elapsed_us });
        self.state = State::SessionStart;
        self.exchange.wait(now);
    }
}
