//! Which files are worth parsing: a file that holds none of a few words describes no
//! connection, whatever its format.
//!
//! The words are what [`mod@crate::format`] and the gathering of keys need at least: one that
//! names an engine, a driver or a string's scheme; or, where separate keys leave the engine
//! unsaid, one that says where (a host, a server, a socket) together with one that says who
//! or what (a user, a password, a database). They are compared without regard to case. Programs
//! may call their database by a name of their own ([`PROGRAMS`]), and what only overrides a
//! value of another file names no place.

use std::sync::OnceLock;

use aho_corasick::AhoCorasick;

use chronaxis_engines::engines;

use crate::format::{Format, OF_ODBC, begins};
use crate::packages;
use crate::reader;

/// Words of a kind of file that is always read, or of any string.
const ALWAYS: &[&str] = &[
    "jdbc:",
    "kind: secret",
    "kind: configmap",
    "\"secret\"",
    "[client",
];

/// Words that name an engine, a driver, or a kind of file that is always read.
pub fn engine_words() -> Vec<String> {
    let mut out: Vec<String> = ALWAYS.iter().map(|word| (*word).to_owned()).collect();
    for engine in engines().iter().filter(|e| e.spec.in_settings) {
        out.extend(engine.spec.words.iter().map(|word| (*word).to_owned()));
        out.extend(
            engine
                .spec
                .schemes
                .iter()
                .map(|scheme| format!("{scheme}:")),
        );
        let leads = engine.spec.variable_leads.iter();
        out.extend(leads.map(|lead| format!("{lead}host")));
    }
    // What holds another word of the list adds nothing to it.
    let all = out.clone();
    let within = |word: &String| all.iter().any(|o| o != word && word.contains(o.as_str()));
    out.retain(|word| !within(word));
    out
}

/// Words of keys that say where.
pub const PLACES: &[&str] = &["host", "server", "address", "socket", "data source"];

/// Words of keys that say who and what.
pub const ACCOUNTS: &[&str] = &["user", "login", "uid", "passw", "pwd", "database", "db"];

/// What programs call their databases, as they are written.
pub const PROGRAMS: &[&str] = &[
    "DATABASE",
    "DB_",
    "create_engine",
    "BaseSettings",
    "\"host\"",
    "'host'",
];

/// What a program says that takes another one's settings over: searched for by itself, for
/// its first letters stand in every program.
pub const TAKES_OVER: &str = "import *";

/// Marks of strings that have neither a scheme nor keys, as they are written.
pub fn marks() -> impl Iterator<Item = &'static str> {
    engines().iter().flat_map(|e| e.spec.marks).copied()
}

struct Searches {
    marks: AhoCorasick,
    takes_over: AhoCorasick,
    /// How many of the words name an engine; those come first.
    engines: usize,
    keys: AhoCorasick,
    strings: AhoCorasick,
    programs: AhoCorasick,
    of_odbc: AhoCorasick,
}

impl Searches {
    fn new() -> Option<Searches> {
        let engines = engine_words();
        let others = PLACES.iter().chain(ACCOUNTS).copied();
        let mut folded = AhoCorasick::builder();
        folded.ascii_case_insensitive(true);
        Some(Searches {
            engines: engines.len(),
            keys: folded
                .build(engines.iter().map(String::as_str).chain(others))
                .ok()?,
            // As they are written: so many more texts are only searched for these that it
            // counts.
            strings: AhoCorasick::new(begins()).ok()?,
            marks: AhoCorasick::new(marks()).ok()?,
            takes_over: AhoCorasick::new([TAKES_OVER]).ok()?,
            programs: AhoCorasick::new(PROGRAMS).ok()?,
            of_odbc: AhoCorasick::new(OF_ODBC).ok()?,
        })
    }

    /// Whether an engine is named, or a place together with an account.
    fn describes(&self, bytes: &[u8]) -> bool {
        let (mut place, mut account) = (false, false);
        for hit in self.keys.find_overlapping_iter(bytes) {
            let word = hit.pattern().as_usize();
            if word < self.engines {
                return true;
            }
            match word < self.engines + PLACES.len() {
                true => place = true,
                false => account = true,
            }
            if place && account {
                return true;
            }
        }
        self.marks.is_match(bytes)
    }

    /// Whether a place or an account is named.
    fn names_any(&self, bytes: &[u8]) -> bool {
        self.keys.is_match(bytes)
    }

    /// Whether a program speaks of databases by a name that settings have for them.
    fn of_program(&self, bytes: &[u8]) -> bool {
        self.programs.is_match(bytes) || self.takes_over.is_match(bytes)
    }

    /// Whether an engine is named.
    fn names_engine(&self, bytes: &[u8]) -> bool {
        let mut hits = self.keys.find_overlapping_iter(bytes);
        hits.any(|hit| hit.pattern().as_usize() < self.engines)
    }
}

/// Whether a file lies where programs lay settings over one another.
fn overrides(path: &str) -> bool {
    let mut pieces = path.rsplit('/');
    let name = pieces.next().unwrap_or_default();
    pieces.next() == Some("config") || name.starts_with("application")
}

/// Whether a file is worth reading: it may describe a connection, or it tells who reads
/// what.
pub fn passes(path: &str, bytes: &[u8]) -> bool {
    is_context(path, bytes) || describes(path, bytes)
}

/// Whether a file tells what the project is made of, or hands files to readers.
pub fn is_context(path: &str, bytes: &[u8]) -> bool {
    packages::is_list(path) || reader::may_hand(path, bytes) || path.ends_with("manage.py")
}

/// Whether a file may describe a connection.
pub fn describes(path: &str, bytes: &[u8]) -> bool {
    static SEARCHES: OnceLock<Option<Searches>> = OnceLock::new();
    let Some(searches) = SEARCHES.get_or_init(Searches::new) else {
        return true;
    };
    // UTF-16: the words stand there with a zero byte between their letters.
    if bytes.starts_with(b"\xff\xfe") || bytes.starts_with(b"\xfe\xff") {
        return true;
    }
    match Format::of(path) {
        Format::Plain => searches.strings.is_match(bytes) || searches.of_odbc.is_match(bytes),
        // Five fields with colons between: they have no keys.
        Format::PasswordFile | Format::Odbc | Format::OdbcDrivers | Format::ServiceFile => true,
        // A variable may be read elsewhere, whatever it is called.
        Format::Environment => true,
        // It may name a file of variables, whatever stands in that.
        Format::Unit => true,
        // In a program the words for places and accounts stand everywhere.
        Format::Python => searches.names_engine(bytes) || searches.of_program(bytes),
        // What only overrides a value of another file names no place.
        Format::Json | Format::Yaml | Format::Toml | Format::Properties if overrides(path) => {
            searches.names_any(bytes)
        }
        _ => searches.describes(bytes),
    }
}
