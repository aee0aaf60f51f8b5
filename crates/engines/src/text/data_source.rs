//! Semicolon-separated data-source strings: `Driver={…};Server=…;Database=…` (ODBC), and
//! the names that PHP's database layer takes: `mysql:host=…;dbname=…`.

use std::ops::Range;

use chronaxis_model::settings::{DefectKind, nearest};
use chronaxis_model::shown;
use chronaxis_model::target::EngineId;

use super::pieces::Pieces;
use crate::registry::engines;

/// Words with which such a string may begin, in lower case and without blanks.
const FIRST: &[&str] = &[
    "addr",
    "address",
    "data source",
    "database",
    "driver",
    "dsn",
    "encrypt",
    "host",
    "initial catalog",
    "integrated security",
    "network address",
    "password",
    "pooling",
    "port",
    "pwd",
    "server",
    "servername",
    "ssl mode",
    "sslmode",
    "trusted_connection",
    "uid",
    "user",
    "user id",
    "userid",
    "username",
];

/// Whether a text is a semicolon-separated list of pairs.
pub(in super::super) fn is_one(text: &str) -> bool {
    let mut keys: Vec<String> = Vec::new();
    let mut odd = false;
    let read = pairs(text, 0, |key, value, _| {
        // Blanks between pairs are another form.
        odd |= keys.is_empty() && value.split_whitespace().skip(1).any(|w| w.contains('='));
        keys.push(key.to_ascii_lowercase());
    });
    let first = keys.first().map_or("", String::as_str);
    let driver = keys.iter().any(|key| key == "driver" || key == "dsn");
    // The C library's own word, which no such string has.
    let librarys = keys.iter().any(|key| key == "dbname");
    let whole = read.is_ok() || driver || keys.len() > 1;
    whole && !odd && FIRST.contains(&first) && (driver || (text.contains(';') && !librarys))
}

/// What a text that names no driver says of the engine by its words, its port, or the form
/// of its host; none where nothing does, or several things differ.
pub(in super::super) fn engine(text: &str) -> Option<EngineId> {
    let mut told: Vec<EngineId> = Vec::new();
    let mut seen: Vec<String> = Vec::new();
    let _ = pairs(text, 0, |key, value, _| {
        let key: String = key.to_ascii_lowercase().split_whitespace().collect();
        let of_words = engines()
            .iter()
            .filter(|e| e.spec.pairs.words.contains(&key.as_str()));
        told.extend(of_words.map(|e| e.spec.id));
        let value = value.trim();
        match key.as_str() {
            "port" => {
                let port = value.parse::<u16>().ok();
                let of_port = engines()
                    .iter()
                    .find(|e| e.spec.usual_port.is_some_and(|p| Some(p) == port));
                told.extend(of_port.map(|e| e.spec.id));
            }
            "server" | "datasource" | "address" | "addr" | "networkaddress" => {
                let of_host = engines()
                    .iter()
                    .filter(|e| e.spec.pairs.host.is_some_and(|fits| fits(value)));
                told.extend(of_host.map(|e| e.spec.id));
            }
            _ => {}
        }
        seen.push(key);
    });
    let has = |word: &&str| seen.iter().any(|key| key == word);
    let of_keys = engines().iter().filter(|e| {
        let keys = e.spec.pairs.keys;
        !keys.is_empty() && keys.iter().all(&has)
    });
    told.extend(of_keys.map(|e| e.spec.id));
    let first = *told.first()?;
    told.iter().all(|id| *id == first).then_some(first)
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

/// The keys of a text, each with where it stands.
pub(in super::super) fn keys(text: &str) -> Vec<(String, Range<usize>)> {
    let mut out = Vec::new();
    let _ = pairs(text, 0, |key, _, (name, _)| {
        out.push((key.to_owned(), name))
    });
    out
}

/// How a form writes a key and what it means.
pub(in super::super) type Meaning = (&'static str, &'static str);

/// What a driver does with words that mean nothing here.
#[derive(Clone, Copy)]
pub(in super::super) enum Others<'a> {
    /// It passes over them.
    PassedOver,
    /// It refuses all but these, whose names have no blanks here.
    RefusedBut(&'a [&'a str]),
}

