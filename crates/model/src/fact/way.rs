//! The closed words and pieces of facts about names, the way, and this machine's own
//! tables.

use crate::found::CauseId;
use std::net::{IpAddr, SocketAddr};

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::layer::Micros;
use crate::redact::Redacted;

/// A kind of records (RFC 1035, section 3.2.2; RFC 3596; RFC 2782).
#[derive(
    Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema,
)]
#[serde(rename_all = "UPPERCASE")]
pub enum RecordKind {
    /// An IPv4 address.
    A,
    /// An IPv6 address.
    Aaaa,
    /// Where a service is offered: host and port.
    Srv,
    /// Free text, which some engines read options from.
    Txt,
}

impl RecordKind {
    /// Its name in the standards.
    pub fn as_str(self) -> &'static str {
        match self {
            RecordKind::A => "A",
            RecordKind::Aaaa => "AAAA",
            RecordKind::Srv => "SRV",
            RecordKind::Txt => "TXT",
        }
    }
}

/// What a resolver answered (RFC 1035, section 4).
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct ResolverAnswer {
    /// The whole name that was asked for.
    pub asked: String,
    /// Which records.
    pub kind: RecordKind,
    /// Its answer code, by its name in the standards: `NOERROR`, `NXDOMAIN`, …
    pub code: String,
    /// The addresses at the end of the chain.
    pub addresses: Vec<IpAddr>,
    /// The names that the alias leads over, in order.
    #[serde(skip_serializing_if = "Vec::is_empty", default)]
    pub aliases: Vec<Redacted>,
    /// The places of the service, best first.
    #[serde(skip_serializing_if = "Vec::is_empty", default)]
    pub services: Vec<ServicePlace>,
    /// The texts.
    #[serde(skip_serializing_if = "Vec::is_empty", default)]
    pub texts: Vec<Redacted>,
    /// The zone whose authority says that there is no such name or record.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub zone: Option<Redacted>,
    /// For how many seconds the first record may be kept.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub keep_s: Option<u32>,
    /// Whether the chain of aliases leads in a circle.
    #[serde(skip_serializing_if = "std::ops::Not::not", default)]
    pub circle: bool,
    /// Whether the answer had to be asked for over TCP.
    #[serde(skip_serializing_if = "std::ops::Not::not", default)]
    pub over_tcp: bool,
    /// Records that are not about the name, or are too many, and were passed over.
    #[serde(skip_serializing_if = "is_zero", default)]
    pub passed_over: u32,
    /// From the question to this.
    pub elapsed_us: Micros,
}

#[allow(
    clippy::trivially_copy_pass_by_ref,
    reason = "the signature that serde asks for"
)]
fn is_zero(n: &u32) -> bool {
    *n == 0
}

impl ResolverAnswer {
    /// Whether it says that there is no such name.
    pub fn denies(&self) -> bool {
        self.code == "NXDOMAIN"
    }

    /// Whether it is an answer at all, and no failure or refusal.
    pub fn is_clear(&self) -> bool {
        matches!(self.code.as_str(), "NOERROR" | "NXDOMAIN")
    }

    /// Whether an alias leads to where nothing is: to a name that does not exist, or in a
    /// circle.
    pub fn chain_breaks(&self) -> bool {
        self.circle || (self.denies() && !self.aliases.is_empty())
    }
}

/// The name service that is asked (resolv.conf(5)).
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Resolvers {
    /// The resolvers, in the order in which they are asked.
    pub resolvers: Vec<SocketAddr>,
    /// The suffixes that are tried with a name.
    pub search: Vec<String>,
    /// A name with fewer dots is tried with the suffixes first.
    pub ndots: u32,
}

/// Where a service is offered (RFC 2782).
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema)]
pub struct ServicePlace {
    /// The lower, the sooner.
    pub priority: u16,
    /// The host.
    pub host: Redacted,
    /// Its port.
    pub port: u16,
}

/// Why something is no answer to a question.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum AnswerTrouble {
    /// It cannot be read as a message.
    Malformed,
    /// It has the number of another question.
    OtherNumber,
    /// It repeats another question.
    OtherQuestion,
    /// It is a question itself.
    NoAnswer,
    /// It was cut off, and its whole could not be had over TCP.
    CutOff,
}

impl AnswerTrouble {
    /// What it is, in words.
    pub fn text(self) -> &'static str {
        match self {
            AnswerTrouble::Malformed => "what it sends cannot be read",
            AnswerTrouble::OtherNumber => "it answers with the number of another question",
            AnswerTrouble::OtherQuestion => "it answers another question",
            AnswerTrouble::NoAnswer => "it sends questions instead of answers",
            AnswerTrouble::CutOff => "it cuts its answer off, and gives no whole one over TCP",
        }
    }
}

/// What a list of rules says of a connection.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum ListWord {
    /// It lets the client through.
    Covers,
    /// Nothing in it covers the client.
    Excludes,
    /// It covers the client for another port, protocol or direction.
    OtherPort,
    /// The rule that would let it through does not count.
    RuleOff,
    /// It lets the request in, and not the reply out.
    WayBack,
    /// The server's own rules turn the client away.
    HostRules,
    /// What decides is not in it.
    Unknown,
}

impl ListWord {
    /// Whether the client is kept out.
    pub fn denies(self) -> bool {
        self.cause().is_some()
    }

    /// What keeps the client out; none where it is let through, or that is not known.
    pub fn cause(self) -> Option<CauseId> {
        Some(match self {
            ListWord::Covers | ListWord::Unknown => return None,
            ListWord::Excludes => CauseId::AllowListExcludesClient,
            ListWord::OtherPort => CauseId::AllowListWrongPort,
            ListWord::RuleOff => CauseId::AllowListRuleOff,
            ListWord::WayBack => CauseId::ReturnPathBlocked,
            ListWord::HostRules => CauseId::ClientHostNotPermitted,
        })
    }
}

/// What a filter does with a packet.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum FilterDecision {
    /// Throws it away.
    Dropped,
    /// Refuses it.
    Rejected,
    /// Lets it through.
    LetThrough,
    /// Its rules hold something that this program does not understand.
    Unclear,
}

/// What came of a packet that was to live for so many devices; what says most first.
#[derive(
    Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema,
)]
#[serde(rename_all = "kebab-case")]
pub enum StepAnswer {
    /// A device said that it had lived long enough (ICMP time exceeded).
    Expired,
    /// A connection.
    Connected,
    /// A reset.
    Refused,
    /// Another ICMP message.
    Unreachable,
    /// Nothing.
    Silent,
}

/// What holds a listening port.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Held {
    /// A server.
    Server,
    /// An SSH client, or a program that passes lines on.
    Forwarder,
    /// Not told to this user.
    Unknown,
}

/// A program of this machine that listens.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Listening {
    /// On which address and port; none for a socket file.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub on: Option<SocketAddr>,
    /// The socket file.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub socket: Option<String>,
    /// The program, where that may be known.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub program: Option<Redacted>,
    /// What kind of program.
    pub held: Held,
    /// How many connections wait in its queue.
    pub waiting: u32,
}

/// A tunnel that begins at a port of this machine.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Tunnel {
    /// Its local port.
    pub port: u16,
    /// Where its far end leads.
    pub to: Redacted,
    /// What tells of it.
    pub told_by: Redacted,
    /// Whether a process that would hold it runs.
    pub runs: bool,
}
