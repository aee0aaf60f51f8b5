//! The conversation with a PostgreSQL server, from the first byte to one round trip.
//!
//! What a client of this library would send is sent, and nothing else: the same start-up
//! parameters in the same order, the question whether the server encrypts only where that
//! client asks it.

mod idle;
mod instance;
mod login;
mod look_up;
mod secure;
mod start;

pub(super) use instance::QUERY;

use chronaxis_model::certificate::{Ask, TlsMode};
use chronaxis_model::conversation::{Conversation, Input, Output};
use chronaxis_model::endpoint::Endpoint;
use chronaxis_model::fact::{Awaited, Fact, HandshakeTrouble, Meaning};
use chronaxis_model::layer::{Layer, Micros};
use chronaxis_model::permit::Permit;
use chronaxis_model::target::ClientId;

use super::codec::{self, Fields, Frame};
use super::codes;
use super::parameters::{Told, parameters};
use super::sign_in::{RequiredMethods, binding, protocol_versions};
use crate::encryption::line_ended;
use crate::exchange::Exchange;
use crate::idle::Idle;
use crate::inquiry::Asking;
use crate::protocol::{ConversationPlan, Errand, LinePurpose};
use crate::scram::Binding;
use crate::seed::LineSeeds;
use crate::{hello, who};

/// What is awaited, and what is needed to understand it.
enum State {
    /// The connection, or the word to go on.
    Idle,
    /// One byte: does the server encrypt?
    Encryption,
    /// The TLS handshake.
    Securing,
    /// The answer to a hello of our own.
    OldHello,
    /// The first answer to the start-up message.
    Greeting,
    /// A step of SCRAM: the server's first message.
    ScramFirst {
        /// Whether it is bound to the line.
        plus: bool,
    },
    /// The keys of SCRAM, which are being derived.
    Deriving,
    /// A step of SCRAM: the server's signature.
    ScramFinal { signature: String },
    /// AuthenticationOk after a proof.
    Admission,
    /// Nothing, for a while: the session is kept idle.
    Idling(Idle),
    /// The answer after a gap.
    Used(Idle),
    /// The word to leave: the session stays open.
    Staying,
    /// ReadyForQuery.
    SessionStart,
    /// The rows of the one query.
    Query(instance::Collected),
    /// The answer to a statement about an account.
    LookUp(Box<Asking>),
    /// Nothing.
    Over,
}

/// The client's half.
pub(super) struct ClientHalf {
    state: State,
    exchange: Exchange,
    login_began: Micros,
    proof_sent: bool,
    /// The line is encrypted from here on.
    secured: bool,
    /// Whether the server asked for the client's certificate, and whether it was shown.
    certificate: (bool, bool),
    settings: Settings,
}

