//! The closed words of which facts are made.

use std::net::IpAddr;

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use super::Surroundings;
use crate::layer::{Layer, Micros};
use crate::open_id::open_id;
use crate::redact::Redacted;

/// What a server's refusal says, in words that no engine owns.
#[derive(
    Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema,
)]
#[serde(rename_all = "kebab-case")]
pub enum Meaning {
    /// It is up and takes nobody now: starting, recovering or stopping.
    NotReady,
    /// It is up, starting, and takes nobody yet.
    Starting,
    /// It is going down and ends what it had.
    Stopping,
    /// All its places are taken.
    ServerFull,
    /// It takes nobody from this address, whoever it is.
    ClientBlocked,
    /// It lacks memory or disk.
    OutOfResources,
    /// This address, for this user and database, is not in its rules.
    HostNotPermitted,
    /// The proof of identity was refused, without saying why.
    CredentialsRefused,
    /// The account's identity was refused: it does not exist, or may not sign in.
    IdentityRefused,
    /// Not let in, for one of several reasons that the server does not tell apart: the
    /// password, the host, the line, or no such account.
    AccessDenied,
    /// The line must be encrypted.
    EncryptionRequired,
    /// The account signs in by a method that this client does not have.
    MethodRefused,
    /// The account is locked.
    AccountLocked,
    /// The password is past its date, and must be changed.
    PasswordExpired,
    /// A limit of this account or database is reached.
    AccountLimit,
    /// It has no version of the protocol that this client takes.
    VersionRefused,
    /// It does not offer the service, or not that instance of it.
    ServiceUnknown,
    /// It offers the service, whose instance takes no connections now.
    ServiceNotReady,
    /// There is no such account.
    UserUnknown,
    /// The proof of identity is wrong, and the account exists.
    ProofWrong,
    /// The account signs in only with a special role.
    RoleRequired,
    /// The account may not take the role that it asks for.
    RoleRefused,
    /// It does not speak this protocol, or calls our message malformed.
    ProtocolRefused,
    /// It took too long until the sign-in was complete.
    TooSlow,
    /// An option that the client sent at the start is not accepted.
    StartupParameterRefused,
    /// The database does not exist.
    DatabaseMissing,
    /// This user may not use the database.
    DatabaseNotPermitted,
    /// The database is switched off for everybody.
    DatabaseClosed,
    /// In a code of a closed list that this version does not know, or that says nothing of
    /// why.
    Unexplained,
    /// Something broke inside the server.
    ServerInternal,
    /// Something else.
    Other,
}

impl Meaning {
    /// The layer to which a refusal of this meaning belongs, at this point of the
    /// conversation.
    pub fn layer(self, awaited: Awaited) -> Layer {
        match self {
            Meaning::NotReady
            | Meaning::Starting
            | Meaning::Stopping
            | Meaning::ServerFull
            | Meaning::ClientBlocked
            | Meaning::VersionRefused
            | Meaning::ServiceUnknown
            | Meaning::ServiceNotReady
            | Meaning::OutOfResources => Layer::Listener,
            Meaning::EncryptionRequired => Layer::Tls,
            Meaning::HostNotPermitted
            | Meaning::CredentialsRefused
            | Meaning::IdentityRefused
            | Meaning::AccountLimit
            | Meaning::AccessDenied
            | Meaning::MethodRefused
            | Meaning::AccountLocked
            | Meaning::PasswordExpired
            | Meaning::UserUnknown
            | Meaning::ProofWrong
            | Meaning::RoleRequired
            | Meaning::RoleRefused
            | Meaning::TooSlow => Layer::Login,
            Meaning::StartupParameterRefused
            | Meaning::DatabaseMissing
            | Meaning::DatabaseNotPermitted
            | Meaning::DatabaseClosed => Layer::Session,
            Meaning::ProtocolRefused
            | Meaning::Unexplained
            | Meaning::ServerInternal
            | Meaning::Other => match awaited {
                Awaited::Encryption | Awaited::Greeting | Awaited::Service => Layer::Listener,
                Awaited::Handshake => Layer::Tls,
                Awaited::Challenge | Awaited::Admission => Layer::Login,
                Awaited::SessionStart | Awaited::QueryAnswer => Layer::Session,
            },
        }
    }
}

