//! `symfony/dotenv` (measured with 5.4).

use super::php_dotenv::is_off;
use crate::entry::{Entry, Parsed, Part, Quotes, Value};
use crate::letters::{
    Earlier, Letter, Otherwise, Pieces, text as text_of, traced, trimmed_end, unified,
};
use crate::text::Text;
use crate::traced::Traced;

type Refused = &'static str;

pub(super) fn read(text: &Text) -> Parsed {
    let all = unified(&text.string);
    let mut reading = Reading {
        all: &all,
        at: 0,
        earlier: Earlier::default(),
        text,
    };
    let mut parsed = Parsed::default();
    reading.skip_empty();
    while reading.at < all.len() {
        let place = all.get(reading.at).map_or(0, |l| l.at);
        match reading.entry() {
            Ok(entry) => parsed.entries.push(entry),
            Err(what) => {
                let expected = "NAME=value, with quotes around a value with spaces";
                parsed.refuse(place, what, expected);
                break;
            }
        }
    }
    parsed
}

struct Reading<'a> {
    all: &'a [Letter],
    at: usize,
    earlier: Earlier,
    text: &'a Text,
}

/// The length of a variable's name at the beginning.
fn name_length(all: &[Letter]) -> usize {
    let lead = usize::from(all.first().is_some_and(|l| l.c == '_'));
    if !all.get(lead).is_some_and(|l| l.c.is_ascii_alphabetic()) {
        return 0;
    }
    let is_name = |l: &&Letter| l.c.is_ascii_alphanumeric() || l.c == '_';
    lead + all.iter().skip(lead).take_while(is_name).count()
}

