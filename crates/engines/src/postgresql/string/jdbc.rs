//! The form that PostgreSQL's JDBC driver reads: `jdbc:postgresql://host:port/database?key=value`.
//!
//! Measured with its version 42.5: a slash must stand behind the hosts, nobody's user and
//! password may stand before them, `+` is a blank, and unknown parameters are passed over.

use std::ops::Range;

use percent_encoding::percent_decode_str;

use chronaxis_model::settings::DefectKind;

use crate::text::pieces::{Pieces, SECRETS, subject};
use crate::text::uri::bad_escape;

/// What the text begins with.
pub(super) const LEAD: &str = "jdbc:postgresql:";

/// The driver's parameters that mean what one of the C library's keywords means.
const MEANS: &[(&str, &str)] = &[
    ("user", "user"),
    ("password", "password"),
    ("sslmode", "sslmode"),
    ("sslrootcert", "sslrootcert"),
    ("sslcert", "sslcert"),
    ("sslkey", "sslkey"),
    ("sslpassword", "sslpassword"),
    ("ApplicationName", "application_name"),
    ("connectTimeout", "connect_timeout"),
    ("currentSchema", "search_path"),
    ("options", "options"),
    ("passfile", "passfile"),
    ("gssEncMode", "gssencmode"),
    ("channelBinding", "channel_binding"),
    ("service", "service"),
    ("replication", "replication"),
];

/// Kinds of servers in the driver's words, the newer ones first.
const SERVERS: &[(&str, &str)] = &[
    ("primary", "read-write"),
    ("master", "read-write"),
    ("secondary", "read-only"),
    ("slave", "read-only"),
    ("preferSecondary", "prefer-standby"),
    ("preferSlave", "prefer-standby"),
    ("preferPrimary", "prefer-primary"),
];

/// A keyword and its value in the driver's own words; nothing where it has none.
pub(in super::super) fn word<'a>(
    keyword: &'a str,
    value: &'a str,
) -> Option<(&'static str, &'a str)> {
    match keyword {
        "target_session_attrs" => {
            let known = SERVERS.iter().find(|(_, wanted)| *wanted == value);
            Some(("targetServerType", known.map_or(value, |(own, _)| *own)))
        }
        "load_balance_hosts" => Some((
            "loadBalanceHosts",
            if value == "random" { "true" } else { "false" },
        )),
        keyword => {
            let known = MEANS.iter().find(|(_, means)| *means == keyword);
            known.map(|(own, _)| (*own, value))
        }
    }
}

/// Reads a text that begins with [`LEAD`] at byte `lead`.
pub(super) fn read(text: &str, lead: usize) -> Pieces {
    let mut pieces = Pieces::default();
    let start = lead + LEAD.len();
    let query = text
        .get(start..)
        .and_then(|t| t.find('?'))
        .map_or(text.len(), |p| start + p);
    parameters(&mut pieces, text, query);
    if text.get(start..query).is_some_and(|t| t.starts_with("//")) {
        places(&mut pieces, text, start + 2..query);
    } else {
        let name = text.get(start..query).unwrap_or_default();
        if name.starts_with('/') {
            pieces.fail(
                DefectKind::Unreadable,
                "string",
                start..query,
                "one slash before the database: this driver takes two and a host, or none"
                    .to_owned(),
                "jdbc:postgresql://host:port/database",
            );
        }
        let from = start + name.len() - name.trim_start_matches('/').len();
        decode(&mut pieces, text, "dbname", from..query);
        pieces.add("host", "localhost".to_owned(), start..start);
    }
    pieces
}

