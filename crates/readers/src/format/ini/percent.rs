//! What Python's `configparser` makes of percent signs (its documentation, "Interpolation of
//! values").

use std::collections::BTreeMap;

use crate::entry::{Entry, Parsed, Part};
use crate::traced::Traced;

/// Puts in what `%(name)s` names, and makes one sign of two. A single sign makes the whole
/// section unreadable.
pub(super) fn interpolated(parsed: &mut Parsed) {
    let plain: BTreeMap<Vec<String>, Traced> = parsed
        .entries
        .iter()
        .filter_map(|e| Some((e.path.clone(), e.value.plain()?)))
        .collect();
    let mut refused = Vec::new();
    for entry in &mut parsed.entries {
        let Some(text) = entry.value.plain() else {
            continue;
        };
        if !text.as_str().contains('%') {
            continue;
        }
        match put_in(entry, &text, &plain) {
            Ok(value) => entry.value.parts = vec![value],
            Err(at) => refused.push((
                entry.path.first().cloned().unwrap_or_default(),
                text.origin(at).1,
            )),
        }
    }
    for (section, at) in refused {
        let what = "Python's configparser does not take a single % in a value";
        parsed.refuse_in(section, at, what, "%% for each %");
    }
}

/// The value with its names put in, or the byte at which a sign is wrong.
fn put_in(
    entry: &Entry,
    text: &Traced,
    plain: &BTreeMap<Vec<String>, Traced>,
) -> Result<Part, usize> {
    let whole = text.as_str();
    let mut out = Traced::default();
    let mut from = 0;
    while let Some(at) = whole.get(from..).and_then(|rest| rest.find('%')) {
        let at = from + at;
        out.append(&text.slice(from..at));
        let behind = whole.get(at + 1..).unwrap_or_default();
        if behind.starts_with('%') {
            out.append(&text.slice(at..at + 1));
            from = at + 2;
            continue;
        }
        let named = behind.strip_prefix('(').and_then(|b| b.split_once(")s"));
        let (name, _) = named.ok_or(at)?;
        let section = entry.path.first().cloned().unwrap_or_default();
        let of = |section: &str| plain.get(&[section.to_owned(), name.to_lowercase()][..]);
        match of(&section).or_else(|| of("DEFAULT")) {
            Some(value) if !value.as_str().contains('%') => out.append(value),
            // `%(here)s` and its like come from the program.
            _ => return Ok(Part::Unknown),
        }
        from = at + 1 + name.len() + 3;
    }
    out.append(&text.slice(from..whole.len()));
    Ok(Part::Text(out))
}
