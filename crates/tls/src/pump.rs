//! The TLS library, without a socket.

use std::io::{Read as _, Write as _};
use std::sync::Arc;

use chronaxis_model::certificate::{Ask, Version};
use chronaxis_model::conversation::{NotSecured, Secured};
use chronaxis_model::fact::HandshakeTrouble;
use rustls::crypto::CryptoProvider;
use rustls::crypto::ring::kx_group::{SECP256R1, SECP384R1, X25519};
use rustls::pki_types::ServerName;
use rustls::{ClientConfig, ClientConnection, Error, ProtocolVersion, SupportedProtocolVersion};

use crate::recorder::{Recorder, Shown};

/// Most bytes of handshake that are taken: a chain of ten large certificates is far less.
const MOST_HANDSHAKE: usize = 512 * 1024;

/// One encrypted line.
pub(crate) struct Pump {
    connection: ClientConnection,
    recorder: Arc<Recorder>,
    shown: Arc<Shown>,
    taken: usize,
}

fn lacking(text: impl Into<String>) -> NotSecured {
    NotSecured {
        trouble: HandshakeTrouble::BeyondUs,
        alert: None,
        detail: text.into(),
        judged: None,
        asked_certificate: false,
    }
}

impl Pump {
    /// Begins a handshake.
    ///
    /// # Errors
    /// Says what of the request cannot be done here.
    pub(crate) fn new(ask: &Ask, wall: i64) -> Result<Pump, NotSecured> {
        let provider = CryptoProvider {
            // P-256 first: PostgreSQL takes no other and would ask for a second hello.
            kx_groups: vec![SECP256R1, X25519, SECP384R1],
            ..rustls::crypto::ring::default_provider()
        };
        let versions: Vec<&'static SupportedProtocolVersion> =
            [&rustls::version::TLS13, &rustls::version::TLS12]
                .into_iter()
                .filter(|v| {
                    let version = Version(u16::from(v.version));
                    (ask.oldest..=ask.newest).contains(&version)
                })
                .collect();
        let recorder = Recorder::new(ask.policy.clone(), ask.host.clone(), wall);
        let recorder = Arc::new(recorder);
        let shown = Arc::new(Shown::new(ask.identity.as_ref()).map_err(lacking)?);
        let mut config = ClientConfig::builder_with_provider(Arc::new(provider))
            .with_protocol_versions(&versions)
            .map_err(|_| lacking("no version of TLS that this client allows works here"))?
            .dangerous()
            .with_custom_certificate_verifier(recorder.clone())
            .with_client_cert_resolver(shown.clone());
        config.resumption = rustls::client::Resumption::disabled();
        config.alpn_protocols = ask.inside.iter().map(|p| p.as_bytes().to_vec()).collect();
        let name = ServerName::try_from(ask.host.clone()).unwrap_or_else(|_| {
            config.enable_sni = false;
            ServerName::IpAddress(std::net::IpAddr::from([127, 0, 0, 1]).into())
        });
        let connection = ClientConnection::new(Arc::new(config), name)
            .map_err(|error| lacking(error.to_string()))?;
        Ok(Pump {
            connection,
            recorder,
            shown,
            taken: 0,
        })
    }

    pub(crate) fn is_handshaking(&self) -> bool {
        self.connection.is_handshaking()
    }

    /// Takes bytes from the wire; gives what was in them.
    ///
    /// # Errors
    /// Says how the encryption ended.
    pub(crate) fn read(&mut self, mut wire: &[u8]) -> Result<Vec<u8>, NotSecured> {
        let mut plain = Vec::new();
        while !wire.is_empty() {
            let taken = self.connection.read_tls(&mut wire).unwrap_or(0);
            if self.is_handshaking() {
                self.taken += taken;
            }
            let state = self.connection.process_new_packets();
            let state = state.map_err(|error| self.ended(error))?;
            if self.is_handshaking() && self.taken > MOST_HANDSHAKE {
                let text = format!("more than {MOST_HANDSHAKE} bytes of handshake");
                return Err(self.trouble(HandshakeTrouble::Garbled, None, text));
            }
            let mut chunk = vec![0; state.plaintext_bytes_to_read()];
            if self.connection.reader().read_exact(&mut chunk).is_ok() {
                plain.append(&mut chunk);
            }
            if taken == 0 {
                break;
            }
        }
        Ok(plain)
    }

    /// Encrypts.
    pub(crate) fn write(&mut self, plain: &[u8]) {
        // Into memory: it cannot fail.
        let _ = self.connection.writer().write_all(plain);
    }

    /// The bytes that are to go to the wire.
    pub(crate) fn wire(&mut self) -> Vec<u8> {
        let mut out = Vec::new();
        while self.connection.wants_write() {
            if self.connection.write_tls(&mut out).is_err() {
                break;
            }
        }
        out
    }

    /// Says good-bye (RFC 8446, section 6.1).
    pub(crate) fn bid_farewell(&mut self) {
        self.connection.send_close_notify();
    }

    /// What the handshake brought.
    pub(crate) fn secured(&self) -> Secured {
        let version = match self.connection.protocol_version() {
            Some(ProtocolVersion::TLSv1_2) => Version::TLS1_2,
            _ => Version::TLS1_3,
        };
        let suite = self.connection.negotiated_cipher_suite();
        Secured {
            version,
            cipher: suite.map_or_else(String::new, |s| {
                format!("{:?}", s.suite()).replace("TLS13_", "TLS_")
            }),
            judged: self.recorder.judged().unwrap_or_default(),
            asked_certificate: self.shown.was_asked(),
            showed_certificate: self.shown.was_asked() && self.shown.has_one(),
        }
    }

    fn ended(&self, error: Error) -> NotSecured {
        let judged = self.recorder.judged();
        let beyond = judged.as_ref().and_then(|j| j.beyond.clone());
        match error {
            Error::AlertReceived(alert) => {
                let name = alert_name(&format!("{alert:?}"));
                self.trouble(HandshakeTrouble::Alert, Some(name), String::new())
            }
            Error::InvalidCertificate(_) => match beyond {
                Some(what) => self.trouble(HandshakeTrouble::BeyondUs, None, what),
                None => self.trouble(HandshakeTrouble::Certificate, None, String::new()),
            },
            Error::PeerIncompatible(what) => {
                let text = format!("{what:?}");
                self.trouble(HandshakeTrouble::NothingInCommon, None, text)
            }
            other => self.trouble(HandshakeTrouble::Garbled, None, other.to_string()),
        }
    }

    fn trouble(
        &self,
        trouble: HandshakeTrouble,
        alert: Option<String>,
        detail: String,
    ) -> NotSecured {
        NotSecured {
            trouble,
            alert,
            detail,
            judged: self.recorder.judged().map(Box::new),
            asked_certificate: self.shown.was_asked(),
        }
    }
}

/// The name of an alert as the standard writes it (RFC 8446, section 6): the library
/// writes `CertificateRequired`.
fn alert_name(written: &str) -> String {
    if written == "UnknownCA" {
        return "unknown_ca".to_owned();
    }
    let mut out = String::new();
    for c in written.chars() {
        if c.is_ascii_uppercase() && !out.is_empty() {
            out.push('_');
        }
        out.push(c.to_ascii_lowercase());
    }
    out
}