impl Awaited {
    /// The layer on which it counts if this does not come.
    pub fn layer(self) -> Layer {
        Meaning::Other.layer(self)
    }
}

/// What the system's resolver says of a name.
#[derive(
    Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema,
)]
#[serde(rename_all = "kebab-case")]
pub enum NameTrouble {
    /// There is no such name.
    NoSuchName,
    /// The name exists and has no address of a usable family.
    NoAddress,
    /// No resolver gave a usable answer.
    Failing,
    /// It could not even be asked for: not a host name.
    NotAName,
}

/// An ICMP message that came for a connection attempt (RFC 792, RFC 4443).
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Icmp {
    /// Its type.
    #[serde(rename = "type")]
    pub kind: u8,
    /// Its code.
    pub code: u8,
    /// Who sent it.
    pub sender: IpAddr,
}

impl Icmp {
    /// What it says, in the neutral words of both families.
    pub fn says(&self) -> Unreach {
        match (self.sender.is_ipv4(), self.kind, self.code) {
            (true, 3, 3) | (false, 1, 4) => Unreach::Port,
            // Every host speaks TCP: that one does not is a filter's way to refuse.
            (true, 3, 2 | 9 | 10 | 13) | (false, 1, 1 | 5 | 6) => Unreach::Prohibited,
            // A whole life's worth of devices and no host: the packet goes round in a circle.
            (true, 11, 0) | (false, 3, 0) => Unreach::Network,
            (true, 3, 0 | 6 | 11) | (false, 1, 0) => Unreach::Network,
            (true, 3, 1 | 7 | 8 | 12) | (false, 1, 2 | 3) => Unreach::Host,
            _ => Unreach::Other,
        }
    }

    /// Whether a device threw the packet away because it had lived for too many devices
    /// (RFC 792, time exceeded; RFC 4443, section 3.3).
    pub fn is_expired(&self) -> bool {
        matches!(
            (self.sender.is_ipv4(), self.kind, self.code),
            (true, 11, 0) | (false, 3, 0)
        )
    }

    /// Its name in the standards.
    pub fn title(&self) -> &'static str {
        match self.says() {
            Unreach::Port => "port unreachable",
            Unreach::Prohibited if self.sender.is_ipv4() && self.code == 2 => {
                "protocol unreachable"
            }
            Unreach::Prohibited => "administratively prohibited",
            Unreach::Network if self.is_expired() => {
                "time exceeded: packets go in a circle (routing loop) (routing loop)"
            }
            Unreach::Network => "network unreachable",
            Unreach::Host => "host unreachable",
            Unreach::Other => "destination unreachable",
        }
    }
}

/// What could not be reached, as an ICMP message says it.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Unreach {
    /// The port.
    Port,
    /// A rule forbids it.
    Prohibited,
    /// The network.
    Network,
    /// The host.
    Host,
    /// Said in another way.
    Other,
}

/// Something that the server's side can do and this program cannot.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Beyond {
    /// Encrypting the line.
    Encryption,
    /// A sign-in method that the client may have and this program lacks.
    LoginMethod,
    /// A cost of the password proof over this program's bound.
    ProofCost,
    /// Time: the limit that the user set, or a machine that was too busy, ended a wait.
    Time,
}

/// By what a host itself is asked whether it is up.
#[derive(
    Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema,
)]
#[serde(rename_all = "kebab-case")]
pub enum HostQuestion {
    /// A UDP datagram to a port that is hardly open: the host says so itself (RFC 1122,
    /// section 4.1.3.1).
    Datagram,
    /// Echo requests (RFC 792; RFC 4443, section 4).
    Echo,
}

/// What a knock on a port brought.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Knocked {
    /// A connection.
    Connected,
    /// A refusal by a reset.
    Refused,
    /// Nothing.
    Silent,
    /// An ICMP message.
    Unreachable,
}

