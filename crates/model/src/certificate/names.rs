//! The closed words of this room.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// What can be wrong with a chain (RFC 5280, section 6; the words are those of OpenSSL's
/// reasons, put in ours).
#[derive(
    Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema,
)]
#[serde(rename_all = "kebab-case")]
pub enum ChainTrouble {
    /// A certificate cannot be read.
    Unreadable,
    /// A date is past.
    Expired,
    /// A date is still to come.
    NotYetValid,
    /// The server's certificate is its own issuer, and not among the trusted ones.
    SelfSigned,
    /// The chain ends in an authority that is not trusted.
    IssuerUnknown,
    /// The issuer of the last certificate sent was not sent, and is not among the trusted.
    IssuerMissing,
    /// A signature does not fit the issuer's key.
    SignatureWrong,
    /// An issuer may not issue: it is no authority, or its chain is too long.
    NotAnAuthority,
    /// A certificate is not for servers.
    WrongPurpose,
    /// A critical extension is not known (RFC 5280, section 4.2).
    UnknownExtension,
    /// The key or the signature is too weak for this client.
    TooWeak,
    /// It is for other names than the one dialled.
    NameMismatch,
}

/// What came of checking a signature.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Signed {
    /// It fits.
    Fits,
    /// It does not.
    DoesNot,
    /// Nobody here can check it: the algorithm or the curve is lacking.
    CannotTell,
}

/// Whatever can check a signature.
pub trait Signatures {
    /// Whether `signature` over `message` was made with the key of `issuer` (a DER
    /// SubjectPublicKeyInfo) by the algorithm of this DER AlgorithmIdentifier.
    fn check(&self, issuer: &[u8], algorithm: &[u8], message: &[u8], signature: &[u8]) -> Signed;
}
