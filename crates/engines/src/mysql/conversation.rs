//! The conversation with a MySQL or MariaDB server, from its greeting to one round trip.
//!
//! The server speaks first. It counts every line that ends before a complete response,
//! and blocks machines that make too many (1129); so a line that is given up before the
//! sign-in ends with a response that names nobody, which costs nothing there (measured:
//! `docs/mysql.md`).

mod idle;
mod leave;
mod login;
mod look_up;
mod secure;
mod session;
mod signature;

pub(super) use session::{MARIADB_QUERY, MYSQL_QUERY};

use chronaxis_model::certificate::{Ask, TlsMode};
use chronaxis_model::conversation::{Conversation, Input, Output};
use chronaxis_model::endpoint::Endpoint;
use chronaxis_model::fact::{Awaited, Fact, HandshakeTrouble, Meaning};
use chronaxis_model::layer::{Layer, Micros};
use chronaxis_model::permit::Permit;
use chronaxis_model::target::ClientId;

use super::codec::{self, Frame, Greeting, Refusal, capability};
use super::codes;
use super::methods::Method;
use crate::encryption::line_ended;
use crate::exchange::Exchange;
use crate::idle::Idle;
use crate::protocol::{ConversationPlan, Errand, LinePurpose};
use crate::seed::LineSeeds;

/// What is awaited, and what is needed to understand it.
enum State {
    /// The connection, or the word to go on.
    Idle,
    /// The greeting.
    Greeting,
    /// The TLS handshake.
    Securing,
    /// The answer to a hello of our own.
    OldHello,
    /// The next step of the sign-in, by this method.
    Login(Method),
    /// How the key of a signature is derived.
    KeyRule,
    /// That key, from the edge.
    Deriving,
    /// The server's public key, for a method that protects the password with it.
    PublicKey(Method),
    /// The rows of the one query.
    Query(session::Rows),
    /// The answer to a statement about an account.
    LookUp(Box<look_up::Asked>),
    /// Nothing, for a while: the session is kept idle.
    Idling(Idle),
    /// The answer after a gap.
    Used(Idle),
    /// The word to leave: the session stays open.
    Staying,
    /// The answer to the response that names nobody.
    Leaving,
    /// Nothing.
    Over,
}

/// The client's half.
pub(super) struct ClientHalf {
    state: State,
    exchange: Exchange,
    login_began: Micros,
    greeting: Greeting,
    /// The number of the next packet of this exchange.
    number: u8,
    proof_sent: bool,
    /// Packets of the sign-in so far.
    rounds: u8,
    /// A response was sent: from here the line's end is the server's business.
    responded: bool,
    secured: bool,
    settings: Settings,
}

/// What of the target matters here.
struct Settings {
    client: ClientId,
    user: String,
    database: Option<String>,
    ask: Option<Ask>,
    manner: LinePurpose,
    demands_encryption: bool,
    protected: bool,
    clear_allowed: bool,
    has_secret: bool,
    stopped_late: bool,
    allow_plaintext: bool,
    allow_server_key: bool,
    seeds: LineSeeds,
    errand: Errand,
}

impl ClientHalf {
    pub(super) fn new(plan: &ConversationPlan<'_>) -> ClientHalf {
        let target = plan.target;
        let wish = target.encryption.mode;
        let over_network = matches!(plan.to, Endpoint::Tcp(_));
        let encrypts = match plan.manner {
            LinePurpose::First | LinePurpose::FallBack => {
                wish == TlsMode::Demand || (wish >= TlsMode::IfOffered && over_network)
            }
            LinePurpose::AskOffer | LinePurpose::Encrypted | LinePurpose::OldHello => true,
        };
        let told_clear = target.option_or("enable_cleartext_plugin", "") == "1";
        ClientHalf {
            state: State::Idle,
            exchange: Exchange::new(plan.patience, plan.redactor.clone()),
            login_began: Micros(0),
            greeting: Greeting::default(),
            number: 0,
            proof_sent: false,
            rounds: 0,
            responded: false,
            secured: false,
            settings: Settings {
                client: target.client,
                user: target.user.clone().unwrap_or_default(),
                database: target.database.clone(),
                ask: encrypts.then(|| target.encryption.ask(plan.host)),
                manner: plan.manner,
                demands_encryption: wish == TlsMode::Demand,
                protected: !over_network,
                clear_allowed: told_clear || Method::clear_is_ready_in(target.client),
                stopped_late: target.encryption.stopped_late,
                has_secret: target
                    .secret
                    .as_ref()
                    .is_some_and(|s| !s.value.expose().is_empty()),
                allow_plaintext: plan.allow_plaintext,
                allow_server_key: plan.allow_server_key,
                seeds: plan.seeds.clone(),
                errand: plan.errand.clone(),
            },
        }
    }

