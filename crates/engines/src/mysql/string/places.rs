//! Descriptions of hosts in the URLs of JDBC drivers: `address=(host=…)(port=…)`,
//! `(host=…,port=…)`, `[…,…]` beside plain `host:port` (MySQL Connector/J documentation,
//! "Connection URL Syntax").

use std::ops::Range;

use crate::text::pieces::Pieces;

/// One place as it is described.
#[derive(Default)]
struct Place {
    host: Range<usize>,
    port: Range<usize>,
    /// Other keys, with what stands behind them.
    more: Vec<(Range<usize>, Range<usize>)>,
}

/// The part of a URL in which places are described, if they are; from byte `lead` on.
fn described(text: &str, lead: usize) -> Option<Range<usize>> {
    let start = lead + text.get(lead..)?.find("://")? + 3;
    let rest = text.get(start..)?;
    let end = rest.find(['/', '?']).unwrap_or(rest.len());
    let places = rest.get(..end)?;
    let account = places
        .find(['(', '['])
        .and_then(|p| places.get(..p)?.rfind('@'));
    let from = start + account.map_or(0, |at| at + 1);
    let places = text.get(from..start + end)?;
    let list = places.starts_with('[') && places.contains([',', '(']);
    (places.contains('(') || list).then_some(from..start + end)
}

/// Reads a URL in which places may be described, by what reads any other.
pub(super) fn read(text: &str, lead: usize, plain: impl Fn(&str) -> Pieces) -> Pieces {
    let Some(span) = described(text, lead) else {
        return plain(text);
    };
    let mut places = Vec::new();
    if split(text, span.clone(), &mut places).is_none() || places.is_empty() {
        return plain(text);
    }
    // As long as the text itself, so that every place in it stays where it is.
    let (before, after) = (text.get(..span.start), text.get(span.end..));
    let filled = format!(
        "{}{}{}",
        before.unwrap_or_default(),
        "h".repeat(span.len()),
        after.unwrap_or_default()
    );
    let mut pieces = plain(&filled);
    pieces
        .found
        .retain(|p| !matches!(p.key.as_str(), "host" | "port"));
    pieces.places.clear();
    let of = |span: &Range<usize>| text.get(span.clone()).unwrap_or_default().to_owned();
    for place in places {
        pieces.add_place("host", of(&place.host), place.host);
        pieces.add_place("port", of(&place.port), place.port);
        for (key, value) in place.more {
            match of(&key).to_ascii_lowercase().as_str() {
                name @ ("user" | "password") if pieces.found.iter().all(|p| p.key != name) => {
                    pieces.add(name, of(&value), value);
                }
                _ => pieces.covered.push(value),
            }
        }
    }
    pieces
}

/// Takes a list apart at the commas that stand in no bracket.
fn split(text: &str, span: Range<usize>, places: &mut Vec<Place>) -> Option<()> {
    let mut depth = 0_i32;
    let mut from = span.start;
    for (at, c) in text.get(span.clone())?.char_indices() {
        match c {
            '(' | '[' => depth += 1,
            ')' | ']' => depth -= 1,
            ',' if depth == 0 => {
                one(text, from..span.start + at, places)?;
                from = span.start + at + 1;
            }
            _ => {}
        }
    }
    (depth == 0).then_some(())?;
    one(text, from..span.end, places)
}

fn one(text: &str, span: Range<usize>, places: &mut Vec<Place>) -> Option<()> {
    let item = text.get(span.clone())?;
    let low = item.to_ascii_lowercase();
    if item.starts_with('[') && item.ends_with(']') && item.contains([',', '(']) {
        return split(text, span.start + 1..span.end - 1, places);
    }
    let from = if low.starts_with("address=(") { 8 } else { 0 };
    if !item.get(from..)?.starts_with('(') {
        let colon = item
            .rfind(':')
            .filter(|p| !item.get(*p..).is_some_and(|t| t.contains(']')));
        let end = colon.map_or(span.end, |p| span.start + p);
        let port = colon.map_or(span.end..span.end, |p| span.start + p + 1..span.end);
        places.push(Place {
            host: span.start..end,
            port,
            more: Vec::new(),
        });
        return Some(());
    }
    let mut place = Place {
        host: span.end..span.end,
        port: span.end..span.end,
        more: Vec::new(),
    };
    let mut at = span.start + from;
    for pair in text.get(at..span.end)?.split(['(', ')', ',']) {
        let whole = at..at + pair.len();
        at = whole.end + 1;
        let Some(equals) = pair.find('=') else {
            continue;
        };
        let (key, value) = (
            whole.start..whole.start + equals,
            whole.start + equals + 1..whole.end,
        );
        match pair.get(..equals)?.trim().to_ascii_lowercase().as_str() {
            "host" => place.host = value,
            "port" => place.port = value,
            _ => place.more.push((key, value)),
        }
    }
    places.push(place);
    Some(())
}
