//! INI files as PHP reads them (its manual, "parse_ini_file", in the usual mode): quotes go,
//! a semicolon begins a remark, some words are values, and some signs are none.

use crate::entry::{Entry, Look, Parsed, Part, Quotes, Value};
use crate::text::Text;
use crate::traced::Traced;

/// Signs that have a meaning of their own outside quotes; a value with one is computed, or
/// is no value at all.
const SIGNS: &[char] = &['{', '}', '|', '&', '~', '!', '(', ')', '^', '"', '\''];

/// Reads a text as PHP does.
pub(crate) fn read(text: &Text) -> Parsed {
    let mut parsed = Parsed::default();
    let mut section: Option<String> = None;
    for (start, line) in text.lines() {
        let line = line.strip_suffix('\r').unwrap_or(line);
        let bare = line.trim();
        let at = start + (line.len() - line.trim_start().len());
        if bare.is_empty() || bare.starts_with([';', '#']) {
            continue;
        }
        if let Some(inner) = bare.strip_prefix('[') {
            match inner.split_once(']') {
                Some((name, _)) => section = Some(unquoted(name.trim()).to_owned()),
                None => parsed.refuse(at, "PHP cannot read this section's bracket", "[section]"),
            }
            continue;
        }
        let Some(sign) = bare.find('=') else {
            continue;
        };
        let key = bare.get(..sign).unwrap_or_default().trim_end();
        let raw = bare.get(sign + 1..).unwrap_or_default();
        let lead = raw.len() - raw.trim_start().len();
        let from = at + sign + 1 + lead;
        let mut path: Vec<String> = section.iter().cloned().collect();
        path.push(key.to_owned());
        match value(raw.trim_start(), from) {
            Some(value) => {
                let entry = Entry::new(path, at..at + key.len(), value);
                parsed.entries.push(entry);
            }
            None => parsed.refuse(
                from,
                "PHP does not read an unquoted value with this sign",
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

/// What stands behind the sign; none where PHP gives the file up.
fn value(raw: &str, from: usize) -> Option<Value> {
    if let Some(inner) = raw.strip_prefix('"') {
        return in_quotes(inner, from);
    }
    if let Some(inner) = raw.strip_prefix('\'') {
        let end = inner.find('\'')?;
        let text = inner.get(..end)?;
        nothing_behind(inner.get(end + 1..)?)?;
        let traced = Traced::verbatim(text, from + 1);
        return Some(Value::text(traced, from..from + end + 2, Quotes::Literal));
    }
    let cut = raw.find(';');
    let kept = raw.get(..cut.unwrap_or(raw.len()))?.trim_end();
    let at = from..from + kept.len();
    if let Some(name) = kept.strip_prefix("${").and_then(|k| k.strip_suffix('}')) {
        let look = Look {
            name: name.to_owned(),
            default: None,
            required: false,
            by_program: false,
            at: at.clone(),
        };
        return Some(Value {
            parts: vec![Part::Look(look)],
            at,
            ..Value::default()
        });
    }
    if kept.contains(SIGNS) || kept.contains("${") {
        return None;
    }
    let traced = match kept.to_ascii_lowercase().as_str() {
        "true" | "yes" | "on" => Traced::opaque("1", from),
        "false" | "no" | "off" | "none" | "null" => Traced::opaque("", from),
        _ => Traced::verbatim(kept, from),
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
