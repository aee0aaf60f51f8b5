//! The sign-in methods: what each answers to the server's random bytes.

use base64::Engine as _;
use base64::engine::general_purpose::STANDARD;
use ed25519_dalek::hazmat::{ExpandedSecretKey, raw_sign};
use ed25519_dalek::{Signature, Verifier as _, VerifyingKey};
use num_bigint::BigUint;
use sha1::Sha1;
use sha2::{Digest, Sha256, Sha512};

use chronaxis_model::target::ClientId;

/// A method that this program has.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Method {
    /// SHA-1 twice, and the random bytes.
    Native,
    /// SHA-256 twice, and the random bytes; where the server remembers nothing, the
    /// password itself, protected.
    CachingSha2,
    /// The password itself, protected.
    Sha256,
    /// A signature (MariaDB).
    Ed25519,
    /// A signature by a derived key (MariaDB 11.6 and later).
    Parsec,
    /// The password itself, for a directory or module of the server's.
    Clear,
}

const NAMES: &[(Method, &str)] = &[
    (Method::Native, "mysql_native_password"),
    (Method::CachingSha2, "caching_sha2_password"),
    (Method::Sha256, "sha256_password"),
    (Method::Ed25519, "client_ed25519"),
    (Method::Parsec, "parsec"),
    (Method::Clear, "mysql_clear_password"),
];

/// Methods that some clients have and this program has not.
const BEYOND: &[&str] = &[
    "dialog",
    "auth_gssapi_client",
    "authentication_ldap_sasl_client",
    "authentication_kerberos_client",
    "authentication_oci_client",
    "authentication_webauthn_client",
    "authentication_openid_connect_client",
    "authentication_windows_client",
];

impl Method {
    /// The method of this name.
    pub fn named(name: &[u8]) -> Option<Method> {
        let found = NAMES.iter().find(|(_, known)| known.as_bytes() == name);
        found.map(|(method, _)| *method)
    }

    /// Its name.
    pub fn name(self) -> &'static str {
        NAMES
            .iter()
            .find(|(method, _)| *method == self)
            .map_or("", |(_, name)| name)
    }

    /// Whether a client answers with it before the server has asked for it.
    pub fn answers_at_once(self) -> bool {
        matches!(self, Method::Native | Method::CachingSha2)
    }

    /// Whether a client has it (each client's documentation).
    pub fn is_of(self, client: ClientId) -> bool {
        match self {
            Method::Ed25519 => matches!(
                client,
                ClientId::Libmariadb
                    | ClientId::MariadbJava
                    | ClientId::MariadbNode
                    | ClientId::Pymysql
                    | ClientId::GoMysql
            ),
            Method::Parsec => since(client, "parsec").is_some(),
            Method::Sha256 | Method::CachingSha2 => true,
            Method::Native | Method::Clear => true,
        }
    }

    /// Whether a client sends the password in clear over an encrypted line without being
    /// told to: MySQL's own library and PHP's want that said.
    pub fn clear_is_ready_in(client: ClientId) -> bool {
        !matches!(
            client,
            ClientId::Libmysqlclient | ClientId::Mysqlnd | ClientId::NodeMysql | ClientId::GoMysql
        )
    }

    /// Whether a client fetches the server's public key over a plain line by itself.
    pub fn fetches_key(client: ClientId) -> bool {
        matches!(
            client,
            ClientId::Libmariadb
                | ClientId::Pymysql
                | ClientId::Mysqlnd
                | ClientId::NodeMysql
                | ClientId::GoMysql
        )
    }
}

/// Whether a client takes part in sign-ins of several factors (MySQL documentation,
/// "Multifactor Authentication": its own libraries from 8.0.27 on).
pub fn has_several_factors(client: ClientId) -> bool {
    matches!(client, ClientId::Libmysqlclient | ClientId::ConnectorJ)
}

/// From which version on a client has a method that older ones of it lack.
pub fn since(client: ClientId, method: &str) -> Option<&'static str> {
    match (client, method) {
        (ClientId::Libmariadb, "parsec") => Some("3.4"),
        (ClientId::MariadbJava, "parsec") => Some("3.5"),
        (ClientId::MariadbNode, "parsec") => Some("3.4"),
        _ => None,
    }
}

/// Whether some client has a method of this name, though this program has not.
pub fn is_beyond(name: &[u8]) -> bool {
    BEYOND.iter().any(|known| known.as_bytes() == name)
}

/// `mysql_native_password`: SHA1(password) xor SHA1(random + SHA1(SHA1(password))).
pub fn native(password: &str, scramble: &[u8]) -> Vec<u8> {
    if password.is_empty() {
        return Vec::new();
    }
    let first = Sha1::digest(password);
    let second = Sha1::digest(first);
    let mask = Sha1::new()
        .chain_update(scramble)
        .chain_update(second)
        .finalize();
    first.iter().zip(mask).map(|(a, b)| a ^ b).collect()
}

/// `caching_sha2_password`, the fast way: SHA256(password) xor
/// SHA256(SHA256(SHA256(password)) + random).
pub fn caching_sha2(password: &str, scramble: &[u8]) -> Vec<u8> {
    if password.is_empty() {
        return Vec::new();
    }
    let first = Sha256::digest(password);
    let second = Sha256::digest(first);
    let mask = Sha256::new()
        .chain_update(second)
        .chain_update(scramble)
        .finalize();
    first.iter().zip(mask).map(|(a, b)| a ^ b).collect()
}

