//! The catalogue: what each cause is, who can fix it, and how.

mod entries;

pub use entries::CAUSES;

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use chronaxis_model::found::{CauseId, Warning};
use chronaxis_model::layer::Layer;

/// Who can fix it.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Owner {
    /// Whoever owns the program and its settings.
    Developer,
    /// The database administrator.
    Dba,
    /// Firewall, allow-list, routing.
    Network,
    /// Name service.
    Names,
    /// Certificates.
    Security,
    /// Host, container, tunnel.
    Platform,
}

impl Owner {
    /// The word for it in outputs.
    pub fn as_str(self) -> &'static str {
        match self {
            Owner::Developer => "developer",
            Owner::Dba => "dba",
            Owner::Network => "network",
            Owner::Names => "names",
            Owner::Security => "security",
            Owner::Platform => "platform",
        }
    }

    /// Who that is, for people.
    pub fn title(self) -> &'static str {
        match self {
            Owner::Developer => "the developer who owns these settings",
            Owner::Dba => "the database administrator",
            Owner::Network => "the network team (firewall, allow-list, routing)",
            Owner::Names => "whoever runs name service",
            Owner::Security => "whoever issues the certificates",
            Owner::Platform => "the platform team (host, container, tunnel)",
        }
    }
}

/// One entry.
#[derive(Clone, Copy, Debug)]
pub struct Cause {
    /// Its stable id.
    pub id: CauseId,
    /// Where it belongs.
    pub layer: Layer,
    /// Who can fix it; none for the honest rest.
    pub owner: Option<Owner>,
    /// One sentence: what it is.
    pub headline: &'static str,
    /// How it looks from the client.
    pub looks: &'static str,
    /// What tells it from its neighbours.
    pub told_apart: &'static str,
    /// Whether it may pass by itself: a name or a server that is not there yet.
    pub waiting_may_mend: bool,
    /// What to do.
    pub fix: &'static [&'static str],
}

/// The ids of all causes, for the schema of the case. Later versions add to them.
pub fn id_schema(_: &mut schemars::SchemaGenerator) -> schemars::Schema {
    let ids: Vec<&str> = CAUSES.iter().map(|c| c.id.as_str()).collect();
    schemars::json_schema!({ "type": "string", "enum": ids })
}

/// The same, where there may be none.
pub fn optional_id_schema(_: &mut schemars::SchemaGenerator) -> schemars::Schema {
    let ids: Vec<Option<&str>> = CAUSES
        .iter()
        .map(|c| Some(c.id.as_str()))
        .chain([None])
        .collect();
    schemars::json_schema!({ "type": ["string", "null"], "enum": ids })
}

/// The ids of all causes and cautions.
pub fn finding_schema(_: &mut schemars::SchemaGenerator) -> schemars::Schema {
    let cautions = Warning::ALL.iter().map(|id| id.as_str());
    let ids: Vec<&str> = CAUSES
        .iter()
        .map(|c| c.id.as_str())
        .chain(cautions)
        .collect();
    schemars::json_schema!({ "type": "string", "enum": ids })
}

/// Finds an entry.
pub fn cause(id: CauseId) -> Option<&'static Cause> {
    CAUSES.iter().find(|c| c.id == id)
}

/// What is worth a look beside the verdict, in words.
pub fn warning_words(warning: Warning) -> &'static str {
    match warning {
        Warning::TlsNotVerified => {
            "the connection is encrypted, but the client does not check who the server is"
        }
        Warning::CertificateExpiresSoon => "the server's certificate expires soon",
        Warning::OldTlsVersion => "the server accepts an old version of TLS",
        Warning::WeakKey => "a key or signature of the server's certificates is weak",
        Warning::TlsOff => "the connection is not encrypted",
        Warning::SecretOnCommandLine => "the password is visible to everybody in the process list",
        Warning::EmptyPassword => "the password is explicitly empty",
        Warning::AddressDeadButSkipped => {
            "one address of the name does not answer; this client skips it"
        }
        Warning::PlaintextWithheld => {
            "the server asks for the password in clear text; it was not sent"
        }
        Warning::BeyondUs => {
            "this version of chronaxis cannot go further; that says nothing about the server"
        }
        Warning::SecretReadableByOthers => {
            "other users on this machine can read the file with the password"
        }
        Warning::PublishedPortTaken => {
            "another server listens where a container's port is published"
        }
        Warning::ParameterUnknown => "a parameter that this client does not know",
        Warning::ReadersDiffer => {
            "two readers or versions of the client read this value differently"
        }
        Warning::ClientRulesUnknown => {
            "this client's own rules are not known; those of a related client are used"
        }
        Warning::AdministratorAccountUsed => "the settings use an administrator's account",
        Warning::AdminOnOtherServer => {
            "the administrator's target is not known to be on the same server, so its view does not count"
        }
        Warning::SometimesFailing => "it failed on some of the attempts",
        Warning::AllowListOpenToAll => "a rule of the list lets the whole world in",
        Warning::RuleDuplicate => "a rule of the list repeats an earlier one",
        Warning::RangeHostBits => "an address range has bits set behind its prefix",
        Warning::RangeTooWide => "an address range is so wide that it is probably a typing error",
        Warning::PeerNameChanged => "a name in the list no longer has the address it had",
        Warning::FollowOnError => "this follows from the error above, and says nothing of its own",
        Warning::HidesTheError => "this message hides the error",
        Warning::LogNotRead => "the log was not used",
    }
}
