//! The messages that the stand-in sends.

use chronaxis_engines::postgresql::codec::message;

use super::config::Config;

/// An ErrorResponse with the fields of the real server.
pub(super) fn refusal(code: &str, routine: &str, text: &str) -> Vec<u8> {
    let mut body = Vec::new();
    let fields = [
        (b'S', "FATAL"),
        (b'V', "FATAL"),
        (b'C', code),
        (b'M', text),
        (b'R', routine),
    ];
    // An empty routine is one that is not named at all.
    for (kind, value) in fields.into_iter().filter(|(_, v)| !v.is_empty()) {
        body.push(kind);
        body.extend_from_slice(value.as_bytes());
        body.push(0);
    }
    body.push(0);
    message(b'E', &body)
}

/// An option that this server does not know: whatever is not one of a few.
pub(super) fn refused_option(options: &str) -> Option<(&'static str, &'static str, String)> {
    const KNOWN: &[&str] = &["search_path", "statement_timeout", "geqo"];
    let name = options
        .trim()
        .strip_prefix("-c")?
        .trim()
        .split('=')
        .next()?;
    (!KNOWN.contains(&name)).then(|| {
        let text = format!("unrecognized configuration parameter \"{name}\"");
        ("42704", "find_option", text)
    })
}

/// Parameters, the key for cancelling, and ReadyForQuery.
pub(super) fn session_start() -> Vec<u8> {
    let mut out = Vec::new();
    for (key, value) in [
        ("server_version", "15.18"),
        ("server_encoding", "UTF8"),
        ("client_encoding", "UTF8"),
        ("standard_conforming_strings", "on"),
    ] {
        let body = [key.as_bytes(), &[0], value.as_bytes(), &[0]].concat();
        out.extend(message(b'S', &body));
    }
    out.extend(message(b'K', &[0, 0, 0, 7, 0, 0, 0, 11]));
    out.extend(ready());
    out
}

/// ReadyForQuery, outside a transaction.
pub(super) fn ready() -> Vec<u8> {
    message(b'Z', b"I")
}

fn columns(names: &[&str]) -> Vec<u8> {
    let mut body = (names.len() as u16).to_be_bytes().to_vec();
    for name in names {
        body.extend_from_slice(name.as_bytes());
        // Table, column, type (text), size, modifier, format (text).
        body.extend_from_slice(&[0, 0, 0, 0, 0, 0, 0]);
        body.extend_from_slice(&25u32.to_be_bytes());
        body.extend_from_slice(&[0xff, 0xff, 0xff, 0xff, 0xff, 0xff, 0, 0]);
    }
    message(b'T', &body)
}

pub(super) fn row(values: &[Option<&str>]) -> Vec<u8> {
    let mut body = (values.len() as u16).to_be_bytes().to_vec();
    for value in values {
        match value {
            None => body.extend_from_slice(&(-1i32).to_be_bytes()),
            Some(text) => {
                body.extend_from_slice(&(text.len() as u32).to_be_bytes());
                body.extend_from_slice(text.as_bytes());
            }
        }
    }
    message(b'D', &body)
}

/// The answer to the one query of a diagnosis.
pub(super) fn instance(
    (user, database): (&str, &str),
    config: &Config,
    options: Option<&str>,
) -> Vec<u8> {
    let recovery = if config.in_recovery { "t" } else { "f" };
    let rights = |(name, rights): &(&str, &str)| format!("{name}\u{1e}{rights}");
    let schemas: Vec<String> = config.schemas.iter().map(rights).collect();
    let (schemas, used) = (schemas.join("\u{1f}"), config.connections.to_string());
    let idle = (config.idle_limit_ms.unwrap_or_default() / 1000).to_string();
    let told = options.and_then(|options| options.split_once("search_path=")?.1.split(' ').next());
    let path = told.unwrap_or("\"$user\", public");
    let may_use = |(name, rights): &&(&str, &str)| rights.starts_with('1') && path.contains(name);
    let usable = config.schemas.iter().find(may_use);
    [
        columns(&["u", "s", "d", "v", "a", "p", "r", "t"]),
        row(&[
            Some(user),
            Some(user),
            Some(database),
            Some("15.18"),
            Some("127.0.0.1"),
            Some("5432"),
            Some(recovery),
            Some("2026-11-20 05:12:00.25+00"),
            Some("off"),
        ]),
        message(b'C', b"SELECT 1\0"),
        columns(&["c", "s", "n", "e", "l", "z", "i", "u", "m", "r", "t", "k"]),
        row(&[
            usable.map(|(name, _)| *name),
            Some(path),
            Some(&schemas),
            Some("UTF8"),
            Some("C.UTF-8"),
            Some("Etc/UTC"),
            Some("read committed"),
            Some(&used),
            Some("100"),
            Some("3"),
            Some(&idle),
            Some("quay"),
        ]),
        message(b'C', b"SELECT 1\0"),
        columns(&["system_identifier"]),
        row(&[Some(config.identifier)]),
        message(b'C', b"SELECT 1\0"),
    ]
    .concat()
}

/// An ErrorResponse that does not end the session.
pub(super) fn not_permitted(what: &str) -> Vec<u8> {
    let text = format!("permission denied for {what}");
    let mut body = Vec::new();
    for (kind, value) in [
        (b'S', "ERROR"),
        (b'V', "ERROR"),
        (b'C', "42501"),
        (b'M', text.as_str()),
    ] {
        body.push(kind);
        body.extend_from_slice(value.as_bytes());
        body.push(0);
    }
    body.push(0);
    message(b'E', &body)
}

/// The answer to any other query: one row, `1`.
pub(super) fn one() -> Vec<u8> {
    [
        columns(&["one"]),
        row(&[Some("1")]),
        message(b'C', b"SELECT 1\0"),
    ]
    .concat()
}
