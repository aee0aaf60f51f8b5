//! What PostgreSQL's clients add to the ways of signing in.

use chronaxis_model::target::{ClientId, Target};
use md5::{Digest, Md5};

use crate::scram::Binding;

/// Whether this target's client binds its exchange to the channel.
pub(super) fn binding(target: &Target) -> Binding {
    let may = target.option_or("channel_binding", "prefer") != "disable";
    match target.client {
        ClientId::Libpq | ClientId::Pg8000 if may => Binding::Possible,
        _ => Binding::Without,
    }
}

/// The methods that a client takes from a server (PostgreSQL documentation, "Connection
/// Parameters", `require_auth`).
#[derive(Clone, Debug, Default)]
pub(super) struct RequiredMethods {
    names: Vec<String>,
    /// Whether the names are those that it does not take.
    forbidden: bool,
}

impl RequiredMethods {
    /// Reads the names with commas between them; with `!` before each, all but these.
    pub(super) fn read(text: &str) -> RequiredMethods {
        let names = text
            .split(',')
            .map(str::trim)
            .filter(|name| !name.is_empty());
        RequiredMethods {
            forbidden: text.trim_start().starts_with('!'),
            names: names
                .map(|name| name.trim_start_matches('!').to_owned())
                .collect(),
        }
    }

    /// Whether it takes a method of this name.
    pub(super) fn takes(&self, name: &str) -> bool {
        self.names.is_empty() || self.names.iter().any(|one| one == name) != self.forbidden
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
