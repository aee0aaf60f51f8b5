//! `env_file` and `.env` of a composition (documented: the Compose Specification, "Env_file
//! format").

use crate::entry::{Entry, Parsed, Quotes, Value};
use crate::letters::{
    Earlier, Letter, Otherwise, Pieces, letters, text as text_of, traced, trimmed_end,
};
use crate::text::Text;

fn is_blank(c: char) -> bool {
    matches!(
        c,
        ' ' | '\t' | '\u{b}' | '\u{c}' | '\r' | '\u{85}' | '\u{a0}'
    )
}

pub(super) fn read(text: &Text) -> Parsed {
    let all = letters(&text.string, 0);
    let mut parsed = Parsed::default();
    let mut earlier = Earlier::default();
    let mut at = 0;
    loop {
        while all.get(at).is_some_and(|l| l.c.is_whitespace()) {
            at += 1;
        }
        let Some(first) = all.get(at) else { break };
        if first.c == '#' {
            at = line_end(&all, at);
            continue;
        }
        match entry(&all, at, &earlier, text) {
            Ok((entry, end)) => {
                if let Some(entry) = entry {
                    earlier.note(entry.key(), &entry.value);
                    parsed.entries.push(entry);
                }
                at = end.max(at + 1);
            }
            Err(what) => {
                parsed.refuse(first.at, what, "NAME=value, with quotes closed");
                break;
            }
        }
    }
    parsed
}

fn line_end(all: &[Letter], from: usize) -> usize {
    let rest = all.get(from..).unwrap_or_default();
    from + rest.iter().position(|l| l.c == '\n').unwrap_or(rest.len())
}

type Taken = Result<(Option<Entry>, usize), &'static str>;

fn entry(all: &[Letter], from: usize, earlier: &Earlier, text: &Text) -> Taken {
    let mut at = from;
    let word = text_of(all.get(at..at + 6).unwrap_or_default());
    if word == "export" && all.get(at + 6).is_some_and(|l| is_blank(l.c)) {
        at += 6;
        while all.get(at).is_some_and(|l| is_blank(l.c)) {
            at += 1;
        }
    }
    let begins = at;
    let ends = |l: &Letter| matches!(l.c, '=' | ':' | '\n');
    let length = all.iter().skip(at).position(ends);
    at = length.map_or(all.len(), |length| at + length);
    let key = trimmed_end(all.get(begins..at).unwrap_or_default(), is_blank);
    let plain = |l: &Letter| l.c.is_alphanumeric() || matches!(l.c, '_' | '.' | '-' | '[' | ']');
    if !key.iter().all(plain) {
        return Err("compose stops here: there is a character in the name that no name has");
    }
    let name = text_of(key);
    let key_at = key.first().map_or(0, |l| l.at);
    // A name alone takes its value from the environment of who starts it.
    if all.get(at).is_none_or(|l| l.c == '\n') {
        return Ok((None, at + 1));
    }
    at += 1;
    while all.get(at).is_some_and(|l| is_blank(l.c)) {
        at += 1;
    }
    let from_place = all.get(at).map_or(text.string.len(), |l| l.at);
    let mut pieces = Pieces::default();
    let (quotes, cut, end, to) = match all.get(at).map(|l| l.c) {
        Some(quote @ ('"' | '\'')) => {
            let (inner, end) = quoted(all, at, quote)?;
            match quote {
                '"' => with_variables(&mut pieces, &inner, earlier),
                _ => pieces.letters(&inner),
            }
            let quotes = match quote {
                '"' => Quotes::Escaped,
                _ => Quotes::Literal,
            };
            let to = all.get(end - 1).map_or(from_place, |l| l.at + 1);
            (quotes, None, end, to)
        }
        _ => {
            let end = line_end(all, at);
            let whole = all.get(at..end).unwrap_or_default();
            let sign = whole
                .windows(2)
                .position(|p| matches!(p, [a, b] if a.c == ' ' && b.c == '#'));
            let kept = whole.get(..sign.unwrap_or(whole.len())).unwrap_or_default();
            let kept = trimmed_end(kept, char::is_whitespace);
            with_variables(&mut pieces, kept, earlier);
            let cut = sign.and_then(|s| whole.get(s + 1)).map(|l| l.at);
            let cut = cut.filter(|at| super::node_dotenv::looks_cut(text, *at));
            let to = kept.last().map_or(from_place, |l| l.at + l.c.len_utf8());
            (Quotes::None, cut, end, to)
        }
    };
    let value = Value {
        parts: pieces.over(),
        at: from_place..to,
        quotes,
        cut,
    };
    let key_at = key_at..key_at + name.len();
    Ok((Some(Entry::new(vec![name], key_at, value)), end))
}

