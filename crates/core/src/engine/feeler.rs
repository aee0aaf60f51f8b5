//! Bytes that ask who is there: a few that many services answer, none of them about the
//! target's account.

use std::collections::VecDeque;

use super::spec::Engine;
use super::who;
use crate::conversation::{Conversation, Input, Output};
use crate::fact::{Fact, Service, Spoke};
use crate::layer::{Layer, Micros};
use crate::permit::Permit;

/// What is sent.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Feeler {
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
}

/// A PRELOGIN with a version and encryption "not supported".
const PRELOGIN: &[u8] = &[
    0x12, 0x01, 0x00, 0x1a, 0, 0, 1, 0, // header: type, end of message, length 26
    0x00, 0x00, 0x0b, 0x00, 0x06, // version at 11, 6 bytes
    0x01, 0x00, 0x11, 0x00, 0x01, // encryption at 17, 1 byte
    0xff, // end of options
    0x0b, 0, 0, 0, 0, 0,    // version
    0x02, // not supported
];

impl Feeler {
    /// The first to try: as the port suggests, or else what the engine's own first bytes
    /// have not asked yet.
    pub fn first_for(port: u16, engine: &dyn Engine) -> Feeler {
        match port {
            1433 | 1434 => Feeler::Tds,
            1080 | 9050 => Feeler::Socks,
            27017..=27019 => Feeler::Web,
            _ if engine.services().contains(&Service::Postgresql) => Feeler::Web,
            _ => Feeler::Postgresql,
        }
    }

    /// The second, if the first is not answered in a way that tells. What closes on bytes
    /// that it does not know may want a header first; what waits may wait for a line.
    pub fn second_for(self, closed: bool) -> Feeler {
        match self {
            Feeler::Web => Feeler::ProxyHeader,
            Feeler::Postgresql if closed => Feeler::ProxyHeader,
            _ => Feeler::Web,
        }
    }

    /// What is sent; the engine is the one whose first bytes go behind a header.
    pub fn bytes(self, engine: &dyn Engine) -> Vec<u8> {
        match self {
            Feeler::Web => b"GET / HTTP/1.0\r\n\r\n".to_vec(),
            Feeler::ProxyHeader => {
                let mut out = b"PROXY UNKNOWN\r\n".to_vec();
                out.extend(engine.first_bytes());
                out
            }
            Feeler::Postgresql => super::postgresql::codec::ENCRYPTION_REQUEST.to_vec(),
            Feeler::Tds => PRELOGIN.to_vec(),
            Feeler::Socks => vec![5, 1, 0],
        }
    }

    fn title(self) -> &'static str {
        match self {
            Feeler::Web => "a web request",
            Feeler::ProxyHeader => "a PROXY header",
            Feeler::Postgresql => "PostgreSQL's first question",
            Feeler::Tds => "a TDS first packet",
            Feeler::Socks => "a SOCKS greeting",
        }
    }

    /// Who it is that gave such an answer. Behind a PROXY header the engine's own answer
    /// says that the header was what it wanted.
    fn told(self, bytes: &[u8], engine: &dyn Engine) -> Option<Service> {
        let service = who::answered(bytes)?;
        let own = engine.services().contains(&service);
        match (own, self) {
            (true, Feeler::ProxyHeader) => Some(Service::ProxyHeader),
            // The engine itself, which did not answer its own client: that tells nothing.
            (true, _) => None,
            (false, _) => Some(service),
        }
    }
}

/// A conversation that sends such bytes and reads what comes.
pub fn feeler(kind: Feeler, engine: &'static dyn Engine, wait: Micros) -> Box<dyn Conversation> {
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
    kind: Feeler,
    engine: &'static dyn Engine,
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
