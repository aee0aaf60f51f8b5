//! What a listener says of the services behind it.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::redact::Redacted;

/// The services that a listener offers.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct ServicesOffered {
    /// Each, in the listener's order.
    pub services: Vec<ServiceOffered>,
    /// Whether these are all.
    pub complete: bool,
}

impl ServicesOffered {
    /// The service of this name.
    pub fn find(&self, name: &str) -> Option<&ServiceOffered> {
        self.services.iter().find(|s| s.name.as_str() == name)
    }
}

/// A service, and who offers it.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct ServiceOffered {
    /// Its name.
    pub name: Redacted,
    /// The instances that registered it.
    pub instances: Vec<InstanceOffered>,
}

/// An instance, as the listener knows it.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct InstanceOffered {
    /// Its name.
    pub name: Redacted,
    /// How it stands.
    pub state: InstanceState,
    /// Since when: RFC 3339.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub since: Option<Redacted>,
    /// Where it is: `host:port`.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub address: Option<Redacted>,
}

/// How an instance stands.
#[derive(
    Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema,
)]
#[serde(rename_all = "kebab-case")]
pub enum InstanceState {
    /// It takes connections.
    Ready,
    /// It does not yet.
    Starting,
    /// Only those with a special role.
    Restricted,
    /// It is shut down.
    Stopped,
    /// In a word that this version does not know.
    Other,
}

impl InstanceState {
    /// Its word.
    pub fn as_str(self) -> &'static str {
        match self {
            InstanceState::Ready => "ready",
            InstanceState::Starting => "starting",
            InstanceState::Restricted => "restricted",
            InstanceState::Stopped => "stopped",
            InstanceState::Other => "in a state that this version does not know",
        }
    }

    /// The state of this word.
    pub fn of(word: &str) -> InstanceState {
        match word {
            "ready" => InstanceState::Ready,
            "starting" => InstanceState::Starting,
            "restricted" => InstanceState::Restricted,
            "stopped" => InstanceState::Stopped,
            _ => InstanceState::Other,
        }
    }
}

/// Where a listener sends a client.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Redirect {
    /// The name or address.
    pub host: Redacted,
    /// The port.
    pub port: u16,
    /// The instance to ask for there.
    pub instance: Redacted,
}

impl std::fmt::Display for Redirect {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self.host.as_str().contains(':') {
            true => write!(f, "[{}]:{}", self.host, self.port),
            false => write!(f, "{}:{}", self.host, self.port),
        }
    }
}

/// Why a client does not go where it was sent.
#[derive(
    Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema,
)]
#[serde(rename_all = "kebab-case")]
pub enum RedirectTrouble {
    /// It has been there.
    Circle,
    /// It was sent on too often.
    TooOften,
    /// It is no place.
    NoPlace,
}
