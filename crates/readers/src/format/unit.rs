//! Service units: `Environment=` (systemd.exec(5)), with the quoting of systemd.syntax(7).

use super::environment::is_name;
use crate::entry::{Entry, Parsed, Part, Quotes, Value};
use crate::text::Text;
use crate::traced::Traced;

pub(super) fn read(text: &Text) -> Parsed {
    let mut parsed = Parsed::default();
    for (start, line) in text.lines() {
        let line = line.strip_suffix('\r').unwrap_or(line);
        let bare = line.trim_start();
        let at = start + (line.len() - bare.len());
        for lead in ["Environment=", "EnvironmentFile="] {
            let Some(rest) = bare.strip_prefix(lead) else {
                continue;
            };
            let from = at + lead.len();
            if lead == "EnvironmentFile=" {
                let file = Traced::verbatim(rest.trim().trim_start_matches('-'), from);
                let value = Value::text(file, from..from + rest.len(), Quotes::None);
                let path = vec!["EnvironmentFile".to_owned()];
                parsed.entries.push(Entry::new(path, at..from - 1, value));
            } else {
                assignments(&mut parsed, rest, from);
            }
        }
    }
    parsed
}

fn assignments(parsed: &mut Parsed, text: &str, from: usize) {
    let mut at = 0;
    while let Some(rest) = text.get(at..).filter(|r| !r.is_empty()) {
        if rest.starts_with([' ', '\t']) {
            at += 1;
            continue;
        }
        let (word, length, quotes) = word(rest, from + at);
        if let Some((name, _)) = word.as_str().split_once('=').filter(|(n, _)| is_name(n)) {
            let name = name.to_owned();
            let value = word.slice(name.len() + 1..word.as_str().len());
            let (_, begins) = word.origin(0);
            let (_, value_at) = word.origin(name.len() + 1);
            // What a specifier stands for is known where the service runs (systemd.unit(5),
            // "Specifiers").
            let raw = text.get(at..at + length).unwrap_or_default();
            let parts = match has_specifier(raw) {
                true => vec![Part::Unknown],
                false => vec![Part::Text(value)],
            };
            let value = Value {
                parts,
                at: value_at.min(from + at + length)..from + at + length,
                quotes,
                cut: None,
            };
            let key_at = begins..begins + name.len();
            parsed.entries.push(Entry::new(vec![name], key_at, value));
        } else {
            parsed.trouble(
                from + at,
                "a word without \"=\"",
                "NAME=value, in quotes if it contains spaces",
            );
        }
        at += length.max(1);
    }
}

/// Whether a single percent sign with a letter behind it stands there.
fn has_specifier(raw: &str) -> bool {
    let mut rest = raw;
    while let Some((_, behind)) = rest.split_once('%') {
        if behind.starts_with(|c: char| c.is_ascii_alphabetic()) {
            return true;
        }
        rest = behind.strip_prefix('%').unwrap_or(behind);
    }
    false
}

/// One word, its quotes off; a doubled percent sign is one.
fn word(rest: &str, from: usize) -> (Traced, usize, Quotes) {
    let mut out = Traced::default();
    let mut quote = None;
    let mut quotes = Quotes::None;
    let mut chars = rest.char_indices().peekable();
    while let Some((at, c)) = chars.next() {
        match (c, quote) {
            ('"' | '\'', None) => {
                quote = Some(c);
                quotes = Quotes::Escaped;
            }
            (c, Some(open)) if c == open => quote = None,
            (' ' | '\t', None) => return (out, at, quotes),
            ('\\', _) => {
                let meant = match chars.next() {
                    Some((_, 'n')) => '\n',
                    Some((_, 't')) => '\t',
                    Some((_, 's')) => ' ',
                    Some((_, c)) => c,
                    None => '\\',
                };
                out.push(meant, from + at);
            }
            ('%', _) if chars.peek().is_some_and(|(_, next)| *next == '%') => {
                chars.next();
                out.push('%', from + at);
            }
            (c, _) => out.push_str(c.encode_utf8(&mut [0; 4]), from + at),
        }
    }
    (out, rest.len(), quotes)
}
