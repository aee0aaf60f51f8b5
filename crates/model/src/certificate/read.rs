//! One certificate, read (RFC 5280, section 4).

use std::net::IpAddr;

use super::names::{Signatures, Signed};
use x509_parser::certificate::X509Certificate;
use x509_parser::der_parser::oid;
use x509_parser::extensions::{GeneralName, ParsedExtension};
use x509_parser::oid_registry::Oid;
use x509_parser::prelude::FromDer;
use x509_parser::public_key::RSAPublicKey;
use x509_parser::time::ASN1Time;
use x509_parser::x509::{SubjectPublicKeyInfo, X509Name, X509Version};

/// Most bytes of one certificate that are read. Real ones have under 8 KB.
const LONGEST: usize = 64 * 1024;

/// Bytes that are no certificate.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Unreadable;

/// The kind and size of a public key.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Key {
    /// RSA, with the bits of its modulus.
    Rsa(usize),
    /// An elliptic curve, by its name.
    Curve(&'static str),
    /// Something else, by its object identifier.
    Other(String),
}

impl std::fmt::Display for Key {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            Key::Rsa(bits) => write!(f, "RSA {bits}"),
            Key::Curve(name) => f.write_str(name),
            Key::Other(oid) => write!(f, "key type {oid}"),
        }
    }
}

/// What matters of a certificate here.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Certificate {
    /// Its subject, in words.
    pub subject: String,
    /// Its issuer, in words.
    pub issuer: String,
    /// The common name of its subject.
    pub common_name: Option<String>,
    /// The organisation of its subject, and of its issuer.
    pub organisations: (Option<String>, Option<String>),
    /// The DNS names that it is for.
    pub dns_names: Vec<String>,
    /// The addresses that it is for.
    pub addresses: Vec<IpAddr>,
    /// Valid from this second (Unix time).
    pub not_before: i64,
    /// Valid up to this second (Unix time).
    pub not_after: i64,
    /// Its key.
    pub key: Key,
    /// How it was signed, in words.
    pub signed_by: String,
    /// Version 1 to 3.
    pub version: u32,
    /// Whether it says that it is an authority, and how many may stand below it.
    pub authority: Option<(bool, Option<u32>)>,
    /// Whether its key may sign certificates; none where it does not say.
    pub may_sign: Option<bool>,
    /// Its serial number, in hexadecimal.
    pub serial: String,
    /// Whether it is for clients; none where it does not say for what it is.
    pub for_clients: Option<bool>,
    /// Whether it is for servers; none where it does not say for what it is.
    pub for_servers: Option<bool>,
    /// Critical extensions that nobody here knows.
    pub unknown_critical: bool,
    /// Whether it limits the names below it.
    pub limits_names: bool,
    /// Whether it says where its issuer's certificate can be downloaded.
    pub names_issuer_place: bool,
    /// The raw names and identifiers, for building a chain.
    pub(super) raw: Raw,
}

/// The raw parts.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) struct Raw {
    pub(super) whole: Vec<u8>,
    pub(super) subject: Vec<u8>,
    pub(super) issuer: Vec<u8>,
    pub(super) key_id: Option<Vec<u8>>,
    pub(super) issuer_key_id: Option<Vec<u8>>,
    pub(super) public_key: Vec<u8>,
    pub(super) signed_part: Vec<u8>,
    pub(super) algorithm: Vec<u8>,
    pub(super) signature: Vec<u8>,
}

impl Certificate {
    /// Whether it names itself as its issuer.
    pub fn is_self_issued(&self) -> bool {
        self.raw.subject == self.raw.issuer
    }

    /// Whether this issuer signed it, as far as names and key identifiers leave that open
    /// (RFC 5280, section 6.1); nothing where they do not.
    pub fn is_signed_by(
        &self,
        issuer: &Certificate,
        signatures: &dyn Signatures,
    ) -> Option<Signed> {
        let (own, its) = (&self.raw, &issuer.raw);
        let ids = own.issuer_key_id.as_ref().zip(its.key_id.as_ref());
        if own.issuer != its.subject || ids.is_some_and(|(a, b)| a != b) {
            return None;
        }
        let message = (own.signed_part.as_slice(), own.signature.as_slice());
        Some(signatures.check(&its.public_key, &own.algorithm, message.0, message.1))
    }

    /// The whole certificate, as DER.
    pub fn der(&self) -> &[u8] {
        &self.raw.whole
    }

    /// The key, as a DER SubjectPublicKeyInfo.
    pub fn public_key(&self) -> &[u8] {
        &self.raw.public_key
    }
}