/// What of the target matters here.
struct Settings {
    parameters: Vec<(&'static str, String)>,
    user: String,
    /// What to ask of the edge, where the line is to be encrypted.
    ask: Option<Ask>,
    manner: LinePurpose,
    demands_encryption: bool,
    direct: bool,
    binding: Binding,
    demands_binding: bool,
    required: Option<RequiredMethods>,
    /// The client goes on only if it was asked for its certificate, and showed one.
    demands_certificate: bool,
    /// The version of the protocol that the client asks for, and the oldest that it takes.
    versions: (u32, u32),
    stopped_late: bool,
    allow_plaintext: bool,
    seeds: LineSeeds,
    errand: Errand,
}

impl ClientHalf {
    pub(super) fn new(plan: &ConversationPlan<'_>) -> ClientHalf {
        let target = plan.target;
        let wish = target.encryption.mode;
        let encrypts = match plan.manner {
            LinePurpose::First => wish >= TlsMode::IfOffered,
            LinePurpose::FallBack => wish == TlsMode::IfRefused,
            LinePurpose::AskOffer | LinePurpose::Encrypted | LinePurpose::OldHello => true,
        };
        let over_network = matches!(plan.to, Endpoint::Tcp(_));
        let direct = target.encryption.direct && plan.manner != LinePurpose::AskOffer;
        let ask = Ask {
            inside: direct.then_some("postgresql"),
            ..target.encryption.ask(plan.host)
        };
        ClientHalf {
            state: State::Idle,
            exchange: Exchange::new(plan.patience, plan.redactor.clone()),
            login_began: Micros(0),
            proof_sent: false,
            secured: false,
            certificate: (false, false),
            settings: Settings {
                parameters: parameters(&Told {
                    client: target.client,
                    user: target.user.as_ref(),
                    database: target.database.as_ref(),
                    options: &target.options,
                }),
                user: target.user.clone().unwrap_or_default(),
                ask: (over_network && encrypts).then_some(ask),
                manner: plan.manner,
                demands_encryption: wish == TlsMode::Demand
                    || plan.manner == LinePurpose::Encrypted
                    || (wish == TlsMode::IfRefused && plan.manner == LinePurpose::FallBack),
                direct,
                binding: binding(target),
                stopped_late: target.encryption.stopped_late,
                demands_binding: target.option_or("channel_binding", "prefer") == "require",
                required: target
                    .options
                    .get("require_auth")
                    .and_then(|told| RequiredMethods::read(told).ok()),
                demands_certificate: target.client == ClientId::Libpq
                    && target.option_or("sslcertmode", "") == "require",
                versions: protocol_versions(target),
                allow_plaintext: plan.allow_plaintext,
                seeds: plan.seeds.clone(),
                errand: plan.errand.clone(),
            },
        }
    }

    fn observe(&mut self, layer: Layer, fact: Fact) {
        self.exchange.observe(layer, fact);
    }

    fn send(&mut self, now: Micros, bytes: Vec<u8>, state: State) {
        self.state = state;
        self.exchange.send(now, bytes);
    }

    fn over(&mut self) {
        self.state = State::Over;
        self.exchange.over();
    }

    /// The server fell silent, or ended the line.
    fn ended(&mut self, now: Micros, reset: Option<bool>) {
        let awaited = self.awaited();
        self.state = State::Over;
        self.exchange.ended(now, awaited, reset);
    }

    fn awaited(&self) -> Awaited {
        match self.state {
            State::Idle | State::Over | State::Greeting => Awaited::Greeting,
            State::Encryption => Awaited::Encryption,
            State::Securing | State::OldHello => Awaited::Handshake,
            State::ScramFirst { .. } | State::Deriving => Awaited::Challenge,
            State::ScramFinal { .. } | State::Admission => Awaited::Admission,
            State::SessionStart => Awaited::SessionStart,
            State::Query(_)
            | State::LookUp(_)
            | State::Idling(_)
            | State::Used(_)
            | State::Staying => Awaited::QueryAnswer,
        }
    }

    fn go(&mut self, now: Micros) {
        if !matches!(self.state, State::Idle) {
            return;
        }
        if self.settings.ask.is_some() && self.settings.direct {
            self.secure(now);
        } else if self.settings.ask.is_some() {
            let request = codec::ENCRYPTION_REQUEST.to_vec();
            self.send(now, request, State::Encryption);
        } else {
            self.start_up(now);
        }
    }

    /// Reads what came until more is needed.
    fn read(&mut self, now: Micros) {
        while !matches!(self.state, State::Over | State::Idle) && !self.exchange.inbox.is_empty() {
            match self.state {
                State::Encryption => {
                    self.encryption_answer(now);
                    continue;
                }
                State::OldHello => return self.old_hello_answer(false),
                _ => {}
            }
            let inbox = std::mem::take(&mut self.exchange.inbox);
            match codec::frame(&inbox) {
                Frame::Short => {
                    self.exchange.inbox = inbox;
                    return;
                }
                Frame::Broken => return self.other_answer(&inbox),
                Frame::Whole(kind, body, length) => {
                    if self.message(now, kind, body).is_none() {
                        return self.other_answer(&inbox);
                    }
                    self.exchange.inbox = inbox.get(length..).unwrap_or_default().to_vec();
                }
            }
        }
    }