/// What stands in quotes, its escapes decoded; a dollar sign behind a backslash is doubled,
/// so that it begins no variable.
fn quoted(all: &[Letter], from: usize, quote: char) -> Result<(Vec<Letter>, usize), &'static str> {
    let mut out: Vec<Letter> = Vec::new();
    let mut at = from + 1;
    loop {
        let Some(letter) = all.get(at).copied() else {
            return Err("compose stops here: a quote is not closed");
        };
        let next = all.get(at + 1).copied();
        match (letter.c, next) {
            (c, _) if c == quote => return Ok((out, at + 1)),
            ('\\', Some(next)) if next.c == quote => {
                out.push(next);
                at += 2;
            }
            ('\\', Some(next)) if quote == '"' => {
                let meant = match next.c {
                    'a' => '\u{7}',
                    'b' => '\u{8}',
                    'f' => '\u{c}',
                    'n' => '\n',
                    'r' => '\r',
                    't' => '\t',
                    'v' => '\u{b}',
                    c @ ('\\' | '$') => c,
                    _ => {
                        out.extend([letter, next]);
                        at += 2;
                        continue;
                    }
                };
                let meant = Letter {
                    c: meant,
                    at: letter.at,
                    as_is: false,
                };
                out.push(meant);
                if meant.c == '$' {
                    out.push(meant);
                }
                at += 2;
            }
            _ => {
                out.push(letter);
                at += 1;
            }
        }
    }
}

/// `$NAME`, `${NAME}` and its operators; two signs are one.
fn with_variables(pieces: &mut Pieces, all: &[Letter], earlier: &Earlier) {
    let mut at = 0;
    while let Some(letter) = all.get(at) {
        let rest = all.get(at..).unwrap_or_default();
        if letter.c == '$' && rest.get(1).is_some_and(|l| l.c == '$') {
            pieces.letter(*letter);
            at += 2;
            continue;
        }
        let taken = match letter.c {
            '$' => variable(pieces, rest, earlier),
            _ => None,
        };
        match taken {
            Some(length) => at += length,
            None => {
                pieces.letter(*letter);
                at += 1;
            }
        }
    }
}

fn variable(pieces: &mut Pieces, all: &[Letter], earlier: &Earlier) -> Option<usize> {
    let braced = all.get(1)?.c == '{';
    let begins = 1 + usize::from(braced);
    let is_name = |l: &&Letter| l.c.is_ascii_alphanumeric() || l.c == '_';
    let length = all.iter().skip(begins).take_while(is_name).count();
    let name = all.get(begins..begins + length)?;
    if name.first().is_none_or(|l| l.c.is_ascii_digit()) {
        return None;
    }
    let name = text_of(name);
    let from = all.first()?.at;
    if !braced {
        let end = begins + length;
        earlier.put(pieces, &name, from..from + end, Otherwise::Nothing);
        return Some(end);
    }
    let end = all.iter().position(|l| l.c == '}')?;
    let operator = all.get(begins + length..end)?;
    let colon = operator.first().is_some_and(|l| l.c == ':');
    let sign = operator.get(usize::from(colon)).map(|l| l.c);
    let word = traced(operator.get(1 + usize::from(colon)..).unwrap_or_default());
    let otherwise = match (sign, colon) {
        (Some('-'), true) => Otherwise::IfEmpty(word),
        (Some('-'), false) => Otherwise::IfUnset(word),
        (Some('+'), true) => Otherwise::IfFull(word),
        (Some('+'), false) => Otherwise::IfSet(word),
        _ => Otherwise::Nothing,
    };
    earlier.put(pieces, &name, from..all.get(end)?.at + 1, otherwise);
    Some(end + 1)
}