/// Modulus and exponent of an RSA key, from its DER SubjectPublicKeyInfo.
pub fn rsa_key(der: &[u8]) -> Option<(Vec<u8>, Vec<u8>)> {
    let (_, key) = SubjectPublicKeyInfo::from_der(der).ok()?;
    let rsa = rsa(&key)?;
    let zeros = rsa.modulus.iter().take_while(|b| **b == 0).count();
    let modulus = rsa.modulus.get(zeros..)?.to_vec();
    Some((modulus, rsa.exponent.to_vec()))
}

/// The RSA key of a public key: those for signatures by RSASSA-PSS alone are RSA keys too (RFC
/// 4055, section 1.2).
fn rsa<'a>(key: &'a SubjectPublicKeyInfo<'_>) -> Option<RSAPublicKey<'a>> {
    let rsa = oid!(1.2.840.113549.1.1.1);
    let pss = oid!(1.2.840.113549.1.1.10);
    let algorithm = &key.algorithm.algorithm;
    (*algorithm == rsa || *algorithm == pss).then_some(())?;
    let (_, found) = RSAPublicKey::from_der(&key.subject_public_key.data).ok()?;
    Some(found)
}

/// Seconds of a day.
const DAY: i64 = 86_400;

impl Certificate {
    /// Since when it is past its last day, in words; nothing where it is not. `now` in seconds of
    /// Unix time.
    pub fn past(&self, now: i64) -> Option<String> {
        let ago = now.checked_sub(self.not_after).filter(|ago| *ago > 0)? / DAY;
        Some(format!(
            "expired on {}, {ago} days ago",
            day(self.not_after)
        ))
    }
}

/// A day, as people write it: `2026-11-23`.
pub fn day(seconds: i64) -> String {
    match ASN1Time::from_timestamp(seconds) {
        Ok(time) => {
            let date = time.to_datetime().date();
            format!(
                "{:04}-{:02}-{:02}",
                date.year(),
                u8::from(date.month()),
                date.day()
            )
        }
        Err(_) => "a day out of reach".to_owned(),
    }
}

/// Reads one certificate.
///
/// # Errors
/// When the bytes are none.
pub fn read(der: &[u8]) -> Result<Certificate, Unreadable> {
    if der.len() > LONGEST {
        return Err(Unreadable);
    }
    let (rest, parsed) = X509Certificate::from_der(der).map_err(|_| Unreadable)?;
    if !rest.is_empty() {
        return Err(Unreadable);
    }
    let mut out = Certificate {
        subject: parsed.subject().to_string(),
        issuer: parsed.issuer().to_string(),
        common_name: parsed
            .subject()
            .iter_common_name()
            .last()
            .and_then(|n| n.as_str().ok())
            .map(str::to_owned),
        organisations: (
            organisation(parsed.subject()),
            organisation(parsed.issuer()),
        ),
        dns_names: Vec::new(),
        addresses: Vec::new(),
        not_before: parsed.validity().not_before.timestamp(),
        not_after: parsed.validity().not_after.timestamp(),
        key: key(parsed.public_key()),
        signed_by: signed_by(&parsed.signature_algorithm.algorithm),
        version: match parsed.version() {
            X509Version::V1 => 1,
            X509Version::V2 => 2,
            _ => 3,
        },
        authority: None,
        may_sign: None,
        serial: parsed
            .tbs_certificate
            .raw_serial_as_string()
            .replace(':', ""),
        for_clients: None,
        for_servers: None,
        unknown_critical: false,
        limits_names: false,
        names_issuer_place: false,
        raw: Raw {
            whole: der.to_vec(),
            subject: parsed.subject().as_raw().to_vec(),
            issuer: parsed.issuer().as_raw().to_vec(),
            key_id: None,
            issuer_key_id: None,
            public_key: parsed.public_key().raw.to_vec(),
            signed_part: parsed.tbs_certificate.as_ref().to_vec(),
            algorithm: algorithm_of(parsed.tbs_certificate.as_ref(), der),
            signature: parsed.signature_value.data.to_vec(),
        },
    };
    for extension in parsed.extensions() {
        out.take(extension.parsed_extension(), extension.critical);
    }
    Ok(out)
}

/// The DER AlgorithmIdentifier that stands between the signed part and the signature
/// (RFC 5280, section 4.1).
fn algorithm_of(signed_part: &[u8], whole: &[u8]) -> Vec<u8> {
    let header = whole.len().min(4);
    let from = (0..=header).find(|at| whole.get(*at..).is_some_and(|w| w.starts_with(signed_part)));
    let after = from.and_then(|at| whole.get(at + signed_part.len()..));
    let Some([0x30, length, rest @ ..]) = after else {
        return Vec::new();
    };
    let end = 2 + usize::from(*length);
    // A short form is all that any algorithm of use needs.
    match rest.len() + 2 >= end && *length < 0x80 {
        true => after
            .and_then(|a| a.get(..end))
            .unwrap_or_default()
            .to_vec(),
        false => Vec::new(),
    }
}

