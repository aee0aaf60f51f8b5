//! Values that are one of a few words, or a number: the C library refuses any other before it
//! connects (each measured with its version 18).

use chronaxis_model::shown;
use chronaxis_model::sourced::Origin;
use chronaxis_model::target::ClientId;

use super::super::sign_in::RequiredMethods;
use super::{Filled, MEANS, listens};
use crate::strings::ClientEnvironment;

/// Keywords whose value is one of a few words.
const CHOICES: &[(&str, &[&str])] = &[
    (
        "sslmode",
        &[
            "disable",
            "allow",
            "prefer",
            "require",
            "verify-ca",
            "verify-full",
        ],
    ),
    (
        "target_session_attrs",
        &[
            "any",
            "read-write",
            "read-only",
            "primary",
            "standby",
            "prefer-standby",
        ],
    ),
    ("load_balance_hosts", &["disable", "random"]),
    ("channel_binding", &["disable", "prefer", "require"]),
    ("sslnegotiation", &["postgres", "direct"]),
    ("ssl_min_protocol_version", TLS_VERSIONS),
    ("ssl_max_protocol_version", TLS_VERSIONS),
];

/// Those that only the C library has.
const OWN_CHOICES: &[(&str, &[&str])] = &[
    ("min_protocol_version", PROTOCOLS),
    ("max_protocol_version", PROTOCOLS),
    ("sslcertmode", &["disable", "allow", "require"]),
    ("gssencmode", &["disable", "prefer", "require"]),
];

/// In their order, as the next.
const TLS_VERSIONS: &[&str] = &["TLSv1", "TLSv1.1", "TLSv1.2", "TLSv1.3"];

/// Versions of the protocol.
const PROTOCOLS: &[&str] = &["3.0", "3.2", "latest"];

/// Keywords whose value is a whole number.
const NUMBERS: &[&str] = &[
    "connect_timeout",
    "keepalives",
    "keepalives_idle",
    "keepalives_interval",
    "keepalives_count",
    "tcp_user_timeout",
];

/// Pairs of which the first must not be over the second, and their values in order.
const RANGES: &[(&str, &str, &[&str])] = &[
    (
        "ssl_min_protocol_version",
        "ssl_max_protocol_version",
        TLS_VERSIONS,
    ),
    ("min_protocol_version", "max_protocol_version", PROTOCOLS),
];

/// The modes in which a client encrypts or does not connect.
const STRICT_MODES: &[&str] = &["require", "verify-ca", "verify-full"];

/// Whether the library refuses an empty value of a keyword.
fn counts_empty(keyword: &str) -> bool {
    let of_tls = keyword.starts_with("ssl_m");
    let choices = CHOICES.iter().chain(OWN_CHOICES).map(|(key, _)| key);
    let own = choices.chain(NUMBERS).chain(&["require_auth"]);
    !of_tls && own.into_iter().any(|key| *key == keyword)
}

impl Filled {
    /// Checks them all.
    pub(super) fn check_choices(&mut self, around: &ClientEnvironment) {
        self.check_words(CHOICES);
        self.check_numbers();
        if self.client == ClientId::Libpq {
            self.check_words(OWN_CHOICES);
            self.check_ranges();
            self.check_required_methods();
            self.check_weak_modes();
        }
        self.check_empty(around);
    }

    fn check_words(&mut self, choices: &[(&str, &[&str])]) {
        for (key, choices) in choices {
            let Some(value) = self.options.get(*key).cloned() else {
                continue;
            };
            let of_jdbc = self.client == ClientId::Pgjdbc && value == "prefer-primary";
            if !choices.contains(&value.as_str()) && !of_jdbc {
                let text = format!(
                    "{key} {} is not known",
                    shown::near(&value, choices.iter().copied())
                );
                self.unreadable(key, text, &choices.join(", "));
            }
        }
    }

    fn check_numbers(&mut self) {
        for key in NUMBERS {
            let value = self.options.get(*key).cloned();
            let wrong = value.filter(|v| v.trim().parse::<i32>().is_err());
            if let Some(value) = wrong {
                let text = format!("{key} {} is not a whole number", shown::number(&value));
                self.unreadable(key, text, "a whole number, in seconds where it is a time");
            }
        }
    }

    fn check_ranges(&mut self) {
        for (least, most, order) in RANGES {
            let place = |key: &str| {
                let told = self.options.get(key)?;
                let newest = if told == "latest" { "3.2" } else { told };
                order.iter().position(|value| *value == newest)
            };
            if matches!((place(least), place(most)), (Some(least), Some(most)) if least > most) {
                let text = format!("{least} is higher than {most}");
                self.unreadable(least, text, "a lower one, or none");
            }
        }
    }

    fn check_required_methods(&mut self) {
        let told = self.options.get("require_auth").map(String::as_str);
        if let Some(Err(wrong)) = told.map(RequiredMethods::read) {
            let text = format!("require_auth {}", wrong.words());
            self.unreadable("require_auth", text, &wrong.expected());
        }
    }

    /// Settings that this library takes only together with a mode that demands encryption.
    fn check_weak_modes(&mut self) {
        let told = |key: &str| self.options.get(key).map_or("", String::as_str);
        let mode = told("sslmode");
        if told("sslnegotiation") == "direct" && !STRICT_MODES.contains(&mode) {
            let mode = if mode.is_empty() { "prefer" } else { mode };
            let text = format!("sslnegotiation=direct does not go together with sslmode={mode}");
            self.unreadable("sslmode", text, &STRICT_MODES.join(", "));
        } else if told("sslrootcert") == "system" && !matches!(mode, "" | "verify-full") {
            let text = format!("sslrootcert=system does not go together with sslmode={mode}");
            self.unreadable("sslmode", text, "verify-full");
        }
    }

    /// An empty value counts for this library, in a string and in a variable. In a file it may
    /// be another reader that drops it.
    fn check_empty(&mut self, around: &ClientEnvironment) {
        for keyword in std::mem::take(&mut self.empty) {
            if self.client == ClientId::Libpq && counts_empty(&keyword) {
                let text = format!("{keyword} is given without a value");
                self.unreadable(&keyword, text, "a value, or leave it out");
            }
        }
        for (variable, keyword) in MEANS {
            let empty = around
                .variables
                .get(*variable)
                .is_some_and(String::is_empty);
            let counts = listens(self.client, variable) && counts_empty(keyword);
            let of_library = self.client == ClientId::Libpq || *variable == "PGCONNECT_TIMEOUT";
            if empty && counts && of_library && !self.options.contains_key(*keyword) {
                let text = format!("the variable {variable} is set but empty");
                self.unreadable(keyword, text, "a value, or unset the variable");
            }
        }
    }
}

/// The keywords of a string that are given and empty.
pub(super) fn given_empty<'a>(
    values: impl IntoIterator<Item = (&'a String, &'a chronaxis_model::sourced::Sourced<String>)>,
) -> Vec<String> {
    let empty = values
        .into_iter()
        .filter(|(_, told)| told.value.is_empty() && matches!(told.origin, Origin::Target { .. }));
    empty.map(|(keyword, _)| keyword.clone()).collect()
}
