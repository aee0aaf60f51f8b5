//! `python-dotenv` (measured with 1.2).

use crate::entry::{Entry, Parsed, Quotes, Value};
use crate::letters::{
    Earlier, Letter, Otherwise, Pieces, text as text_of, traced, trimmed_end, unified,
};
use crate::text::Text;

pub(super) fn read(text: &Text) -> Parsed {
    let all = unified(&text.string);
    let mut reading = Reading {
        all: &all,
        at: 0,
        parsed: Parsed::default(),
        earlier: Earlier::default(),
        text,
    };
    while reading.at < all.len() {
        let begins = reading.at;
        if reading.binding().is_none() {
            let place = all.get(begins).map_or(0, |l| l.at);
            reading.parsed.trouble(
                place,
                "python-dotenv passes over this line",
                "NAME=value, with quotes closed",
            );
            reading.skip(|c| c != '\n' && c != '\r');
            reading.line_end();
        }
    }
    reading.parsed
}

struct Reading<'a> {
    all: &'a [Letter],
    at: usize,
    parsed: Parsed,
    earlier: Earlier,
    text: &'a Text,
}

/// White space within a line.
fn is_blank(c: char) -> bool {
    is_space(c) && c != '\n' && c != '\r'
}

/// What Python's `\s` matches, the separators of information (U+001C …) among it.
pub(super) fn is_space(c: char) -> bool {
    c.is_whitespace() || matches!(c, '\u{1c}'..='\u{1f}')
}

