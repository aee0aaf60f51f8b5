//! What stands between the TLS library and the judge: it keeps the chain, asks, obeys.

use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, Mutex, PoisonError};

use chronaxis_model::certificate::{
    ChainTrouble, Check, Identity, Judged, Policy, Signed, Trusted, judge, read,
};
use rustls::client::ResolvesClientCert;
use rustls::client::danger::{HandshakeSignatureValid, ServerCertVerified, ServerCertVerifier};
use rustls::pki_types::{CertificateDer, PrivateKeyDer, ServerName, UnixTime};
use rustls::sign::CertifiedKey;
use rustls::{CertificateError, DigitallySignedStruct, Error, SignatureScheme};

use crate::signatures::{ByRing, of_handshake};

/// All that a client may be signed to with. P-521 cannot be checked here; a client that
/// checks nothing can still go on with it, as its own library would.
const SCHEMES: &[SignatureScheme] = &[
    SignatureScheme::ECDSA_NISTP256_SHA256,
    SignatureScheme::ECDSA_NISTP384_SHA384,
    SignatureScheme::ECDSA_NISTP521_SHA512,
    SignatureScheme::ED25519,
    SignatureScheme::RSA_PSS_SHA256,
    SignatureScheme::RSA_PSS_SHA384,
    SignatureScheme::RSA_PSS_SHA512,
    SignatureScheme::RSA_PKCS1_SHA256,
    SignatureScheme::RSA_PKCS1_SHA384,
    SignatureScheme::RSA_PKCS1_SHA512,
];

/// Keeps what the server showed, and what the judge said of it.
#[derive(Debug)]
pub(crate) struct Recorder {
    policy: Policy,
    trusted: Vec<Vec<u8>>,
    host: String,
    /// Unix time, in seconds.
    wall: i64,
    judged: Mutex<Option<Judged>>,
}

impl Recorder {
    pub(crate) fn new(policy: Policy, host: String, wall: i64) -> Recorder {
        let trusted = match &policy.trusted {
            Trusted::Nobody => Vec::new(),
            Trusted::These(these) => these.clone(),
            // Reading them takes milliseconds: only where something is checked by them.
            Trusted::System if policy.check == Check::Nothing => Vec::new(),
            Trusted::System => {
                let found = rustls_native_certs::load_native_certs().certs;
                found.iter().map(|c| c.to_vec()).collect()
            }
        };
        Recorder {
            policy,
            trusted,
            host,
            wall,
            judged: Mutex::new(None),
        }
    }

    /// What the judge said, if a chain came.
    pub(crate) fn judged(&self) -> Option<Judged> {
        self.judged
            .lock()
            .unwrap_or_else(PoisonError::into_inner)
            .clone()
    }

    fn beyond(&self, what: String) {
        let mut judged = self.judged.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some(judged) = judged.as_mut() {
            judged.beyond.get_or_insert(what);
        }
    }

    /// The server's proof that it holds the key.
    fn proved(
        &self,
        message: &[u8],
        certificate: &CertificateDer<'_>,
        signed: &DigitallySignedStruct,
    ) -> Result<HandshakeSignatureValid, Error> {
        let Ok(certificate) = read(certificate) else {
            return Err(CertificateError::BadEncoding.into());
        };
        let key = certificate.public_key();
        match of_handshake(key, signed.scheme, message, signed.signature()) {
            Signed::Fits => Ok(HandshakeSignatureValid::assertion()),
            Signed::DoesNot => Err(CertificateError::BadSignature.into()),
            Signed::CannotTell if self.policy.check == Check::Nothing => {
                Ok(HandshakeSignatureValid::assertion())
            }
            Signed::CannotTell => {
                self.beyond(format!("a handshake signed with {}", certificate.key));
                Err(CertificateError::ApplicationVerificationFailure.into())
            }
        }
    }
}

