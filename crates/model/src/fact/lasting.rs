//! What several sessions, or a long one, bring to light.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::layer::Micros;
use crate::redact::Redacted;

/// What came of trying again and again.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Repeats {
    /// How often it was tried, the first time included.
    pub runs: u32,
    /// How often it worked.
    pub working: u32,
    /// To how many of the tries an answer came, of whatever kind; the others were lost.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub answered: Option<u32>,
    /// How many sessions were held open together at the end; none where that was not tried.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub together: Option<u32>,
    /// The instances that answered.
    pub instances: Vec<InstanceMet>,
    /// How it failed, each with how often.
    #[serde(skip_serializing_if = "Vec::is_empty", default)]
    pub failures: Vec<FailureMet>,
    /// The shortest time from the first packet to the session.
    pub shortest_us: Micros,
    /// The time that half of them did not need, to within a tenth.
    pub median_us: Micros,
    /// The longest.
    pub longest_us: Micros,
}

/// An instance, and how often it answered.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct InstanceMet {
    /// What tells it from every other one.
    pub id: Redacted,
    /// Its name, where it says one.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub name: Option<Redacted>,
    /// The place that was connected to.
    pub address: String,
    /// Whether it takes no writes.
    #[serde(skip_serializing_if = "std::ops::Not::not", default)]
    pub read_only: bool,
    /// When it started, as it says.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub started: Option<Redacted>,
    /// How often it answered.
    pub times: u32,
}

/// A way in which it failed, and how often.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct FailureMet {
    /// The symptom, and the likely cause.
    pub what: String,
    /// How often.
    pub times: u32,
}

/// How a session ended that was kept idle.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum IdleEnd {
    /// It was still good at the end.
    Lived,
    /// No answer came when it was used.
    Silent,
    /// It was closed.
    Closed {
        /// By a reset.
        reset: bool,
    },
    /// The server said that it ends it.
    Said {
        /// The code that the engine uses.
        code: String,
        /// The server's own words.
        message: Redacted,
    },
}

/// A session that was kept idle, and used after gaps that double.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct IdleSession {
    /// The longest gap after which it was still good.
    pub survived_us: Micros,
    /// The gap in which it ended, or after which it was found dead.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub ended_us: Option<Micros>,
    /// How.
    pub end: IdleEnd,
    /// After how many idle seconds the server ends sessions, by its own settings.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub server_limit_s: Option<u64>,
}

/// One thing that was waited for.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct WaitedFor {
    /// What, in words.
    pub what: String,
    /// For how long.
    pub for_us: Micros,
    /// How often it was tried meanwhile.
    pub tries: u32,
}
