//! Checking signatures, with ring.

use chronaxis_model::certificate::{Signatures, Signed};
use ring::signature as by;
use ring::signature::VerificationAlgorithm;
use rustls::SignatureScheme;
use x509_parser::oid_registry::{
    OID_EC_P256, OID_NIST_EC_P384, OID_PKCS1_SHA1WITHRSA, OID_PKCS1_SHA256WITHRSA,
    OID_PKCS1_SHA384WITHRSA, OID_PKCS1_SHA512WITHRSA, OID_SIG_ECDSA_WITH_SHA256,
    OID_SIG_ECDSA_WITH_SHA384, OID_SIG_ED25519,
};
use x509_parser::prelude::FromDer;
use x509_parser::public_key::PublicKey;
use x509_parser::signature_algorithm::SignatureAlgorithm;
use x509_parser::x509::{AlgorithmIdentifier, SubjectPublicKeyInfo};

/// Signatures by the algorithms that ring has.
#[derive(Clone, Copy, Debug, Default)]
pub struct ByRing;

type Algorithm = &'static dyn VerificationAlgorithm;

impl Signatures for ByRing {
    fn check(&self, issuer: &[u8], algorithm: &[u8], message: &[u8], signature: &[u8]) -> Signed {
        let Ok((_, key)) = SubjectPublicKeyInfo::from_der(issuer) else {
            return Signed::CannotTell;
        };
        match of_certificate(&key, algorithm) {
            Some(algorithm) => with(algorithm, &key, message, signature),
            None => Signed::CannotTell,
        }
    }
}

/// Checks the signature of a handshake (RFC 8446, section 4.4.3).
pub(crate) fn of_handshake(
    key: &[u8],
    scheme: SignatureScheme,
    message: &[u8],
    signature: &[u8],
) -> Signed {
    let Ok((_, key)) = SubjectPublicKeyInfo::from_der(key) else {
        return Signed::CannotTell;
    };
    let small = is_small(&key);
    let algorithm: Algorithm = match scheme {
        SignatureScheme::RSA_PKCS1_SHA1 => &by::RSA_PKCS1_1024_8192_SHA1_FOR_LEGACY_USE_ONLY,
        SignatureScheme::RSA_PKCS1_SHA256 => &by::RSA_PKCS1_1024_8192_SHA256_FOR_LEGACY_USE_ONLY,
        SignatureScheme::RSA_PKCS1_SHA384 if !small => &by::RSA_PKCS1_2048_8192_SHA384,
        SignatureScheme::RSA_PKCS1_SHA512 => &by::RSA_PKCS1_1024_8192_SHA512_FOR_LEGACY_USE_ONLY,
        SignatureScheme::RSA_PSS_SHA256 if !small => &by::RSA_PSS_2048_8192_SHA256,
        SignatureScheme::RSA_PSS_SHA384 if !small => &by::RSA_PSS_2048_8192_SHA384,
        SignatureScheme::RSA_PSS_SHA512 if !small => &by::RSA_PSS_2048_8192_SHA512,
        SignatureScheme::ED25519 => &by::ED25519,
        SignatureScheme::ECDSA_NISTP256_SHA256 | SignatureScheme::ECDSA_NISTP384_SHA384 => {
            let sha384 = scheme == SignatureScheme::ECDSA_NISTP384_SHA384;
            match on_curve(&key, sha384) {
                Some(algorithm) => algorithm,
                None => return Signed::CannotTell,
            }
        }
        _ => return Signed::CannotTell,
    };
    with(algorithm, &key, message, signature)
}

/// Whether an RSA key is under 2048 bits: ring checks only some signatures of these.
fn is_small(key: &SubjectPublicKeyInfo<'_>) -> bool {
    matches!(key.parsed(), Ok(PublicKey::RSA(rsa)) if rsa.key_size() < 2048)
}

fn of_certificate(key: &SubjectPublicKeyInfo<'_>, algorithm: &[u8]) -> Option<Algorithm> {
    let (_, algorithm) = AlgorithmIdentifier::from_der(algorithm).ok()?;
    let oid = &algorithm.algorithm;
    let small = is_small(key);
    if *oid == OID_PKCS1_SHA1WITHRSA {
        Some(&by::RSA_PKCS1_1024_8192_SHA1_FOR_LEGACY_USE_ONLY)
    } else if *oid == OID_PKCS1_SHA256WITHRSA {
        Some(&by::RSA_PKCS1_1024_8192_SHA256_FOR_LEGACY_USE_ONLY)
    } else if *oid == OID_PKCS1_SHA512WITHRSA {
        Some(&by::RSA_PKCS1_1024_8192_SHA512_FOR_LEGACY_USE_ONLY)
    } else if *oid == OID_PKCS1_SHA384WITHRSA && !small {
        Some(&by::RSA_PKCS1_2048_8192_SHA384)
    } else if *oid == OID_SIG_ECDSA_WITH_SHA256 {
        on_curve(key, false)
    } else if *oid == OID_SIG_ECDSA_WITH_SHA384 {
        on_curve(key, true)
    } else if *oid == OID_SIG_ED25519 {
        Some(&by::ED25519)
    } else {
        let Ok(SignatureAlgorithm::RSASSA_PSS(how)) = SignatureAlgorithm::try_from(&algorithm)
        else {
            return None;
        };
        match (how.hash_algorithm_oid().to_id_string().as_str(), small) {
            ("2.16.840.1.101.3.4.2.1", false) => Some(&by::RSA_PSS_2048_8192_SHA256),
            ("2.16.840.1.101.3.4.2.2", false) => Some(&by::RSA_PSS_2048_8192_SHA384),
            ("2.16.840.1.101.3.4.2.3", false) => Some(&by::RSA_PSS_2048_8192_SHA512),
            _ => None,
        }
    }
}

fn on_curve(key: &SubjectPublicKeyInfo<'_>, sha384: bool) -> Option<Algorithm> {
    let curve = key.algorithm.parameters.as_ref()?.as_oid().ok()?;
    if curve == OID_EC_P256 {
        return Some(if sha384 {
            &by::ECDSA_P256_SHA384_ASN1
        } else {
            &by::ECDSA_P256_SHA256_ASN1
        });
    }
    if curve == OID_NIST_EC_P384 {
        return Some(if sha384 {
            &by::ECDSA_P384_SHA384_ASN1
        } else {
            &by::ECDSA_P384_SHA256_ASN1
        });
    }
    None
}

fn with(
    algorithm: Algorithm,
    key: &SubjectPublicKeyInfo<'_>,
    message: &[u8],
    signature: &[u8],
) -> Signed {
    let key = by::UnparsedPublicKey::new(algorithm, key.subject_public_key.data.as_ref());
    match key.verify(message, signature) {
        Ok(()) => Signed::Fits,
        Err(_) => Signed::DoesNot,
    }
}
