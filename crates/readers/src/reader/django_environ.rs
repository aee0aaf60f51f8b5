//! `django-environ` (measured with 0.14): nothing is cut, outer blanks belong to the value.

use crate::entry::{Entry, Look, Parsed, Part, Quotes, Value};
use crate::letters::{Letter, Pieces, text as text_of, unified};
use crate::text::Text;

/// Where Python's `splitlines` ends a line.
fn ends_line(c: char) -> bool {
    matches!(
        c,
        '\n' | '\r' | '\u{b}' | '\u{c}' | '\u{1c}'..='\u{1e}' | '\u{85}' | '\u{2028}' | '\u{2029}'
    )
}

pub(super) fn read(text: &Text) -> Parsed {
    let mut parsed = Parsed::default();
    for line in unified(&text.string).split(|l| ends_line(l.c)) {
        let lead = "export ";
        let exported = text_of(line.get(..lead.len()).unwrap_or_default()) == lead;
        let bare = line
            .get(if exported { lead.len() } else { 0 }..)
            .unwrap_or_default();
        let is_name = |l: &Letter| l.c.is_ascii_alphanumeric() || l.c == '_';
        let sign = bare.iter().position(|l| !is_name(l)).unwrap_or(bare.len());
        let first = line.first();
        if sign == 0 || bare.get(sign).is_none_or(|l| l.c != '=') {
            if first.is_some_and(|l| l.c != '#') {
                parsed.trouble(
                    first.map_or(0, |l| l.at),
                    "django-environ passes over this line",
                    "NAME=value, without spaces before the sign",
                );
            }
            continue;
        }
        let key = bare.get(..sign).unwrap_or_default();
        let behind = bare.get(sign + 1..).unwrap_or_default();
        let sign_at = bare.get(sign).map_or(0, |l| l.at);
        let from = behind.first().map_or(sign_at + 1, |l| l.at);
        let to = behind.last().map_or(from, |l| l.at + l.c.len_utf8());
        let ends_with = |quote: char, all: &[Letter]| {
            let whole = all.len() >= 2;
            whole
                && all.first().is_some_and(|l| l.c == quote)
                && all.last().is_some_and(|l| l.c == quote)
        };
        let inside = |all: &[Letter]| all.get(1..all.len() - 1).unwrap_or_default().to_vec();
        let mut value = behind.to_vec();
        let mut quotes = Quotes::None;
        if ends_with('\'', &value) {
            value = inside(&value);
            quotes = Quotes::Literal;
        }
        if ends_with('"', &value) {
            let meant = |c: char| (!matches!(c, 'r' | 'n' | 't')).then_some(c);
            value = crate::letters::unescaped(&inside(&value), meant);
            quotes = Quotes::Escaped;
        }
        let mut pieces = Pieces::default();
        // What begins with a dollar sign is the name of another variable.
        match value.split_first() {
            Some((sign, name)) if sign.c == '$' && !name.is_empty() => {
                let to = value.last().map_or(to, |l| l.at + l.c.len_utf8());
                let from = sign.at;
                pieces.part(Part::Look(Look {
                    name: text_of(name),
                    default: None,
                    required: true,
                    by_program: false,
                    at: from..to,
                }));
            }
            _ => pieces.letters(&value),
        }
        let key_from = key.first().map_or(0, |l| l.at);
        let value = Value {
            parts: pieces.over(),
            at: from..to,
            quotes,
            cut: None,
        };
        let name = text_of(key);
        let key_at = key_from..key_from + name.len();
        parsed.entries.push(Entry::new(vec![name], key_at, value));
    }
    parsed
}
