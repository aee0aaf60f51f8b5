//! What a session with more rights says of an account of the same server: what its own tables
//! hold of it, never a hash.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::redact::Redacted;

/// What is looked up: whose account, and which database it asks for.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Inquiry {
    /// The account's name.
    pub user: String,
    /// The database, if the account asks for one.
    pub database: Option<String>,
}

/// Whether the session with more rights is on the server that the account was tried on.
#[derive(
    Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema,
)]
#[serde(rename_all = "kebab-case")]
pub enum SameServer {
    /// It is: the same identifiers, or the same end of the line.
    Same,
    /// It is another one: other identifiers.
    Other,
    /// Nothing tells.
    #[default]
    Unproven,
}

/// What a server's tables hold of an account and of what it asks for. What the rights of the
/// asking session did not allow is absent, and named in `untold`.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct AccountTold {
    /// As whom it was asked.
    pub asked_as: Redacted,
    /// Whether on the same server.
    pub server: SameServer,
    /// What shows that, or does not.
    pub server_because: String,
    /// The entries of the account: one, or one for each host from which it may sign in.
    /// Absent where the tables may not be read; empty where it does not exist.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub entries: Option<Vec<AccountEntry>>,
    /// Names near its own, where it does not exist.
    #[serde(skip_serializing_if = "Vec::is_empty", default)]
    pub near_users: Vec<Redacted>,
    /// The roles and groups that it is a member of.
    #[serde(skip_serializing_if = "Vec::is_empty", default)]
    pub member_of: Vec<Redacted>,
    /// The host rules, in their order.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub rules: Option<Vec<HostRule>>,
    /// The lines of user name maps that lead to it.
    #[serde(skip_serializing_if = "Vec::is_empty", default)]
    pub mappings: Vec<Redacted>,
    /// The database that is asked for.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub database: Option<DatabaseTold>,
    /// Connections of all accounts: how many of how many.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub connections: Option<Places>,
    /// Connections of this account; `allowed` is absent where it has no limit of its own.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub own_connections: Option<Places>,
    /// The address or name by which the server knows the machine that asks.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub client: Option<Redacted>,
    /// The port that the server says it has.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub port: Option<u16>,
    /// Whether it demands encryption of everybody.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub demands_encryption: Option<bool>,
    /// What could not be read, each with the server's words.
    #[serde(skip_serializing_if = "Vec::is_empty", default)]
    pub untold: Vec<Redacted>,
}

/// One entry of an account.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct AccountEntry {
    /// The account's name; empty for everybody.
    pub user: Redacted,
    /// The hosts from which it counts, as a pattern; none where that is not part of accounts.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub host: Option<Redacted>,
    /// Whether it may sign in at all.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub may_sign_in: Option<bool>,
    /// Whether it is locked.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub locked: Option<bool>,
    /// Whether its password is past its date.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub expired: Option<bool>,
    /// That date, as the server writes it.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub valid_until: Option<Redacted>,
    /// Whether a password is set.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub password_set: Option<bool>,
    /// How it proves itself: the kind of the stored password, or the method of the account.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub method: Option<Redacted>,
    /// What it demands of the line beside that: encryption, a certificate.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub demands: Option<Redacted>,
}

/// One record of a server's host rules; secrets in its options were never read.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct HostRule {
    /// The file, where the server has several.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub file: Option<Redacted>,
    /// Its line, from 1.
    pub line: u32,
    /// `host`, `hostssl`, `local`, …
    pub kind: Redacted,
    /// For which databases.
    pub databases: Vec<Redacted>,
    /// For which accounts.
    pub users: Vec<Redacted>,
    /// From where; none for socket files.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub address: Option<Redacted>,
    /// The bits of the address that count.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub mask: Option<Redacted>,
    /// How the account proves itself, or `reject`.
    pub method: Redacted,
    /// Its options that hold no secret.
    #[serde(skip_serializing_if = "Vec::is_empty", default)]
    pub options: Vec<Redacted>,
}

/// A database as the tables hold it.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct DatabaseTold {
    /// Its name.
    pub name: Redacted,
    /// Whether there is one of this name.
    pub exists: bool,
    /// Whether it takes connections.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub takes_connections: Option<bool>,
    /// Whether the account may connect to it.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub permitted: Option<bool>,
    /// Those that there are, where it is not among them.
    #[serde(skip_serializing_if = "Vec::is_empty", default)]
    pub others: Vec<Redacted>,
}

/// Connections in use, of those that are allowed.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Places {
    /// In use.
    pub used: u32,
    /// Allowed.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub allowed: Option<u32>,
}
