//! GNU make, where a recipe includes the file (its manual, "Setting Variables", "Using
//! Variables in Recipes"): quotes are signs like others, `#` begins a remark, `$` a variable.

use std::collections::BTreeMap;

use crate::entry::{Entry, Look, Parsed, Part, Quotes, Value};
use crate::text::Text;
use crate::traced::Traced;

pub(super) fn read(text: &Text) -> Parsed {
    let mut parsed = Parsed::default();
    let mut places: BTreeMap<String, usize> = BTreeMap::new();
    let mut lines = text.lines().peekable();
    while let Some((start, line)) = lines.next() {
        let line = line.strip_suffix('\r').unwrap_or(line);
        // A line that goes on in the next is one: only settings of one line are followed.
        if line.ends_with('\\') {
            while lines.next().is_some_and(|(_, more)| more.ends_with('\\')) {}
            continue;
        }
        let bare = line.trim_start();
        if bare.is_empty() || bare.starts_with('#') {
            continue;
        }
        if line.starts_with('\t') {
            let what = "make says \"recipe commences before first target\" of this line";
            parsed.refuse(start, what, "no tab before the key");
            continue;
        }
        let at = start + (line.len() - bare.len());
        let exported = bare.strip_prefix("export ");
        let (bare, at) = match exported {
            Some(rest) => {
                let rest = rest.trim_start();
                (rest, at + (bare.len() - rest.len()))
            }
            None => (bare, at),
        };
        let broken = "make cannot read this line: it says \"missing separator\"";
        let Some(sign) = bare.find('=') else {
            // A name alone is handed on, whatever it is.
            let names = bare.split('#').next().unwrap_or_default();
            for name in names.split_whitespace().filter(|_| exported.is_some()) {
                if !places.contains_key(name) {
                    places.insert(name.to_owned(), parsed.entries.len());
                    let empty = Value::text(Traced::opaque("", at), at..at, Quotes::None);
                    let entry = Entry::new(vec![name.to_owned()], at..at + name.len(), empty);
                    parsed.entries.push(entry);
                }
            }
            if exported.is_none() {
                parsed.refuse(at, broken, "KEY=value");
            }
            continue;
        };
        let key = bare.get(..sign).unwrap_or_default();
        let key = key.trim_end_matches([':', '?', '+']).trim_end();
        if key.is_empty() || key.contains(char::is_whitespace) {
            parsed.refuse(at, broken, "KEY=value");
            continue;
        }
        let raw = bare.get(sign + 1..).unwrap_or_default();
        let blanks = [' ', '\t'];
        let lead = raw.len() - raw.trim_start_matches(blanks).len();
        let from = at + sign + 1 + lead;
        let entry = Entry::new(
            vec![key.to_owned()],
            at..at + key.len(),
            value(raw.trim_start_matches(blanks), from),
        );
        let place = *places.entry(key.to_owned()).or_insert(parsed.entries.len());
        match parsed.entries.get_mut(place) {
            Some(known) => *known = entry,
            None => parsed.entries.push(entry),
        }
    }
    parsed
}

fn value(raw: &str, from: usize) -> Value {
    let mut parts = Vec::new();
    let mut known = Traced::default();
    let mut cut = None;
    let mut at = 0;
    while let Some(c) = raw.get(at..).and_then(|rest| rest.chars().next()) {
        let rest = raw.get(at + c.len_utf8()..).unwrap_or_default();
        match c {
            '\\' if rest.starts_with('#') => {
                known.push('#', from + at);
                at += 2;
            }
            '#' => {
                let meant = !rest.is_empty() && !rest.starts_with([' ', '\t']);
                cut = meant.then_some(from + at);
                break;
            }
            '$' if rest.starts_with('$') => {
                known.push('$', from + at);
                at += 2;
            }
            '$' => {
                let closes = match rest.chars().next() {
                    Some('(') => rest.find(')'),
                    Some('{') => rest.find('}'),
                    _ => None,
                };
                let (name, length) = match (closes, rest.chars().next()) {
                    (Some(end), _) => (rest.get(1..end).unwrap_or_default(), end + 1),
                    (None, Some(letter)) => {
                        let length = letter.len_utf8();
                        (rest.get(..length).unwrap_or_default(), length)
                    }
                    (None, None) => ("", 0),
                };
                parts.push(Part::Text(std::mem::take(&mut known)));
                parts.push(Part::Look(Look {
                    name: name.to_owned(),
                    default: None,
                    required: false,
                    by_program: false,
                    at: from + at..from + at + 1 + length,
                }));
                at += 1 + length;
            }
            c => {
                known.push_str(c.encode_utf8(&mut [0; 4]), from + at);
                at += c.len_utf8();
            }
        }
    }
    let end = from + at;
    // Blanks before a remark stay part of the value; those at the end of a line too.
    parts.push(Part::Text(known));
    Value {
        parts,
        at: from..end,
        quotes: Quotes::None,
        cut,
    }
}
