//! Java's properties (java.util.Properties, "load"): trailing blanks count, a backslash
//! before any other letter vanishes.

use super::environment::braced;
use crate::entry::{Entry, Parsed, Part, Quotes, Value};
use crate::text::Text;
use crate::traced::Traced;

pub(super) fn read(text: &Text) -> Parsed {
    let mut parsed = Parsed::default();
    let mut lines = text.lines();
    while let Some((start, line)) = lines.next() {
        let line = line.strip_suffix('\r').unwrap_or(line);
        let bare = line.trim_start();
        let at = start + (line.len() - bare.len());
        if bare.is_empty() || bare.starts_with(['#', '!']) {
            continue;
        }
        let key_end = key_end(bare);
        let key: String = bare.get(..key_end).unwrap_or_default().replace('\\', "");
        let rest = bare.get(key_end..).unwrap_or_default();
        let after = rest.trim_start_matches([' ', '\t', '\u{c}']);
        let after = after.strip_prefix(['=', ':']).unwrap_or(after);
        let after = after.trim_start_matches([' ', '\t', '\u{c}']);
        let from = start + (line.len() - after.len());
        let mut known = decoded(after, from);
        let mut last = after;
        while continues(last) {
            let Some((next, line)) = lines.next() else {
                break;
            };
            let line = line.strip_suffix('\r').unwrap_or(line);
            let bare = line.trim_start();
            known.append(&decoded(bare, next + (line.len() - bare.len())));
            last = bare;
        }
        let parts = looks(known);
        let value = Value {
            parts,
            at: from..from + after.len(),
            quotes: Quotes::Escaped,
            cut: None,
        };
        let path = key.split('.').map(str::to_owned).collect();
        parsed
            .entries
            .push(Entry::new(path, at..at + key_end, value));
    }
    parsed
}

fn key_end(bare: &str) -> usize {
    let mut escaped = false;
    let end = bare.char_indices().find(|(_, c)| {
        let ends = !escaped && matches!(c, '=' | ':' | ' ' | '\t' | '\u{c}');
        escaped = *c == '\\' && !escaped;
        ends
    });
    end.map_or(bare.len(), |(at, _)| at)
}

/// Whether the next line belongs to this one: an odd number of backslashes at its end.
fn continues(line: &str) -> bool {
    let kept = line.trim_end_matches('\\');
    (line.len() - kept.len()) % 2 == 1
}

fn decoded(raw: &str, from: usize) -> Traced {
    let mut out = Traced::default();
    let mut at = 0;
    while let Some(rest) = raw.get(at..).filter(|r| !r.is_empty()) {
        let c = rest.chars().next().unwrap_or_default();
        if c != '\\' {
            out.push_str(rest.get(..c.len_utf8()).unwrap_or_default(), from + at);
            at += c.len_utf8();
            continue;
        }
        let Some(next) = rest.chars().nth(1) else {
            break;
        };
        let code = rest.get(2..6).filter(|_| next == 'u');
        let code = code.and_then(|hex| u32::from_str_radix(hex, 16).ok());
        if let Some(c) = code.and_then(char::from_u32) {
            out.push(c, from + at);
            at += 6;
            continue;
        }
        let meant = match next {
            'n' => '\n',
            't' => '\t',
            'r' => '\r',
            'f' => '\u{c}',
            c => c,
        };
        out.push(meant, from + at);
        at += 1 + next.len_utf8();
    }
    out
}

/// `${NAME}` and `${NAME:default}` as the frameworks that read these files put them in.
pub(super) fn looks(known: Traced) -> Vec<Part> {
    let mut parts = Vec::new();
    let mut at = 0;
    let text = known.as_str();
    while let Some(begin) = text
        .get(at..)
        .and_then(|rest| rest.find("${"))
        .map(|p| p + at)
    {
        let rest = text.get(begin..).unwrap_or_default();
        let Some((look, length)) = braced(rest, known.origin(begin).1) else {
            break;
        };
        if begin > at {
            parts.push(Part::Text(known.slice(at..begin)));
        }
        parts.push(Part::Look(look));
        at = begin + length;
    }
    if at < text.len() || parts.is_empty() {
        parts.push(Part::Text(known.slice(at..text.len())));
    }
    parts
}
