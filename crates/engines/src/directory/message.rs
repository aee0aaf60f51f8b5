//! The messages of the protocol (`docs/directory.md`, "Messages"). Fields that a side does
//! not know are passed over.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use super::frames::framed;

/// The version of the protocol that is spoken here.
pub const VERSION: u32 = 1;

/// How this client calls itself.
pub const CLIENT: &str = "chronaxis";

/// The first bytes that this client sends on a line in clear.
pub const FIRST: &[u8] = b"\0\0\0\x31{\"type\":\"hello\",\"version\":1,\"client\":\"chronaxis\"}";

/// What a client sends.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(tag = "type", rename_all = "kebab-case")]
pub enum Request {
    /// The first message of a line.
    Hello {
        /// The version of the protocol.
        version: u32,
        /// What the client is, in its own words.
        client: String,
    },
    /// Which services are offered.
    List {
        /// Those behind this name.
        #[serde(skip_serializing_if = "Option::is_none", default)]
        after: Option<String>,
    },
    /// The wish to use a service.
    Open {
        /// Which.
        service: String,
        /// By which instance; none: any.
        #[serde(skip_serializing_if = "Option::is_none", default)]
        instance: Option<String>,
        /// As whom.
        user: String,
        /// In which role, beyond the account's own.
        #[serde(skip_serializing_if = "Option::is_none", default)]
        role: Option<String>,
    },
    /// A step of the proof.
    Prove {
        /// The SCRAM message in base64 (RFC 4648, section 4).
        data: String,
    },
    /// Which instance this is, and as whom.
    Who {},
}

impl Request {
    /// The request in its frame.
    pub fn framed(&self) -> Vec<u8> {
        framed(&serde_json::to_vec(self).unwrap_or_default())
    }

    /// Reads one; nothing where it is none.
    pub fn read(json: &[u8]) -> Option<Request> {
        serde_json::from_slice(json).ok()
    }
}

/// What a listener or an instance answers.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(tag = "type", rename_all = "kebab-case")]
pub enum Answer {
    /// To `hello`.
    Hello {
        /// The version of the protocol.
        version: u32,
        /// What the server is, in its own words.
        server: String,
        /// Whether lines are encrypted here.
        tls: Encryption,
        /// Whether it lets nobody know which users there are: a wrong proof may then be that
        /// of a user who does not exist.
        #[serde(skip_serializing_if = "std::ops::Not::not", default)]
        hides_users: bool,
    },
    /// To `list`.
    Services {
        /// The services, sorted by their names.
        services: Vec<Service>,
        /// Whether there are more behind the last one.
        #[serde(skip_serializing_if = "std::ops::Not::not", default)]
        more: bool,
    },
    /// To `open`: dial there, say `hello`, and `open` the service at that instance.
    Redirect {
        /// A name or an address.
        host: String,
        /// The port.
        port: u16,
        /// The instance.
        instance: String,
    },
    /// To `open`: prove who you are.
    Challenge {
        /// By which method; `SCRAM-SHA-256` is the only one (RFC 7677).
        method: String,
    },
    /// To `prove`: the server's message.
    Prove {
        /// The SCRAM message in base64.
        data: String,
    },
    /// To `open` where no proof is needed, and to `who`.
    Accepted(Who),
    /// To anything.
    Refused {
        /// One of the codes of the protocol.
        code: String,
        /// In the server's words.
        text: String,
    },
}

impl Answer {
    /// The answer in its frame.
    pub fn framed(&self) -> Vec<u8> {
        framed(&serde_json::to_vec(self).unwrap_or_default())
    }

    /// Reads one; nothing where it is none.
    pub fn read(json: &[u8]) -> Option<Answer> {
        serde_json::from_slice(json).ok()
    }
}

/// Whether lines are encrypted.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Encryption {
    /// They are not.
    #[default]
    Off,
    /// Those that begin with TLS are.
    On,
    /// All must be.
    Required,
}

/// A service, as a listener lists it.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Service {
    /// Its name.
    pub name: String,
    /// The instances that registered it.
    #[serde(default)]
    pub instances: Vec<Instance>,
}

/// An instance, as a listener lists it.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Instance {
    /// Its name.
    pub name: String,
    /// `ready`, `starting`, `restricted` or `stopped`.
    pub state: String,
    /// Since when: RFC 3339.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub since: Option<String>,
    /// Where it is: `host:port`, IPv6 in brackets.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub address: Option<String>,
}

/// Which instance somebody is let into, and as whom. After `open` all of it may be left out.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Who {
    /// The instance.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub instance: Option<String>,
    /// Its version.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub version: Option<String>,
    /// When it started: RFC 3339.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub started: Option<String>,
    /// The service.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub service: Option<String>,
    /// The user.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub user: Option<String>,
    /// The role.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub role: Option<String>,
    /// The databases that this user may use.
    #[serde(skip_serializing_if = "Vec::is_empty", default)]
    pub databases: Vec<String>,
}

/// The JSON Schema of all messages (draft 2020-12).
pub fn schema() -> serde_json::Value {
    chronaxis_model::document::schema_of::<Message>("directory-message")
}

/// Any message, for the schema.
#[derive(JsonSchema)]
#[serde(untagged)]
#[schemars(title = "a message of the directory protocol")]
#[allow(
    dead_code,
    reason = "it is never made: it describes what the two sides send"
)]
pub enum Message {
    /// From the client.
    Request(Request),
    /// From the server.
    Answer(Answer),
}
