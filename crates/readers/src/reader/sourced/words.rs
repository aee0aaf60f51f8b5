//! Words of a shell: quotes, escapes, and what is put in for a dollar sign.

use super::{Refused, Shell, Word, where_unset};
use crate::entry::{Entry, Part, Quotes, Value};
use crate::letters::{Letter, Otherwise, Pieces, text as text_of, traced};

impl Shell<'_> {
    /// One word; `may_set` says whether it can be an assignment where it stands.
    pub(super) fn word(&mut self, may_set: bool) -> Result<Word, Refused> {
        let from = self.at;
        let mut name_end = None;
        if may_set {
            let is_name = |l: &&Letter| l.c.is_ascii_alphanumeric() || l.c == '_';
            let length = self.all.iter().skip(from).take_while(is_name).count();
            let first = self.peek().is_some_and(|c| !c.is_ascii_digit());
            let sign = self.after(length) == Some('=');
            if length > 0 && first && sign {
                name_end = Some(from + length);
                self.at = from + length + 1;
            }
        }
        if name_end.is_some() && self.peek() == Some('(') && self.bash {
            return self.array(from, name_end);
        }
        let value_from = self.at;
        let mut pieces = Pieces::default();
        let mut quotes = Quotes::None;
        let mut bare = true;
        while let Some(letter) = self.all.get(self.at).copied() {
            match letter.c {
                ' ' | '\t' | '\n' | ';' | '&' | '|' | '<' | '>' => break,
                '(' | ')' => {
                    return Err("the shell stops here: a parenthesis stands outside quotes");
                }
                '\'' => {
                    self.single(&mut pieces)?;
                    quotes = Quotes::Literal;
                    bare = false;
                }
                '"' => {
                    self.double(&mut pieces)?;
                    quotes = Quotes::Escaped;
                    bare = false;
                }
                '\\' => {
                    bare = false;
                    match self.all.get(self.at + 1).copied() {
                        None => pieces.letter(letter),
                        Some(next) if next.c == '\n' => {}
                        Some(next) => pieces.letter(Letter {
                            at: letter.at,
                            as_is: false,
                            ..next
                        }),
                    }
                    self.at += 2;
                }
                '$' if self.bash && self.after(1) == Some('\'') => {
                    bare = false;
                    quotes = Quotes::Escaped;
                    self.ansi(&mut pieces)?;
                }
                '$' if self.bash && self.after(1) == Some('"') => self.at += 1,
                '$' | '`' => {
                    bare = false;
                    self.expansion(&mut pieces)?;
                }
                '~' if name_end.is_some() && self.may_be_home(value_from) => {
                    match self.after(1) {
                        None | Some('/' | ':' | ' ' | '\t' | '\n' | ';') => {
                            let span = letter.at..letter.at + 1;
                            self.earlier
                                .put(&mut pieces, "HOME", span, Otherwise::Nothing);
                        }
                        _ => pieces.letter(letter),
                    }
                    self.at += 1;
                }
                _ => {
                    pieces.letter(letter);
                    self.at += 1;
                }
            }
        }
        self.at = self.at.min(self.all.len());
        let place = |at: usize| {
            let letter = self.all.get(at);
            let end = || self.all.last().map_or(0, |l| l.at + l.c.len_utf8());
            letter.map_or_else(end, |l| l.at)
        };
        let text = text_of(self.all.get(from..self.at).unwrap_or_default());
        Ok(match name_end {
            Some(end) => {
                let name = text_of(self.all.get(from..end).unwrap_or_default());
                let value = Value {
                    parts: pieces.over(),
                    at: place(value_from)..place(self.at),
                    quotes,
                    cut: None,
                };
                Word {
                    bare: None,
                    text: None,
                    sets: Some(Entry::new(vec![name], place(from)..place(end), value)),
                    at: place(from)..place(self.at),
                }
            }
            None => {
                let value = Value {
                    parts: pieces.over(),
                    ..Value::default()
                };
                Word {
                    bare: bare.then_some(text),
                    text: Some(where_unset(&value)),
                    sets: None,
                    at: place(from)..place(self.at),
                }
            }
        })
    }

    /// Whether a tilde stands where it means the home folder: first, or behind a colon.
    fn may_be_home(&self, value_from: usize) -> bool {
        let before = self.at.checked_sub(1).and_then(|at| self.all.get(at));
        self.at == value_from || before.is_some_and(|l| l.c == ':')
    }

    /// `NAME=(…)`: what a program would get of it is not told here.
    fn array(&mut self, from: usize, name_end: Option<usize>) -> Result<Word, Refused> {
        let name_end = name_end.unwrap_or(from);
        let begins = self.at;
        while self.peek().is_some_and(|c| c != ')') {
            self.at += 1;
        }
        if self.peek().is_none() {
            return Err("the shell stops here: a parenthesis is not closed");
        }
        self.at += 1;
        let place = |at: usize| self.all.get(at).map_or(0, |l| l.at);
        let name = text_of(self.all.get(from..name_end).unwrap_or_default());
        let value = Value::unknown(place(begins)..place(self.at - 1) + 1);
        let entry = Entry::new(vec![name], place(from)..place(name_end), value);
        Ok(Word {
            bare: None,
            text: None,
            sets: Some(entry),
            at: place(from)..place(self.at - 1) + 1,
        })
    }

    fn single(&mut self, pieces: &mut Pieces) -> Result<(), Refused> {
        self.quotes += 1;
        self.at += 1;
        loop {
            match self.all.get(self.at).copied() {
                None => return Err("the shell stops here: a single quote is not closed"),
                Some(letter) if letter.c == '\'' => {
                    self.at += 1;
                    return Ok(());
                }
                Some(letter) => pieces.letter(letter),
            }
            self.at += 1;
        }
    }

    fn double(&mut self, pieces: &mut Pieces) -> Result<(), Refused> {
        self.quotes += 1;
        self.at += 1;
        loop {
            let Some(letter) = self.all.get(self.at).copied() else {
                return Err("the shell stops here: a double quote is not closed");
            };
            let next = self.all.get(self.at + 1).copied();
            match (letter.c, next) {
                ('"', _) => {
                    self.at += 1;
                    return Ok(());
                }
                ('\\', Some(next)) if next.c == '\n' => self.at += 2,
                ('\\', Some(next)) if matches!(next.c, '$' | '`' | '"' | '\\') => {
                    pieces.letter(Letter {
                        at: letter.at,
                        as_is: false,
                        ..next
                    });
                    self.at += 2;
                }
                ('$' | '`', _) => self.expansion(pieces)?,
                _ => {
                    pieces.letter(letter);
                    self.at += 1;
                }
            }
        }
    }

    /// `$'…'` with the escapes of C.
    fn ansi(&mut self, pieces: &mut Pieces) -> Result<(), Refused> {
        self.quotes += 1;
        self.at += 2;
        loop {
            let Some(letter) = self.all.get(self.at).copied() else {
                return Err("the shell stops here: a single quote is not closed");
            };
            let meant = self.after(1).and_then(|c| match c {
                'n' => Some('\n'),
                't' => Some('\t'),
                'r' => Some('\r'),
                'a' => Some('\u{7}'),
                'b' => Some('\u{8}'),
                'e' | 'E' => Some('\u{1b}'),
                'f' => Some('\u{c}'),
                'v' => Some('\u{b}'),
                '\\' | '\'' | '"' | '?' => Some(c),
                _ => None,
            });
            match (letter.c, meant) {
                ('\'', _) => {
                    self.at += 1;
                    return Ok(());
                }
                ('\\', Some(c)) => {
                    pieces.letter(Letter {
                        c,
                        at: letter.at,
                        as_is: false,
                    });
                    self.at += 2;
                }
                _ => {
                    pieces.letter(letter);
                    self.at += 1;
                }
            }
        }
    }

    /// What begins with a dollar sign or a back quote.
    fn expansion(&mut self, pieces: &mut Pieces) -> Result<(), Refused> {
        let Some(sign) = self.all.get(self.at).copied() else {
            return Ok(());
        };
        if sign.c == '`' || self.after(1) == Some('(') {
            return self.substitution(pieces, sign.c);
        }
        if self.after(1) == Some('{') {
            return self.braced(pieces, sign.at);
        }
        let is_name = |l: &&Letter| l.c.is_ascii_alphanumeric() || l.c == '_';
        let name: Vec<Letter> = self
            .all
            .iter()
            .skip(self.at + 1)
            .take_while(is_name)
            .copied()
            .collect();
        match name.first().map(|l| l.c) {
            // An argument of the shell: there are none when a file is read.
            Some(c) if c.is_ascii_digit() => self.at += 2,
            // The last word of the command before.
            Some('_') if name.len() == 1 => {
                pieces.part(Part::Unknown);
                self.at += 2;
            }
            Some(_) => {
                let span = sign.at..sign.at + 1 + name.len();
                self.earlier
                    .put(pieces, &text_of(&name), span, Otherwise::Nothing);
                self.at += 1 + name.len();
            }
            None => match self.after(1) {
                Some('$' | '!' | '?' | '#' | '-' | '@' | '*') => {
                    pieces.part(Part::Unknown);
                    self.at += 2;
                }
                _ => {
                    pieces.letter(sign);
                    self.at += 1;
                }
            },
        }
        Ok(())
    }

    /// A command whose output is put in: only a run tells.
    fn substitution(&mut self, pieces: &mut Pieces, sign: char) -> Result<(), Refused> {
        pieces.part(Part::Unknown);
        let mut depth = 0usize;
        self.at += 1;
        while let Some(c) = self.peek() {
            self.at += 1;
            match (sign, c) {
                ('`', '`') => return Ok(()),
                ('$', '(') => depth += 1,
                ('$', ')') => {
                    depth = depth.saturating_sub(1);
                    if depth == 0 {
                        return Ok(());
                    }
                }
                _ => {}
            }
        }
        Err("the shell stops here: a command that is to be put in is not closed")
    }

    fn braced(&mut self, pieces: &mut Pieces, from: usize) -> Result<(), Refused> {
        let rest = self.all.get(self.at + 2..).unwrap_or_default();
        let Some(end) = rest.iter().position(|l| l.c == '}') else {
            return Err("the shell stops here: a brace is not closed");
        };
        let inner = rest.get(..end).unwrap_or_default();
        let is_name = |l: &&Letter| l.c.is_ascii_alphanumeric() || l.c == '_';
        let length = inner.iter().take_while(is_name).count();
        let (name, operator) = inner.split_at(length);
        let to = rest.get(end).map_or(from, |l| l.at + 1);
        self.at += end + 3;
        let colon = operator.first().is_some_and(|l| l.c == ':');
        let sign = operator.get(usize::from(colon)).map(|l| l.c);
        let word = operator.get(1 + usize::from(colon)..).unwrap_or_default();
        let plain = |l: &Letter| !matches!(l.c, '$' | '`' | '"' | '\'' | '\\' | '~');
        let known = word.iter().all(plain);
        let word = traced(word);
        let otherwise = match (sign, colon) {
            (None, false) if length > 0 => Otherwise::Nothing,
            (Some('-' | '='), true) if known => Otherwise::IfEmpty(word),
            (Some('-' | '='), false) if known => Otherwise::IfUnset(word),
            (Some('+'), true) if known => Otherwise::IfFull(word),
            (Some('+'), false) if known => Otherwise::IfSet(word),
            (Some('?'), _) => Otherwise::Nothing,
            _ => {
                pieces.part(Part::Unknown);
                return Ok(());
            }
        };
        self.earlier
            .put(pieces, &text_of(name), from..to, otherwise);
        Ok(())
    }
}
