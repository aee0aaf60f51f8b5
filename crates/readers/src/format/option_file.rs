//! MySQL's and MariaDB's option files (MySQL documentation, "Using Option Files").

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
        let (key, raw) = bare.split_once('=').unwrap_or((bare, ""));
        let key = key.trim_end();
        let from = at + (bare.len() - raw.len());
        let value = value(raw, from);
        let path = vec![group.clone(), key.to_owned()];
        parsed
            .entries
            .push(Entry::new(path, at..at + key.len(), value));
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

fn value(raw: &str, from: usize) -> Value {
    let lead = raw.len() - raw.trim_start().len();
    let bare = raw.trim();
    let at = from + lead;
    let quote = bare.chars().next().filter(|c| matches!(c, '"' | '\''));
    let closed = quote.and_then(|quote| Some((quote, bare.get(1..)?.find(quote)?)));
    let (inner, begin, cut) = match closed {
        Some((_, length)) => (bare.get(1..1 + length).unwrap_or_default(), at + 1, None),
        None => {
            let sign = bare.find(" #").or_else(|| bare.find("\t#"));
            let kept = sign.map_or(bare, |cut| bare.get(..cut).unwrap_or_default());
            let cut = sign.map(|cut| cut + 1).filter(|cut| {
                let behind = bare.get(cut + 1..).unwrap_or_default();
                !behind.is_empty() && !behind.starts_with([' ', '#'])
            });
            (kept.trim_end(), at, cut)
        }
    };
    Value {
        parts: vec![Part::Text(decoded(inner, begin))],
        at: begin..begin + inner.len(),
        quotes: Quotes::Escaped,
        cut: cut.map(|cut| at + cut),
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
            ('\\', Some((_, '\\'))) => Some('\\'),
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
