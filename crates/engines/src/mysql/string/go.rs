//! The data-source name of Go's driver (documented: go-sql-driver/mysql, "DSN"):
//! `user:password@tcp(host:port)/database?key=value`. Nothing in the account is escaped.

use std::ops::Range;

use crate::text::pieces::Pieces;

/// What stands behind the account, by the kind of place.
pub(in super::super) const MARKS: &[&str] = &["@tcp(", "@tcp4(", "@tcp6(", "@unix("];

/// Where the account ends, if a text is one.
fn account_end(text: &str) -> Option<(usize, &'static str)> {
    let found = MARKS
        .iter()
        .filter_map(|mark| Some((text.rfind(mark)?, *mark)));
    found.max_by_key(|(at, _)| *at)
}

/// Whether a text is one.
pub(super) fn is_one(text: &str) -> bool {
    account_end(text).is_some_and(|(at, mark)| {
        let behind = text.get(at + mark.len()..).unwrap_or_default();
        behind.contains(")/")
    })
}

/// Reads one that begins at byte `lead`.
pub(super) fn read(text: &str, lead: usize) -> Pieces {
    let mut pieces = Pieces::default();
    let Some((at, mark)) = account_end(text) else {
        return pieces;
    };
    let mut add = |key: &str, span: Range<usize>| {
        let value = text.get(span.clone()).unwrap_or_default().to_owned();
        if !value.is_empty() {
            pieces.add(key, value, span);
        }
    };
    let account = text.get(lead..at).unwrap_or_default();
    let user_end = account.find(':').map_or(at, |colon| lead + colon);
    add("user", lead..user_end);
    if user_end < at {
        add("password", user_end + 1..at);
    }
    let from = at + mark.len();
    let behind = text.get(from..).unwrap_or_default();
    let end = from + behind.find(")/").unwrap_or(behind.len());
    let place = text.get(from..end).unwrap_or_default();
    if mark == "@unix(" {
        add("socket", from..end);
    } else {
        let colon = place
            .rfind(':')
            .filter(|p| !place.get(*p..).is_some_and(|r| r.contains(']')));
        let host = from..colon.map_or(end, |p| from + p);
        let bracketed = place.starts_with('[');
        let inner = usize::from(bracketed);
        add(
            "host",
            host.start + inner..host.end.saturating_sub(inner).max(host.start + inner),
        );
        if let Some(colon) = colon {
            add("port", from + colon + 1..end);
        }
    }
    let name_from = (end + 2).min(text.len());
    let rest = text.get(name_from..).unwrap_or_default().trim_end();
    let name_end = name_from + rest.find('?').unwrap_or(rest.len());
    add("dbname", name_from..name_end);
    let query_from = (name_end + 1).min(text.len());
    let query = text.get(query_from..).unwrap_or_default().trim_end();
    // It encrypts only when told to.
    let mut mode = "DISABLED";
    let mut mode_at = name_end..name_end;
    let mut begins = query_from;
    for pair in query.split('&') {
        let (key, value) = pair.split_once('=').unwrap_or((pair, ""));
        let span = begins + key.len() + 1..begins + pair.len();
        match (key, value) {
            ("tls", "true") => (mode, mode_at) = ("VERIFY_IDENTITY", span),
            ("tls", "skip-verify") => (mode, mode_at) = ("REQUIRED", span),
            ("tls", "preferred") => (mode, mode_at) = ("PREFERRED", span),
            _ if !key.is_empty() => pieces.recognised.push(begins..begins + key.len()),
            _ => {}
        }
        begins += pair.len() + 1;
    }
    pieces.add("ssl_mode", mode.to_owned(), mode_at);
    pieces
}
