//! The conversation with a listener or an instance, from the first byte to one round trip.

mod idle;
mod opening;
mod services;
mod sign_in;

use chronaxis_model::certificate::{Ask, TlsMode};
use chronaxis_model::conversation::{Conversation, Input, NotSecured, Output, Secured};
use chronaxis_model::endpoint::Endpoint;
use chronaxis_model::fact::{Awaited, Fact, HandshakeTrouble, Meaning};
use chronaxis_model::layer::{Layer, Micros};
use chronaxis_model::permit::Permit;

use self::services::Listing;
use super::codes;
use super::frames::{Frame, frame, is_one};
use super::message::{self, Answer, Request};
use crate::encryption::{self, line_ended};
use crate::exchange::Exchange;
use crate::hello;
use crate::idle::Idle;
use crate::protocol::{ConversationPlan, Errand, LinePurpose};
use crate::seed::LineSeeds;

/// So many bytes of an answer tell who gives it.
const FIRST_BYTES: usize = 128;

/// What is awaited, and what is needed to understand it.
enum State {
    /// The connection, or the word to go on.
    Idle,
    /// The TLS handshake.
    Securing,
    /// The answer to a hello of our own.
    OldHello,
    /// The answer to `hello`.
    Hello,
    /// The answer to `list`.
    Listing(Listing),
    /// The answer to `open`.
    Opening,
    /// The server's first message of SCRAM.
    ScramFirst,
    /// The keys of SCRAM, which are being derived.
    Deriving,
    /// The server's signature.
    ScramFinal { signature: String },
    /// The answer to `who`.
    Who {
        /// Whether a proof went before it.
        proved: bool,
    },
    /// Nothing, for a while: the session is kept idle.
    Idling(Idle),
    /// The answer after a gap.
    Used(Idle),
    /// The word to leave: the session stays open.
    Staying,
    /// Nothing.
    Over,
}

/// The client's half.
pub(super) struct ClientHalf {
    state: State,
    exchange: Exchange,
    login_began: Micros,
    /// Whether the listener lets nobody know which users there are.
    hides_users: bool,
    /// How the answer to a TLS hello begins, whatever it is.
    first_bytes: Vec<u8>,
    settings: Settings,
}

/// What of the target matters here.
struct Settings {
    service: Option<String>,
    instance: Option<String>,
    user: String,
    role: Option<String>,
    /// What to ask of the edge, where the line is to be encrypted.
    ask: Option<Ask>,
    manner: LinePurpose,
    seeds: LineSeeds,
    errand: Errand,
}

impl ClientHalf {
    pub(super) fn new(plan: &ConversationPlan<'_>) -> ClientHalf {
        let target = plan.target;
        let encrypts = match plan.manner {
            LinePurpose::AskOffer => false,
            LinePurpose::First | LinePurpose::FallBack => {
                target.encryption.mode >= TlsMode::IfOffered
            }
            LinePurpose::Encrypted | LinePurpose::OldHello => true,
        };
        let over_network = matches!(plan.to, Endpoint::Tcp(_));
        ClientHalf {
            state: State::Idle,
            exchange: Exchange::new(plan.patience, plan.redactor.clone()),
            login_began: Micros(0),
            hides_users: false,
            first_bytes: Vec::new(),
            settings: Settings {
                service: target.database.clone(),
                instance: target.options.get("instance").cloned(),
                user: target.user.clone().unwrap_or_default(),
                role: target.options.get("role").cloned(),
                ask: (over_network && encrypts).then(|| target.encryption.ask(plan.host)),
                manner: plan.manner,
                seeds: plan.seeds.clone(),
                errand: plan.errand.clone(),
            },
        }
    }

    fn observe(&mut self, layer: Layer, fact: Fact) {
        self.exchange.observe(layer, fact);
    }

    fn send(&mut self, now: Micros, request: &Request, state: State) {
        self.state = state;
        self.exchange.send(now, request.framed());
    }

    fn over(&mut self) {
        self.state = State::Over;
        self.exchange.over();
    }

    fn awaited(&self) -> Awaited {
        match self.state {
            State::Idle | State::Over | State::Hello => Awaited::Greeting,
            State::Securing | State::OldHello => Awaited::Handshake,
            State::Listing(_) | State::Opening => Awaited::Service,
            State::ScramFirst | State::Deriving => Awaited::Challenge,
            State::ScramFinal { .. } => Awaited::Admission,
            // The one answer to both the proof and the question who one is.
            State::Who { proved: true } => Awaited::Admission,
            State::Who { proved: false } | State::Idling(_) | State::Used(_) | State::Staying => {
                Awaited::QueryAnswer
            }
        }
    }

