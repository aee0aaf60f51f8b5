//! Environment files: `NAME=value`, one a line. There is no standard for them; what most
//! readers agree on is done here, and where they differ the value that most take is taken.

use crate::entry::{Entry, Look, Parsed, Part, Quotes, Value};
use crate::text::Text;
use crate::traced::Traced;

pub(super) fn read(text: &Text) -> Parsed {
    let mut parsed = Parsed::default();
    let string = text.string.as_str();
    let mut skip_to = 0;
    for (start, line) in text.lines() {
        if start < skip_to {
            continue;
        }
        let line = line.strip_suffix('\r').unwrap_or(line);
        let bare = line.trim_start();
        let mut at = start + (line.len() - bare.len());
        if bare.is_empty() || bare.starts_with('#') {
            continue;
        }
        let mut rest = bare;
        if let Some(after) = bare.strip_prefix("export ") {
            at += bare.len() - after.trim_start().len();
            rest = after.trim_start();
        }
        let Some((name, raw)) = rest.split_once('=') else {
            parsed.trouble(at, "a line without \"=\"", "NAME=value");
            continue;
        };
        let key_at = at..at + name.trim_end().len();
        let name = name.trim_end();
        if !is_name(name) {
            parsed.trouble(at, "this is not a variable name", "NAME=value");
            continue;
        }
        let from = start + (line.len() - raw.len());
        let (value, end) = value(&mut parsed, string, from, start + line.len());
        skip_to = end;
        parsed
            .entries
            .push(Entry::new(vec![name.to_owned()], key_at, value));
    }
    parsed
}

/// Whether a text can be the name of a variable; some readers allow dots.
pub(crate) fn is_name(text: &str) -> bool {
    let mut chars = text.chars();
    let first = chars
        .next()
        .is_some_and(|c| c.is_ascii_alphabetic() || c == '_');
    first && chars.all(|c| c.is_ascii_alphanumeric() || matches!(c, '_' | '.' | '-'))
}

/// Reads a value that begins at `from`, and says where what belongs to it ends.
fn value(parsed: &mut Parsed, text: &str, from: usize, line_end: usize) -> (Value, usize) {
    let raw = text.get(from..line_end).unwrap_or_default();
    let lead = raw.len() - raw.trim_start().len();
    let at = from + lead;
    let bare = raw.trim_start();
    match bare.chars().next() {
        Some(quote @ ('"' | '\'' | '`')) => {
            let inside = text.get(at + 1..).unwrap_or_default();
            match closing(inside, quote) {
                Some(length) => quoted(parsed, text, at, quote, length),
                None => {
                    parsed.trouble(at, "a quote is not closed", "the same quote again");
                    (Value::unknown(at..line_end), line_end)
                }
            }
        }
        _ => (plain(bare, at), line_end),
    }
}

fn quoted(
    parsed: &mut Parsed,
    text: &str,
    at: usize,
    quote: char,
    length: usize,
) -> (Value, usize) {
    let inner = text.get(at + 1..at + 1 + length).unwrap_or_default();
    let end = at + length + 2;
    let rest = text.get(end..).unwrap_or_default();
    let line = rest.split('\n').next().unwrap_or_default();
    let after = line.trim();
    if !after.is_empty() && !after.starts_with('#') {
        parsed.trouble(
            end,
            "something follows the closing quote",
            "the end of the line",
        );
    }
    let mut value = Value {
        at: at..end,
        quotes: if quote == '"' {
            Quotes::Escaped
        } else {
            Quotes::Literal
        },
        ..Value::default()
    };
    if quote == '"' {
        value.parts = with_looks(inner, at + 1, true);
    } else {
        value.parts = vec![Part::Text(Traced::verbatim(inner, at + 1))];
    }
    (value, end)
}

/// The length of what stands before the closing quote.
fn closing(inside: &str, quote: char) -> Option<usize> {
    let mut escaped = false;
    inside.char_indices().find_map(|(at, c)| {
        let ends = c == quote && !escaped;
        escaped = c == '\\' && !escaped && quote == '"';
        ends.then_some(at)
    })
}

/// A value without quotes: a comment sign behind a blank cuts it, outer blanks go.
fn plain(bare: &str, at: usize) -> Value {
    let sign = bare.find(" #").or_else(|| bare.find("\t#"));
    let kept = sign.map_or(bare, |cut| bare.get(..cut).unwrap_or_default());
    let cut = sign.map(|cut| cut + 1).filter(|cut| {
        let behind = bare.get(cut + 1..).unwrap_or_default();
        !behind.is_empty() && !behind.starts_with([' ', '\t', '#'])
    });
    let kept = kept.trim_end();
    Value {
        parts: with_looks(kept, at, false),
        at: at..at
            + bare
                .trim_end_matches('\r')
                .len()
                .min(cut.map_or(kept.len(), |c| c)),
        quotes: Quotes::None,
        cut: cut.map(|cut| at + cut),
    }
}

/// Splits a text at `${NAME}`, with what may stand behind the name (POSIX shell, "Parameter
/// Expansion"); `escapes` says whether a backslash escapes.
pub(super) fn with_looks(inner: &str, from: usize, escapes: bool) -> Vec<Part> {
    let mut parts = Vec::new();
    let mut known = Traced::default();
    let mut at = 0;
    while let Some(rest) = inner.get(at..).filter(|r| !r.is_empty()) {
        if escapes
            && rest.starts_with('\\')
            && let Some(c) = rest.chars().nth(1)
        {
            let meant = match c {
                'n' => '\n',
                't' => '\t',
                'r' => '\r',
                c => c,
            };
            known.push(meant, from + at);
            at += 1 + c.len_utf8();
            continue;
        }
        if let Some((look, length)) = braced(rest, from + at) {
            if !known.as_str().is_empty() {
                parts.push(Part::Text(std::mem::take(&mut known)));
            }
            parts.push(Part::Look(look));
            at += length;
            continue;
        }
        let length = rest.chars().next().map_or(1, char::len_utf8);
        known.push_str(rest.get(..length).unwrap_or_default(), from + at);
        at += length;
    }
    if !known.as_str().is_empty() || parts.is_empty() {
        parts.push(Part::Text(known));
    }
    parts
}

/// `${NAME}`, `${NAME:-default}`, `${NAME:?words}`, `${NAME:default}`, with its length.
pub(crate) fn braced(rest: &str, from: usize) -> Option<(Look, usize)> {
    let inner = rest.strip_prefix("${")?;
    let end = inner.find('}')?;
    let inner = inner.get(..end)?;
    let name_end = inner.find([':', '-', '?']).unwrap_or(inner.len());
    let (name, behind) = inner.split_at_checked(name_end)?;
    if !is_name(name) {
        return None;
    }
    let word = behind.trim_start_matches(':');
    let required = word.starts_with('?');
    let default = match (behind.is_empty(), required) {
        (false, false) => {
            let text = word.strip_prefix('-').unwrap_or(word);
            let skipped = inner.len() - text.len();
            Some(Traced::verbatim(text, from + 2 + skipped))
        }
        _ => None,
    };
    let look = Look {
        name: name.to_owned(),
        default,
        required,
        by_program: false,
        at: from..from + end + 3,
    };
    Some((look, end + 3))
}
