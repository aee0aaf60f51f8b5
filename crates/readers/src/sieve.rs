//! Which files are worth parsing: a file that holds none of a few words describes no
//! connection, whatever its format.
//!
//! The words are what [`crate::format`] and the gathering of keys need at least: for a
//! connection string its scheme or its driver, for separate keys one that says where (a
//! host, a server, a socket) or which engine. They are compared without regard to case.

use std::sync::OnceLock;

use aho_corasick::AhoCorasick;

use crate::format::Format;

/// In files of settings, whose keys count.
const IN_SETTINGS: &[&str] = &[
    "host",
    "server",
    "socket",
    "://",
    "postgres",
    "pgsql",
    "psycopg",
    "mysql",
    "mariadb",
    "mssql",
    "mongo",
    "jdbc:",
    "dsn",
    "data source",
    "database",
    "address",
    "apiversion",
    "[client",
];

/// In other texts, of which only whole connection strings count.
const IN_TEXTS: &[&str] = &[
    "postgresql://",
    "postgres://",
    "postgresql+",
    "postgres+",
    "mysql://",
    "mysql+",
    "mariadb://",
    "mariadb+",
    "tds://",
    "sqlserver://",
    "mongodb://",
    "mongodb+srv://",
    "jdbc:",
    "mysql:host=",
    "pgsql:host=",
];

/// Whether a file may describe a connection.
pub fn passes(path: &str, bytes: &[u8]) -> bool {
    static SEARCHES: OnceLock<Option<(AhoCorasick, AhoCorasick)>> = OnceLock::new();
    let built = SEARCHES.get_or_init(|| {
        let build = |words: &[&str]| {
            AhoCorasick::builder()
                .ascii_case_insensitive(true)
                .build(words)
                .ok()
        };
        Some((build(IN_SETTINGS)?, build(IN_TEXTS)?))
    });
    let Some((settings, texts)) = built else {
        return true;
    };
    // UTF-16: the words stand there with a zero byte between their letters.
    if bytes.starts_with(b"\xff\xfe") || bytes.starts_with(b"\xfe\xff") {
        return true;
    }
    match Format::of(path) {
        Format::Plain => texts.is_match(bytes),
        // Five fields with colons between: they have no keys.
        Format::PasswordFile => true,
        _ => settings.is_match(bytes),
    }
}
