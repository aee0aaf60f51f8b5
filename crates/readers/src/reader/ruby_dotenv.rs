//! Ruby's `dotenv` (measured with 2.4).

use std::sync::OnceLock;

use regex::Regex;

use crate::entry::{Entry, Parsed, Part, Quotes, Value};
use crate::letters::{
    Earlier, Letter, Otherwise, Pieces, letters, text as text_of, trimmed, unescaped,
};
use crate::text::Text;

/// The library's own idea of a line.
fn line() -> Option<&'static Regex> {
    static LINE: OnceLock<Option<Regex>> = OnceLock::new();
    LINE.get_or_init(|| {
        let pattern = [
            r"^<S>*(?:export<S>+)?([A-Za-z0-9_.]+)(?:<S>*=<S>*|:<S>+?)",
            r#"('.*'|".*"|[^#\n]+)?<S>*(?:#.*)?$"#,
        ];
        Regex::new(&pattern.concat().replace("<S>", r"[ \t\r\n\x0b\x0c]")).ok()
    })
    .as_ref()
}

fn is_off(c: char) -> bool {
    matches!(c, ' ' | '\t' | '\n' | '\r' | '\u{b}' | '\u{c}' | '\0')
}

pub(super) fn read(text: &Text) -> Parsed {
    let mut parsed = Parsed::default();
    let Some(pattern) = line() else {
        return parsed;
    };
    let mut earlier = Earlier::default();
    let mut start = 0;
    for line in text.string.split(['\n', '\r']) {
        let begins = start;
        start += line.len() + 1;
        let Some(found) = pattern.captures(line) else {
            let mut words = line.split_ascii_whitespace();
            if words.next() == Some("export") && !words.all(|word| earlier.knows(word)) {
                let what = "Ruby's dotenv stops here: this exports a variable that is not set";
                parsed.refuse(begins, what, "export NAME=value");
                return parsed;
            }
            continue;
        };
        let Some(key) = found.get(1) else { continue };
        let (raw, from) = found
            .get(2)
            .map_or(("", line.len()), |v| (v.as_str(), v.start()));
        let all = letters(raw, begins + from);
        let bare = trimmed(&all, is_off);
        let end = from + raw.len();
        let behind = line.get(end..).unwrap_or_default();
        let sign = begins + end + (behind.len() - behind.trim_start().len());
        let quote = bare
            .first()
            .map(|l| l.c)
            .filter(|c| matches!(c, '"' | '\''));
        let closed = bare.len() > 1 && bare.last().map(|l| l.c) == quote;
        let quote = quote.filter(|_| closed);
        let span = match (bare.first(), bare.last()) {
            (Some(first), Some(last)) => first.at..last.at + last.c.len_utf8(),
            _ => begins + from..begins + from,
        };
        let cut = behind.trim_start().starts_with('#') && quote.is_none() && !bare.is_empty();
        let mut value = match quote {
            Some(_) => bare.get(1..bare.len() - 1).unwrap_or_default().to_vec(),
            None => bare.to_vec(),
        };
        if quote == Some('"') {
            let ends = |c: char| match c {
                'n' => Some('\n'),
                'r' => Some('\r'),
                _ => None,
            };
            value = unescaped(&unescaped(&value, ends), |c| (c != '$').then_some(c));
        }
        let mut pieces = Pieces::default();
        match quote {
            Some('\'') => pieces.letters(&value),
            _ => with_variables(&mut pieces, &value, &earlier),
        }
        let value = Value {
            parts: pieces.over(),
            at: span,
            quotes: match quote {
                Some('"') => Quotes::Escaped,
                Some(_) => Quotes::Literal,
                None => Quotes::None,
            },
            cut: Some(sign).filter(|at| cut && super::node_dotenv::looks_cut(text, *at)),
        };
        let name = key.as_str().to_owned();
        earlier.note(&name, &value);
        let key_at = begins + key.start()..begins + key.end();
        parsed.entries.push(Entry::new(vec![name], key_at, value));
    }
    parsed
}

fn with_variables(pieces: &mut Pieces, all: &[Letter], earlier: &Earlier) {
    let mut at = 0;
    while let Some(letter) = all.get(at) {
        let rest = all.get(at..).unwrap_or_default();
        let escaped = letter.c == '\\' && rest.get(1).is_some_and(|l| l.c == '$');
        if escaped {
            let whole = variable_length(rest.get(1..).unwrap_or_default()).0;
            pieces.letters(rest.get(1..1 + whole).unwrap_or_default());
            at += 1 + whole;
            continue;
        }
        if letter.c == '$' {
            if rest.get(1).is_some_and(|l| l.c == '(')
                && let Some(end) = rest.iter().position(|l| l.c == ')')
            {
                pieces.part(Part::Unknown);
                at += end + 1;
                continue;
            }
            let (length, name) = variable_length(rest);
            match name.is_empty() {
                true => pieces.letters(rest.get(..length).unwrap_or_default()),
                false => {
                    let span = letter.at..letter.at + length;
                    earlier.put(pieces, &name, span, Otherwise::Nothing);
                }
            }
            at += length;
            continue;
        }
        pieces.letter(*letter);
        at += 1;
    }
}

/// How long a variable with its sign and braces is, and its name. Either brace may be
/// absent.
fn variable_length(all: &[Letter]) -> (usize, String) {
    if all.get(1).is_some_and(|l| l.c == '(') {
        return (1, String::new());
    }
    let mut length = 1 + usize::from(all.get(1).is_some_and(|l| l.c == '{'));
    let name: Vec<Letter> = all
        .iter()
        .skip(length)
        .take_while(|l| l.c.is_ascii_alphanumeric() || l.c == '_')
        .copied()
        .collect();
    length += name.len();
    length += usize::from(all.get(length).is_some_and(|l| l.c == '}'));
    (length, text_of(&name))
}