    fn go(&mut self, now: Micros) {
        if !matches!(self.state, State::Idle) {
            return;
        }
        if self.settings.manner == LinePurpose::OldHello {
            let hello = hello::client_hello(self.settings.seeds.hello);
            self.state = State::OldHello;
            return self.exchange.send(now, hello);
        }
        match self.settings.ask.clone() {
            Some(ask) => {
                self.state = State::Securing;
                self.exchange.wait(now);
                self.exchange.ask(Output::Secure(Box::new(ask)));
            }
            None => self.say_hello(now),
        }
    }

    fn say_hello(&mut self, now: Micros) {
        let hello = Request::Hello {
            version: message::VERSION,
            client: message::CLIENT.to_owned(),
        };
        self.send(now, &hello, State::Hello);
    }

    fn secured(&mut self, now: Micros, secured: &Secured) {
        let elapsed = self.exchange.elapsed(now);
        for fact in encryption::secured(secured, elapsed, &self.exchange.redactor) {
            self.observe(Layer::Tls, fact);
        }
        self.say_hello(now);
    }

    /// The handshake failed, or the encryption ended `after` it had begun.
    fn not_secured(&mut self, now: Micros, ended: &NotSecured, after: bool) {
        let own = self.settings.ask.as_ref();
        let own = own.is_some_and(|ask| ask.identity.is_some());
        let elapsed = self.exchange.elapsed(now);
        // A listener that does not encrypt answers a TLS hello in its own protocol.
        if ended.trouble == HandshakeTrouble::Garbled && is_one(&self.first_bytes) {
            let spoke = Fact::SpokeProtocol {
                elapsed_us: elapsed,
            };
            self.observe(Layer::Listener, spoke);
            let answered = Fact::EncryptionAnswered {
                offered: false,
                demanded: true,
            };
            self.observe(Layer::Tls, answered);
            return self.over();
        }
        let redactor = &self.exchange.redactor;
        for fact in encryption::not_secured(ended, after, own, elapsed, redactor) {
            self.observe(Layer::Tls, fact);
        }
        self.over();
    }

    /// What came of our own hello; `ended` says that no more comes.
    fn old_hello_answer(&mut self, ended: bool) {
        let answer = hello::read_answer(&self.exchange.inbox);
        if answer.is_whole() || ended || self.exchange.inbox.len() >= hello::LONGEST {
            self.observe(Layer::Tls, answer.fact());
            self.over();
        }
    }

    /// Reads what came until more is needed.
    fn read(&mut self, now: Micros) {
        let waits = |state: &State| matches!(state, State::Over | State::Idle | State::Deriving);
        while !waits(&self.state) && !self.exchange.inbox.is_empty() {
            if matches!(self.state, State::OldHello) {
                return self.old_hello_answer(false);
            }
            let inbox = std::mem::take(&mut self.exchange.inbox);
            match frame(&inbox) {
                Frame::Short => {
                    self.exchange.inbox = inbox;
                    return;
                }
                Frame::Broken => return self.other_answer(&inbox),
                Frame::Whole(json, length) => {
                    let answer = Answer::read(json);
                    if answer.and_then(|a| self.answered(now, a)).is_none() {
                        return self.other_answer(&inbox);
                    }
                    self.exchange.inbox = inbox.get(length..).unwrap_or_default().to_vec();
                }
            }
        }
    }

    fn other_answer(&mut self, bytes: &[u8]) {
        let awaited = self.awaited();
        self.state = State::Over;
        let begins = bytes.get(..64).unwrap_or(bytes);
        self.exchange.other_answer(awaited, begins);
    }

