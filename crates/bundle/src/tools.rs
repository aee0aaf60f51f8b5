//! What the edge hands in: proofs and keystores.

use chronaxis_model::certificate::Signatures;
use chronaxis_model::secret::Secret;
use zeroize::Zeroizing;

/// What is in a keystore once it is open.
#[derive(Default)]
pub struct Opened {
    /// Certificates as DER, with the name that each has there.
    pub certificates: Vec<(Option<String>, Vec<u8>)>,
    /// Private keys as DER (PKCS #8), with the name that each has there.
    pub keys: Vec<(Option<String>, Zeroizing<Vec<u8>>)>,
}

/// Why something locked stays shut.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Shut {
    /// The passphrase is wrong.
    Passphrase,
    /// It is damaged.
    Damaged,
    /// It is locked in a way that this program does not have, or by more rounds than it makes.
    Unknown,
}

/// Proofs and locks.
pub trait Tools: Signatures {
    /// Whether the public point belongs to the private number of a curve, both as their
    /// standard encodes them (SEC 1, section 2.3; RFC 8032); nothing where the curve is not
    /// known here.
    fn belongs(&self, curve: &str, private: &[u8], public: &[u8]) -> Option<bool>;

    /// Opens a PKCS #12 keystore (RFC 7292).
    ///
    /// # Errors
    /// Says why it stays shut.
    fn open_keystore(&self, der: &[u8], passphrase: &Secret) -> Result<Opened, Shut>;

    /// Opens a locked key (RFC 5958, section 3): PKCS #8 as DER.
    ///
    /// # Errors
    /// Says why it stays shut.
    fn open_key(&self, der: &[u8], passphrase: &Secret) -> Result<Zeroizing<Vec<u8>>, Shut>;

    /// Opens a key that is locked in the old form of PEM (RFC 1421): the lock is what its header
    /// `DEK-Info` says.
    ///
    /// # Errors
    /// Says why it stays shut.
    fn open_old_key(
        &self,
        lock: &str,
        body: &[u8],
        passphrase: &Secret,
    ) -> Result<Zeroizing<Vec<u8>>, Shut>;
}