    fn other_answer(&mut self, bytes: &[u8]) {
        if matches!(self.state, State::Query(_) | State::LookUp(_)) {
            // Whoever lets one in and then answers oddly is still the engine.
            let fact = Fact::InstanceUnknown {
                code: String::new(),
                message: self
                    .exchange
                    .redactor
                    .bytes(bytes.get(..64).unwrap_or(bytes)),
            };
            self.observe(Layer::Session, fact);
            return self.leave();
        }
        let fact = Fact::OtherAnswer {
            awaited: self.awaited(),
            begins: self.exchange.redactor.bytes(bytes),
            service: who::answered(bytes),
        };
        self.observe(self.awaited().layer(), fact);
        self.over();
    }

    fn encryption_answer(&mut self, now: Micros) {
        let inbox = std::mem::take(&mut self.exchange.inbox);
        let answered = |offered| Fact::EncryptionAnswered {
            offered,
            demanded: self.settings.demands_encryption && self.settings.manner.is_clients(),
        };
        let offered = match inbox.first() {
            Some(b'S') => true,
            Some(b'N') => false,
            Some(b'E') => {
                if let Frame::Whole(b'E', body, _) = codec::frame(&inbox)
                    && self.refused(now, body).is_some()
                {
                    return;
                }
                if matches!(codec::frame(&inbox), Frame::Short) {
                    // An error message that is still coming: read on as one.
                    self.exchange.inbox = inbox;
                    self.state = State::Greeting;
                    return;
                }
                return self.other_answer(&inbox);
            }
            _ => return self.other_answer(&inbox),
        };
        if inbox.len() > 1 {
            // Nothing may follow the one byte before the client has spoken again.
            return self.other_answer(&inbox);
        }
        let (answer, elapsed_us) = (answered(offered), self.exchange.elapsed(now));
        self.observe(Layer::Listener, Fact::SpokeProtocol { elapsed_us });
        self.observe(Layer::Tls, answer);
        if self.exchange.stop <= Layer::Listener {
            return self.rest(Layer::Listener);
        }
        match (offered, self.settings.demands_encryption) {
            (true, _) if self.settings.manner == LinePurpose::OldHello => {
                let hello = hello::client_hello(self.settings.seeds.hello);
                self.send(now, hello, State::OldHello);
            }
            (true, _) if self.settings.stopped_late => self.over(),
            (true, _) => self.secure(now),
            (false, true) => self.over(),
            (false, false) if self.exchange.stop == Layer::Tls => self.rest(Layer::Tls),
            (false, false) => self.start_up(now),
        }
    }

    fn rest(&mut self, layer: Layer) {
        self.state = State::Idle;
        self.exchange.ask(Output::Rest(layer));
    }

    /// Takes in one message; none where it is not one that may come now.
    fn message(&mut self, now: Micros, kind: u8, body: &[u8]) -> Option<()> {
        if kind == b'v' {
            return self.negotiated(now, body);
        }
        if matches!(kind, b'N' | b'S' | b'A') {
            return Some(());
        }
        if matches!(self.state, State::Greeting) && matches!(kind, b'R') {
            let elapsed_us = self.exchange.elapsed(now);
            if self.settings.ask.is_none() {
                self.observe(Layer::Listener, Fact::SpokeProtocol { elapsed_us });
                self.observe(Layer::Tls, Fact::EncryptionNotAsked);
            }
            if self.exchange.stop <= Layer::Tls {
                self.over();
                return Some(());
            }
        }
        match (&mut self.state, kind) {
            (State::Query(_), _) => self.query_message(now, kind, body),
            (State::LookUp(_), _) => self.look_up_message(now, kind, body),
            (State::Idling(_) | State::Used(_), _) => self.idle_message(now, kind, body),
            (_, b'E') => self.refused(now, body),
            (State::SessionStart, b'Z') => self.session_ready(now),
            (State::SessionStart, b'K') => Some(()),
            (
                State::Greeting
                | State::ScramFirst { .. }
                | State::ScramFinal { .. }
                | State::Admission,
                b'R',
            ) => self.authentication(now, codec::asked(body)?),
            _ => None,
        }
    }

