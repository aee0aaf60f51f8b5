//! `python-decouple` (measured with 3.8): nothing is cut, nothing is put in.

use super::python_dotenv::is_space;
use crate::entry::{Entry, Parsed, Quotes, Value};
use crate::letters::{Pieces, text as text_of, trimmed, unified};
use crate::text::Text;

pub(super) fn read(text: &Text) -> Parsed {
    let mut parsed = Parsed::default();
    for line in unified(&text.string).split(|l| l.c == '\n' || l.c == '\r') {
        let line = trimmed(line, is_space);
        let sign = line.iter().position(|l| l.c == '=');
        let Some(sign) = sign.filter(|_| line.first().is_some_and(|l| l.c != '#')) else {
            continue;
        };
        let (key, behind) = line.split_at(sign);
        let key = trimmed(key, is_space);
        let mut value = trimmed(behind.get(1..).unwrap_or_default(), is_space);
        let ends = line.last().map_or(0, |l| l.at + l.c.len_utf8());
        let key_from = key.first().map_or(ends, |l| l.at);
        let from = value.first().map_or(ends, |l| l.at);
        let first = value.first().map(|l| l.c);
        let quoted = value.len() >= 2
            && matches!(first, Some('"' | '\''))
            && value.last().map(|l| l.c) == first;
        if quoted {
            value = value.get(1..value.len() - 1).unwrap_or_default();
        }
        let mut pieces = Pieces::default();
        pieces.letters(value);
        let value = Value {
            parts: pieces.over(),
            at: from..ends,
            quotes: match quoted {
                true => Quotes::Literal,
                false => Quotes::None,
            },
            cut: None,
        };
        let key_at = key_from..key_from + text_of(key).len();
        parsed
            .entries
            .push(Entry::new(vec![text_of(key)], key_at, value));
    }
    parsed
}