/// `host:port,host:port/database`.
fn places(pieces: &mut Pieces, text: &str, span: Range<usize>) {
    let place = text.get(span.clone()).unwrap_or_default();
    if let Some(at) = place.rfind('@') {
        pieces.covered.push(span.start..span.start + at);
        let what = "this driver accepts no user and password before the host";
        pieces.fail(
            DefectKind::Unreadable,
            "host",
            span.start..span.start + at + 1,
            what.to_owned(),
            "user and password as parameters: ?user=…&password=…",
        );
        return;
    }
    // The last one splits: what stands before it is a port to the driver, or a host.
    let Some(slash) = place.rfind('/') else {
        pieces.fail(
            DefectKind::Unreadable,
            "string",
            span.end.saturating_sub(1).max(span.start)..span.end,
            "there is no slash after the hosts".to_owned(),
            "a slash between the hosts and the parameters, then the database",
        );
        return;
    };
    if place.get(..slash).is_some_and(|hosts| hosts.contains('/')) {
        pieces.fail(
            DefectKind::Unreadable,
            "string",
            span.start..span.start + slash,
            "there is a second slash: this driver takes what stands before it for a port"
                .to_owned(),
            "a slash in the database's name as %2F",
        );
    }
    decode(pieces, text, "dbname", span.start + slash + 1..span.end);
    let mut at = span.start;
    for one in place.get(..slash).unwrap_or_default().split(',') {
        let whole = at..at + one.len();
        at = whole.end + 1;
        let port_at = one
            .rfind(':')
            .filter(|p| one.rfind(']').is_none_or(|b| b < *p));
        let host_end = port_at.map_or(whole.end, |p| whole.start + p);
        let host = text.get(whole.start..host_end).unwrap_or_default();
        let bare = host.trim_start_matches('[').trim_end_matches(']');
        let bare = if bare.is_empty() { "localhost" } else { bare };
        pieces.add_place("host", bare.to_owned(), whole.start..host_end);
        let port = port_at.map_or(whole.end..whole.end, |p| whole.start + p + 1..whole.end);
        let digits = text.get(port.clone()).unwrap_or_default().to_owned();
        if port_at.is_some() && digits.is_empty() {
            pieces.fail(
                DefectKind::Unreadable,
                "port",
                whole.clone(),
                "there is a colon after the host and no port".to_owned(),
                "a port, or no colon",
            );
        }
        pieces.add_place("port", digits, port);
    }
}

fn parameters(pieces: &mut Pieces, text: &str, query: usize) {
    let mut at = query + 1;
    for pair in text.get(at..).unwrap_or_default().split('&') {
        let span = at..at + pair.len();
        at = span.end + 1;
        let Some(equals) = pair.find('=') else {
            // A name alone is an empty value.
            if let Some((_, keyword)) = MEANS.iter().find(|(own, _)| *own == pair) {
                pieces.found.retain(|p| p.key != *keyword);
                pieces.add(keyword, String::new(), span.end..span.end);
            }
            pieces.covered.push(span);
            continue;
        };
        let key = pair.get(..equals).unwrap_or_default();
        let value = span.start + equals + 1..span.end;
        let shown = text.get(value.clone()).unwrap_or_default();
        match key {
            "ssl" if shown == "true" || shown.is_empty() => {
                pieces.add("sslmode", "verify-full".to_owned(), value);
            }
            "loadBalanceHosts" => {
                let order = if shown == "true" { "random" } else { "disable" };
                pieces.add("load_balance_hosts", order.to_owned(), value);
            }
            "targetServerType" => {
                // "any", or a word that is no choice: said where the values are checked.
                let known = SERVERS.iter().find(|(own, _)| *own == shown);
                let wanted = known.map_or(shown, |(_, wanted)| *wanted);
                pieces.add("target_session_attrs", wanted.to_owned(), value);
            }
            key => match MEANS.iter().find(|(own, _)| *own == key) {
                Some((_, keyword)) => decode(pieces, text, keyword, value),
                // Passed over by the driver; who knows what stands there.
                None => pieces.covered.push(value),
            },
        }
    }
}

/// Decodes as the driver does: percent escapes, and `+` for a blank.
fn decode(pieces: &mut Pieces, text: &str, key: &str, span: Range<usize>) {
    let raw = text.get(span.clone()).unwrap_or_default();
    if SECRETS.contains(&key) {
        pieces.covered.push(span.clone());
    }
    if raw.is_empty() {
        return;
    }
    let spaced = raw.replace('+', " ");
    let secret = SECRETS.contains(&key);
    let decoded = percent_decode_str(&spaced).decode_utf8();
    match decoded {
        Ok(value) if bad_escape(raw).is_none() => {
            pieces.add(key, value.into_owned(), span);
        }
        _ => {
            let kind = if secret || key == "user" {
                DefectKind::NotEscaped
            } else {
                DefectKind::Unreadable
            };
            let subject = subject(key);
            let what =
                format!("a \"%\" in the {subject} is not followed by two hexadecimal digits");
            pieces.fail(kind, subject, span, what, "\"%\" written as %25");
        }
    }
}
