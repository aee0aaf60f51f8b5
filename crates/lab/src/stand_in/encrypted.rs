//! The server's half of encryption, without a socket, and the ways in which it can go
//! wrong.

use std::io::{Read as _, Write as _};
use std::sync::Arc;

use rustls::crypto::ring::default_provider;
use rustls::crypto::ring::sign::any_supported_type;
use rustls::pki_types::{CertificateDer, PrivateKeyDer};
use rustls::server::WebPkiClientVerifier;
use rustls::sign::{CertifiedKey, SingleCertAndKey};
use rustls::version::{TLS12, TLS13};
use rustls::{RootCertStore, ServerConfig, ServerConnection};
use sha2::{Digest as _, Sha256};

use super::Reaction;
use crate::certificates::{self, CertificateFiles, CertificateKind};

/// Whether a server asks for the client's certificate.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum ClientRule {
    /// It does not.
    #[default]
    NotAsked,
    /// It asks, and goes on without.
    Asked,
    /// It asks, and needs one.
    Needed,
}

/// What becomes of a handshake.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Course {
    /// It succeeds, if the client wants it to.
    #[default]
    Usual,
    /// The same, with TLS 1.2 at most.
    AtMost12,
    /// Only TLS 1.0 is offered.
    OldOnly,
    /// The server closes the line.
    Closes,
    /// It falls silent.
    Silent,
    /// It answers in clear.
    Garbled,
}

/// How a server encrypts.
#[derive(Clone, Copy, Debug)]
pub struct Side {
    /// Its papers.
    pub kind: CertificateKind,
    /// Whether it wants the client's.
    pub client: ClientRule,
    /// What becomes of the handshake.
    pub course: Course,
}

impl Side {
    /// The usual way, with such papers.
    pub fn with(kind: CertificateKind) -> Side {
        Side {
            kind,
            client: ClientRule::NotAsked,
            course: Course::Usual,
        }
    }

    /// The same, on another course.
    pub fn going(self, course: Course) -> Side {
        Side { course, ..self }
    }

    /// The same, with such a rule for clients.
    pub fn for_clients(self, client: ClientRule) -> Side {
        Side { client, ..self }
    }

    /// Begins with a line.
    pub fn begin(&self) -> Half {
        let own = certificates::of_server(self.kind);
        Half {
            leaf: own.chain.first().cloned().unwrap_or_default(),
            connection: self.connection(own),
            course: self.course,
            inbox: Vec::new(),
        }
    }

    fn connection(&self, own: CertificateFiles) -> Option<ServerConnection> {
        let versions = match self.course {
            Course::AtMost12 => vec![&TLS12],
            _ => vec![&TLS13, &TLS12],
        };
        let provider = Arc::new(default_provider());
        let builder = ServerConfig::builder_with_provider(provider.clone())
            .with_protocol_versions(&versions)
            .ok()?;
        let builder = match self.client {
            ClientRule::NotAsked => builder.with_no_client_auth(),
            rule => {
                let mut roots = RootCertStore::empty();
                roots
                    .add(CertificateDer::from(certificates::authority_der()))
                    .ok()?;
                let asks = WebPkiClientVerifier::builder_with_provider(roots.into(), provider);
                let asks = match rule {
                    ClientRule::Asked => asks.allow_unauthenticated(),
                    _ => asks,
                };
                builder.with_client_cert_verifier(asks.build().ok()?)
            }
        };
        let chain = own.chain.into_iter().map(CertificateDer::from).collect();
        let key = PrivateKeyDer::try_from(own.key).ok()?;
        // Not checked to belong together: some scenes want papers that nobody can read.
        let key = any_supported_type(&key).ok()?;
        let pair = SingleCertAndKey::from(CertifiedKey::new(chain, key));
        let mut config = builder.with_cert_resolver(Arc::new(pair));
        config.alpn_protocols = vec![b"postgresql".to_vec()];
        ServerConnection::new(Arc::new(config)).ok()
    }
}

/// What the server inside may know of the line.
#[derive(Clone, Debug)]
pub struct SecuredLine {
    /// Whether the client showed a certificate that was accepted.
    pub knows_client: bool,
    /// `tls-server-end-point` (RFC 5929, section 4.1): all papers here are signed with
    /// SHA-256.
    pub certificate_hash: Vec<u8>,
}

