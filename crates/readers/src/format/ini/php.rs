//! INI files as PHP reads them (its manual, "parse_ini_file", in the usual mode): quotes go,
//! a semicolon begins a remark, some words are values, and some signs are none.

use crate::entry::{Entry, Look, Parsed, Quotes, Value};
use crate::text::Text;
use crate::traced::Traced;

/// Signs that PHP computes with outside quotes, or that begin a piece of their own.
const SIGNS: &[char] = &['&', '|', '^', '~', '!', '"', '\''];

/// Whether PHP cannot read an unquoted value (measured with PHP 8.2).
fn is_broken(value: &str) -> bool {
    let behind_first = value.get(1..).unwrap_or_default();
    let operators = ['&', '|', '^'];
    let first = value.split_whitespace().next().unwrap_or_default();
    let of_two = first.len() < value.len();
    value.contains(['(', ')', '='])
        || behind_first.contains(['!', '~'])
        || value.starts_with(operators)
        || value.ends_with(operators)
        || (of_two && word(first).is_some())
}

/// What a word stands for that PHP has a meaning for.
fn word(text: &str) -> Option<&'static str> {
    match text.to_ascii_lowercase().as_str() {
        "true" | "yes" | "on" => Some("1"),
        "false" | "no" | "off" | "none" | "null" => Some(""),
        _ => None,
    }
}

/// Signs that no key may have.
const NOT_IN_KEYS: &[char] = &['&', '|', '^', '$', '~', '(', ')', '{', '}', '!', '"'];

/// Reads a text as PHP does.
pub(crate) fn read(text: &Text) -> Parsed {
    let mut parsed = Parsed::default();
    let mut section: Option<String> = None;
    for (start, line) in text.lines() {
        let line = line.strip_suffix('\r').unwrap_or(line);
        let bare = line.trim();
        let at = start + (line.len() - line.trim_start().len());
        if bare.is_empty() || bare.starts_with(';') {
            continue;
        }
        if let Some(inner) = bare.strip_prefix('[') {
            match inner.split_once(']') {
                Some((name, _)) => section = Some(unquoted(name.trim()).to_owned()),
                None => parsed.refuse(at, "PHP cannot read this section's bracket", "[section]"),
            }
            continue;
        }
        let before = bare.split(';').next().unwrap_or_default();
        let Some(sign) = before.find('=') else {
            if before.contains(NOT_IN_KEYS) {
                parsed.refuse(at, "PHP cannot read this line", "key = value");
            }
            continue;
        };
        let key = bare.get(..sign).unwrap_or_default().trim_end();
        let raw = bare.get(sign + 1..).unwrap_or_default();
        let lead = raw.len() - raw.trim_start().len();
        let from = at + sign + 1 + lead;
        let mut path: Vec<String> = section.iter().cloned().collect();
        path.push(key.to_owned());
        if key.contains(NOT_IN_KEYS) {
            parsed.refuse(at, "PHP does not read a key with this sign", "key = value");
        }
        let quotes = ['"', '\''].map(|quote| raw.matches(quote).count());
        // A dollar at the end takes the line end with it.
        let over_lines = quotes.iter().any(|count| count % 2 == 1) || raw.trim().ends_with('$');
        let mixed = quotes.iter().all(|count| *count > 0);
        match value(raw.trim_start(), from) {
            // Where a quote stays open the next lines are part of it, as far as it goes.
            _ if over_lines => {
                let value = Value::unknown(from..from + raw.trim_start().len());
                parsed
                    .entries
                    .push(Entry::new(path, at..at + key.len(), value));
                let whole = raw.trim_start();
                let rest = text.string.get(start + line.len()..).unwrap_or_default();
                // In double quotes the end of the file is no end; single ones end there.
                if whole.matches('"').count() % 2 == 1 && !rest.contains('"') && !mixed {
                    parsed.refuse(from, "PHP finds no end of a quote", "a second quote");
                }
                parsed.trouble(from, "what follows is not read: a value goes on over lines", "a value on one line");
                return parsed;
            }
            Some(value) => {
                let entry = Entry::new(path, at..at + key.len(), value);
                parsed.entries.push(entry);
            }
            None => parsed.refuse(
                from,
                "PHP does not read this value without quotes: it has one of = ! ~ ( ) & | ^ $ in a place of its own",
                "double quotes around the value",
            ),
        }
    }
    parsed
}

