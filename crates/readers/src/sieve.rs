//! Which files are worth parsing: a file that holds none of a few words describes no
//! connection, whatever its format.
//!
//! The words are what [`mod@crate::format`] and the gathering of keys need at least: one that
//! names an engine, a driver or a string's scheme; or, where separate keys leave the engine
//! unsaid, one that says where (a host, a server, a socket) together with one that says who
//! or what (a user, a password, a database). They are compared without regard to case.

use std::sync::OnceLock;

use aho_corasick::AhoCorasick;

use crate::format::{BEGINS, Format};

/// Words that name an engine, a driver, or a kind of file that is always read.
pub const ENGINES: &[&str] = &[
    "postgres",
    "pgsql",
    "psycopg",
    "asyncpg",
    "pg8000",
    "pghost",
    "mysql",
    "mariadb",
    "mssql",
    "sqlserver",
    "sql server",
    "freetds",
    "mongo",
    "jdbc:",
    "tds:",
    "directory:",
    "kind: secret",
    "kind: configmap",
    "\"secret\"",
    "[client",
];

/// Words of keys that say where.
pub const PLACES: &[&str] = &["host", "server", "address", "socket", "data source"];

/// Words of keys that say who and what.
pub const ACCOUNTS: &[&str] = &["user", "login", "uid", "passw", "pwd", "database", "db"];

struct Searches {
    keys: AhoCorasick,
    strings: AhoCorasick,
}

impl Searches {
    fn new() -> Option<Searches> {
        let mut folded = AhoCorasick::builder();
        folded.ascii_case_insensitive(true);
        Some(Searches {
            keys: folded.build([ENGINES, PLACES, ACCOUNTS].concat()).ok()?,
            // As they are written: so many more texts are only searched for these that it
            // counts.
            strings: AhoCorasick::new(BEGINS).ok()?,
        })
    }

    /// Whether an engine is named, or a place together with an account.
    fn describes(&self, bytes: &[u8]) -> bool {
        let (mut place, mut account) = (false, false);
        for hit in self.keys.find_overlapping_iter(bytes) {
            let word = hit.pattern().as_usize();
            if word < ENGINES.len() {
                return true;
            }
            match word < ENGINES.len() + PLACES.len() {
                true => place = true,
                false => account = true,
            }
            if place && account {
                return true;
            }
        }
        false
    }

    /// Whether an engine is named.
    fn names_engine(&self, bytes: &[u8]) -> bool {
        let mut hits = self.keys.find_overlapping_iter(bytes);
        hits.any(|hit| hit.pattern().as_usize() < ENGINES.len())
    }
}

/// Whether a file may describe a connection.
pub fn passes(path: &str, bytes: &[u8]) -> bool {
    static SEARCHES: OnceLock<Option<Searches>> = OnceLock::new();
    let Some(searches) = SEARCHES.get_or_init(Searches::new) else {
        return true;
    };
    // UTF-16: the words stand there with a zero byte between their letters.
    if bytes.starts_with(b"\xff\xfe") || bytes.starts_with(b"\xfe\xff") {
        return true;
    }
    match Format::of(path) {
        Format::Plain => searches.strings.is_match(bytes),
        // Five fields with colons between: they have no keys.
        Format::PasswordFile | Format::Odbc | Format::OdbcDrivers | Format::ServiceFile => true,
        // A variable may be read elsewhere, whatever it is called.
        Format::Environment => true,
        // In a program the words for places and accounts stand everywhere.
        Format::Python => searches.names_engine(bytes),
        _ => searches.describes(bytes),
    }
}
