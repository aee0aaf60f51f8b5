//! The client's half: lines of text, ended by a line feed.

use chronaxis_engines::{ConversationPlan, Exchange};
use chronaxis_model::conversation::{Conversation, Input, Output};
use chronaxis_model::fact::{Awaited, Fact, Instance, Meaning};
use chronaxis_model::layer::{Layer, Micros};
use chronaxis_model::permit::Permit;

enum State {
    Idle,
    Greeting,
    Admission,
    Query,
    Over,
}

pub(super) struct ClientHalf {
    user: String,
    exchange: Exchange,
    state: State,
}

impl ClientHalf {
    pub(super) fn new(plan: &ConversationPlan<'_>) -> ClientHalf {
        ClientHalf {
            user: plan.target.user.clone().unwrap_or_default(),
            exchange: Exchange::new(plan.patience, plan.redactor.clone()),
            state: State::Idle,
        }
    }

    fn awaited(&self) -> Awaited {
        match self.state {
            State::Admission => Awaited::Admission,
            State::Query => Awaited::QueryAnswer,
            _ => Awaited::Greeting,
        }
    }

    fn over(&mut self) {
        self.state = State::Over;
        self.exchange.over();
    }

    fn line(&mut self, now: Micros, line: &str) {
        let elapsed_us = self.exchange.elapsed(now);
        match (&self.state, line) {
            (State::Greeting, line) if line.starts_with("TOYBASE ") => {
                let spoke = Fact::SpokeProtocol { elapsed_us };
                self.exchange.observe(Layer::Listener, spoke);
                self.exchange.observe(Layer::Tls, Fact::EncryptionNotAsked);
                match self.exchange.stop >= Layer::Login {
                    true => self.sign_in(now),
                    false => self.over(),
                }
            }
            (State::Admission, "WELCOME") => {
                if let Some(permit) = self.exchange.permit.as_mut() {
                    permit.accepted();
                }
                let admitted = Fact::LoggedIn { elapsed_us };
                self.exchange.observe(Layer::Login, admitted);
                self.exchange.observe(Layer::Session, Fact::SessionReady);
                self.state = State::Query;
                self.exchange.send(now, b"WHERE AM I\n".to_vec());
            }
            (State::Admission, "WRONG PASSWORD") => {
                let refused = Fact::ServerRefused {
                    code: "WRONG PASSWORD".to_owned(),
                    routine: None,
                    meaning: Meaning::CredentialsRefused,
                    message: self.exchange.redactor.text(line),
                    awaited: Awaited::Admission,
                    elapsed_us,
                };
                self.exchange.observe(Layer::Login, refused);
                self.over();
            }
            (State::Query, line) if line.starts_with("AT ") => {
                let database = line.trim_start_matches("AT ");
                let instance = Instance {
                    user: self.exchange.redactor.text(&self.user),
                    database: self.exchange.redactor.text(database),
                    version: self.exchange.redactor.text("Toybase 1"),
                    round_trip_us: elapsed_us,
                    ..Instance::default()
                };
                let seen = Fact::Instance(Box::new(instance));
                self.exchange.observe(Layer::Session, seen);
                self.over();
            }
            _ => {
                let awaited = self.awaited();
                self.state = State::Over;
                self.exchange.other_answer(awaited, line.as_bytes());
            }
        }
    }

    fn sign_in(&mut self, now: Micros) {
        let method = "plain".to_owned();
        let asked = Fact::PasswordAsked { method };
        self.exchange.observe(Layer::Login, asked);
        let Some(permit) = self.exchange.permit.as_mut() else {
            return self.over();
        };
        let proof = format!("{} {}\n", self.user, permit.spend().expose());
        self.exchange.observe(Layer::Login, Fact::ProofSent);
        self.state = State::Admission;
        self.exchange.send(now, proof.into_bytes());
    }
}

impl Conversation for ClientHalf {
    fn handle(&mut self, now: Micros, input: Input<'_>) {
        if matches!(self.state, State::Over) {
            return;
        }
        match input {
            Input::Opened => self.exchange.ask(Output::Rest(Layer::Port)),
            Input::Go {
                stop,
                permit,
                withheld,
            } => {
                self.exchange.go(stop, permit, withheld);
                self.state = State::Greeting;
                self.exchange.wait(now);
            }
            Input::Bytes(bytes) => {
                self.exchange.inbox.extend_from_slice(bytes);
                let text = String::from_utf8_lossy(&self.exchange.inbox).into_owned();
                if let Some((line, rest)) = text.split_once('\n') {
                    self.exchange.inbox = rest.as_bytes().to_vec();
                    self.line(now, line);
                }
            }
            Input::TimedOut | Input::Closed { .. } => {
                let reset = match input {
                    Input::Closed { reset } => Some(reset),
                    _ => None,
                };
                let awaited = self.awaited();
                self.state = State::Over;
                self.exchange.ended(now, awaited, reset);
            }
            _ => self.over(),
        }
    }

    fn poll(&mut self) -> Option<Output> {
        self.exchange.poll()
    }

    fn give_back(&mut self) -> Option<Permit> {
        self.exchange.permit.take()
    }
}
