//! Proofs and locks of bundles: which private key belongs to which public one, by ring;
//! keystores and locked keys, by the packages for them.

use chronaxis_bundle::key::{self, Belongs};
use chronaxis_bundle::tools::{Opened, Shut, Tools};
use chronaxis_model::certificate;
use chronaxis_model::secret::Secret;
use p12_keystore::Pkcs12Archive;
use p12_keystore::error::Error as KeystoreError;
use pkcs8::EncryptedPrivateKeyInfoRef;
use pkcs8::pkcs5::EncryptionScheme;
use pkcs8::pkcs5::pbes2::Kdf;
use ring::rand::SystemRandom;
use ring::signature::{
    ECDSA_P256_SHA256_ASN1_SIGNING, ECDSA_P384_SHA384_ASN1_SIGNING, EcdsaKeyPair, Ed25519KeyPair,
};
use zeroize::Zeroizing;

use crate::{ByRing, old_locks};

/// Most rounds of a key derivation (RFC 8018, section 4.2): what is set up with more would
/// hold a machine for many seconds.
const MOST_ROUNDS: u32 = 5_000_000;

/// Most memory of scrypt (RFC 7914, section 6), in bytes.
const MOST_MEMORY: u64 = 64 * 1024 * 1024;

impl Tools for ByRing {
    fn belongs(&self, curve: &str, private: &[u8], public: &[u8]) -> Option<bool> {
        let algorithm = match curve {
            "P-256" => &ECDSA_P256_SHA256_ASN1_SIGNING,
            "P-384" => &ECDSA_P384_SHA384_ASN1_SIGNING,
            "Ed25519" => {
                return Some(Ed25519KeyPair::from_seed_and_public_key(private, public).is_ok());
            }
            _ => return None,
        };
        // The library takes points that are written in full.
        if public.first() != Some(&4) {
            return None;
        }
        let random = SystemRandom::new();
        let pair =
            EcdsaKeyPair::from_private_key_and_public_key(algorithm, private, public, &random);
        Some(pair.is_ok())
    }

    fn open_keystore(&self, der: &[u8], passphrase: &Secret) -> Result<Opened, Shut> {
        let archive = Pkcs12Archive::from_pkcs12(der, passphrase.expose());
        let archive = archive.map_err(|error| match error {
            KeystoreError::MacError(_) | KeystoreError::UnpadError => Shut::Passphrase,
            KeystoreError::Pkcs5Error(_) | KeystoreError::InvalidData => Shut::Passphrase,
            KeystoreError::UnsupportedContentType
            | KeystoreError::UnsupportedCertificateType
            | KeystoreError::UnsupportedEncryptionScheme
            | KeystoreError::UnsupportedMacAlgorithm
            | KeystoreError::InvalidParameters
            | KeystoreError::InvalidVersion => Shut::Unknown,
            _ => Shut::Damaged,
        })?;
        let keys = archive.keys.into_iter();
        let certificates = archive.certs.into_iter();
        Ok(Opened {
            keys: keys
                .map(|bag| (bag.friendly_name, Zeroizing::new(bag.key.as_der().to_vec())))
                .collect(),
            certificates: certificates
                .map(|bag| (bag.friendly_name, bag.cert.as_der().to_vec()))
                .collect(),
        })
    }

    fn open_old_key(
        &self,
        lock: &str,
        body: &[u8],
        passphrase: &Secret,
    ) -> Result<Zeroizing<Vec<u8>>, Shut> {
        old_locks::open(lock, body, passphrase.expose())
    }

    fn open_key(&self, der: &[u8], passphrase: &Secret) -> Result<Zeroizing<Vec<u8>>, Shut> {
        let locked = EncryptedPrivateKeyInfoRef::try_from(der).map_err(|_| Shut::Unknown)?;
        if !is_bounded(&locked.encryption_algorithm) {
            return Err(Shut::Unknown);
        }
        let opened = locked.decrypt(passphrase.expose().as_bytes());
        // What a wrong passphrase makes of it is noise, and no key.
        let opened = opened.map_err(|_| Shut::Passphrase)?;
        Ok(Zeroizing::new(opened.as_bytes().to_vec()))
    }
}

/// Whether a private key belongs to a certificate, both in DER; nothing where that cannot be told.
pub fn belongs(certificate: &[u8], private: &[u8]) -> Option<bool> {
    let certificate = certificate::read(certificate).ok()?;
    let private = key::read(private).ok()?;
    match private.belongs_to(&certificate, &ByRing) {
        Belongs::Yes => Some(true),
        Belongs::No => Some(false),
        Belongs::Unknown => None,
    }
}

/// Whether a lock can be opened with a bounded effort.
fn is_bounded(scheme: &EncryptionScheme) -> bool {
    let Some(parameters) = scheme.pbes2() else {
        return false;
    };
    match &parameters.kdf {
        Kdf::Pbkdf2(pbkdf2) => pbkdf2.iteration_count <= MOST_ROUNDS,
        Kdf::Scrypt(scrypt) => {
            let block = 128 * u64::from(scrypt.block_size);
            block.saturating_mul(scrypt.cost_parameter) <= MOST_MEMORY
        }
        _ => false,
    }
}
