//! What others say of a connection that failed: messages of programs, and logs of servers.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use super::words::Meaning;
use crate::redact::Redacted;

/// What part a message plays in a text.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum MessageRole {
    /// It says how the attempt stopped.
    Decides,
    /// It follows from another error, and says nothing of its own.
    FollowsOn,
    /// It says that something failed, and hides what.
    HidesTheCause,
    /// The connection stood: it is about something else.
    NotTheConnection,
    /// It says only where to, as whom, or that something went on.
    Beside,
}

/// The answer to a question of the inference that a text gives.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Signal {
    /// The question's id.
    pub question: String,
    /// The answer's id.
    pub answer: String,
}

/// A message that was recognised in a text.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct MessageRead {
    /// What it does in the text.
    pub role: MessageRole,
    /// The id of the component that says this.
    pub component: String,
    /// The component's name, for people.
    pub title: String,
    /// The id of the pattern.
    pub pattern: String,
    /// The words that were recognised.
    pub text: Redacted,
    /// The line of the text in which they begin, from 1.
    pub line: u32,
    /// How often the same was met.
    pub times: u32,
    /// When it was said, as the text writes it.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub said_at: Option<Redacted>,
    /// How the attempt stopped, as a symptom.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub symptom: Option<String>,
    /// What the server's code in it means.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub meaning: Option<Meaning>,
    /// What it answers beside that.
    #[serde(skip_serializing_if = "Vec::is_empty", default)]
    pub signals: Vec<Signal>,
    /// What else it may mean.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub besides: Option<String>,
    /// The code in it.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub code: Option<Redacted>,
    /// How to get the error that it hides.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub uncover: Option<String>,
    /// How many different client addresses met the same, where a log tells them.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub clients: Option<u32>,
}

/// What a log that was given is worth to a run.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum LogStands {
    /// It holds what the server wrote of this attempt.
    Matched,
    /// It covers the time, and holds nothing of this attempt.
    NothingOfIt,
    /// It does not cover the time of this run.
    OtherTime,
    /// It covers the time, and this attempt, which its server would have written, is not in it.
    OtherServer,
    /// It cannot be read, or is no log of a kind that is known.
    Unread,
}

/// A log of a server, read for a run.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct ServerLogRead {
    /// The file.
    pub file: String,
    /// Whose log in which form, for people; empty where it is none that is known.
    pub kind: String,
    /// What it is worth.
    pub stands: LogStands,
    /// Why, in words.
    pub why: Redacted,
    /// The entries of this attempt.
    #[serde(skip_serializing_if = "Vec::is_empty", default)]
    pub entries: Vec<LogEntryRead>,
    /// By how much the server's clock is ahead of this machine's, in microseconds.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub clock_ahead_us: Option<i64>,
    /// Other client addresses with the same trouble about the same time.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub others: Option<OthersRefused>,
    /// What was not read of it.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub left_out: Option<String>,
}

/// An entry of a server's log.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct LogEntryRead {
    /// Its line in the file, from 1; from the end of the file, and negative, where only the
    /// end was read.
    pub line: i64,
    /// When, as the log writes it.
    pub at: Redacted,
    /// What it says.
    pub text: Redacted,
    /// What this means, in words.
    pub means: String,
    /// What it answers.
    #[serde(skip_serializing_if = "Vec::is_empty", default)]
    pub signals: Vec<Signal>,
}

/// Other clients of the server with the same trouble.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct OthersRefused {
    /// How many addresses beside this client's own.
    pub addresses: u32,
    /// How many entries of theirs.
    pub entries: u32,
    /// In which time round this attempt.
    pub within_s: u32,
}
