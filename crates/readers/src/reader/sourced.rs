//! A file that a shell reads with `.` (POSIX.1-2024, "Shell Command Language"; measured with
//! bash 5.2 and dash 0.5.12): commands, of which only assignments say anything here.

use crate::entry::{Entry, Parsed, Part, Quotes, Value};
use crate::letters::{Earlier, Letter, Otherwise, Pieces, letters, text as text_of, traced};
use crate::text::Text;
use crate::traced::Traced;

pub(super) fn read_bash(text: &Text) -> Parsed {
    read(text, true)
}

pub(super) fn read_posix(text: &Text) -> Parsed {
    read(text, false)
}

fn read(text: &Text, bash: bool) -> Parsed {
    let all = letters(&text.string, 0);
    let mut shell = Shell {
        all: &all,
        at: 0,
        earlier: Earlier::default(),
        executed: 0,
        quotes: 0,
        bash,
    };
    let mut parsed = Parsed::default();
    while shell.at < all.len() {
        let place = all.get(shell.at).map_or(0, |l| l.at);
        let before = parsed.entries.len();
        match shell.command() {
            Ok(entries) => {
                for entry in entries {
                    shell.earlier.note(entry.key(), &entry.value);
                    parsed.entries.push(entry);
                }
                if shell.line_is_over() {
                    shell.executed = parsed.entries.len();
                }
            }
            Err(what) => {
                // A line is read whole before any command of it is carried out.
                parsed.entries.truncate(shell.executed.min(before));
                parsed.refuse(place, what, "quotes around the value");
                break;
            }
        }
    }
    parsed
}

/// Words that begin or join commands, and are none.
const RESERVED: &[&str] = &["then", "else", "do", "{", "!"];

/// Commands that set the variables in their arguments.
const SETTERS: &[&str] = &["export", "declare", "typeset", "readonly", "local"];

struct Shell<'a> {
    all: &'a [Letter],
    at: usize,
    earlier: Earlier,
    /// How many of the entries stand in lines that are over.
    executed: usize,
    /// How many quotes were met.
    quotes: usize,
    bash: bool,
}

/// One word of a command.
struct Word {
    /// Its text, where no quotes and no expansions are in it.
    bare: Option<String>,
    /// What it comes to where nothing else is set; none of an assignment.
    text: Option<String>,
    /// What it sets, if it is an assignment.
    sets: Option<Entry>,
    /// Where it stands.
    at: std::ops::Range<usize>,
}

impl Word {
    /// Makes it an assignment where its text is one after all: `export "NAME=value"`.
    fn settle(&mut self) {
        let Some((name, value)) = self.text.as_deref().and_then(|t| t.split_once('=')) else {
            return;
        };
        if self.sets.is_none() && is_name(name) && !name.starts_with('-') {
            let from = self.at.start;
            let told = Traced::opaque(value, (from + name.len() + 1).min(self.at.end));
            let value = Value::text(told, self.at.clone(), Quotes::Escaped);
            self.sets = Some(Entry::new(vec![name.to_owned()], from..from, value));
        }
    }
}

type Refused = &'static str;

/// What a value comes to where no variable is set that the file does not set.
fn where_unset(value: &Value) -> String {
    let parts = value.parts.iter();
    let texts = parts.map(|part| match part {
        Part::Text(text) => text.as_str().to_owned(),
        Part::Look(look) => {
            let default = look.default.as_ref();
            default.map_or_else(String::new, |d| d.as_str().to_owned())
        }
        // Nearly all of these are numbers.
        Part::Unknown => "0".to_owned(),
    });
    texts.collect()
}

/// Whether a word after "export" names a variable, or is an option.
fn is_name(word: &str) -> bool {
    let plain = |c: char| c.is_ascii_alphanumeric() || c == '_';
    let begins = word.starts_with(|c: char| c.is_ascii_alphabetic() || c == '_');
    matches!(word, "-p" | "-n" | "--") || (begins && word.chars().all(plain))
}