impl ServerCertVerifier for Recorder {
    fn verify_server_cert(
        &self,
        end_entity: &CertificateDer<'_>,
        intermediates: &[CertificateDer<'_>],
        _: &ServerName<'_>,
        _: &[u8],
        _: UnixTime,
    ) -> Result<ServerCertVerified, Error> {
        let chain: Vec<Vec<u8>> = std::iter::once(end_entity)
            .chain(intermediates)
            .map(|c| c.to_vec())
            .collect();
        let judged = judge(
            &chain,
            &self.policy,
            &self.trusted,
            &self.host,
            self.wall,
            &ByRing,
        );
        let answer = if judged.accepts() {
            Ok(ServerCertVerified::assertion())
        } else {
            Err(alert(&judged).into())
        };
        *self.judged.lock().unwrap_or_else(PoisonError::into_inner) = Some(judged);
        answer
    }

    fn verify_tls12_signature(
        &self,
        message: &[u8],
        certificate: &CertificateDer<'_>,
        signed: &DigitallySignedStruct,
    ) -> Result<HandshakeSignatureValid, Error> {
        self.proved(message, certificate, signed)
    }

    fn verify_tls13_signature(
        &self,
        message: &[u8],
        certificate: &CertificateDer<'_>,
        signed: &DigitallySignedStruct,
    ) -> Result<HandshakeSignatureValid, Error> {
        self.proved(message, certificate, signed)
    }

    fn supported_verify_schemes(&self) -> Vec<SignatureScheme> {
        SCHEMES.to_vec()
    }
}

/// What the server is told of it (RFC 8446, section 6.2): the library makes the alert.
fn alert(judged: &Judged) -> CertificateError {
    let stops = judged.defects.iter().find(|d| d.stops);
    match stops.map(|d| d.trouble) {
        Some(ChainTrouble::Expired) => CertificateError::Expired,
        Some(ChainTrouble::NotYetValid) => CertificateError::NotValidYet,
        Some(ChainTrouble::NameMismatch) => CertificateError::NotValidForName,
        Some(ChainTrouble::Unreadable) => CertificateError::BadEncoding,
        Some(
            ChainTrouble::SelfSigned | ChainTrouble::IssuerUnknown | ChainTrouble::IssuerMissing,
        ) => CertificateError::UnknownIssuer,
        _ => CertificateError::ApplicationVerificationFailure,
    }
}

/// Whether the server asked for a certificate, and the one to show.
#[derive(Debug)]
pub(crate) struct Shown {
    key: Option<Arc<CertifiedKey>>,
    asked: AtomicBool,
}

impl Shown {
    /// Takes the identity, if there is one.
    ///
    /// # Errors
    /// Says why this key cannot be used here.
    pub(crate) fn new(identity: Option<&Identity>) -> Result<Shown, String> {
        let key = identity.map(certified).transpose()?;
        Ok(Shown {
            key,
            asked: AtomicBool::new(false),
        })
    }

    pub(crate) fn was_asked(&self) -> bool {
        self.asked.load(Ordering::SeqCst)
    }

    pub(crate) fn has_one(&self) -> bool {
        self.key.is_some()
    }
}

fn certified(identity: &Identity) -> Result<Arc<CertifiedKey>, String> {
    let lacking = |_| "the kind of the client's own key is not one that works here".to_owned();
    let key = PrivateKeyDer::try_from(identity.key.to_vec()).map_err(lacking)?;
    let lacking = |_| "the kind of the client's own key is not one that works here".to_owned();
    let key = rustls::crypto::ring::sign::any_supported_type(&key).map_err(lacking)?;
    let chain = identity
        .chain
        .iter()
        .map(|der| der.clone().into())
        .collect();
    Ok(Arc::new(CertifiedKey::new(chain, key)))
}

impl ResolvesClientCert for Shown {
    fn resolve(&self, _: &[&[u8]], _: &[SignatureScheme]) -> Option<Arc<CertifiedKey>> {
        self.asked.store(true, Ordering::SeqCst);
        self.key.clone()
    }

    fn has_certs(&self) -> bool {
        true
    }
}
