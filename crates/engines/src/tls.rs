//! Nothing but encryption: `tls://HOST:PORT`, whatever is inside.

use std::collections::BTreeMap;
use std::collections::VecDeque;

use chronaxis_model::certificate::{Ask, Check, Policy, TlsMode, TlsPolicy};
use chronaxis_model::conversation::{Conversation, Input, NotSecured, Output};
use chronaxis_model::fact::{Awaited, Fact, HandshakeTrouble};
use chronaxis_model::layer::{Layer, Micros};
use chronaxis_model::permit::Permit;
use chronaxis_model::redact::Redactor;
use chronaxis_model::settings::{Defect, DefectKind, Field};
use chronaxis_model::target::{ClientId, End, EngineId, ShownTarget, Target};

use super::completed::label;
use super::encryption::{self, line_ended};
use super::hello;
use super::named_file::FileWanted;
use super::plain_url::read_url;
use super::protocol::{ConversationPlan, LinePurpose, Protocol};
use super::seed::LineSeeds;
use super::spec::{Engine, EngineSpec};
use super::strings::{ClientEnvironment, Draft, NotFollowed, Strings, url_at};
use super::text::parse_port;
use super::who;
use super::written::{Form, NotWritten, Parts};
use crate::certificate_files::CertificateFiles;

/// Its id.
pub const ID: EngineId = SPEC.id;

/// The engine.
pub static ENGINE: Engine = Engine {
    spec: &SPEC,
    strings: &Tls,
    protocol: &Tls,
};

static SPEC: EngineSpec = EngineSpec {
    schemes: &["tls"],
    only_encryption: true,
    ..EngineSpec::named("tls", "TLS")
};

/// Both sides of it.
struct Tls;

impl Strings for Tls {
    fn read(&self, text: &str, line: Option<u32>) -> Draft {
        read_url(&SPEC, ClientId::StrictTls, &[], (text, line))
    }

    fn at(&self, host: &str, port: u16) -> String {
        url_at("tls", host, port)
    }

    fn files(&self, _: &Draft, around: &ClientEnvironment) -> Vec<FileWanted> {
        let ca = around
            .options
            .get("ca")
            .map(|told| FileWanted::certificates(told.value.clone(), None));
        ca.into_iter().collect()
    }

    fn complete(&self, draft: Draft, around: &ClientEnvironment) -> Result<Target, NotFollowed> {
        Ok(complete(draft, around))
    }

    fn described(&self, target: &ShownTarget) -> String {
        let end = target.ends.first().map(End::to_string);
        format!("tls://{}", end.unwrap_or_default())
    }

    fn written(&self, parts: &Parts<'_>, form: Form) -> Result<String, NotWritten> {
        match form {
            Form::Url => Ok(parts.url("tls", &parts.places(), &[])),
            Form::Fields => parts.fields(),
            Form::KeywordValue => {
                Err(parts.no_such_form("url, jdbc, data-source, fields, environment"))
            }
            Form::Environment => Err(parts.no_such_form("url, fields")),
            _ => Err(parts.no_such_form("url, fields, environment")),
        }
    }
}

impl Protocol for Tls {
    fn last_layer(&self, _: &ShownTarget) -> Layer {
        Layer::Tls
    }

    fn open(&self, plan: ConversationPlan<'_>) -> Box<dyn Conversation> {
        Box::new(ClientHalf {
            ask: plan.target.encryption.ask(plan.host),
            manner: plan.manner,
            patience: plan.patience,
            seeds: plan.seeds.clone(),
            redactor: plan.redactor.clone(),
            state: State::Idle,
            asked_at: Micros(0),
            inbox: Vec::new(),
            out: VecDeque::new(),
        })
    }
}

fn complete(draft: Draft, around: &ClientEnvironment) -> Target {
    let mut files = CertificateFiles::new(around);
    let (trusted, identity) = files.of_options();
    let mut defects = draft.defects.clone();
    defects.append(&mut files.defects);
    let host = draft.value("host").map(|t| t.value.clone());
    let port = draft.value("port").and_then(|t| parse_port(&t.value));
    let mut origins = BTreeMap::new();
    for key in ["host", "port"] {
        if let Some(told) = draft.value(key) {
            origins.insert(key.to_owned(), told.origin.clone());
        }
    }
    for (subject, there) in [("host", host.is_some()), ("port", port.is_some())] {
        if !there && !defects.iter().any(|d| d.stops) {
            defects.push(Defect {
                kind: DefectKind::Missing,
                subject: Field::of(subject),
                stops: true,
                text: format!("no {subject} is given"),
                expected: "tls://HOST:PORT".to_owned(),
                place: None,
                mended: None,
            });
        }
    }
    let stops = defects.iter().any(|d| d.stops);
    let ends: Vec<End> = host
        .zip(port)
        .filter(|_| !stops)
        .map(|(host, port)| End::Host {
            host,
            port,
            address: None,
        })
        .into_iter()
        .collect();
    Target {
        label: label(None, &ends),
        engine: ID,
        client: ClientId::StrictTls,
        ends,
        database: None,
        user: None,
        secret: None,
        encryption: TlsPolicy {
            stopped_late: false,
            mode: TlsMode::Demand,
            policy: Policy {
                check: Check::ChainAndName,
                trusted,
                ..Policy::default()
            },
            direct: true,
            identity,
            ..TlsPolicy::default()
        },
        options: BTreeMap::new(),
        origins,
        form: draft.form,
        read_by: draft.read_by,
        defects,
        withheld: Vec::new(),
        remarks: Vec::new(),
    }
}