impl Shell<'_> {
    fn peek(&self) -> Option<char> {
        self.all.get(self.at).map(|l| l.c)
    }

    fn after(&self, n: usize) -> Option<char> {
        self.all.get(self.at + n).map(|l| l.c)
    }

    fn line_is_over(&self) -> bool {
        let before = self.at.checked_sub(1).and_then(|at| self.all.get(at));
        self.at >= self.all.len() || before.is_some_and(|l| l.c == '\n')
    }

    fn skip_line(&mut self) {
        while self.peek().is_some_and(|c| c != '\n') {
            self.at += 1;
        }
    }

    /// Reads a command to its end, and gives what it sets.
    fn command(&mut self) -> Result<Vec<Entry>, Refused> {
        let mut words: Vec<Word> = Vec::new();
        let mut heredocs: Vec<String> = Vec::new();
        let mut apart = false;
        let mut is_command = false;
        loop {
            match self.peek() {
                None => break,
                Some(' ' | '\t') => self.at += 1,
                Some('\\') if self.after(1) == Some('\n') => self.at += 2,
                Some('#') => self.skip_line(),
                Some('\n') => {
                    self.at += 1;
                    break;
                }
                Some(';') => {
                    self.at += 1;
                    if self.peek() == Some(';') {
                        return Err("the shell stops here: \";;\" stands outside \"case\"");
                    }
                    if !is_command {
                        return Err("the shell stops here: there is no command before \";\"");
                    }
                    break;
                }
                Some(sign @ ('&' | '|')) => {
                    if words.is_empty() {
                        return Err(
                            "the shell stops here: there is no command before \"&\" or \"|\"",
                        );
                    }
                    self.at += 1;
                    let doubled = self.peek() == Some(sign);
                    self.at += usize::from(doubled);
                    // A pipe and a single "&" give the command to a shell of its own.
                    apart |= !doubled;
                    if sign == '|' && !doubled {
                        // What is behind the pipe runs apart too.
                        words.clear();
                        continue;
                    }
                    break;
                }
                Some('(' | ')') => {
                    return Err("the shell stops here: a parenthesis stands outside quotes");
                }
                Some('<' | '>') => {
                    let here = self.after(0) == Some('<') && self.after(1) == Some('<');
                    while matches!(self.peek(), Some('<' | '>' | '&' | '|' | '-')) {
                        self.at += 1;
                    }
                    while matches!(self.peek(), Some(' ' | '\t')) {
                        self.at += 1;
                    }
                    if matches!(self.peek(), None | Some('\n' | ';')) {
                        return Err("the shell stops here: \"<\" or \">\" names no file");
                    }
                    let from = self.at;
                    self.word(false)?;
                    let end = self.all.get(from..self.at).unwrap_or_default();
                    if here {
                        heredocs.push(text_of(end).replace(['"', '\'', '\\'], ""));
                    }
                }
                Some(_) => {
                    let only_assignments = words.iter().all(|w| w.sets.is_some());
                    let of_setter = words
                        .first()
                        .and_then(|w| w.bare.as_deref())
                        .is_some_and(|w| SETTERS.contains(&w));
                    is_command = true;
                    let quotes = self.quotes;
                    let word = self.word(only_assignments || of_setter)?;
                    let reserved = word.bare.as_deref().is_some_and(|w| RESERVED.contains(&w));
                    // Without quotes, what comes to nothing is no word.
                    let vanishes = word.text.as_deref() == Some("") && quotes == self.quotes;
                    let skipped = vanishes || (reserved && words.is_empty());
                    if !skipped {
                        words.push(word);
                    }
                }
            }
        }
        for end in heredocs {
            self.skip_heredoc(&end);
        }
        let setter = words
            .first()
            .and_then(|w| w.bare.as_deref())
            .is_some_and(|w| SETTERS.contains(&w));
        // What stands before a command of the shell's own lasts (POSIX.1-2024, "Special
        // Built-In Utilities").
        let command = words.iter().find(|w| w.sets.is_none());
        let special = command.is_some_and(|w| matches!(w.text.as_deref(), Some(":" | ".")));
        if special && !self.bash && !setter {
            words.retain(|w| w.sets.is_some());
        }
        let all_set = words.iter().all(|w| w.sets.is_some());
        if setter {
            words.iter_mut().for_each(Word::settle);
        }
        let others = words.iter().skip(1).filter(|w| w.sets.is_none());
        let names = others.filter_map(|w| w.text.as_deref());
        if setter && !self.bash && !apart && names.clone().any(|name| !is_name(name)) {
            return Err("the shell stops here: what is exported has no variable's name");
        }
        if apart || !(setter || all_set) {
            return Ok(Vec::new());
        }
        Ok(words.into_iter().filter_map(|w| w.sets).collect())
    }

    fn skip_heredoc(&mut self, end: &str) {
        while self.at < self.all.len() {
            let from = self.at;
            self.skip_line();
            let line = text_of(self.all.get(from..self.at).unwrap_or_default());
            self.at += 1;
            if line.trim_start_matches('\t') == end {
                return;
            }
        }
    }

    /// One word; `may_set` says whether it can be an assignment where it stands.
    fn word(&mut self, may_set: bool) -> Result<Word, Refused> {
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