impl Reading<'_> {
    fn peek(&self) -> Option<char> {
        self.all.get(self.at).map(|l| l.c)
    }

    fn rest(&self) -> &[Letter] {
        self.all.get(self.at..).unwrap_or_default()
    }

    fn skip_empty(&mut self) {
        loop {
            let from = self.at;
            while self.peek().is_some_and(|c| is_off(c) || c == '\u{c}') {
                self.at += 1;
            }
            if self.peek() == Some('#') {
                while self.peek().is_some_and(|c| c != '\n') {
                    self.at += 1;
                }
            }
            if self.at == from {
                return;
            }
        }
    }

    fn entry(&mut self) -> Result<Entry, Refused> {
        let lead: String = text_of(self.rest().get(..6).unwrap_or_default());
        let blanks = self.rest().iter().skip(6);
        let blanks = blanks.take_while(|l| matches!(l.c, ' ' | '\t')).count();
        let behind = self.rest().get(6 + blanks..).unwrap_or_default();
        if lead == "export" && blanks > 0 && name_length(behind) > 0 {
            self.at += 6 + blanks;
        }
        let length = name_length(self.rest());
        if length == 0 {
            return Err("Symfony's dotenv stops here: this is not a variable name");
        }
        let key = self.rest().get(..length).unwrap_or_default();
        let name = text_of(key);
        let from = key.first().map_or(0, |l| l.at);
        self.at += length;
        match self.peek() {
            Some('=') => self.at += 1,
            Some(' ' | '\t') => {
                return Err("Symfony's dotenv stops here: there is a space after the name");
            }
            _ => return Err("Symfony's dotenv stops here: there is no \"=\" after the name"),
        }
        let value = self.value()?;
        self.skip_empty();
        self.earlier.note(&name, &value);
        Ok(Entry::new(
            vec![name.clone()],
            from..from + name.len(),
            value,
        ))
    }

    fn value(&mut self) -> Result<Value, Refused> {
        let from = self
            .all
            .get(self.at)
            .map_or(self.text.string.len(), |l| l.at);
        let blanks = self.rest().iter();
        let blanks = blanks.take_while(|l| matches!(l.c, ' ' | '\t')).count();
        let next = self.all.get(self.at + blanks).map(|l| l.c);
        if matches!(next, None | Some('\n' | '#')) {
            self.at += blanks;
            return Ok(Value::text(traced(&[]), from..from, Quotes::None));
        }
        if blanks > 0 {
            return Err("Symfony's dotenv stops here: there is a space before the value");
        }
        let mut pieces = Pieces::default();
        let mut quotes = Quotes::None;
        let mut cut = None;
        let mut to = from;
        loop {
            match self.peek() {
                Some('\'') => {
                    let inner = self.rest().iter().skip(1).position(|l| l.c == '\'');
                    let Some(length) = inner else {
                        return Err("Symfony's dotenv stops here: a quote is not closed");
                    };
                    let inner = self.all.get(self.at + 1..self.at + 1 + length);
                    pieces.letters(inner.unwrap_or_default());
                    self.at += length + 2;
                    quotes = Quotes::Literal;
                }
                Some('"') => {
                    let inner = self.double_quoted()?;
                    let mut out = Pieces::default();
                    self.resolved(&mut out, &inner)?;
                    for part in out.over() {
                        pieces.part(part);
                    }
                    quotes = Quotes::Escaped;
                }
                _ => {
                    self.unquoted(&mut pieces)?;
                    if self.peek() == Some('#') {
                        let place = self.all.get(self.at).map(|l| l.at);
                        cut = place.filter(|at| super::node_dotenv::looks_cut(self.text, *at));
                        break;
                    }
                }
            }
            to = self.place_before();
            if matches!(self.peek(), None | Some('\n')) {
                break;
            }
        }
        to = to.max(from);
        Ok(Value {
            parts: pieces.over(),
            at: from..to,
            quotes,
            cut,
        })
    }

    fn place_before(&self) -> usize {
        let before = self.at.checked_sub(1).and_then(|at| self.all.get(at));
        before.map_or(0, |l| l.at + l.c.len_utf8())
    }

    fn double_quoted(&mut self) -> Result<Vec<Letter>, Refused> {
        let open = "Symfony's dotenv stops here: a quote is not closed";
        self.at += 1;
        let from = self.at;
        loop {
            let c = self.peek().ok_or(open)?;
            let before = |n: usize| {
                self.at
                    .checked_sub(n)
                    .and_then(|at| self.all.get(at))
                    .map(|l| l.c)
            };
            let escaped = before(1) == Some('\\') && before(2) != Some('\\');
            if c == '"' && !escaped {
                break;
            }
            self.at += 1;
        }
        let inner = self.all.get(from..self.at).unwrap_or_default();
        self.at += 1;
        let meant = |c: char| match c {
            '"' => Some('"'),
            'r' => Some('\r'),
            'n' => Some('\n'),
            _ => None,
        };
        Ok(crate::letters::unescaped(inner, meant))
    }

    fn unquoted(&mut self, pieces: &mut Pieces) -> Result<(), Refused> {
        let mut value = Vec::new();
        let mut before = self
            .at
            .checked_sub(1)
            .and_then(|at| self.all.get(at))
            .map(|l| l.c);
        while let Some(letter) = self.all.get(self.at).copied() {
            let comment = letter.c == '#' && matches!(before, Some(' ' | '\t'));
            if matches!(letter.c, '\n' | '"' | '\'') || comment {
                break;
            }
            let next = self.all.get(self.at + 1).copied();
            let kept = match (letter.c, next) {
                ('\\', Some(quote)) if matches!(quote.c, '"' | '\'') => {
                    self.at += 1;
                    quote
                }
                _ => letter,
            };
            value.push(kept);
            before = Some(kept.c);
            self.at += 1;
            if kept.c == '$' && self.peek() == Some('(') {
                let end = self.rest().iter().position(|l| l.c == ')');
                let Some(end) = end else {
                    return Err("Symfony's dotenv stops here: a parenthesis is not closed");
                };
                value.extend(self.all.get(self.at..=self.at + end).unwrap_or_default());
                self.at += end + 1;
                before = Some(')');
            }
        }
        let value = trimmed_end(&value, is_off);
        let changed = self.resolved(pieces, value)?;
        if !changed && value.iter().any(|l| l.c.is_ascii_whitespace()) {
            return Err("Symfony's dotenv stops here: a value with a space in it has no quotes");
        }
        Ok(())
    }

    /// Puts in variables; says whether that, or doubled backslashes, changed anything.
    fn resolved(&self, pieces: &mut Pieces, all: &[Letter]) -> Result<bool, Refused> {
        let mut changed = false;
        let mut at = 0;
        while let Some(letter) = all.get(at) {
            let rest = all.get(at..).unwrap_or_default();
            let slashes = rest.iter().take_while(|l| l.c == '\\').count();
            let sign = rest.get(slashes).is_some_and(|l| l.c == '$');
            let command = sign && rest.get(slashes + 1).is_some_and(|l| l.c == '(');
            if slashes > 0 {
                let escapes = sign && slashes % 2 == 1;
                let kept = slashes - usize::from(escapes);
                // Two of them are one in the end.
                pieces.letters(rest.get(..kept.div_ceil(2)).unwrap_or_default());
                changed |= kept > 1 || escapes;
                at += slashes;
                if escapes {
                    pieces.letters(rest.get(slashes..=slashes).unwrap_or_default());
                    at += 1;
                }
                continue;
            }
            if command {
                pieces.part(Part::Unknown);
                changed = true;
                at += rest
                    .iter()
                    .position(|l| l.c == ')')
                    .map_or(rest.len(), |p| p + 1);
                continue;
            }
            if letter.c == '$' {
                let (length, put) = self.variable(pieces, rest)?;
                changed |= put;
                at += length;
                continue;
            }
            pieces.letter(*letter);
            at += 1;
        }
        Ok(changed)
    }

    fn variable(&self, pieces: &mut Pieces, all: &[Letter]) -> Result<(usize, bool), Refused> {
        let braced = all.get(1).is_some_and(|l| l.c == '{');
        let begins = 1 + usize::from(braced);
        let length = name_length(all.get(begins..).unwrap_or_default());
        if length == 0 {
            let closes = all.get(begins).is_some_and(|l| l.c == '}');
            return Ok(match (braced, closes) {
                (true, true) => (3, true),
                // A brace that nothing opens takes the sign with it.
                (false, true) => (1, true),
                _ => {
                    pieces.letters(all.get(..1).unwrap_or_default());
                    (1, false)
                }
            });
        }
        let name = text_of(all.get(begins..begins + length).unwrap_or_default());
        let mut end = begins + length;
        let behind = all.get(end..).unwrap_or_default();
        let has_default = behind.first().is_some_and(|l| l.c == ':')
            && behind.get(1).is_some_and(|l| matches!(l.c, '-' | '='));
        let mut otherwise = Otherwise::Nothing;
        if has_default {
            let till = behind
                .iter()
                .position(|l| l.c == '}')
                .unwrap_or(behind.len());
            let default = behind.get(2..till).unwrap_or_default();
            if default
                .iter()
                .any(|l| matches!(l.c, '\'' | '"' | '{' | '$'))
            {
                return Err(
                    "Symfony's dotenv stops here: this default holds a character that it does not take",
                );
            }
            otherwise = Otherwise::IfEmpty(traced(default));
            end += till;
        }
        let closes = all.get(end).is_some_and(|l| l.c == '}');
        if braced && !closes {
            return Err("Symfony's dotenv stops here: a brace is not closed");
        }
        let from = all.first().map_or(0, |l| l.at);
        let to = all.get(end).map_or(from, |l| l.at + 1).max(from + 1);
        let mut put = Pieces::default();
        self.earlier.put(&mut put, &name, from..to, otherwise);
        for part in put.over() {
            pieces.part(match part {
                // Two backslashes are one in what is put in, too.
                Part::Text(text) if text.as_str().contains("\\\\") => {
                    let (_, at) = text.origin(0);
                    Part::Text(Traced::opaque(text.as_str().replace("\\\\", "\\"), at))
                }
                part => part,
            });
        }
        end += usize::from(braced);
        Ok((end, true))
    }
}
