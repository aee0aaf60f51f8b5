//! `dotenv-expand` of Node behind its `dotenv` (measured with 12.0): variables count in
//! quotes of every kind, for the quotes are off by then.

use super::node_dotenv;
use crate::entry::{Entry, Parsed, Value};
use crate::letters::{Earlier, Letter, Otherwise, Pieces, text as text_of, traced};
use crate::text::Text;

pub(super) fn read(text: &Text) -> Parsed {
    let mut parsed = Parsed::default();
    let mut earlier = Earlier::default();
    // A name that stands twice has its last value, at its first place.
    let mut lines: Vec<node_dotenv::Line> = Vec::new();
    for line in node_dotenv::lines(text) {
        match lines.iter_mut().find(|known| known.0 == line.0) {
            Some(known) => *known = line,
            None => lines.push(line),
        }
    }
    for (name, key_at, plain, at) in lines {
        let mut pieces = Pieces::default();
        expand(&mut pieces, &plain.letters, &earlier);
        let value = Value {
            parts: pieces.over(),
            at,
            quotes: plain.quotes,
            cut: plain.cut,
        };
        earlier.note(&name, &value);
        parsed.entries.push(Entry::new(vec![name], key_at, value));
    }
    parsed
}

fn expand(pieces: &mut Pieces, all: &[Letter], earlier: &Earlier) {
    let mut at = 0;
    while let Some(letter) = all.get(at) {
        let next = all.get(at + 1).map(|l| l.c);
        if letter.c == '\\' && next == Some('$') {
            pieces.letters(all.get(at + 1..at + 2).unwrap_or_default());
            at += 2;
            continue;
        }
        if letter.c == '$'
            && let Some(length) = variable(pieces, all.get(at..).unwrap_or_default(), earlier)
        {
            at += length;
            continue;
        }
        pieces.letter(*letter);
        at += 1;
    }
}

/// A variable at the beginning, put in; with its length.
fn variable(pieces: &mut Pieces, all: &[Letter], earlier: &Earlier) -> Option<usize> {
    let from = all.first()?.at;
    if all.get(1)?.c == '{' {
        let end = all.iter().position(|l| l.c == '}')?;
        let inner = all.get(2..end).filter(|inner| !inner.is_empty())?;
        if inner.iter().any(|l| l.c == '{') {
            return None;
        }
        let (name, otherwise) = operator(inner);
        earlier.put(pieces, &name, from..all.get(end)?.at + 1, otherwise);
        return Some(end + 1);
    }
    let name: Vec<Letter> = all
        .iter()
        .skip(1)
        .take_while(|l| l.c.is_ascii_alphanumeric() || l.c == '_')
        .copied()
        .collect();
    let first = name.first()?;
    if first.c.is_ascii_digit() {
        return None;
    }
    let at = from..from + 1 + name.len();
    earlier.put(pieces, &text_of(&name), at, Otherwise::Nothing);
    Some(1 + name.len())
}

/// The first of `:+`, `+`, `:-` and `-`, and what stands behind it. An empty variable is
/// as good as none here.
fn operator(inner: &[Letter]) -> (String, Otherwise) {
    let text = text_of(inner);
    let Some(sign) = text.find(['+', '-']) else {
        return (text, Otherwise::Nothing);
    };
    let with_colon = text.get(..sign).is_some_and(|name| name.ends_with(':'));
    let name_end = sign - usize::from(with_colon);
    let skipped = text.get(..=sign).unwrap_or_default().chars().count();
    let behind = traced(inner.get(skipped..).unwrap_or_default());
    let name = text.get(..name_end).unwrap_or_default().to_owned();
    match text.get(sign..=sign) {
        Some("+") => (name, Otherwise::IfFull(behind)),
        _ => (name, Otherwise::IfEmpty(behind)),
    }
}
