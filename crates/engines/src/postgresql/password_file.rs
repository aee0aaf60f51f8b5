//! PostgreSQL's password file: `host:port:database:user:password`, one a line
//! (PostgreSQL documentation, "The Password File").

use chronaxis_model::secret::Secret;
use chronaxis_model::target::{End, Target};

/// What a line is compared with.
pub(super) struct Wanted<'a> {
    pub(super) host: &'a str,
    pub(super) port: u16,
    pub(super) database: &'a str,
    pub(super) user: &'a str,
}

/// The first line that fits, with its number from 1.
pub(super) fn find(text: &str, wanted: &Wanted<'_>) -> Option<(u32, Secret)> {
    let port = wanted.port.to_string();
    let keys = [wanted.host, &port, wanted.database, wanted.user];
    (1u32..).zip(text.split('\n')).find_map(|(number, line)| {
        let line = line.strip_suffix('\r').unwrap_or(line);
        if line.starts_with('#') {
            return None;
        }
        let mut rest = line;
        for key in keys {
            rest = match_field(rest, key)?;
        }
        Some((number, Secret::new(unescape(rest))))
    })
}

/// The password that a text of this form gives for a target, with its line from 1.
pub fn password_in_file(text: &str, target: &Target) -> Option<(u32, Secret)> {
    let (host, port) = match target.ends.first()? {
        End::Host { host, port, .. } => (host.as_str(), *port),
        End::Socket { .. } => ("localhost", 5432),
    };
    let wanted = Wanted {
        host,
        port,
        database: target.database.as_deref().unwrap_or_default(),
        user: target.user.as_deref().unwrap_or_default(),
    };
    find(text, &wanted)
}

/// What follows the field and its colon, if the field is `*` or the key.
fn match_field<'a>(line: &'a str, key: &str) -> Option<&'a str> {
    let mut field = String::new();
    let mut chars = line.char_indices();
    let raw = loop {
        match chars.next()? {
            (at, ':') => break line.get(..at)?,
            (_, '\\') => field.push(chars.next()?.1),
            (_, c) => field.push(c),
        }
    };
    (raw == "*" || field == key)
        .then(|| line.get(raw.len() + 1..))
        .flatten()
}

fn unescape(text: &str) -> String {
    let mut out = String::new();
    let mut chars = text.chars();
    while let Some(c) = chars.next() {
        out.extend(if c == '\\' { chars.next() } else { Some(c) });
    }
    out
}
