//! The error log of MySQL and MariaDB.

use super::Entry;
use crate::moment;

/// `2026-11-30T10:00:00.123456Z 8 [Warning] …`, `2026-11-30 10:00:00 8 [Warning] …`.
pub(super) fn is_entry(line: &str) -> bool {
    let level = [
        "[Note]",
        "[Warning]",
        "[ERROR]",
        "[Error]",
        "[System]",
        "[Info]",
    ];
    moment::read(line, 1970).is_some() && level.iter().any(|l| line.contains(l))
}

pub(super) fn entries(text: &str, year: i16) -> Vec<Entry> {
    let mut out = Vec::new();
    for (number, line) in text.lines().enumerate() {
        if !is_entry(line) {
            continue;
        }
        let words = line.split_once("] ").map_or(line, |(_, words)| words);
        if let Some(entry) = entry(words, number + 1, moment::read(line, year)) {
            out.push(entry);
        }
    }
    out
}

/// An entry by its words; none where they tell of no client.
pub(super) fn entry(words: &str, line: usize, at: Option<moment::Moment>) -> Option<Entry> {
    let told = [
        "Access denied",
        "Aborted connection",
        "is blocked",
        "not allowed to connect",
        "Too many connections",
        "Host '",
        "could not be resolved",
        "insecure transport",
        "Bad handshake",
        "SSL",
    ];
    if !told.iter().any(|t| words.contains(t)) {
        return None;
    }
    let quoted = |key: &str| {
        let (_, rest) = words.split_once(key)?;
        rest.split('\'').next().filter(|v| !v.is_empty())
    };
    let host = quoted("'@'")
        .or_else(|| quoted("host: '"))
        .or_else(|| quoted("Host '"));
    let host = host.map(|host| {
        if host == "localhost" {
            "127.0.0.1"
        } else {
            host
        }
    });
    let user = quoted("for user '").or_else(|| quoted("user: '"));
    let database = quoted("to database '").or_else(|| quoted("db: '"));
    Some(Entry {
        line,
        at,
        client: host.and_then(|host| host.parse().ok()),
        client_port: None,
        user: user.map(str::to_owned),
        database: database.filter(|d| *d != "unconnected").map(str::to_owned),
        code: None,
        text: words.to_owned(),
        signals: Vec::new(),
    })
}