open_id! {
    /// Something that answers on a port. Each engine brings its servers; others that are often
    /// met in their place are known as well.
    Service
}

/// What something said to bytes of ours.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Spoke {
    /// It answered.
    Answered,
    /// It closed the line.
    Closed,
    /// It said nothing.
    Silent,
}

/// What the client was waiting for.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Awaited {
    /// The answer whether it encrypts.
    Encryption,
    /// The TLS handshake.
    Handshake,
    /// The first answer to the start-up message.
    Greeting,
    /// The answer to the request for a service.
    Service,
    /// A step of the sign-in before anything derived from the secret was sent.
    Challenge,
    /// The answer to the proof.
    Admission,
    /// The beginning of the session, after the sign-in.
    SessionStart,
    /// The answer to the one query.
    QueryAnswer,
}

impl Instance {
    /// What tells it from every other instance, as far as the server says it.
    pub fn identifier(&self) -> Option<String> {
        if let Some(uuid) = &self.uuid {
            return Some(uuid.to_string());
        }
        let own = self.system_identifier.as_ref()?;
        Some(match &self.host {
            // Numbers of servers are given by hand, and often not at all.
            Some(host) => format!("{host} {} {own}", self.port.unwrap_or_default()),
            None => own.to_string(),
        })
    }
}

impl Instance {
    /// The name that it says it has.
    pub fn name(&self) -> Option<Redacted> {
        let around = self.surroundings.as_ref();
        let given = around.and_then(|around| around.server_name.clone());
        let number = |id: &Redacted| id.as_str().chars().all(|c| c.is_ascii_digit());
        let textual = || self.system_identifier.clone().filter(|id| !number(id));
        given.or_else(|| self.host.clone()).or_else(textual)
    }

    /// Whether a text names it: one of its identifiers, its name, its address, with its port or
    /// without. None where it says nothing of itself.
    pub fn is_called(&self, text: &str) -> Option<bool> {
        let known: Vec<&Redacted> = [
            self.uuid.as_ref(),
            self.system_identifier.as_ref(),
            self.host.as_ref(),
            self.address.as_ref(),
        ]
        .into_iter()
        .flatten()
        .collect();
        let name = self.name();
        if known.is_empty() && name.is_none() {
            return None;
        }
        let same = |own: &str| {
            let with_port = self.port.map(|port| format!("{own}:{port}"));
            own.eq_ignore_ascii_case(text)
                || with_port.is_some_and(|own| own.eq_ignore_ascii_case(text))
        };
        Some(known.into_iter().chain(&name).any(|own| same(own.as_str())))
    }
}

/// Which instance answered, and as whom.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Instance {
    /// The account in force.
    pub user: Redacted,
    /// The account that signed in, where it is another.
    pub session_user: Redacted,
    /// The database.
    pub database: Redacted,
    /// The server's version.
    pub version: Redacted,
    /// The address as the server sees it; none over a socket file.
    pub address: Option<Redacted>,
    /// The port as the server sees it; none over a socket file.
    pub port: Option<u16>,
    /// Whether it is a replica or still recovering.
    pub in_recovery: bool,
    /// Whether its transactions are read-only unless they say otherwise.
    #[serde(default)]
    pub read_only: bool,
    /// When it started, as the server writes it.
    pub started: Redacted,
    /// What tells this installation from any other.
    pub system_identifier: Option<Redacted>,
    /// What tells it from every other server, where it has such an identifier.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub uuid: Option<Redacted>,
    /// The server's own host name.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub host: Option<Redacted>,
    /// For how many seconds it has been up.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub up_s: Option<u64>,
    /// The databases that the account may use, where the server tells them with it.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub databases: Option<Redacted>,
    /// What the account may do, in short.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub privileges: Option<Redacted>,
    /// What the session finds around it.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub surroundings: Option<Box<Surroundings>>,
    /// The one round trip.
    pub round_trip_us: Micros,
}