/// Which of two pairs for one thing counts to an ODBC driver. To those who need no driver it
/// is the last.
#[derive(Clone, Copy, PartialEq, Eq)]
pub(in super::super) enum OfTwo {
    /// The first (ODBC, "SQLDriverConnect").
    First,
    /// The last, whatever the standard says (measured with psqlODBC 13 and MariaDB's 3.1).
    Last,
}

/// Reads pairs from byte `from`: keys without regard to case, a value in braces as it
/// stands (a doubled brace is one). `means` says what each key means.
pub(in super::super) fn read(
    text: &str,
    from: usize,
    means: &[Meaning],
    others: Others<'_>,
    of_two: OfTwo,
) -> Pieces {
    let mut pieces = Pieces::default();
    let mut bad: Option<(String, Range<usize>)> = None;
    let first_counts = of_two == OfTwo::First && names_driver(text, from);
    let whole = pairs(text, from, |key, value, (name, span)| {
        let low = key.to_ascii_lowercase();
        match means.iter().find(|(known, _)| *known == low) {
            Some((_, meant)) if pieces.found.iter().any(|p| p.key == *meant) => {
                pieces.covered.push(span.clone());
                if !first_counts
                    && let Some(known) = pieces.found.iter_mut().find(|p| p.key == *meant)
                {
                    pieces.covered.push(known.span.clone());
                    known.value = value;
                    known.span = span;
                }
            }
            Some((_, meant)) => pieces.add(meant, value, span),
            None => {
                // Who knows what stands there.
                pieces.covered.push(span);
                let refused = match others {
                    Others::PassedOver => false,
                    Others::RefusedBut(known) => {
                        let bare: String = low.split_whitespace().collect();
                        !known.contains(&bare.as_str())
                    }
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
            "the key {} does not exist in this form",
            shown::key(&key, known_words)
        );
        let expected = near.map_or("a key of this form".to_owned(), |n| format!("probably {n}"));
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

/// Whether a text names a driver or a source, and so is ODBC's; anything that is no list
/// from its beginning is not.
fn names_driver(text: &str, from: usize) -> bool {
    let list = text.get(from..).unwrap_or_default();
    from > 0
        || list.split(';').any(|pair| {
            let key = pair.split('=').next().unwrap_or_default().trim();
            key.eq_ignore_ascii_case("driver") || key.eq_ignore_ascii_case("dsn")
        })
}

/// Hands over each pair with the spans of its key and value. Where no driver is named, a
/// value may stand in quotes, and blanks round it are none of it.
fn pairs(
    text: &str,
    from: usize,
    mut take: impl FnMut(&str, String, (Range<usize>, Range<usize>)),
) -> Result<(), (Range<usize>, &'static str)> {
    let mut at = from;
    let bare_form = !names_driver(text, from);
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
        let blanks = value.len() - value.trim_start_matches([' ', '\t']).len();
        let (value_at, value) = match bare_form {
            true => (value_at + blanks, value.get(blanks..).unwrap_or_default()),
            false => (value_at, value),
        };
        let quote = value
            .chars()
            .next()
            .filter(|c| bare_form && matches!(c, '\'' | '"'));
        let (value, span) = if let Some(quote) = quote {
            let Some((inner, length)) = quoted(value, quote) else {
                return Err((value_at..text.len(), "a quote is not closed"));
            };
            (inner, value_at..value_at + length)
        } else if value.starts_with('{') {
            let Some((inner, length)) = braced(value) else {
                return Err((value_at..text.len(), "a brace is not closed"));
            };
            (inner, value_at..value_at + length)
        } else {
            let end = value.find(';').unwrap_or(value.len());
            let value = value.get(..end).unwrap_or_default();
            let value = match bare_form {
                true => value.trim_end(),
                false => value,
            };
            (value.to_owned(), value_at..value_at + value.len())
        };
        at = span.end;
        take(key, value, (name, span));
    }
    Ok(())
}

/// What stands in quotes, in which a doubled one is one, and how many bytes that takes.
fn quoted(text: &str, quote: char) -> Option<(String, usize)> {
    let mut out = String::new();
    let mut chars = text.char_indices().skip(1).peekable();
    while let Some((at, c)) = chars.next() {
        if c != quote {
            out.push(c);
        } else if chars.peek().is_some_and(|(_, next)| *next == quote) {
            chars.next();
            out.push(quote);
        } else {
            return Some((out, at + 1));
        }
    }
    None
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
