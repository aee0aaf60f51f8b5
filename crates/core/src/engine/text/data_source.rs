//! Semicolon-separated data-source strings: `Driver={…};Server=…;Database=…` (ODBC), and
//! the names that PHP's database layer takes: `mysql:host=…;dbname=…`.

use std::ops::Range;

use super::pieces::Pieces;
use crate::settings::{DefectKind, nearest};
use crate::shown;

/// Whether a text is a semicolon-separated list of pairs.
pub(in super::super) fn is_odbc(text: &str) -> bool {
    let first = text.split('=').next().unwrap_or_default();
    let key = first.trim().to_ascii_lowercase();
    let known = ["driver", "dsn", "server", "data source"];
    text.contains('=') && known.contains(&key.as_str()) && (key == "driver" || text.contains(';'))
}

/// The driver that a text names, without its braces.
pub(in super::super) fn driver(text: &str) -> Option<String> {
    let mut found = None;
    let _ = pairs(text, 0, |key, value, _| {
        if key.eq_ignore_ascii_case("driver") {
            found = found.take().or(Some(value));
        }
    });
    found
}

/// How a form writes a key and what it means.
pub(in super::super) type Meaning = (&'static str, &'static str);

/// What a driver does with words that mean nothing here.
#[derive(Clone, Copy)]
pub(in super::super) enum Others<'a> {
    /// It passes over them.
    PassedOver,
    /// It refuses all but these.
    RefusedBut(&'a [&'a str]),
}

/// Reads pairs from byte `from`: keys without regard to case, a value in braces as it
/// stands (a doubled brace is one). `means` says what each key means.
pub(in super::super) fn read(
    text: &str,
    from: usize,
    means: &[Meaning],
    others: Others<'_>,
) -> Pieces {
    let mut pieces = Pieces::default();
    let mut bad: Option<(String, Range<usize>)> = None;
    let whole = pairs(text, from, |key, value, (name, span)| {
        let low = key.to_ascii_lowercase();
        match means.iter().find(|(known, _)| *known == low) {
            // Of two pairs for one thing the first counts (ODBC, SQLDriverConnect).
            Some((_, meant)) if pieces.found.iter().any(|p| p.key == *meant) => {
                pieces.covered.push(span);
            }
            Some((_, meant)) => pieces.add(meant, value, span),
            None => {
                // Who knows what stands there.
                pieces.covered.push(span);
                let refused = match others {
                    Others::PassedOver => false,
                    Others::RefusedBut(known) => !known.contains(&low.as_str()),
                };
                if refused && bad.is_none() {
                    bad = Some((key.to_owned(), name));
                }
            }
        }
    });
    if let Some((key, name)) = bad {
        let known = means.iter().map(|(known, _)| *known);
        let near = nearest(&key, known);
        let known_words = means.iter().map(|(known, _)| *known);
        let what = format!(
            "a word {} is not one of this form",
            shown::key(&key, known_words)
        );
        let expected = near.map_or("a word of this form".to_owned(), |n| {
            format!("{n}, perhaps")
        });
        pieces.fail(DefectKind::Unreadable, "string", name, what, &expected);
    }
    if let Err((span, what)) = whole {
        pieces.covered.push(span.clone());
        pieces.fail(
            DefectKind::Unreadable,
            "string",
            span,
            what.to_owned(),
            "key=value pairs with semicolons between",
        );
    }
    pieces
}

/// Hands over each pair with the spans of its key and value.
fn pairs(
    text: &str,
    from: usize,
    mut take: impl FnMut(&str, String, (Range<usize>, Range<usize>)),
) -> Result<(), (Range<usize>, &'static str)> {
    let mut at = from;
    while let Some(rest) = text.get(at..).filter(|r| !r.is_empty()) {
        let skipped = rest.len() - rest.trim_start_matches([';', ' ', '\t', '\n', '\r']).len();
        if skipped > 0 {
            at += skipped;
            continue;
        }
        let end = rest.find(';').unwrap_or(rest.len());
        let Some(equals) = rest.find('=').filter(|p| *p < end) else {
            return Err((at..at + end, "a part has no \"=\""));
        };
        let key = rest.get(..equals).unwrap_or_default().trim_end();
        let name = at..at + key.len();
        let value_at = at + equals + 1;
        let value = text.get(value_at..).unwrap_or_default();
        let (value, span) = if value.starts_with('{') {
            let Some((inner, length)) = braced(value) else {
                return Err((value_at..text.len(), "a brace is not closed"));
            };
            (inner, value_at..value_at + length)
        } else {
            let end = value.find(';').unwrap_or(value.len());
            let value = value.get(..end).unwrap_or_default();
            (value.to_owned(), value_at..value_at + end)
        };
        at = span.end;
        take(key, value, (name, span));
    }
    Ok(())
}

/// What stands in braces, and how many bytes that takes.
fn braced(text: &str) -> Option<(String, usize)> {
    let mut out = String::new();
    let mut chars = text.char_indices().skip(1).peekable();
    while let Some((at, c)) = chars.next() {
        match c {
            '}' if chars.peek().is_some_and(|(_, next)| *next == '}') => {
                chars.next();
                out.push('}');
            }
            '}' => return Some((out, at + 1)),
            c => out.push(c),
        }
    }
    None
}