impl Certificate {
    fn take(&mut self, extension: &ParsedExtension<'_>, critical: bool) {
        match extension {
            ParsedExtension::BasicConstraints(found) => {
                self.authority = Some((found.ca, found.path_len_constraint));
            }
            ParsedExtension::KeyUsage(found) => self.may_sign = Some(found.key_cert_sign()),
            ParsedExtension::ExtendedKeyUsage(found) => {
                self.for_servers = Some(found.any || found.server_auth);
                self.for_clients = Some(found.any || found.client_auth);
            }
            ParsedExtension::SubjectAlternativeName(found) => {
                for name in &found.general_names {
                    match name {
                        GeneralName::DNSName(text) => self.dns_names.push((*text).to_owned()),
                        GeneralName::IPAddress(bytes) => self.addresses.extend(address(bytes)),
                        _ => {}
                    }
                }
            }
            ParsedExtension::SubjectKeyIdentifier(id) => self.raw.key_id = Some(id.0.to_vec()),
            ParsedExtension::AuthorityKeyIdentifier(id) => {
                self.raw.issuer_key_id = id.key_identifier.as_ref().map(|i| i.0.to_vec());
            }
            ParsedExtension::NameConstraints(_) => self.limits_names = true,
            ParsedExtension::AuthorityInfoAccess(found) => {
                let issuers = oid!(1.3.6.1.5.5.7.48.2);
                self.names_issuer_place =
                    found.accessdescs.iter().any(|d| d.access_method == issuers);
            }
            ParsedExtension::UnsupportedExtension { .. } | ParsedExtension::Unparsed
                if critical =>
            {
                self.unknown_critical = true;
            }
            ParsedExtension::ParseError { .. } if critical => self.unknown_critical = true,
            _ => {}
        }
    }
}

fn organisation(name: &X509Name<'_>) -> Option<String> {
    let found = name.iter_organization().next()?.as_str().ok()?;
    Some(found.to_owned())
}

fn address(bytes: &[u8]) -> Option<IpAddr> {
    if let Ok(four) = <[u8; 4]>::try_from(bytes) {
        return Some(four.into());
    }
    <[u8; 16]>::try_from(bytes).ok().map(IpAddr::from)
}

/// The curve named in a key's parameters (RFC 5480, section 2.1.1.1).
fn curve(key: &SubjectPublicKeyInfo<'_>) -> Option<&'static str> {
    let named = key.algorithm.parameters.as_ref()?.as_oid().ok()?;
    let known: [(Oid<'_>, &'static str); 4] = [
        (oid!(1.2.840.10045.3.1.7), "P-256"),
        (oid!(1.3.132.0.34), "P-384"),
        (oid!(1.3.132.0.35), "P-521"),
        (oid!(1.3.132.0.10), "secp256k1"),
    ];
    known
        .into_iter()
        .find(|(oid, _)| *oid == named)
        .map(|(_, name)| name)
}

fn key(key: &SubjectPublicKeyInfo<'_>) -> Key {
    let algorithm = &key.algorithm.algorithm;
    if *algorithm == oid!(1.3.101.112) {
        return Key::Curve("Ed25519");
    }
    if *algorithm == oid!(1.3.101.113) {
        return Key::Curve("Ed448");
    }
    match (rsa(key), curve(key)) {
        (Some(rsa), _) => Key::Rsa(rsa.key_size()),
        (None, Some(name)) => Key::Curve(name),
        (None, None) => Key::Other(algorithm.to_id_string()),
    }
}

fn signed_by(algorithm: &Oid<'_>) -> String {
    let known: [(Oid<'_>, &str); 11] = [
        (oid!(1.2.840.113549.1.1.4), "RSA with MD5"),
        (oid!(1.2.840.113549.1.1.5), "RSA with SHA-1"),
        (oid!(1.2.840.113549.1.1.10), "RSASSA-PSS"),
        (oid!(1.2.840.113549.1.1.11), "RSA with SHA-256"),
        (oid!(1.2.840.113549.1.1.12), "RSA with SHA-384"),
        (oid!(1.2.840.113549.1.1.13), "RSA with SHA-512"),
        (oid!(1.2.840.10045.4.1), "ECDSA with SHA-1"),
        (oid!(1.2.840.10045.4.3.2), "ECDSA with SHA-256"),
        (oid!(1.2.840.10045.4.3.3), "ECDSA with SHA-384"),
        (oid!(1.2.840.10045.4.3.4), "ECDSA with SHA-512"),
        (oid!(1.3.101.112), "Ed25519"),
    ];
    known
        .into_iter()
        .find(|(oid, _)| oid == algorithm)
        .map_or_else(|| algorithm.to_id_string(), |(_, name)| name.to_owned())
}
