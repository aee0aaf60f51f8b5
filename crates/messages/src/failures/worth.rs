//! What one recognised message is worth.

use chronaxis_engines::engines;
use chronaxis_model::fact::Meaning;

use crate::codes::{self, Worth};
use crate::parts::Parts;
use crate::pattern::Says;
use crate::search::Found;
use crate::text::Flat;

/// What one found message is worth.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Value {
    /// It says how the attempt stopped.
    Stopped(&'static str),
    /// The server's code does.
    Refused(Meaning),
    /// It follows from another; alone it says this.
    Follows(Option<&'static str>),
    /// It hides another.
    Hides(&'static str),
    /// The connection stood.
    Statement,
    /// It only says where.
    Beside,
}

pub(super) fn worth(found: &Found, parts: &Parts, flat: &Flat, begins: usize) -> Value {
    match found.pattern.says {
        Says::Stopped { symptom, .. } => Value::Stopped(symptom),
        Says::FollowsOn { alone } => Value::Follows(alone),
        Says::Hides { uncover } => Value::Hides(uncover),
        Says::NotTheConnection => Value::Statement,
        Says::Beside => Value::Beside,
        Says::Driver => Value::Stopped(of_driver(parts.driver.as_deref().unwrap_or_default())),
        Says::Code => {
            let code = parts.code.as_deref().unwrap_or_default();
            match codes::worth(parts.engine, code) {
                Worth::Refused(Meaning::IdentityRefused) if names_rules(flat, found, begins) => {
                    Value::Refused(Meaning::HostNotPermitted)
                }
                Worth::Refused(Meaning::ProtocolRefused) => Value::Beside,
                Worth::Refused(meaning) => Value::Refused(meaning),
                Worth::Statement => Value::Statement,
                Worth::Nothing => Value::Beside,
            }
        }
    }
}

/// The file of host rules is called so in every language.
fn names_rules(flat: &Flat, found: &Found, begins: usize) -> bool {
    (begins..=found.line + 2).any(|line| flat.line(line).contains("pg_hba.conf"))
}

/// Whether a driver is known by this name: then it is not there; else its name is misspelt.
fn of_driver(name: &str) -> &'static str {
    let name = name
        .trim_start_matches("jdbc:")
        .trim_matches(['\'', '"', '/', ' ']);
    let word = name.split("://").next().unwrap_or(name).to_lowercase();
    let word = word.split('/').next().unwrap_or(&word);
    let bare = word.split(['+', ':']).next().unwrap_or(word);
    let known = engines().iter().any(|engine| {
        let spec = engine.spec;
        let same = |all: &[&str]| {
            all.iter()
                .any(|one| one.eq_ignore_ascii_case(bare) || one.eq_ignore_ascii_case(word))
        };
        same(spec.schemes)
            || same(spec.adapters)
            || same(spec.drivers)
            || same(spec.jdbc_names)
            || same(spec.driver_words)
            || spec.odbc_words.iter().any(|w| word.contains(w))
    });
    match known {
        true => "settings/library-missing",
        false if name.is_empty() || name.eq_ignore_ascii_case("null") => "settings/value-missing",
        false => "settings/scheme-unknown",
    }
}