enum State {
    Idle,
    Securing,
    OldHello,
    Over,
}

/// So many bytes of an answer tell who gives it.
const FIRST_BYTES: usize = 128;

/// The client's half: a handshake, and good-bye.
struct ClientHalf {
    ask: Ask,
    manner: LinePurpose,
    patience: Micros,
    seeds: LineSeeds,
    redactor: Redactor,
    state: State,
    asked_at: Micros,
    inbox: Vec<u8>,
    out: VecDeque<Output>,
}

impl ClientHalf {
    fn observe(&mut self, layer: Layer, fact: Fact) {
        self.out.push_back(Output::Observe(layer, fact));
    }

    fn over(&mut self) {
        self.state = State::Over;
        self.out.push_back(Output::Over);
    }

    fn go(&mut self, now: Micros) {
        self.asked_at = now;
        self.out.push_back(Output::Await(self.patience));
        if self.manner == LinePurpose::OldHello {
            self.state = State::OldHello;
            self.out
                .push_back(Output::Send(hello::client_hello(self.seeds.hello)));
        } else {
            self.state = State::Securing;
            self.out
                .push_back(Output::Secure(Box::new(self.ask.clone())));
        }
    }

    /// Whether TLS answers at all is the listener's business; how, is the next layer's.
    fn not_secured(&mut self, now: Micros, ended: &NotSecured, after: bool) {
        let elapsed = now.since(self.asked_at);
        match ended.trouble {
            HandshakeTrouble::Closed => {
                let fact = Fact::PeerClosed {
                    awaited: Awaited::Greeting,
                    reset: false,
                    elapsed_us: elapsed,
                    bytes: self.inbox.len(),
                };
                self.observe(Layer::Listener, fact);
            }
            HandshakeTrouble::Silent => {
                let fact = Fact::PeerSilent {
                    awaited: Awaited::Greeting,
                    waited_us: elapsed,
                    bytes: self.inbox.len(),
                };
                self.observe(Layer::Listener, fact);
            }
            HandshakeTrouble::Garbled => {
                let fact = Fact::OtherAnswer {
                    awaited: Awaited::Greeting,
                    begins: self.redactor.text(&ended.detail),
                    service: who::answered(&self.inbox),
                };
                self.observe(Layer::Listener, fact);
            }
            _ => {
                self.observe(
                    Layer::Listener,
                    Fact::SpokeProtocol {
                        elapsed_us: elapsed,
                    },
                );
                let facts = encryption::not_secured(ended, after, false, elapsed, &self.redactor);
                for fact in facts {
                    self.observe(Layer::Tls, fact);
                }
            }
        }
        self.over();
    }
}

impl Conversation for ClientHalf {
    fn handle(&mut self, now: Micros, input: Input<'_>) {
        match (input, &self.state) {
            (_, State::Over) => {}
            (Input::Opened, _) => self.out.push_back(Output::Rest(Layer::Port)),
            (Input::Go { .. }, State::Idle) => self.go(now),
            (Input::Bytes(bytes), State::OldHello) => {
                self.inbox.extend_from_slice(bytes);
                let answer = hello::read_answer(&self.inbox);
                if answer.is_whole() || self.inbox.len() >= hello::LONGEST {
                    self.observe(Layer::Tls, answer.fact());
                    self.over();
                }
            }
            (Input::TimedOut | Input::Closed { .. }, State::OldHello) => {
                let answer = hello::read_answer(&self.inbox);
                self.observe(Layer::Tls, answer.fact());
                self.over();
            }
            (Input::TimedOut, _) => {
                self.not_secured(now, &line_ended(HandshakeTrouble::Silent), false);
            }
            (Input::Closed { .. }, _) => {
                self.not_secured(now, &line_ended(HandshakeTrouble::Closed), false);
            }
            (Input::Secured(secured), _) => {
                let elapsed_us = now.since(self.asked_at);
                self.observe(Layer::Listener, Fact::SpokeProtocol { elapsed_us });
                for fact in encryption::secured(secured, elapsed_us, &self.redactor) {
                    self.observe(Layer::Tls, fact);
                }
                self.over();
            }
            (Input::NotSecured(ended), _) => self.not_secured(now, ended, false),
            (Input::Broken(ended), _) => self.not_secured(now, ended, true),
            (Input::Leave, _) => self.over(),
            (Input::Go { .. } | Input::Bytes(_) | Input::Derived(_), _) => {}
        }
    }

    fn poll(&mut self) -> Option<Output> {
        self.out.pop_front()
    }

    fn give_back(&mut self) -> Option<Permit> {
        None
    }

    /// Keeps how the answer begins, for who it is that speaks no TLS.
    fn unwrap(&mut self, bytes: &[u8]) -> Result<Vec<u8>, NotSecured> {
        let room = FIRST_BYTES.saturating_sub(self.inbox.len());
        self.inbox.extend(bytes.iter().take(room));
        Ok(bytes.to_vec())
    }
}