/// The random bytes of a request for another method. Behind most of them stands a zero that
/// is none of them; those for a signature are 32, and the last may be zero itself (once in
/// 256 sign-ins).
pub fn random_bytes(method: Method, data: &[u8]) -> &[u8] {
    match method {
        Method::Ed25519 | Method::Parsec => data.get(..32).unwrap_or(data),
        _ => data.strip_suffix(&[0]).unwrap_or(data),
    }
}

/// MariaDB's ed25519: the password's SHA-512 is taken as the expanded secret key
/// (MariaDB documentation, "Authentication Plugin - ed25519").
pub fn ed25519(password: &str, scramble: &[u8]) -> Vec<u8> {
    let key = expanded(password);
    let public = VerifyingKey::from(&key);
    raw_sign::<ed25519_dalek::Sha512>(&key, scramble, &public)
        .to_bytes()
        .to_vec()
}

/// The server's half, for the stand-ins: whether a signature was made with the password.
pub fn ed25519_fits(password: &str, scramble: &[u8], answer: &[u8]) -> bool {
    let public = VerifyingKey::from(&expanded(password));
    Signature::from_slice(answer).is_ok_and(|s| public.verify(scramble, &s).is_ok())
}

fn expanded(password: &str) -> ExpandedSecretKey {
    ExpandedSecretKey::from_bytes(&Sha512::digest(password).into())
}

/// The password with a zero byte behind it, as it goes over a protected line.
pub fn in_clear(password: &str) -> Vec<u8> {
    let mut out = password.as_bytes().to_vec();
    out.push(0);
    out
}

/// The password for the server's public key (a PEM text): xor with the random bytes, then
/// RSAES-OAEP with SHA-1 (RFC 8017, section 7.1). The seed of the padding must
/// be random and secret. None where the key is none, or the password too long for it.
pub fn for_key(password: &str, scramble: &[u8], pem: &[u8], seed: [u8; 20]) -> Option<Vec<u8>> {
    let (modulus, exponent) = public_key(pem)?;
    let hidden: Vec<u8> = in_clear(password)
        .iter()
        .zip(scramble.iter().cycle())
        .map(|(a, b)| a ^ b)
        .collect();
    let size = modulus.len();
    let room = size.checked_sub(2 * 20 + 2)?;
    let padding = room.checked_sub(hidden.len())?;
    let mut block = Sha1::digest(b"").to_vec();
    block.extend(std::iter::repeat_n(0, padding));
    block.push(1);
    block.extend(hidden);
    let mut mask_seed = seed;
    mix(&mut block, &mask_seed);
    let masked = block.clone();
    mix(&mut mask_seed, &masked);
    let mut whole = vec![0];
    whole.extend(mask_seed);
    whole.extend(block);
    let number = BigUint::from_bytes_be(&whole);
    let sealed = number
        .modpow(
            &BigUint::from_bytes_be(&exponent),
            &BigUint::from_bytes_be(&modulus),
        )
        .to_bytes_be();
    let mut out = vec![0; size.checked_sub(sealed.len())?];
    out.extend(sealed);
    Some(out)
}

/// Mixes the mask that is generated from a seed into bytes (RFC 8017, appendix B.2.1).
fn mix(bytes: &mut [u8], seed: &[u8]) {
    let blocks = (0u32..).flat_map(|counter| {
        let hash = Sha1::new()
            .chain_update(seed)
            .chain_update(counter.to_be_bytes());
        <[u8; 20]>::from(hash.finalize())
    });
    for (byte, mask) in bytes.iter_mut().zip(blocks) {
        *byte ^= mask;
    }
}

/// Longest modulus of a server's key, in bytes: 16,384 bits. A longer one would hold this
/// program up for as long as the server likes.
const LONGEST_MODULUS: usize = 2048;

/// Longest exponent, in bytes: longer ones are of no use, and slow.
const LONGEST_EXPONENT: usize = 8;

/// Longest PEM text of a key within these bounds.
const LONGEST_PEM: usize = 8 * 1024;

/// Modulus and exponent of a public RSA key in PEM (RFC 7468, section 13); none where it
/// is over the bounds.
fn public_key(pem: &[u8]) -> Option<(Vec<u8>, Vec<u8>)> {
    let text = std::str::from_utf8(pem.get(..LONGEST_PEM).unwrap_or(pem)).ok()?;
    let body: String = text
        .lines()
        .filter(|line| !line.starts_with("-----"))
        .map(str::trim)
        .collect();
    let der = STANDARD.decode(body.trim_end_matches('\0')).ok()?;
    chronaxis_model::certificate::rsa_key(&der).filter(|(modulus, exponent)| {
        modulus.len() <= LONGEST_MODULUS && exponent.len() <= LONGEST_EXPONENT
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_zero_at_the_end_may_be_one_of_the_random_bytes() {
        let mut data = vec![7; 31];
        data.push(0);
        assert_eq!(random_bytes(Method::Ed25519, &data), data);
        let with_end = [data.as_slice(), &[0]].concat();
        assert_eq!(random_bytes(Method::Ed25519, &with_end), data);
        let native = [[9; 20].as_slice(), &[0]].concat();
        assert_eq!(random_bytes(Method::Native, &native), [9; 20]);
    }
}
