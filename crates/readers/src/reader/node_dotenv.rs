//! The `dotenv` of Node (measured with 16.4).

use std::sync::OnceLock;

use regex::Regex;

use crate::entry::{Entry, Parsed, Quotes, Value};
use crate::letters::{Letter, Pieces, letters, trimmed, unescaped, unified as letters_unified};
use crate::text::Text;

/// What ECMAScript takes for white space (ECMA-262, section 12.2 and 12.3).
const SPACE: &str = r"[\s\x{feff}&&[^\x{85}]]";

pub(super) fn is_space(c: char) -> bool {
    (c.is_whitespace() && c != '\u{85}') || c == '\u{feff}'
}

/// The library's own idea of a line. `$` is the end of a line there, and of the text.
fn line() -> Option<&'static Regex> {
    static LINE: OnceLock<Option<Regex>> = OnceLock::new();
    LINE.get_or_init(|| {
        let pattern = [
            "(?m)^<S>*(?:export<S>+)?([A-Za-z0-9_.-]+)(?:<S>*=<S>*?|:<S>+?)",
            r#"(<S>*'(?:\\'|[^'])*'|<S>*"(?:\\"|[^"])*"|<S>*`(?:\\`|[^`])*`|[^#\r\n]+)?"#,
            "<S>*(?:#.*)?$",
        ];
        Regex::new(&pattern.concat().replace("<S>", SPACE)).ok()
    })
    .as_ref()
}

pub(super) fn read(text: &Text) -> Parsed {
    let mut parsed = Parsed::default();
    for (name, key_at, value, raw) in lines(text) {
        let mut pieces = Pieces::default();
        pieces.letters(&value.letters);
        let value = Value {
            parts: pieces.over(),
            at: raw,
            quotes: value.quotes,
            cut: value.cut,
        };
        parsed.entries.push(Entry::new(vec![name], key_at, value));
    }
    parsed
}

/// A value as the library reads it.
pub(super) struct Plain {
    pub(super) letters: Vec<Letter>,
    pub(super) quotes: Quotes,
    pub(super) cut: Option<usize>,
}

pub(super) type Line = (
    String,
    std::ops::Range<usize>,
    Plain,
    std::ops::Range<usize>,
);

/// The lines that the library makes out: name, its place, value, its place.
pub(super) fn lines(text: &Text) -> Vec<Line> {
    let Some(line) = line() else {
        return Vec::new();
    };
    let mut unified = String::with_capacity(text.string.len());
    let mut places = Vec::with_capacity(text.string.len());
    for letter in letters_unified(&text.string) {
        unified.push(letter.c);
        places.extend(std::iter::repeat_n(letter.at, letter.c.len_utf8()));
    }
    places.push(text.string.len());
    let place = |at: usize| places.get(at).copied().unwrap_or(text.string.len());
    let mut out = Vec::new();
    for found in line.captures_iter(&unified) {
        let (Some(whole), Some(key)) = (found.get(0), found.get(1)) else {
            continue;
        };
        let key_at = place(key.start())..place(key.end());
        let (raw, from) = found
            .get(2)
            .map_or(("", whole.end()), |v| (v.as_str(), v.start()));
        let mut all = letters(raw, from);
        for letter in &mut all {
            letter.at = place(letter.at);
        }
        let bare = trimmed(&all, is_space).to_vec();
        let span = match (bare.first(), bare.last()) {
            (Some(first), Some(last)) => first.at..last.at + last.c.len_utf8(),
            _ => place(from)..place(from),
        };
        let behind = unified.get(whole.start()..whole.end()).unwrap_or_default();
        let end = from - whole.start() + raw.len();
        let cut = behind
            .get(end..)
            .filter(|rest| rest.trim_start().starts_with('#') && !bare.is_empty())
            .map(|rest| place(from + raw.len() + (rest.len() - rest.trim_start().len())));
        let value = unquoted(&bare);
        let cut = cut.filter(|_| value.1 == Quotes::None);
        let plain = Plain {
            letters: value.0,
            quotes: value.1,
            cut: cut.filter(|at| looks_cut(text, *at)),
        };
        out.push((key.as_str().to_owned(), key_at, plain, span));
    }
    out
}

/// Whether what a comment sign cuts off looks like a part of the value, rather than a
/// comment.
pub(super) fn looks_cut(text: &Text, at: usize) -> bool {
    let before = text.string.get(..at).unwrap_or_default();
    let behind = text.string.get(at + 1..).unwrap_or_default();
    let glued = !before.ends_with([' ', '\t']);
    let blank = behind.is_empty() || behind.starts_with([' ', '\t', '#', '\n', '\r']);
    glued || !blank
}

/// Takes the surrounding quotes off, as the library's second expression does.
fn unquoted(bare: &[Letter]) -> (Vec<Letter>, Quotes) {
    let first = bare.first().map(|l| l.c);
    let mut out: Vec<Letter> = Vec::new();
    let mut at = 0;
    let mut line_begins = true;
    while let Some(letter) = bare.get(at) {
        let quote = Some(letter.c).filter(|c| line_begins && matches!(c, '"' | '\'' | '`'));
        let closing = quote.and_then(|quote| {
            let ends = |p: &usize| {
                let is_end = bare.get(*p + 1).is_none_or(|l| l.c == '\n');
                *p > at && bare.get(*p).is_some_and(|l| l.c == quote) && is_end
            };
            (at + 1..bare.len()).rev().find(ends)
        });
        if let Some(closing) = closing {
            out.extend(bare.get(at + 1..closing).unwrap_or_default());
            at = closing + 1;
            line_begins = false;
            continue;
        }
        line_begins = letter.c == '\n';
        out.push(*letter);
        at += 1;
    }
    let was_quoted = out.len() < bare.len();
    match first {
        Some('"') => {
            let meant = |c| match c {
                'n' => Some('\n'),
                'r' => Some('\r'),
                _ => None,
            };
            let quotes = match was_quoted {
                true => Quotes::Escaped,
                false => Quotes::None,
            };
            // A doubled backslash before them does not count there.
            (unescaped(&out, meant), quotes)
        }
        Some('\'' | '`') if was_quoted => (out, Quotes::Literal),
        _ => (out, Quotes::None),
    }
}
