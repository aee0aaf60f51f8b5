//! MySQL's and MariaDB's option files (MySQL documentation, "Using Option Files").

use super::ini;
use crate::entry::{Entry, Parsed, Part, Quotes, Value};
use crate::text::Text;
use crate::traced::Traced;

pub(super) fn read(text: &Text) -> Parsed {
    let mut parsed = Parsed::default();
    let mut group: Option<String> = None;
    for (start, line) in text.lines() {
        let line = line.strip_suffix('\r').unwrap_or(line);
        let bare = line.trim_start();
        let at = start + (line.len() - bare.len());
        if bare.is_empty() || bare.starts_with(['#', ';', '!']) {
            continue;
        }
        if let Some(inner) = bare.strip_prefix('[') {
            match inner.split_once(']') {
                Some((name, _)) => group = Some(name.trim().to_owned()),
                None => parsed.trouble(at, "the bracket of a group is not closed", "[group]"),
            }
            continue;
        }
        let Some(group) = &group else {
            parsed.trouble(
                at,
                "an option comes before the first group",
                "[client] above it",
            );
            continue;
        };
        // Of a server's own groups nothing is about connecting to it.
        if group.starts_with("mysqld") || group.starts_with("mariadbd") || group == "server" {
            continue;
        }
        let sign = remark(bare);
        let behind = sign.and_then(|sign| bare.get(sign + 1..));
        let meant = behind.is_some_and(|b| !b.is_empty() && !b.starts_with([' ', '\t', '#']));
        let cut = sign.filter(|_| meant).map(|sign| at + sign);
        let bare = bare.get(..sign.unwrap_or(bare.len())).unwrap_or_default();
        let (key, raw) = bare.split_once('=').unwrap_or((bare, ""));
        let key = key.trim_end();
        let from = at + (bare.len() - raw.len());
        let value = value(raw, from, cut);
        let path = vec![group.clone(), key.to_owned()];
        parsed
            .entries
            .push(Entry::new(path, at..at + key.len(), value));
    }
    parsed
}

/// As PyMySQL reads them: with Python's `configparser`, so that no remark cuts a value short
/// and no escape is one, and without the files that it includes.
pub fn by_pymysql(text: &Text) -> Parsed {
    let setup = ini::PythonSetup {
        interpolates: false,
        keys_alone: true,
    };
    let mut parsed = ini::by_python(text, setup);
    for entry in &mut parsed.entries {
        let Some(text) = entry.value.plain() else {
            continue;
        };
        let whole = text.as_str();
        let in_quotes =
            |quote: char| whole.len() > 1 && whole.starts_with(quote) && whole.ends_with(quote);
        if in_quotes('"') || in_quotes('\'') {
            entry.value.parts = vec![Part::Text(text.slice(1..whole.len() - 1))];
        }
    }
    parsed
}

/// The files and folders (true) that a file includes.
pub(crate) fn includes(text: &str) -> Vec<(String, bool)> {
    let named = |line: &str, word: &str| {
        let rest = line.trim().strip_prefix(word)?;
        rest.starts_with([' ', '\t'])
            .then(|| rest.trim().to_owned())
    };
    text.lines()
        .filter_map(|line| {
            named(line, "!includedir")
                .map(|path| (path, true))
                .or_else(|| named(line, "!include").map(|path| (path, false)))
        })
        .collect()
}

/// Where a remark begins that takes the rest of a line: at the first sign outside quotes
/// (measured with MariaDB 10.11).
fn remark(line: &str) -> Option<usize> {
    let (mut quote, mut escaped) = (None, false);
    for (at, c) in line.char_indices() {
        match (quote, c) {
            (None, '#') => return Some(at),
            (None, '\'' | '"') if !escaped => quote = Some(c),
            (Some(open), c) if c == open && !escaped => quote = None,
            _ => {}
        }
        escaped = quote.is_some() && c == '\\' && !escaped;
    }
    None
}

fn value(raw: &str, from: usize, cut: Option<usize>) -> Value {
    let lead = raw.len() - raw.trim_start().len();
    let bare = raw.trim();
    let at = from + lead;
    let quote = bare.chars().next().filter(|c| matches!(c, '"' | '\''));
    let closed = quote.is_some_and(|quote| bare.len() > 1 && bare.ends_with(quote));
    let (inner, begin) = match closed {
        true => (bare.get(1..bare.len() - 1).unwrap_or_default(), at + 1),
        false => (bare, at),
    };
    Value {
        parts: vec![Part::Text(decoded(inner, begin))],
        at: begin..begin + inner.len(),
        quotes: Quotes::Escaped,
        cut,
    }
}

fn decoded(inner: &str, from: usize) -> Traced {
    let mut out = Traced::default();
    let mut chars = inner.char_indices().peekable();
    while let Some((at, c)) = chars.next() {
        let meant = match (c, chars.peek()) {
            ('\\', Some((_, 'n'))) => Some('\n'),
            ('\\', Some((_, 't'))) => Some('\t'),
            ('\\', Some((_, 'r'))) => Some('\r'),
            ('\\', Some((_, 'b'))) => Some('\u{8}'),
            ('\\', Some((_, 's'))) => Some(' '),
            ('\\', Some((_, escaped @ ('\\' | '\'' | '"')))) => Some(*escaped),
            _ => None,
        };
        match meant {
            Some(meant) => {
                out.push(meant, from + at);
                chars.next();
            }
            None => out.push_str(c.encode_utf8(&mut [0; 4]), from + at),
        }
    }
    out
}