    fn observe(&mut self, layer: Layer, fact: Fact) {
        self.exchange.observe(layer, fact);
    }

    /// Sends the next packet of this exchange, and waits.
    fn send(&mut self, now: Micros, body: &[u8], state: State) {
        let bytes = codec::packet(self.number, body);
        self.number = self.number.wrapping_add(1);
        self.state = state;
        self.exchange.send(now, bytes);
    }

    fn over(&mut self) {
        self.state = State::Over;
        self.exchange.over();
    }

    fn awaited(&self) -> Awaited {
        match self.state {
            State::Idle | State::Greeting | State::Leaving | State::Over => Awaited::Greeting,
            State::Securing | State::OldHello => Awaited::Handshake,
            State::Login(_) if self.proof_sent => Awaited::Admission,
            State::Login(_) | State::PublicKey(_) | State::KeyRule | State::Deriving => {
                Awaited::Challenge
            }
            State::Query(_)
            | State::LookUp(_)
            | State::Idling(_)
            | State::Used(_)
            | State::Staying => Awaited::QueryAnswer,
        }
    }

    fn go(&mut self, now: Micros) {
        if matches!(self.state, State::Idle) {
            self.state = State::Greeting;
            self.exchange.wait(now);
        }
    }

    /// Reads what came until more is needed.
    fn read(&mut self, now: Micros) {
        while !matches!(self.state, State::Over | State::Idle | State::Securing)
            && !self.exchange.inbox.is_empty()
        {
            if matches!(self.state, State::OldHello) {
                return self.old_hello_answer(false);
            }
            let inbox = std::mem::take(&mut self.exchange.inbox);
            // A greeting says by its first bytes whether it is one.
            let strange = matches!(self.state, State::Greeting) && is_no_greeting(&inbox);
            match codec::frame(&inbox) {
                _ if strange => return self.other_answer(&inbox),
                Frame::Short => {
                    self.exchange.inbox = inbox;
                    return;
                }
                Frame::Broken => return self.other_answer(&inbox),
                Frame::Whole(number, body, length) => {
                    self.number = number.wrapping_add(1);
                    let body = body.to_vec();
                    self.exchange.inbox = inbox.get(length..).unwrap_or_default().to_vec();
                    if self.packet(now, &body).is_none() {
                        return self.other_answer(&inbox);
                    }
                }
            }
        }
    }

    fn other_answer(&mut self, bytes: &[u8]) {
        if matches!(self.state, State::Query(_) | State::LookUp(_)) {
            // Whoever lets one in and then answers oddly is still the engine.
            return self.odd_answer(bytes);
        }
        let awaited = self.awaited();
        self.state = State::Over;
        self.exchange.other_answer(awaited, bytes);
    }

    /// Takes in one packet; none where it is not one that may come now.
    fn packet(&mut self, now: Micros, body: &[u8]) -> Option<()> {
        match self.state {
            State::Leaving => self.left(body),
            State::Query(_) => self.query_packet(now, body)?,
            State::LookUp(_) => self.look_up_packet(now, body)?,
            State::Idling(_) | State::Used(_) => self.idle_packet(now, body)?,
            _ if body.first() == Some(&0xff) => self.refused(now, &Refusal::read(body)?),
            State::Greeting => self.greeted(now, Greeting::read(body)?),
            State::Login(method) => self.login_packet(now, method, body)?,
            State::PublicKey(method) => self.public_key(now, method, body)?,
            State::KeyRule => self.key_rule(now, body)?,
            State::Idle
            | State::Staying
            | State::Securing
            | State::OldHello
            | State::Deriving
            | State::Over => return None,
        }
        Some(())
    }