/// One line's encryption, at the server.
pub struct Half {
    connection: Option<ServerConnection>,
    course: Course,
    leaf: Vec<u8>,
    inbox: Vec<u8>,
}

impl Half {
    /// Takes bytes from the wire; what is in them goes to the server inside.
    pub fn received(
        &mut self,
        wire: &[u8],
        inside: &mut dyn FnMut(&[u8], SecuredLine) -> Vec<Reaction>,
    ) -> Vec<Reaction> {
        match self.course {
            Course::Closes => return vec![Reaction::Close],
            Course::Silent => return Vec::new(),
            Course::Garbled => {
                let words = b"HTTP/1.1 400 Bad Request\r\n\r\n".to_vec();
                return vec![Reaction::Send(words), Reaction::Close];
            }
            Course::OldOnly => return self.old(wire),
            Course::Usual | Course::AtMost12 => {}
        }
        let Some(connection) = self.connection.as_mut() else {
            return vec![Reaction::Close];
        };
        let mut rest = wire;
        let mut out = Vec::new();
        while !rest.is_empty() {
            if connection.read_tls(&mut rest).unwrap_or(0) == 0 {
                break;
            }
            let Ok(state) = connection.process_new_packets() else {
                out.extend(flushed(connection));
                out.push(Reaction::Close);
                return out;
            };
            let mut plain = vec![0; state.plaintext_bytes_to_read()];
            let _ = connection.reader().read_exact(&mut plain);
            out.extend(flushed(connection));
            if !plain.is_empty() {
                let shown = connection.peer_certificates();
                let line = SecuredLine {
                    knows_client: shown.is_some_and(|chain| !chain.is_empty()),
                    certificate_hash: Sha256::digest(&self.leaf).to_vec(),
                };
                for reaction in inside(&plain, line) {
                    out.extend(encrypt(connection, reaction));
                }
            }
        }
        out.extend(flushed(connection));
        out
    }

    /// A server of TLS 1.0: it refuses a hello that speaks of versions (RFC 8446, section
    /// 4.2.1), and answers one that does not.
    fn old(&mut self, wire: &[u8]) -> Vec<Reaction> {
        self.inbox.extend_from_slice(wire);
        let Some(([_, _, _, high, low], rest)) = self.inbox.split_first_chunk::<5>() else {
            return Vec::new();
        };
        let length = usize::from(u16::from_be_bytes([*high, *low]));
        let Some(hello) = rest.get(..length) else {
            return Vec::new();
        };
        if hello.windows(4).any(|w| matches!(w, [0, 43, 0, 0..16])) {
            let alert = vec![21, 3, 1, 0, 2, 2, 70];
            return vec![Reaction::Send(alert), Reaction::Close];
        }
        let mut body = vec![3, 1];
        body.extend([9; 32]);
        body.extend([0, 0x00, 0x2f, 0]);
        let mut flight = message(2, &body);
        let leaf = &self.leaf;
        let mut list = three(leaf.len() + 3);
        list.extend(three(leaf.len()));
        list.extend_from_slice(leaf);
        flight.extend(message(11, &list));
        flight.extend(message(14, &[]));
        let mut record = vec![22, 3, 1];
        record.extend((flight.len() as u16).to_be_bytes());
        record.extend(flight);
        vec![Reaction::Send(record)]
    }
}

fn three(length: usize) -> Vec<u8> {
    (length as u32)
        .to_be_bytes()
        .get(1..)
        .unwrap_or_default()
        .to_vec()
}

fn message(kind: u8, body: &[u8]) -> Vec<u8> {
    let mut out = vec![kind];
    out.extend(three(body.len()));
    out.extend_from_slice(body);
    out
}

fn flushed(connection: &mut ServerConnection) -> Option<Reaction> {
    let mut out = Vec::new();
    while connection.wants_write() {
        if connection.write_tls(&mut out).is_err() {
            break;
        }
    }
    (!out.is_empty()).then_some(Reaction::Send(out))
}

fn encrypt(connection: &mut ServerConnection, reaction: Reaction) -> Vec<Reaction> {
    match reaction {
        Reaction::Send(bytes) => {
            let _ = connection.writer().write_all(&bytes);
            flushed(connection).into_iter().collect()
        }
        Reaction::Close => {
            connection.send_close_notify();
            flushed(connection)
                .into_iter()
                .chain([Reaction::Close])
                .collect()
        }
        pause => vec![pause],
    }
}
