//! The method `parsec` of MariaDB 11.6 and later: a signature by a key that is derived from
//! the password (MariaDB documentation, "Authentication Plugin - PARSEC"; PBKDF2 of RFC 8018,
//! Ed25519 of RFC 8032). The server sends 32 random bytes; asked with an empty packet it tells
//! how the key is derived; the client answers with 32 random bytes of its own and a signature
//! over both.

use ed25519_dalek::{Signature, Signer as _, SigningKey, Verifier as _};
use sha2::Sha512;

use chronaxis_model::permit::Salted;

/// Most that is computed: 2 to the power of 18 rounds. Servers ask for 1,024 to 8,192; one that
/// asks for more than this would hold the client up for as long as it likes.
pub const MOST_FACTOR: u8 = 8;

/// Rounds of the smallest factor, 0.
const LEAST_ROUNDS: u32 = 1024;

/// Longest salt that is taken, in bytes; MariaDB's has 18.
const LONGEST_SALT: usize = 64;

/// How the key is derived from the password.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct KeyRule {
    rounds: u32,
    salt: Vec<u8>,
}

/// What is wrong with the server's rule.
#[derive(Debug, PartialEq, Eq)]
pub enum Refused {
    /// It is none.
    Malformed,
    /// It asks for more rounds than are computed: the factor.
    TooCostly(u8),
}

impl KeyRule {
    /// Reads the packet that tells it: the mark of a packet within a sign-in where there is
    /// one, `P` for PBKDF2, the factor, the salt.
    ///
    /// # Errors
    /// Says whether it is malformed or costs too much.
    pub fn read(body: &[u8]) -> Result<KeyRule, Refused> {
        let body = body.strip_prefix(&[1]).unwrap_or(body);
        match body {
            [b'P', factor, _, ..] if *factor > MOST_FACTOR => Err(Refused::TooCostly(*factor)),
            [b'P', factor, salt @ ..] if (1..=LONGEST_SALT).contains(&salt.len()) => Ok(KeyRule {
                rounds: LEAST_ROUNDS << factor,
                salt: salt.to_vec(),
            }),
            _ => Err(Refused::Malformed),
        }
    }

    /// How many rounds of hashing it takes.
    pub fn rounds(&self) -> u32 {
        self.rounds
    }

    /// The salt.
    pub fn salt(&self) -> &[u8] {
        &self.salt
    }

    /// Derives the secret key.
    pub fn derive(&self, password: &str) -> Salted {
        let mut key = [0; 32];
        pbkdf2::pbkdf2_hmac::<Sha512>(password.as_bytes(), &self.salt, self.rounds, &mut key);
        Salted {
            salt: self.salt.clone(),
            rounds: self.rounds,
            key,
        }
    }
}

/// The client's answer: its own random bytes, and the signature over the server's and these.
pub fn answer(key: &Salted, server: &[u8], client: &[u8; 32]) -> Vec<u8> {
    let signature = SigningKey::from_bytes(&key.key).sign(&[server, client].concat());
    [client.as_slice(), &signature.to_bytes()].concat()
}

/// The server's half, for the stand-ins: whether an answer was made with this key.
pub fn fits(key: &Salted, server: &[u8], answer: &[u8]) -> bool {
    let Some((client, signature)) = answer.split_at_checked(32) else {
        return false;
    };
    let signed = [server, client].concat();
    let public = SigningKey::from_bytes(&key.key).verifying_key();
    Signature::from_slice(signature).is_ok_and(|s| public.verify(&signed, &s).is_ok())
}

#[cfg(test)]
mod tests {
    use super::*;

    const RULE: &[u8] = b"P\x00osmary-ferries-qy.";

    #[test]
    fn only_the_right_password_fits() {
        let rule = KeyRule::read(RULE).unwrap();
        let marked = [&[1], RULE].concat();
        assert_eq!(
            KeyRule::read(&marked).unwrap(),
            rule,
            "with the mark of a packet"
        );
        let right = rule.derive("lantern-oil-42");
        let made = answer(&right, &[7; 32], &[9; 32]);
        assert_eq!(made.len(), 96);
        assert!(fits(&right, &[7; 32], &made));
        assert!(!fits(&rule.derive("tide-table-9"), &[7; 32], &made));
        assert!(!fits(&right, &[8; 32], &made), "other random bytes");
        for length in 0..made.len() {
            assert!(!fits(&right, &[7; 32], made.get(..length).unwrap()));
        }
    }

    #[test]
    fn a_rule_is_bounded() {
        let costly = KeyRule::read(b"P\x09osmary");
        assert_eq!(costly, Err(Refused::TooCostly(9)));
        let long = [b"P\x00".as_slice(), &[b's'; LONGEST_SALT + 1]].concat();
        for malformed in [
            b"".as_slice(),
            b"\x01",
            b"P",
            b"P\x00",
            b"Q\x00osmary",
            &long,
        ] {
            assert_eq!(KeyRule::read(malformed), Err(Refused::Malformed));
        }
        assert_eq!(KeyRule::read(b"P\x03osmary").unwrap().rounds(), 8192);
    }
}
