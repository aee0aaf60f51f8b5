//! `--env-file` of a container engine (measured with its client 28): the line is the value,
//! quotes, comment signs and spaces at its end included.

use crate::entry::{Entry, Parsed, Quotes, Value};
use crate::letters::{Pieces, letters, text as text_of, trimmed_start};
use crate::text::Text;

pub(super) fn read(text: &Text) -> Parsed {
    let mut parsed = Parsed::default();
    for line in letters(&text.string, 0).split(|l| l.c == '\n') {
        let line = match line.split_last() {
            Some((last, rest)) if last.c == '\r' => rest,
            _ => line,
        };
        let bare = trimmed_start(line, char::is_whitespace);
        let Some(first) = bare.first().filter(|l| l.c != '#') else {
            continue;
        };
        let sign = bare.iter().position(|l| l.c == '=');
        let key = bare.get(..sign.unwrap_or(bare.len())).unwrap_or_default();
        if key.is_empty() {
            parsed.refuse(first.at, "there is no name before the sign", "NAME=value");
            continue;
        }
        if key.iter().any(|l| matches!(l.c, ' ' | '\t')) {
            parsed.refuse(
                first.at,
                "there is a space in the name (\"export\" is not understood)",
                "NAME=value, and nothing before the name",
            );
            continue;
        }
        // A name alone takes its value from the environment of who starts the container.
        let Some(sign) = sign else { continue };
        let value = bare.get(sign + 1..).unwrap_or_default();
        let mut pieces = Pieces::default();
        pieces.letters(value);
        let from = bare.get(sign).map_or(0, |l| l.at + 1);
        let to = value.last().map_or(from, |l| l.at + l.c.len_utf8());
        let name = text_of(key);
        let key_at = first.at..first.at + name.len();
        let value = Value {
            parts: pieces.over(),
            at: from..to,
            quotes: Quotes::None,
            cut: None,
        };
        parsed.entries.push(Entry::new(vec![name], key_at, value));
    }
    parsed
}
