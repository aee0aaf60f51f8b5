//! The one fact that matters, in a few words.

use std::net::IpAddr;

use chronaxis_model::fact::{Fact, NameTrouble};

use super::evidence::Evidence;

/// The one fact that matters of a layer.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Summary {
    seen: Seen,
    /// What else belongs to it, as it follows the fact.
    more: String,
}

/// Who says it.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
enum Seen {
    /// There is nothing to say.
    #[default]
    Nothing,
    /// The server, by its code and in its words.
    ServerSaid { code: String, message: String },
    /// We do.
    Told(String),
}

impl Summary {
    /// The server's own code and words.
    pub(super) fn server_said(code: impl ToString, message: impl ToString) -> Summary {
        Summary {
            seen: Seen::ServerSaid {
                code: code.to_string(),
                message: message.to_string(),
            },
            more: String::new(),
        }
    }

    /// Whether there is nothing to say.
    pub fn is_empty(&self) -> bool {
        self.seen == Seen::Nothing && self.more.is_empty()
    }

    /// Whether it is the server's own words.
    pub fn is_servers(&self) -> bool {
        matches!(self.seen, Seen::ServerSaid { .. })
    }

    /// Adds what belongs to it.
    pub(super) fn add(&mut self, more: &str) {
        self.more.push_str(more);
    }
}

impl std::fmt::Display for Summary {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match &self.seen {
            Seen::Nothing => {}
            Seen::ServerSaid { code, message } => write!(f, "{code} {message}")?,
            Seen::Told(text) => f.write_str(text)?,
        }
        f.write_str(&self.more)
    }
}

impl From<String> for Summary {
    fn from(text: String) -> Summary {
        let seen = match text.is_empty() {
            true => Seen::Nothing,
            false => Seen::Told(text),
        };
        Summary {
            seen,
            more: String::new(),
        }
    }
}

impl From<&str> for Summary {
    fn from(text: &str) -> Summary {
        text.to_owned().into()
    }
}

pub(super) fn settings(evidence: Evidence<'_>) -> String {
    let counted = evidence.facts().find_map(|(_, fact)| match fact {
        Fact::SettingsRead { given, by_default } => Some((*given, *by_default)),
        _ => None,
    });
    let (given, by_default) = counted.unwrap_or_default();
    let form = &evidence.target.form;
    let converted = evidence.facts().find_map(|(_, fact)| match fact {
        Fact::HostBeyondAscii {
            told,
            in_dns,
            converted: true,
        } => Some(format!("; this client asks for {told} as {in_dns}")),
        _ => None,
    });
    let converted = converted.unwrap_or_default();
    match by_default {
        0 => format!("{form}, {given} values given{converted}"),
        _ => format!("{form}, {given} values given, {by_default} by default{converted}"),
    }
}

pub(super) fn addresses(host: &str, addresses: &[IpAddr]) -> String {
    match addresses {
        [] => format!("{host} has no address"),
        [one] => format!("{host} is {one}"),
        [first, rest @ ..] => format!("{host} is {first} and {} more", rest.len()),
    }
}

pub(super) fn name_trouble(host: &str, trouble: NameTrouble, code: &str) -> String {
    match trouble {
        NameTrouble::NoSuchName => format!("{host} does not exist"),
        NameTrouble::NoAddress => format!("{host} has no address"),
        NameTrouble::Failing => format!("{host}: the DNS lookup fails ({code})"),
        NameTrouble::NotAName => format!("{host} is not a host name"),
    }
}