    /// Takes in one answer; none where it is not one that may come now.
    fn answered(&mut self, now: Micros, answer: Answer) -> Option<()> {
        match (&self.state, answer) {
            (
                State::Hello,
                Answer::Hello {
                    version,
                    server,
                    tls,
                    hides_users,
                },
            ) => self.greeted(now, version, &server, (tls, hides_users)),
            (State::Listing(_), Answer::Services { services, more }) => {
                self.listed(now, services, more)?;
            }
            (State::Listing(_), Answer::Refused { code, text }) => {
                self.not_listed(now, &code, &text);
            }
            (
                State::Opening,
                Answer::Redirect {
                    host,
                    port,
                    instance,
                },
            ) => self.redirected(&host, port, &instance),
            (State::Opening, Answer::Challenge { method }) => self.challenged(now, &method),
            (State::Opening, Answer::Accepted(_)) => self.admitted_without_proof(now),
            (State::Opening, Answer::Refused { code, text }) => {
                self.not_opened(now, &code, &text);
            }
            (State::ScramFirst, Answer::Prove { data }) => self.proof(&data, now)?,
            (State::ScramFinal { .. }, Answer::Prove { data }) => self.proved(now, &data)?,
            (State::Who { .. }, Answer::Accepted(who)) => self.known(now, &who),
            (State::Idling(_) | State::Used(_), answer) => self.idle_answer(now, &answer)?,
            (_, Answer::Refused { code, text }) => self.refused(now, &code, &text),
            _ => return None,
        }
        Some(())
    }

    /// Notes a refusal; gives what it means.
    fn note_refusal(&mut self, now: Micros, code: &str, text: &str) -> Meaning {
        let awaited = self.awaited();
        let meaning = codes::meaning(code, awaited, self.hides_users);
        let redactor = &self.exchange.redactor;
        let fact = Fact::ServerRefused {
            code: redactor.text(code).to_string(),
            routine: None,
            meaning,
            message: redactor.text(text),
            awaited,
            elapsed_us: self.exchange.elapsed(now),
        };
        self.observe(meaning.layer(awaited), fact);
        meaning
    }

    fn refused(&mut self, now: Micros, code: &str, text: &str) {
        if matches!(self.state, State::Hello) && self.settings.ask.is_none() {
            let elapsed_us = self.exchange.elapsed(now);
            self.observe(Layer::Listener, Fact::SpokeProtocol { elapsed_us });
        }
        if self.note_refusal(now, code, text) == Meaning::EncryptionRequired {
            // Who demands it has it.
            self.observe(Layer::Tls, Fact::EncryptionOffer { offered: true });
        }
        self.over();
    }

    /// The server fell silent, or ended the line.
    fn ended(&mut self, now: Micros, reset: Option<bool>) {
        let awaited = self.awaited();
        self.state = State::Over;
        self.exchange.ended(now, awaited, reset);
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
                self.go(now);
            }
            Input::Bytes(bytes) => {
                self.exchange.arrived(bytes);
                self.read(now);
                if !matches!(self.state, State::Over)
                    && let Some(begins) = self.exchange.flood()
                {
                    self.other_answer(&begins);
                }
            }
            Input::TimedOut | Input::Closed { .. } if matches!(self.state, State::OldHello) => {
                self.old_hello_answer(true);
            }
            Input::TimedOut if matches!(self.state, State::Securing) => {
                self.not_secured(now, &line_ended(HandshakeTrouble::Silent), false);
            }
            Input::Closed { .. } if matches!(self.state, State::Securing) => {
                self.not_secured(now, &line_ended(HandshakeTrouble::Closed), false);
            }
            Input::TimedOut | Input::Closed { .. } | Input::Broken(_)
                if matches!(self.state, State::Idling(_) | State::Used(_)) =>
            {
                self.idle_over(now, &input);
            }
            Input::TimedOut => self.ended(now, None),
            Input::Closed { reset } => self.ended(now, Some(reset)),
            Input::Secured(secured) => self.secured(now, secured),
            Input::NotSecured(ended) => self.not_secured(now, ended, false),
            Input::Broken(ended) => self.not_secured(now, ended, true),
            Input::Derived(derived) => {
                self.derived(now, derived);
                // Whoever hurries may have sent more meanwhile.
                self.read(now);
            }
            Input::Leave => self.over(),
        }
    }

    fn poll(&mut self) -> Option<Output> {
        self.exchange.poll()
    }

    fn give_back(&mut self) -> Option<Permit> {
        self.exchange.permit.take()
    }

    /// Keeps how the answer begins, for whoever speaks no TLS.
    fn unwrap(&mut self, bytes: &[u8]) -> Result<Vec<u8>, NotSecured> {
        let room = FIRST_BYTES.saturating_sub(self.first_bytes.len());
        self.first_bytes.extend(bytes.iter().take(room));
        Ok(bytes.to_vec())
    }
}