    fn greeted(&mut self, now: Micros, greeting: Greeting) {
        if !self.exchange.inbox.is_empty() {
            // Nothing may follow the greeting before the client has spoken.
            let rest = std::mem::take(&mut self.exchange.inbox);
            return self.other_answer(&rest);
        }
        let elapsed_us = self.exchange.elapsed(now);
        self.observe(Layer::Listener, Fact::SpokeProtocol { elapsed_us });
        let offered = greeting.has(capability::SSL);
        self.greeting = greeting;
        let asks = self.settings.ask.is_some();
        let fact = match asks {
            true => Fact::EncryptionAnswered {
                offered,
                demanded: self.settings.demands_encryption && self.settings.manner.is_clients(),
            },
            false => Fact::EncryptionNotAsked,
        };
        self.observe(Layer::Tls, fact);
        if !asks {
            // The greeting says it unasked.
            self.observe(Layer::Tls, Fact::EncryptionOffer { offered });
        }
        let demands = self.settings.demands_encryption;
        if self.exchange.stop <= Layer::Listener || self.settings.manner == LinePurpose::AskOffer {
            return self.leave(now);
        }
        match (asks && offered, demands) {
            (true, _) if self.settings.stopped_late => self.leave(now),
            (true, _) => self.secure(now),
            (false, true) => self.leave(now),
            (false, false) if self.exchange.stop == Layer::Tls => self.leave(now),
            (false, false) => self.respond(now),
        }
    }

    fn refused(&mut self, now: Micros, refusal: &Refusal) {
        let awaited = self.awaited();
        let meaning = codes::meaning(refusal.number);
        if codes::after_proof(meaning)
            && let Some(permit) = self.exchange.permit.as_mut().filter(|_| self.proof_sent)
        {
            permit.accepted();
        }
        if meaning == Meaning::AccessDenied && !self.settings.has_secret {
            let method = self.greeting_method();
            self.observe(Layer::Login, Fact::PasswordAsked { method });
        }
        let fact = Fact::ServerRefused {
            code: refusal.number.to_string(),
            routine: None,
            meaning,
            message: self.exchange.redactor.bytes(&refusal.message),
            awaited,
            elapsed_us: self.exchange.elapsed(now),
        };
        self.observe(meaning.layer(awaited), fact);
        self.over();
    }

    fn greeting_method(&self) -> String {
        match &self.state {
            State::Login(method) => method.name().to_owned(),
            _ => "a password".to_owned(),
        }
    }

    /// The server fell silent, or ended the line.
    fn ended(&mut self, now: Micros, input: &Input<'_>) {
        let closed = match input {
            Input::Closed { reset } => Some(*reset),
            _ => None,
        };
        let awaited = self.awaited();
        match (&self.state, closed) {
            (State::Leaving, _) => {
                self.observe(Layer::Listener, Fact::LeftCounted);
                return self.over();
            }
            (State::OldHello, _) => return self.old_hello_answer(true),
            (State::Securing, closed) => {
                let trouble = match closed {
                    Some(_) => HandshakeTrouble::Closed,
                    None => HandshakeTrouble::Silent,
                };
                return self.not_secured(now, &line_ended(trouble), false);
            }
            _ => {}
        }
        self.state = State::Over;
        self.exchange.ended(now, awaited, closed);
    }
}

/// Whether these bytes cannot be the beginning of a greeting or of a refusal in its place:
/// packet number 0, and one of the two first bytes.
fn is_no_greeting(bytes: &[u8]) -> bool {
    let number = bytes.get(3).is_some_and(|n| *n != 0);
    let first = bytes.get(4).is_some_and(|b| !matches!(b, 10 | 0xff));
    let long = bytes.get(1..3).is_some_and(|rest| rest != [0, 0]);
    number || first || long
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
            Input::TimedOut | Input::Closed { .. } | Input::Broken(_)
                if matches!(self.state, State::Idling(_) | State::Used(_)) =>
            {
                self.idle_over(now, &input);
            }
            Input::Leave if matches!(self.state, State::Staying) => {
                self.quit();
                self.over();
            }
            Input::TimedOut | Input::Closed { .. } => self.ended(now, &input),
            Input::Secured(secured) => self.secured(now, secured),
            Input::NotSecured(ended) => self.not_secured(now, ended, false),
            Input::Broken(ended) => self.not_secured(now, ended, true),
            Input::Derived(derived) => self.derived(now, derived),
            Input::Leave => self.leave_unread(now),
        }
    }

    fn poll(&mut self) -> Option<Output> {
        self.exchange.poll()
    }

    fn give_back(&mut self) -> Option<Permit> {
        self.exchange.permit.take()
    }
}
