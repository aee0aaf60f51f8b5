//! The sign-in: what is proved, by which method, and what is withheld.

use chronaxis_model::fact::{Beyond, Fact};
use chronaxis_model::layer::{Layer, Micros};
use chronaxis_model::permit::Withheld;
use chronaxis_model::target::ClientId;

use super::super::codec::{self, Response, capability, zero_ended};
use super::super::methods::{self, Method};
use super::{ClientHalf, State};

/// Most packets of one sign-in: no method has more than three, and servers switch once.
const MOST_ROUNDS: u8 = 8;

/// The marks of `caching_sha2_password` in the middle of the sign-in.
const FAST_ENOUGH: u8 = 3;
const SHOW_ALL: u8 = 4;

impl ClientHalf {
    /// Answers the greeting, with a first proof where there is leave to give one.
    pub(super) fn respond(&mut self, now: Micros) {
        if self.exchange.withheld.is_some() {
            self.note_withheld();
            return self.leave(now);
        }
        let proposed = Method::named(&self.greeting.method);
        let method = proposed
            .filter(|m| m.is_of(self.settings.client))
            .filter(|m| m.answers_at_once())
            .unwrap_or(Method::Native);
        let answer = self.proof(method);
        let body = codec::response(&Response {
            user: &self.settings.user,
            database: self.settings.database.as_deref(),
            method: method.name(),
            answer: &answer,
            secured: self.secured,
            several_factors: self.takes_several_factors(),
        });
        self.login_began = now;
        self.responded = true;
        self.note_proof(method);
        self.send(now, &body, State::Login(method));
    }

