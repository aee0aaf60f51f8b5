//! Private keys: what they are, and whether they belong to a certificate. Nothing of them but
//! kind and size is ever shown.

use chronaxis_model::certificate::{Certificate, Key, rsa_key};
use der::Decode;
use der::asn1::ObjectIdentifier;
use pkcs8::PrivateKeyInfoRef;
use sec1::EcPrivateKey;
use x509_parser::prelude::FromDer;
use x509_parser::x509::SubjectPublicKeyInfo;
use zeroize::Zeroizing;

use crate::tools::Tools;

const RSA: ObjectIdentifier = ObjectIdentifier::new_unwrap("1.2.840.113549.1.1.1");
const RSA_PSS: ObjectIdentifier = ObjectIdentifier::new_unwrap("1.2.840.113549.1.1.10");
const EC: ObjectIdentifier = ObjectIdentifier::new_unwrap("1.2.840.10045.2.1");
const ED25519: ObjectIdentifier = ObjectIdentifier::new_unwrap("1.3.101.112");

/// The curves that have a name here (RFC 5480, section 2.1.1.1).
const CURVES: [(ObjectIdentifier, &str); 4] = [
    (ObjectIdentifier::new_unwrap("1.2.840.10045.3.1.7"), "P-256"),
    (ObjectIdentifier::new_unwrap("1.3.132.0.34"), "P-384"),
    (ObjectIdentifier::new_unwrap("1.3.132.0.35"), "P-521"),
    (ObjectIdentifier::new_unwrap("1.3.132.0.10"), "secp256k1"),
];

/// Most bytes of a key: an RSA key of 16,384 bits has under 10 KB.
const LONGEST: usize = 64 * 1024;

/// What of a key tells to which certificate it belongs.
#[derive(Clone, PartialEq, Eq)]
enum Proof {
    /// Modulus and exponent (RFC 8017, section 3.2).
    Rsa(Vec<u8>, Vec<u8>),
    /// The private number; and the public point, where the file carries it.
    Curve(Zeroizing<Vec<u8>>, Option<Vec<u8>>),
    /// Nothing that is known here.
    None,
}

/// A private key.
#[derive(Clone, PartialEq, Eq)]
pub struct PrivateKey {
    /// The whole key, as DER (PKCS #8, PKCS #1 or SEC 1).
    pub der: Zeroizing<Vec<u8>>,
    /// Its kind and size.
    pub kind: Key,
    proof: Proof,
}

impl std::fmt::Debug for PrivateKey {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "PrivateKey({})", self.kind)
    }
}

/// Bytes that are no private key.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct NoKey;

/// Whether a key belongs to a certificate.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Belongs {
    /// It does.
    Yes,
    /// It does not.
    No,
    /// Nobody here can tell.
    Unknown,
}

fn bare(number: &[u8]) -> Vec<u8> {
    let zeros = number.iter().take_while(|b| **b == 0).count();
    number.get(zeros..).unwrap_or_default().to_vec()
}

fn curve(oid: Option<ObjectIdentifier>) -> Option<&'static str> {
    let oid = oid?;
    CURVES.into_iter().find(|(o, _)| *o == oid).map(|(_, n)| n)
}

fn rsa(der: &[u8]) -> Option<(Key, Proof)> {
    let key = pkcs1::RsaPrivateKeyRef::from_der(der).ok()?;
    let modulus = bare(key.modulus.as_bytes());
    let first = modulus.first()?;
    let bits = modulus.len() * 8 - usize::try_from(first.leading_zeros()).unwrap_or(0);
    let proof = Proof::Rsa(modulus, bare(key.public_exponent.as_bytes()));
    Some((Key::Rsa(bits), proof))
}

fn ec(der: &[u8], named: Option<ObjectIdentifier>) -> Option<(Key, Proof)> {
    let key = EcPrivateKey::from_der(der).ok()?;
    let own = key.parameters.and_then(|p| p.named_curve());
    let oid = named.or(own);
    let kind = match (curve(oid), oid) {
        (Some(name), _) => Key::Curve(name),
        (None, Some(oid)) => Key::Other(oid.to_string()),
        (None, None) => Key::Other("an unnamed curve".to_owned()),
    };
    let private = Zeroizing::new(key.private_key.to_vec());
    let public = key.public_key.map(<[u8]>::to_vec);
    Some((kind, Proof::Curve(private, public)))
}

fn pkcs8(der: &[u8]) -> Option<(Key, Proof)> {
    let info = PrivateKeyInfoRef::from_der(der).ok()?;
    let inner = info.private_key.as_bytes();
    Some(match info.algorithm.oid {
        RSA | RSA_PSS => rsa(inner)?,
        EC => {
            let named = info.algorithm.parameters.and_then(|p| p.decode_as().ok());
            ec(inner, named)?
        }
        ED25519 => {
            // An octet string in an octet string (RFC 8410, section 7).
            let [4, 32, seed @ ..] = inner else {
                return None;
            };
            let public = info
                .public_key
                .and_then(|p| p.as_bytes().map(<[u8]>::to_vec));
            let proof = Proof::Curve(Zeroizing::new(seed.to_vec()), public);
            (Key::Curve("Ed25519"), proof)
        }
        other => (Key::Other(other.to_string()), Proof::None),
    })
}

/// Reads a private key (RFC 5958; RFC 8017, appendix A.1.2; RFC 5915).
///
/// # Errors
/// When the bytes are none.
pub fn read(der: &[u8]) -> Result<PrivateKey, NoKey> {
    if der.len() > LONGEST {
        return Err(NoKey);
    }
    let found = pkcs8(der).or_else(|| ec(der, None)).or_else(|| rsa(der));
    let (kind, proof) = found.ok_or(NoKey)?;
    Ok(PrivateKey {
        der: Zeroizing::new(der.to_vec()),
        kind,
        proof,
    })
}

impl PrivateKey {
    /// Whether it belongs to a certificate: by the public key of both.
    pub fn belongs_to(&self, certificate: &Certificate, tools: &dyn Tools) -> Belongs {
        let says = |fits: bool| if fits { Belongs::Yes } else { Belongs::No };
        match (&self.proof, &self.kind) {
            (Proof::Rsa(modulus, exponent), _) => {
                let other = rsa_key(certificate.public_key());
                says(other.is_some_and(|(n, e)| n == *modulus && bare(&e) == *exponent))
            }
            (Proof::Curve(private, public), Key::Curve(name)) => {
                if certificate.key != self.kind {
                    return Belongs::No;
                }
                let Ok((_, spki)) = SubjectPublicKeyInfo::from_der(certificate.public_key()) else {
                    return Belongs::Unknown;
                };
                let point = spki.subject_public_key.data.as_ref();
                match (tools.belongs(name, private, point), public) {
                    (Some(fits), _) => says(fits),
                    (None, Some(own)) => says(own == point),
                    (None, None) => Belongs::Unknown,
                }
            }
            _ if kinds_differ(&self.kind, &certificate.key) => Belongs::No,
            _ => Belongs::Unknown,
        }
    }
}

/// Whether two keys are plainly of different kinds.
fn kinds_differ(one: &Key, other: &Key) -> bool {
    match (one, other) {
        (Key::Other(_), Key::Other(_)) => false,
        _ => one != other,
    }
}
