//! What PostgreSQL's clients add to the ways of signing in.

use chronaxis_model::shown;
use chronaxis_model::target::{ClientId, Target};
use md5::{Digest, Md5};

use super::codec::{VERSION, VERSION_3_2};
use crate::scram::Binding;

/// Whether this target's client binds its exchange to the channel.
pub(super) fn binding(target: &Target) -> Binding {
    let may = target.option_or("channel_binding", "prefer") != "disable";
    match target.client {
        ClientId::Libpq | ClientId::Pg8000 if may => Binding::Possible,
        _ => Binding::Without,
    }
}

/// The version of the protocol that a client asks for, and the oldest that it takes
/// (PostgreSQL documentation, "Connection Parameters", `min_protocol_version`): only the C
/// library of version 18 and later asks for another than 3.0.
pub(super) fn protocol_versions(target: &Target) -> (u32, u32) {
    let told = |key: &str| match target.options.get(key).map(String::as_str) {
        Some("3.2" | "latest") => Some(VERSION_3_2),
        Some(_) => Some(VERSION),
        None => None,
    };
    if target.client != ClientId::Libpq {
        return (VERSION, VERSION);
    }
    let least = told("min_protocol_version").unwrap_or(VERSION);
    (
        told("max_protocol_version").unwrap_or(least).max(least),
        least,
    )
}

/// The methods that a client takes from a server (PostgreSQL documentation, "Connection
/// Parameters", `require_auth`).
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) struct RequiredMethods {
    names: Vec<String>,
    /// Whether the names are those that it does not take.
    forbidden: bool,
}

/// The names that it knows; `none` stands for no exchange at all.
const METHODS: &[&str] = &[
    "password",
    "md5",
    "gss",
    "sspi",
    "scram-sha-256",
    "oauth",
    "none",
];

/// What is wrong with a list of methods.
#[derive(Debug, PartialEq, Eq)]
pub(super) enum WrongMethods {
    /// A name that is none.
    Unknown(String),
    /// A name that is there twice.
    Twice(String),
    /// Some with `!` before them, some without.
    Mixed,
}

impl WrongMethods {
    /// In words, behind the name of the setting.
    pub(super) fn words(&self) -> String {
        match self {
            WrongMethods::Unknown(name) => {
                let near = shown::near(name, METHODS.iter().copied());
                format!("names a method that is not known: {near}")
            }
            WrongMethods::Twice(name) => format!("names {name} twice"),
            WrongMethods::Mixed => "names methods with and without ! before them".to_owned(),
        }
    }

    /// What was expected.
    pub(super) fn expected(&self) -> String {
        let all = METHODS.join(", ");
        match self {
            WrongMethods::Unknown(_) => format!("of {all}, with commas and no spaces between"),
            WrongMethods::Twice(_) => "each of them once".to_owned(),
            WrongMethods::Mixed => "! before each of them, or before none".to_owned(),
        }
    }
}

impl RequiredMethods {
    /// Reads the names with commas between them; with `!` before each, all but these.
    ///
    /// # Errors
    /// Says what the library finds wrong with them.
    pub(super) fn read(text: &str) -> Result<RequiredMethods, WrongMethods> {
        let forbidden = text.starts_with('!');
        let mut names: Vec<String> = Vec::new();
        for part in text.split(',') {
            let name = part.strip_prefix('!').unwrap_or(part);
            if part.starts_with('!') != forbidden {
                return Err(WrongMethods::Mixed);
            }
            if !METHODS.contains(&name) {
                return Err(WrongMethods::Unknown(name.to_owned()));
            }
            if names.iter().any(|known| known == name) {
                return Err(WrongMethods::Twice(name.to_owned()));
            }
            names.push(name.to_owned());
        }
        Ok(RequiredMethods { names, forbidden })
    }

    /// Whether it takes a method of this name.
    pub(super) fn takes(&self, name: &str) -> bool {
        self.names.iter().any(|one| one == name) != self.forbidden
    }
}

/// PostgreSQL's MD5 answer: `md5` and the hash of (hash of password and user) and salt.
pub fn md5_answer(user: &str, password: &str, salt: [u8; 4]) -> String {
    let hex = |data: &[u8]| -> String {
        Md5::digest(data)
            .iter()
            .map(|b| format!("{b:02x}"))
            .collect()
    };
    let inner = hex(format!("{password}{user}").as_bytes());
    let mut outer = inner.into_bytes();
    outer.extend_from_slice(&salt);
    format!("md5{}", hex(&outer))
}
