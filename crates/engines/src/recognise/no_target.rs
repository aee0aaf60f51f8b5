//! Texts that are no target, and why.

use crate::text::is_scheme;

/// Why a text is no target. Of the text itself only what was recognised is told: the rest
/// may be a secret in the wrong place.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum NotATarget {
    /// Nothing stands there.
    #[error(
        "the target is empty; expected a connection string, for example postgresql://purser@quay.osmary.example/sailings"
    )]
    Empty,
    /// `HOST:PORT` without the engine.
    #[error(
        "\"{0}\" does not say which engine answers there; add --engine (postgresql, mysql, tds, mongodb, directory, tcp or tls), or write it as a URL"
    )]
    EngineUnsaid(String),
    /// What a client said when it failed.
    #[error(
        "this looks like an error message, not a target; chronaxis explain says what it means. To diagnose, give what the program connects with: its connection string, or the file that holds it (chronaxis settings . finds those of a project)"
    )]
    ErrorText,
    /// Pairs with semicolons between, which several engines' clients take alike.
    #[error(
        "this data-source string does not say which engine answers there: its words are those of several; add --engine (postgresql, mysql or tds), or the port"
    )]
    EngineOfPairsUnsaid,
    /// None of the forms.
    #[error(
        "{what} is not a form that this program reads ({length} characters, not shown because they may contain a secret); expected a URL such as postgresql://purser@quay.osmary.example/sailings, keyword=value pairs, HOST:PORT, or a file"
    )]
    NoForm {
        /// What it looks like, in words.
        what: &'static str,
        /// How long it is, in characters.
        length: usize,
    },
    /// `HOST:PORT` that is not one.
    #[error("the target is not HOST:PORT: {why}")]
    NotHostPort {
        /// What is wrong.
        why: &'static str,
    },
    /// A scheme like no known one.
    #[error(
        "{0} is not supported; expected one of postgresql://, postgres://, mysql://, mariadb://, tds://, sqlserver://, mongodb://, mongodb+srv://, directory://, tcp://, tls://"
    )]
    SchemeFarOff(String),
    /// A data-source string whose driver is none of a known engine.
    #[error(
        "the driver of the data-source string does not belong to a known engine: {0}; expected a driver for PostgreSQL, MySQL, MariaDB or TDS, or --engine"
    )]
    DriverUnknown(String),
}

/// The scheme in a sentence: by its name where that is a known word.
pub(super) fn scheme_shown(scheme: &str) -> String {
    // One short word of letters is a scheme's name, of whatever kind.
    let word = scheme.len() <= 14 && scheme.chars().all(|c| c.is_ascii_lowercase());
    match word || is_scheme(scheme) {
        true => format!("the scheme \"{scheme}\""),
        false => format!("the scheme ({} characters)", scheme.chars().count()),
    }
}

/// Words of error messages.
const COMPLAINTS: &[&str] = &[
    "error",
    "failed",
    "failure",
    "refused",
    "timeout",
    "timed out",
    "could not",
    "cannot",
    "can't",
    "unable to",
    "denied",
    "exception",
    "fatal",
    "no such host",
    "not found",
    "lost connection",
];

/// Whether a text is what a client said when it failed.
pub(super) fn is_complaint(text: &str) -> bool {
    let low = text.to_ascii_lowercase();
    let first = low.split_whitespace().next().unwrap_or_default();
    !first.contains('=')
        && low.split_whitespace().count() >= 3
        && COMPLAINTS.iter().any(|word| low.contains(word))
}

/// What a text that is no target looks like.
pub(super) fn no_form(text: &str) -> NotATarget {
    let bare = text.trim();
    let first = bare.split_whitespace().next().unwrap_or_default();
    let program = first.rsplit('/').next().unwrap_or_default();
    let what = match program {
        "psql" | "mysql" | "mariadb" | "sqlcmd" | "mongosh" | "mongo" | "pg_dump" | "mysqldump"
        | "sudo" | "docker" | "kubectl" => "what looks like a command line",
        "export" | "set" | "SET" | "setx" | "env" => "what looks like a line of a shell",
        _ if bare.starts_with(['{', '[']) => "what looks like JSON",
        _ if bare.starts_with(['"', '\'', '`', '<', '(']) => "a text in quotes or brackets",
        _ if bare.contains("://") => "a text around a URL",
        _ if is_a_bare_host(bare) => "a host without a port (or --engine)",
        _ if bare.matches(':').count() >= 4 => "what looks like a line of a password file",
        _ => "the target",
    };
    NotATarget::NoForm {
        what,
        length: bare.chars().count(),
    }
}

/// Whether a text is an address, or a name with dots, and nothing more.
fn is_a_bare_host(text: &str) -> bool {
    let address = text.trim_matches(['[', ']']).parse::<std::net::IpAddr>();
    let dotted = text.contains('.')
        && text
            .chars()
            .all(|c| c.is_ascii_alphanumeric() || matches!(c, '.' | '-'))
        && text.chars().any(|c| c.is_ascii_lowercase());
    address.is_ok() || dotted
}
