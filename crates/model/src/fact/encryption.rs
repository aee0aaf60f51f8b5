//! The words of the facts about encryption.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::certificate::ChainTrouble;
use crate::redact::Redacted;

/// How a handshake, or what came after it, ended.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum HandshakeTrouble {
    /// The server sent an alert.
    Alert,
    /// It chose what this client does not have, or would not take any of what it has.
    NothingInCommon,
    /// What came is not TLS.
    Garbled,
    /// This client does not take the server's certificate.
    Certificate,
    /// The server closed the line.
    Closed,
    /// It fell silent.
    Silent,
    /// Only this program lacks something.
    BeyondUs,
}

/// Whether the client's own certificate came into it.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum OwnCertificate {
    /// The server did not ask for one.
    #[default]
    NotAsked,
    /// It asked, and there is none.
    AskedNoneThere,
    /// It asked, and one was shown.
    Shown,
}

/// What stands in a certificate, as it is shown.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct ShownCertificate {
    /// Its subject.
    pub subject: Redacted,
    /// Its issuer.
    pub issuer: Redacted,
    /// The names and addresses that it is for.
    pub names: Vec<Redacted>,
    /// The first day of its validity, UTC.
    pub not_before: String,
    /// The last.
    pub not_after: String,
    /// Its key.
    pub key: String,
    /// How it was signed.
    pub signed_by: String,
}

/// One thing that is wrong with a chain, as it is shown.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct ShownChainDefect {
    /// What.
    pub trouble: ChainTrouble,
    /// In words.
    pub text: Redacted,
    /// Whether this client refuses because of it.
    pub stops: bool,
}

/// What a server showed of itself in the handshake.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct ShownChain {
    /// The certificates as they came, the server's first.
    pub certificates: Vec<ShownCertificate>,
    /// What is wrong with them, that which stops this client first.
    pub defects: Vec<ShownChainDefect>,
    /// Days until the server's certificate expires; negative once it has.
    pub days_left: i64,
    /// Whether a trusted certificate is of the organisation of an issuer that is missing
    /// or not trusted; none where that is no question.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub issuer_kin: Option<bool>,
    /// Whether the last certificate says where its issuer's is to be had.
    #[serde(default)]
    pub names_issuer_place: bool,
    /// Whether every certificate of the chain is outside its validity period in the same direction.
    #[serde(default)]
    pub all_out_of_time: bool,
    /// Whether this machine's clock shows a time before this program was written.
    #[serde(default)]
    pub clock_impossible: bool,
}