    fn note_withheld(&mut self) {
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
                if !self.settings.has_secret {
                    let method = "a password".to_owned();
                    self.observe(Layer::Login, Fact::PasswordAsked { method });
                }
                self.observe(Layer::Login, Fact::RefusedBefore { by });
            }
            None => {}
        }
    }

    /// What a method that shows nothing of the password answers. Without a permit the
    /// client has no password, and answers nothing.
    fn proof(&mut self, method: Method) -> Vec<u8> {
        let scramble = self.greeting.scramble.clone();
        let Some(permit) = self.exchange.permit.as_mut() else {
            return Vec::new();
        };
        let password = permit.spend().expose();
        match method {
            Method::Native => methods::native(password, &scramble),
            Method::CachingSha2 => methods::caching_sha2(password, &scramble),
            Method::Ed25519 => methods::ed25519(password, &scramble),
            Method::Sha256 | Method::Clear | Method::Parsec => Vec::new(),
        }
    }

    /// The log says once that a proof went out, and by which method at last. An empty
    /// password is one too: the server sees a sign-in.
    pub(super) fn note_proof(&mut self, method: Method) {
        if self.settings.has_secret {
            let method = method.name().to_owned();
            self.observe(Layer::Login, Fact::PasswordAsked { method });
        }
        if !std::mem::replace(&mut self.proof_sent, true) {
            self.observe(Layer::Login, Fact::ProofSent);
        }
    }

    pub(super) fn login_packet(&mut self, now: Micros, method: Method, body: &[u8]) -> Option<()> {
        self.rounds += 1;
        if self.rounds > MOST_ROUNDS {
            return None;
        }
        match (body.first()?, method) {
            (0, _) => self.admitted(now),
            (0xfe, _) => self.switch(now, body.get(1..)?)?,
            (2, _) if self.takes_several_factors() => self.next_factor(now, body.get(1..)?)?,
            (1, Method::CachingSha2) => match *body.get(1)? {
                FAST_ENOUGH => {}
                SHOW_ALL => self.show_all(now, method),
                _ => return None,
            },
            _ => return None,
        }
        Some(())
    }

    /// Whether client and server say that a sign-in may take several methods.
    pub(super) fn takes_several_factors(&self) -> bool {
        methods::has_several_factors(self.settings.client)
            && self.greeting.has(capability::MULTI_FACTOR)
    }

    /// The first factor was accepted, and the account needs another one.
    fn next_factor(&mut self, now: Micros, rest: &[u8]) -> Option<()> {
        let (name, _) = zero_ended(rest)?;
        if let Some(permit) = self.exchange.permit.as_mut() {
            permit.accepted();
        }
        let name = self.exchange.redactor.bytes(name);
        let method = name.to_string();
        self.observe(Layer::Login, Fact::PasswordAsked { method });
        let detail = format!(
            "the server accepted the password and asks for a further factor, {name}, which the client has to bring"
        );
        let detail = self.exchange.redactor.text(&detail);
        let what = Beyond::LoginMethod;
        self.observe(Layer::Login, Fact::BeyondUs { what, detail });
        self.leave(now);
        Some(())
    }

    /// The server wants another method.
    fn switch(&mut self, now: Micros, rest: &[u8]) -> Option<()> {
        let (name, data) = zero_ended(rest).unwrap_or((b"mysql_old_password", rest));
        let Some(method) = Method::named(name).filter(|m| m.is_of(self.settings.client)) else {
            let methods = self.exchange.redactor.bytes(name);
            let fact = match methods::is_beyond(name) {
                false if self.may_be_of_the_other_library(name) => Fact::BeyondUs {
                    what: Beyond::LoginMethod,
                    detail: self.exchange.redactor.text(&format!(
                        "this account signs in by {methods}, which MariaDB's client libraries have and MySQL's have not; the settings do not tell which is used (mariadb:// stands for MariaDB's)"
                    )),
                },
                true => Fact::BeyondUs {
                    what: Beyond::LoginMethod,
                    detail: self.exchange.redactor
                        .text(&format!("the server asks for {methods}")),
                },
                false => Fact::MethodUnsupported { methods },
            };
            if self.settings.has_secret && matches!(fact, Fact::BeyondUs { .. }) {
                let method = self.exchange.redactor.bytes(name).to_string();
                self.observe(Layer::Login, Fact::PasswordAsked { method });
            }
            self.observe(Layer::Login, fact);
            self.leave(now);
            return Some(());
        };
        self.greeting.scramble = methods::random_bytes(method, data).to_vec();
        match method {
            Method::Sha256 | Method::Clear if self.settings.has_secret => {
                self.show_all(now, method);
            }
            Method::Parsec => self.ask_key_rule(now),
            _ => {
                let answer = self.proof(method);
                self.note_proof(method);
                self.send(now, &answer, State::Login(method));
            }
        }
        Some(())
    }

    /// Whether the program may well use MariaDB's client library, which has this method: of
    /// the two, the settings' scheme is taken for MySQL's, and stands in them for both.
    fn may_be_of_the_other_library(&self, name: &[u8]) -> bool {
        self.settings.client == ClientId::Libmysqlclient
            && Method::named(name).is_some_and(|m| m.is_of(ClientId::Libmariadb))
    }

    /// The server wants the password itself. Over a protected line it gets it; over a
    /// plain one only by its public key, and only where the user says so.
    fn show_all(&mut self, now: Micros, method: Method) {
        let clear_method = method == Method::Clear;
        if clear_method && !self.settings.clear_allowed {
            self.observe(Layer::Login, Fact::PlaintextRefused);
            return self.leave(now);
        }
        if self.settings.protected || (clear_method && self.settings.allow_plaintext) {
            let Some(permit) = self.exchange.permit.as_mut() else {
                return self.leave(now);
            };
            let body = methods::in_clear(permit.spend().expose());
            self.note_proof(method);
            return self.send(now, &body, State::Login(method));
        }
        if clear_method {
            self.observe(Layer::Login, Fact::PlaintextWithheld);
            return self.leave(now);
        }
        if !self.settings.allow_server_key {
            let fact = match Method::fetches_key(self.settings.client) {
                true => Fact::PlaintextWithheld,
                false => Fact::PlaintextRefused,
            };
            self.observe(Layer::Login, fact);
            return self.leave(now);
        }
        let ask = if method == Method::Sha256 { 1 } else { 2 };
        self.send(now, &[ask], State::PublicKey(method));
    }

    pub(super) fn public_key(&mut self, now: Micros, method: Method, body: &[u8]) -> Option<()> {
        let pem = body.strip_prefix(&[1])?;
        let permit = self.exchange.permit.as_mut()?;
        let (password, seed) = (permit.spend().expose(), self.settings.seeds.padding);
        let sealed = methods::for_key(password, &self.greeting.scramble, pem, seed)?;
        self.note_proof(method);
        self.send(now, &sealed, State::Login(method));
        Some(())
    }

    fn admitted(&mut self, now: Micros) {
        if let Some(permit) = self.exchange.permit.as_mut() {
            permit.accepted();
        }
        let elapsed_us = now.since(self.login_began);
        self.observe(Layer::Login, Fact::LoggedIn { elapsed_us });
        self.observe(Layer::Session, Fact::SessionReady);
        if self.exchange.stop < Layer::Session {
            self.quit();
            return self.over();
        }
        self.ask_who(now);
    }
}