impl Reading<'_> {
    fn peek(&self) -> Option<char> {
        self.all.get(self.at).map(|l| l.c)
    }

    fn place(&self) -> usize {
        self.all
            .get(self.at)
            .map_or(self.text.string.len(), |l| l.at)
    }

    fn skip(&mut self, goes: impl Fn(char) -> bool) {
        while self.peek().is_some_and(&goes) {
            self.at += 1;
        }
    }

    /// The end of a line: it must be one.
    fn line_end(&mut self) -> Option<()> {
        match self.peek() {
            None => {}
            Some('\n') => self.at += 1,
            Some('\r') => {
                self.at += 1;
                if self.peek() == Some('\n') {
                    self.at += 1;
                }
            }
            Some(_) => return None,
        }
        Some(())
    }

    /// One line; nothing where the library gives it up.
    fn binding(&mut self) -> Option<()> {
        self.skip(is_space);
        if self.at == self.all.len() {
            return Some(());
        }
        let word: String = self.all.iter().skip(self.at).take(6).map(|l| l.c).collect();
        let blank = self.all.get(self.at + 6).is_some_and(|l| is_blank(l.c));
        if word == "export" && blank {
            self.at += 6;
            self.skip(is_blank);
        }
        let key_from = self.place();
        let key = self.key()?;
        let key_at = key_from..self.place();
        self.skip(is_blank);
        let mut value = None;
        if self.peek() == Some('=') {
            self.at += 1;
            let before = self.at;
            self.skip(is_blank);
            value = Some(match before < self.at && self.peek() == Some('#') {
                true => Value::text(traced(&[]), self.place()..self.place(), Quotes::None),
                false => self.value()?,
            });
        }
        let behind = self.at;
        self.skip(is_blank);
        match self.peek() {
            Some('#') => self.skip(|c| c != '\n' && c != '\r'),
            _ => self.at = behind,
        }
        self.skip(is_blank);
        self.line_end()?;
        match (key, value) {
            (Some(name), Some(value)) => {
                self.earlier.note(&name, &value);
                let entry = Entry::new(vec![name], key_at, value);
                self.parsed.entries.push(entry);
            }
            // A name alone takes back what a line above set.
            (Some(name), None) => {
                let nothing = Value::text(traced(&[]), key_at, Quotes::None);
                self.earlier.note(&name, &nothing);
                self.parsed.entries.retain(|e| e.key() != name);
            }
            _ => {}
        }
        Some(())
    }

    /// A key; there is none before a comment.
    fn key(&mut self) -> Option<Option<String>> {
        let from = self.at;
        match self.peek() {
            Some('#') => Some(None),
            Some('\'') => {
                let inner = self.all.get(from + 1..)?;
                let length = inner.iter().position(|l| l.c == '\'')?;
                let name = inner.get(..length).filter(|name| !name.is_empty())?;
                self.at = from + length + 2;
                Some(Some(text_of(name)))
            }
            _ => {
                self.skip(|c| !matches!(c, '=' | '#') && !is_space(c));
                let name = self.all.get(from..self.at)?;
                (!name.is_empty()).then(|| Some(text_of(name)))
            }
        }
    }

    fn value(&mut self) -> Option<Value> {
        let from = self.place();
        let (letters, quotes, cut) = match self.peek() {
            Some(quote @ ('\'' | '"')) => {
                let inner = self.quoted(quote)?;
                let quotes = match quote {
                    '"' => Quotes::Escaped,
                    _ => Quotes::Literal,
                };
                (inner, quotes, None)
            }
            _ => {
                let begins = self.at;
                self.skip(|c| c != '\n' && c != '\r');
                let whole = self.all.get(begins..self.at)?;
                let sign = whole.iter().enumerate().position(|(at, l)| {
                    let before = at.checked_sub(1).and_then(|b| whole.get(b));
                    l.c == '#' && before.is_some_and(|b| is_space(b.c))
                });
                let kept = trimmed_end(whole.get(..sign.unwrap_or(whole.len()))?, is_space);
                let cut = sign.and_then(|s| whole.get(s)).map(|l| l.at);
                let cut = cut.filter(|at| super::node_dotenv::looks_cut(self.text, *at));
                (kept.to_vec(), Quotes::None, cut)
            }
        };
        let at = match (quotes, letters.last()) {
            (Quotes::None, Some(last)) => from..last.at + last.c.len_utf8(),
            _ => from..self.place(),
        };
        let mut pieces = Pieces::default();
        with_variables(&mut pieces, &letters, &self.earlier);
        Some(Value {
            parts: pieces.over(),
            at,
            quotes,
            cut,
        })
    }

    /// What stands in quotes, its escapes decoded.
    fn quoted(&mut self, quote: char) -> Option<Vec<Letter>> {
        let from = self.at + 1;
        let mut to = from;
        // Where the quote is not closed the rest of this line alone is given up.
        loop {
            match self.all.get(to)?.c {
                '\\' => to += 2,
                c if c == quote => break,
                _ => to += 1,
            }
        }
        let inner = self.all.get(from..to)?;
        self.at = to + 1;
        let meant = |c: char| match (quote, c) {
            (_, '\\' | '\'') => Some(c),
            ('"', '"') => Some('"'),
            ('"', 'a') => Some('\u{7}'),
            ('"', 'b') => Some('\u{8}'),
            ('"', 'f') => Some('\u{c}'),
            ('"', 'n') => Some('\n'),
            ('"', 'r') => Some('\r'),
            ('"', 't') => Some('\t'),
            ('"', 'v') => Some('\u{b}'),
            _ => None,
        };
        Some(crate::letters::unescaped(inner, meant))
    }
}

/// `${NAME}` and `${NAME:-default}`, in quotes of every kind.
fn with_variables(pieces: &mut Pieces, all: &[Letter], earlier: &Earlier) {
    let mut at = 0;
    let last = all.iter().rposition(|l| l.c == '}').unwrap_or(0);
    while let Some(letter) = all.get(at) {
        let rest = all.get(at..).unwrap_or_default();
        let braced = letter.c == '$' && rest.get(1).is_some_and(|l| l.c == '{');
        let closes = || rest.iter().position(|l| l.c == '}');
        let end = (braced && at < last).then(closes).flatten();
        if let Some(end) = end {
            let inner = rest.get(2..end).unwrap_or_default();
            let colon = inner.iter().position(|l| l.c == ':');
            let (name, behind) = inner.split_at(colon.unwrap_or(inner.len()));
            let has_default = behind.get(1).is_some_and(|l| l.c == '-');
            if colon.is_none() || has_default {
                let default = traced(behind.get(2..).unwrap_or_default());
                let otherwise = match has_default {
                    true => Otherwise::IfUnset(default),
                    false => Otherwise::Nothing,
                };
                let to = rest.get(end).map_or(letter.at, |l| l.at + 1);
                earlier.put(pieces, &text_of(name), letter.at..to, otherwise);
                at += end + 1;
                continue;
            }
        }
        pieces.letter(*letter);
        at += 1;
    }
}
