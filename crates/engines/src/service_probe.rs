//! Bytes that ask who is there: a few that many services answer, none of them about the
//! target's account.

use std::collections::VecDeque;

use chronaxis_model::conversation::{Conversation, Input, Output};
use chronaxis_model::fact::{Fact, Service, Spoke};
use chronaxis_model::layer::{Layer, Micros};
use chronaxis_model::permit::Permit;

use super::postgresql::codec::ENCRYPTION_REQUEST;
use super::spec::Engine;
use super::who;

/// What is sent.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum ServiceProbe {
    /// A request of the web (RFC 9112): web servers, proxies, MongoDB, Redis and what
    /// speaks TLS answer it, each in its own way.
    Web,
    /// The header by which a proxy says for whom it speaks, naming nobody, and then the
    /// engine's own first bytes: what wants such a header goes on from there.
    ProxyHeader,
    /// PostgreSQL's question whether the server encrypts.
    Postgresql,
    /// The first packet of a TDS client (MS-TDS, section 2.2.6.5).
    Tds,
    /// The first bytes of a SOCKS client (RFC 1928, section 3).
    Socks,
    /// A hello (RFC 5246, section 7.4.1.2): what speaks TLS alone may answer nothing else.
    Tls,
}

/// How many of them a place gets.
pub const MOST_PROBES: u8 = 3;

/// A PRELOGIN with a version and encryption "not supported".
const PRELOGIN: &[u8] = &[
    0x12, 0x01, 0x00, 0x1a, 0, 0, 1, 0, // header: type, end of message, length 26
    0x00, 0x00, 0x0b, 0x00, 0x06, // version at 11, 6 bytes
    0x01, 0x00, 0x11, 0x00, 0x01, // encryption at 17, 1 byte
    0xff, // end of options
    0x0b, 0, 0, 0, 0, 0,    // version
    0x02, // not supported
];

impl ServiceProbe {
    /// The first to try: as the port suggests, or else what the engine's own first bytes
    /// have not asked yet.
    pub fn first_for(port: u16, engine: &Engine) -> ServiceProbe {
        match port {
            1433 | 1434 => ServiceProbe::Tds,
            1080 | 9050 => ServiceProbe::Socks,
            27017..=27019 => ServiceProbe::Web,
            _ if engine.spec.first_bytes == ENCRYPTION_REQUEST => ServiceProbe::Web,
            _ => ServiceProbe::Postgresql,
        }
    }

    /// The one after this, which was the first or the second, if it is not answered in a way
    /// that tells. What closes on bytes that it does not know may want a header first; what
    /// waits may wait for a line.
    pub fn next_for(self, number: u8, closed: bool) -> ServiceProbe {
        match self {
            _ if number > 1 => ServiceProbe::Tls,
            ServiceProbe::Web => ServiceProbe::ProxyHeader,
            ServiceProbe::Postgresql if closed => ServiceProbe::ProxyHeader,
            _ => ServiceProbe::Web,
        }
    }

    /// What is sent; the engine is the one whose first bytes go behind a header.
    pub fn bytes(self, engine: &Engine) -> Vec<u8> {
        match self {
            ServiceProbe::Web => b"GET / HTTP/1.0\r\n\r\n".to_vec(),
            ServiceProbe::ProxyHeader => {
                let mut out = b"PROXY UNKNOWN\r\n".to_vec();
                out.extend(engine.spec.first_bytes);
                out
            }
            ServiceProbe::Postgresql => ENCRYPTION_REQUEST.to_vec(),
            ServiceProbe::Tds => PRELOGIN.to_vec(),
            ServiceProbe::Socks => vec![5, 1, 0],
            // No key is ever made of it.
            ServiceProbe::Tls => super::hello::client_hello([0x5a; 32]),
        }
    }

    fn title(self) -> &'static str {
        match self {
            ServiceProbe::Web => "a web request",
            ServiceProbe::ProxyHeader => "a PROXY header",
            ServiceProbe::Postgresql => "PostgreSQL's first question",
            ServiceProbe::Tds => "a TDS first packet",
            ServiceProbe::Socks => "a SOCKS greeting",
            ServiceProbe::Tls => "a TLS hello",
        }
    }

    /// Who it is that gave such an answer. Behind a PROXY header the engine's own answer
    /// says that the header was what it wanted.
    fn told(self, bytes: &[u8], engine: &Engine) -> Option<Service> {
        let service = who::answered(bytes)?;
        let own = engine.spec.serves(service);
        match (own, self) {
            (true, ServiceProbe::ProxyHeader) => Some(who::PROXY_HEADER),
            // The engine itself, which did not answer its own client: that tells nothing.
            (true, _) => None,
            (false, _) => Some(service),
        }
    }
}

/// A conversation that sends such bytes and reads what comes.
pub fn service_probe(
    kind: ServiceProbe,
    engine: &'static Engine,
    wait: Micros,
) -> Box<dyn Conversation> {
    Box::new(Asking {
        kind,
        engine,
        wait,
        inbox: Vec::new(),
        asked: false,
        out: VecDeque::new(),
    })
}

struct Asking {
    kind: ServiceProbe,
    engine: &'static Engine,
    wait: Micros,
    inbox: Vec<u8>,
    asked: bool,
    out: VecDeque<Output>,
}

impl Asking {
    fn over(&mut self, spoke: Spoke) {
        let spoke = if self.inbox.is_empty() {
            spoke
        } else {
            Spoke::Answered
        };
        let fact = Fact::ServiceAsked {
            with: self.kind.title().to_owned(),
            spoke,
            service: self.kind.told(&self.inbox, self.engine),
        };
        self.out.push_back(Output::Observe(Layer::Listener, fact));
        self.out.push_back(Output::Over);
        self.asked = false;
    }
}

impl Conversation for Asking {
    fn handle(&mut self, _: Micros, input: Input<'_>) {
        match input {
            Input::Opened => self.out.push_back(Output::Rest(Layer::Port)),
            Input::Go { .. } => {
                self.asked = true;
                self.out
                    .push_back(Output::Send(self.kind.bytes(self.engine)));
                self.out.push_back(Output::Await(self.wait));
            }
            Input::Bytes(bytes) if self.asked => {
                let room = 4096usize.saturating_sub(self.inbox.len());
                self.inbox.extend(bytes.iter().take(room));
                if self.kind.told(&self.inbox, self.engine).is_some() || room <= bytes.len() {
                    self.over(Spoke::Answered);
                }
            }
            Input::TimedOut if self.asked => self.over(Spoke::Silent),
            Input::Closed { .. } if self.asked => self.over(Spoke::Closed),
            _ => self.out.push_back(Output::Over),
        }
    }

    fn poll(&mut self) -> Option<Output> {
        self.out.pop_front()
    }

    fn give_back(&mut self) -> Option<Permit> {
        None
    }
}
