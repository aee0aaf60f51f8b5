//! PostgreSQL's password file: `host:port:database:user:password`, a star for any
//! (PostgreSQL documentation, "The Password File").

use crate::entry::{Entry, Parsed, Quotes, Value};
use crate::text::Text;
use crate::traced::Traced;

const FIELDS: [&str; 5] = ["host", "port", "dbname", "user", "password"];

pub(super) fn read(text: &Text) -> Parsed {
    let mut parsed = Parsed::default();
    for (number, (start, line)) in (1usize..).zip(text.lines()) {
        let line = line.strip_suffix('\r').unwrap_or(line);
        if line.is_empty() || line.starts_with('#') {
            continue;
        }
        let fields = fields(line, start);
        if fields.len() < FIELDS.len() {
            let expected = "host:port:database:user:password";
            parsed.trouble(start, "a line with fewer than five fields", expected);
            continue;
        }
        let port = fields.get(1).map_or("", Traced::as_str);
        if port != "*" && port.parse::<u16>().is_err() {
            // Where the fields are shifted, the password is not the last of them.
            let expected = "host:port:database:user:password, the port a number or *";
            parsed.trouble(start, "a line whose second field is not a port", expected);
            continue;
        }
        for (name, field) in FIELDS.iter().zip(fields) {
            if field.as_str() == "*" && *name != "password" {
                continue;
            }
            let (_, from) = field.origin(0);
            let at = from..from + field.as_str().len();
            let path = vec![format!("line-{number}"), (*name).to_owned()];
            let value = Value::text(field, at.clone(), Quotes::None);
            parsed
                .entries
                .push(Entry::new(path, at.start..at.start, value));
        }
    }
    parsed
}

/// The fields of a line; a backslash lets a colon or itself stand.
fn fields(line: &str, start: usize) -> Vec<Traced> {
    let mut out = vec![Traced::default()];
    let mut chars = line.char_indices();
    while let Some((at, c)) = chars.next() {
        // Everything behind the fourth colon is the password.
        let more = out.len() < FIELDS.len();
        let Some(last) = out.last_mut() else { break };
        match c {
            ':' if more => {
                let mut next = Traced::default();
                next.push_str("", start + at + 1);
                out.push(next);
            }
            '\\' => match chars.next() {
                Some((_, c)) => last.push(c, start + at),
                None => last.push_str("\\", start + at),
            },
            c => last.push_str(c.encode_utf8(&mut [0; 4]), start + at),
        }
    }
    out
}
