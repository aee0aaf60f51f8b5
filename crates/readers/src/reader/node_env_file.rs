//! `--env-file` of Node itself (measured with 20.20).

use crate::entry::{Entry, Parsed, Quotes, Value};
use crate::letters::{Letter, Pieces, letters, text as text_of, trimmed};
use crate::text::Text;

fn is_space(c: char) -> bool {
    c == ' '
}

pub(super) fn read(text: &Text) -> Parsed {
    let mut all = letters(&text.string, 0);
    all.retain(|l| l.c != '\r');
    let mut rest = trimmed(&all, is_space);
    let mut parsed = Parsed::default();
    while let Some(first) = rest.first() {
        let newline = rest.iter().position(|l| l.c == '\n');
        let behind = |at: usize| rest.get(at..).unwrap_or_default();
        if let Some(at) = newline.filter(|_| matches!(first.c, '\n' | '#')) {
            rest = behind(at + 1);
            continue;
        }
        // The next sign ends the name, on whatever line it stands.
        let Some(sign) = rest.iter().position(|l| l.c == '=') else {
            break;
        };
        let mut key = trimmed(rest.get(..sign).unwrap_or_default(), is_space);
        rest = behind(sign + 1);
        if key.is_empty() {
            break;
        }
        if text_of(key).starts_with("export ") {
            key = key.get(7..).unwrap_or_default();
        }
        let name = text_of(key);
        let from = key.first().map_or(0, |l| l.at);
        let key_at = from..from + name.len();
        let mut take = |value: &[Letter], quotes: Quotes, cut: Option<usize>| {
            let mut pieces = Pieces::default();
            pieces.letters(value);
            let begins = value.first().map_or(key_at.end + 1, |l| l.at);
            let ends = value.last().map_or(begins, |l| l.at + l.c.len_utf8());
            let around = usize::from(quotes != Quotes::None && !value.is_empty());
            let value = Value {
                parts: pieces.over(),
                at: begins - around..ends + around,
                quotes,
                cut: cut.filter(|at| super::node_dotenv::looks_cut(text, *at)),
            };
            let entry = Entry::new(vec![name.clone()], key_at.clone(), value);
            parsed.entries.push(entry);
        };
        if rest.first().is_none_or(|l| l.c == '\n') {
            take(&[], Quotes::None, None);
            rest = rest.get(1..).unwrap_or_default();
            continue;
        }
        rest = trimmed(rest, is_space);
        let quote = rest
            .first()
            .map(|l| l.c)
            .filter(|c| matches!(c, '"' | '\'' | '`'));
        let closing = quote.and_then(|quote| {
            let found = rest.iter().skip(1).position(|l| l.c == quote);
            found.map(|at| at + 1)
        });
        if let Some(closing) = closing {
            let inner = rest.get(1..closing).unwrap_or_default();
            match quote {
                Some('"') => {
                    let meant = |c: char| (c == 'n').then_some('\n');
                    take(
                        &crate::letters::unescaped(inner, meant),
                        Quotes::Escaped,
                        None,
                    );
                }
                _ => take(inner, Quotes::Literal, None),
            }
            let behind = rest.get(closing + 1..).unwrap_or_default();
            let newline = behind.iter().position(|l| l.c == '\n');
            rest = behind
                .get(newline.unwrap_or(behind.len())..)
                .unwrap_or_default();
            continue;
        }
        let newline = rest.iter().position(|l| l.c == '\n');
        // A quote that is not closed on the last line is taken for the next name.
        if quote.is_some() && newline.is_none() {
            continue;
        }
        let end = newline.unwrap_or(rest.len());
        let line = rest.get(..end).unwrap_or_default();
        let sign = line
            .iter()
            .position(|l| l.c == '#')
            .filter(|_| quote.is_none());
        let kept = line.get(..sign.unwrap_or(line.len())).unwrap_or_default();
        let kept = match quote {
            Some(_) => kept,
            None => trimmed(kept, is_space),
        };
        let cut = sign.and_then(|s| line.get(s)).map(|l| l.at);
        take(kept, Quotes::None, cut);
        rest = rest.get(end..).unwrap_or_default();
    }
    parsed
}
