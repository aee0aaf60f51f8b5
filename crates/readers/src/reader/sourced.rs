//! A file that a shell reads with `.` (POSIX.1-2024, "Shell Command Language"; measured with
//! bash 5.2 and dash 0.5.12): commands, of which only assignments say anything here.

mod words;

use crate::entry::{Entry, Parsed, Part, Quotes, Value};
use crate::letters::{Earlier, Letter, letters, text as text_of};
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
        Part::Name(_) | Part::Unknown => "0".to_owned(),
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
}