    fn refused(&mut self, now: Micros, body: &[u8]) -> Option<()> {
        let fields = Fields::read(body)?;
        let awaited = self.awaited();
        let code = fields.code();
        let meaning = match self.is_of_version(&fields) {
            true => Meaning::VersionRefused,
            false => codes::meaning(&code, fields.get(b'R'), awaited),
        };
        let redactor = &self.exchange.redactor;
        let routine = fields.get(b'R');
        let fact = Fact::ServerRefused {
            routine: (!routine.is_empty()).then(|| redactor.bytes(routine)),
            message: redactor.bytes(&words_of(&fields)),
            code,
            meaning,
            awaited,
            elapsed_us: self.exchange.elapsed(now),
        };
        self.observe(meaning.layer(awaited), fact);
        self.over();
        Some(())
    }

    fn session_ready(&mut self, now: Micros) -> Option<()> {
        self.observe(Layer::Session, Fact::SessionReady);
        if self.exchange.stop < Layer::Session {
            self.leave();
        } else {
            let bytes = codec::text_message(b'Q', instance::QUERY.as_bytes());
            self.send(now, bytes, State::Query(instance::Collected::default()));
        }
        Some(())
    }

    fn query_message(&mut self, now: Micros, kind: u8, body: &[u8]) -> Option<()> {
        // What ends the session is no answer to the query: a server that stops, a pooler
        // that has no server for it.
        if kind == b'E' && Fields::read(body)?.ends_session() {
            return self.refused(now, body);
        }
        let elapsed = self.exchange.elapsed(now);
        let State::Query(collected) = &mut self.state else {
            return None;
        };
        match kind {
            b'T' | b'C' | b'I' => {}
            b'D' => collected.take(codec::row(body)?)?,
            b'E' => collected.fail(Fields::read(body)?),
            b'Z' => {
                let fact = collected.fact(elapsed, &self.exchange.redactor);
                self.known(now, fact);
            }
            _ => return None,
        }
        Some(())
    }

    /// Terminate: the protocol's polite end of a session.
    fn leave(&mut self) {
        self.exchange.ask(Output::Send(codec::message(b'X', &[])));
        self.over();
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
            Input::Leave if matches!(self.state, State::Staying) => self.leave(),
            Input::TimedOut => self.ended(now, None),
            Input::Closed { reset } => self.ended(now, Some(reset)),
            Input::Secured(secured) => self.secured(now, secured),
            Input::NotSecured(ended) => self.not_secured(now, ended, false),
            Input::Broken(ended) => self.not_secured(now, ended, true),
            Input::Derived(derived) => self.derived(now, derived),
            Input::Leave => self.over(),
        }
    }

    fn poll(&mut self) -> Option<Output> {
        self.exchange.poll()
    }

    fn give_back(&mut self) -> Option<Permit> {
        self.exchange.permit.take()
    }
}

/// What a server says with a refusal: its message, and what it adds (PostgreSQL
/// documentation, "Error and Notice Message Fields").
fn words_of(fields: &Fields) -> Vec<u8> {
    let mut out = fields.get(b'M').to_vec();
    for (lead, kind) in [(" (detail: ", b'D'), (" (hint: ", b'H')] {
        let more = fields.get(kind);
        if !more.is_empty() {
            out.extend(lead.bytes());
            out.extend(more);
            out.push(b')');
        }
    }
    out
}