fn unquoted(name: &str) -> &str {
    let inner = |quote: char| name.strip_prefix(quote)?.strip_suffix(quote);
    inner('"').or_else(|| inner('\'')).unwrap_or(name)
}

/// What stands behind the sign; none where PHP gives the file up. What PHP computes, or puts
/// together of several pieces, is left to a run.
fn value(raw: &str, from: usize) -> Option<Value> {
    let unknown = || Value::unknown(from..from + raw.len());
    if let Some(inner) = raw.strip_prefix('"') {
        return Some(in_quotes(inner, from).unwrap_or_else(unknown));
    }
    if let Some(inner) = raw.strip_prefix('\'') {
        let simple = inner.find('\'').filter(|end| {
            let behind = inner.get(end + 1..).unwrap_or_default();
            *end > 0 && nothing_behind(behind).is_some()
        });
        let value = simple.and_then(|end| {
            let traced = Traced::verbatim(inner.get(..end)?, from + 1);
            Some(Value::text(traced, from..from + end + 2, Quotes::Literal))
        });
        return Some(value.unwrap_or_else(unknown));
    }
    let cut = raw.find(';');
    let kept = raw.get(..cut.unwrap_or(raw.len()))?.trim_end();
    let at = from..from + kept.len();
    if let Some(name) = kept.strip_prefix("${").and_then(|k| k.strip_suffix('}')) {
        return Some(Value::look(Look {
            name: name.to_owned(),
            default: None,
            required: false,
            by_program: false,
            at,
        }));
    }
    if is_broken(kept) && !kept.contains(['"', '\'']) {
        return None;
    }
    if kept.contains(SIGNS) || kept.contains("${") || kept.ends_with('$') {
        return Some(unknown());
    }
    let traced = match word(kept) {
        Some(meant) => Traced::opaque(meant, from),
        None => Traced::verbatim(kept, from),
    };
    let mut value = Value::text(traced, at, Quotes::None);
    let behind = cut.and_then(|cut| raw.get(cut + 1..));
    let meant = behind.is_some_and(|b| !b.is_empty() && !b.starts_with([' ', '\t', ';']));
    value.cut = cut.filter(|_| meant).map(|cut| from + cut);
    Some(value)
}

/// Double quotes: only a backslash before a quote or another backslash is an escape.
fn in_quotes(inner: &str, from: usize) -> Option<Value> {
    let mut out = Traced::default();
    let mut chars = inner.char_indices();
    while let Some((at, c)) = chars.next() {
        match c {
            '"' => {
                nothing_behind(inner.get(at + 1..)?)?;
                return Some(Value::text(out, from..from + at + 2, Quotes::Escaped));
            }
            '\\' => {
                let next = inner.get(at + 1..)?.chars().next();
                match next {
                    Some(escaped @ ('"' | '\\')) => {
                        chars.next();
                        out.push(escaped, from + 1 + at);
                    }
                    _ => out.push('\\', from + 1 + at),
                }
            }
            // Another value goes on in its place.
            '$' if inner.get(at + 1..)?.starts_with('{') => {
                return Some(Value::unknown(from..from + inner.len() + 1));
            }
            c => out.push_str(c.encode_utf8(&mut [0; 4]), from + 1 + at),
        }
    }
    None
}

fn nothing_behind(rest: &str) -> Option<()> {
    let rest = rest.trim_start();
    (rest.is_empty() || rest.starts_with(';')).then_some(())
}
