//! What a session finds around it, as far as an application minds.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::account::Places;
use crate::redact::Redacted;

/// What a session finds around it.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Surroundings {
    /// The schema in which new things would be made; none where none can be used.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub schema: Option<Redacted>,
    /// Where things are looked for, as the session has it set.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub search_path: Option<Redacted>,
    /// The schemas of the database, but the server's own; absent where the engine has none.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub schemas: Option<Vec<SchemaSeen>>,
    /// The character set of the database.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub encoding: Option<Redacted>,
    /// Its collation.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub collation: Option<Redacted>,
    /// The time zone of the session.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub time_zone: Option<Redacted>,
    /// The isolation of its transactions, unless they say otherwise.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub isolation: Option<Redacted>,
    /// Connections to the server: how many of how many.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub connections: Option<Places>,
    /// How many of those that are allowed are kept for administrators.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub reserved: Option<u32>,
    /// After how many idle seconds the server ends a session; none where it does not.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub idle_limit_s: Option<u64>,
    /// The name that the server was given, beside its host's.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub server_name: Option<Redacted>,
}

/// A schema, as this account sees it.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct SchemaSeen {
    /// Its name.
    pub name: Redacted,
    /// Whether this account may use what is in it.
    pub may_use: bool,
    /// Whether it may make anything in it.
    pub may_create: bool,
}
