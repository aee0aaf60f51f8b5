//! A text as it is searched: on one line, decoded where it is encoded, with the way back to
//! its own lines.

use std::borrow::Cow;
use std::ops::Range;

/// A text with every run of blanks and line ends as one space.
#[derive(Clone, Debug, Default)]
pub struct Flat {
    text: String,
    /// Where each line begins in the flat text; the first is line 1.
    lines: Vec<usize>,
}

impl Flat {
    /// Flattens a text.
    pub fn of(raw: &str) -> Flat {
        let mut flat = Flat {
            text: String::with_capacity(raw.len() + 1),
            lines: Vec::new(),
        };
        for line in raw.split('\n') {
            flat.lines.push(flat.text.len());
            flat.push(line);
        }
        flat
    }

    /// Flattens what stands near these places of a long text, and the lines that hide what is
    /// in them; the others are there, and empty.
    pub fn near(raw: &str, places: &[usize]) -> Flat {
        /// So many lines before a place belong to it: the head of a stack trace.
        const BEFORE: usize = 60;
        /// And so many behind it.
        const BEHIND: usize = 20;
        let mut flat = Flat::default();
        let begins: Vec<usize> = std::iter::once(0)
            .chain(raw.match_indices('\n').map(|(at, _)| at + 1))
            .collect();
        let mut wanted = places.iter().map(|place| {
            let line = begins
                .partition_point(|begins| begins <= place)
                .saturating_sub(1);
            line.saturating_sub(BEFORE)..line + BEHIND
        });
        let mut next = wanted.next();
        for (number, line) in raw.split('\n').enumerate() {
            flat.lines.push(flat.text.len());
            while next.as_ref().is_some_and(|near| near.end <= number) {
                next = wanted.next();
            }
            let near = next.as_ref().is_some_and(|near| near.contains(&number));
            if near || matches!(look(line.as_bytes()), Look::Odd) {
                flat.push(line);
            }
        }
        flat
    }

    fn push(&mut self, line: &str) {
        let line = line.trim_end_matches(['\r', ' ', '\t']);
        if line.is_empty() {
            return;
        }
        if !self.text.is_empty() && !self.text.ends_with(' ') {
            self.text.push(' ');
            // The space belongs to the line before.
            if let Some(begins) = self.lines.last_mut() {
                *begins = self.text.len();
            }
        }
        let line = quoted(line);
        match look(line.as_bytes()) {
            Look::Plain => return self.text.push_str(line),
            Look::Spaced => {
                for (index, word) in line.split(' ').filter(|w| !w.is_empty()).enumerate() {
                    if index > 0 {
                        self.text.push(' ');
                    }
                    self.text.push_str(word);
                }
                return;
            }
            Look::Odd => {}
        }
        let line = decoded(line);
        for c in line.chars() {
            match straight(c) {
                ' ' if self.text.ends_with(' ') || self.text.is_empty() => {}
                c => self.text.push(c),
            }
        }
    }

    /// The flat text.
    pub fn as_str(&self) -> &str {
        &self.text
    }

    /// How many lines it had.
    pub fn lines(&self) -> usize {
        self.lines.len()
    }

    /// The line in which this place stands, from 0.
    pub fn line_at(&self, at: usize) -> usize {
        self.lines
            .partition_point(|begins| *begins <= at)
            .saturating_sub(1)
    }

    /// A line of it, flat; empty where there is none.
    pub fn line(&self, number: usize) -> &str {
        let span = self.span_of(number);
        self.text.get(span).unwrap_or_default().trim_end()
    }

    /// Where a line stands.
    pub fn span_of(&self, number: usize) -> Range<usize> {
        let from = self.lines.get(number).copied().unwrap_or(self.text.len());
        let to = self.lines.get(number + 1).copied();
        from..to.unwrap_or(self.text.len()).max(from)
    }
}

/// What was quoted, without the marks of the quoting: `> `, `| `.
fn quoted(line: &str) -> &str {
    let bare = line.trim_start();
    let marked = bare.strip_prefix("> ").or_else(|| bare.strip_prefix("| "));
    marked.unwrap_or(bare).trim_start()
}

/// What a line needs to have done.
enum Look {
    /// Nothing.
    Plain,
    /// Its runs of spaces are to be one each.
    Spaced,
    /// Its characters are to be looked at.
    Odd,
}

/// All of a line is looked at, without a way out: so a compiler makes it fast.
fn look(line: &[u8]) -> Look {
    let odd = |byte: &u8| u8::from(!(0x20..0x7f).contains(byte) | (*byte == b'\\'));
    if line.iter().fold(0, |any, byte| any | odd(byte)) != 0 {
        return Look::Odd;
    }
    let behind = line.get(1..).unwrap_or_default();
    let doubled = |(a, b): (&u8, &u8)| u8::from((*a == b' ') & (*b == b' '));
    match line
        .iter()
        .zip(behind)
        .fold(0, |any, pair| any | doubled(pair))
    {
        0 => Look::Plain,
        _ => Look::Spaced,
    }
}

/// Typographic quotes as straight ones, all blanks as a space, control characters as none.
fn straight(c: char) -> char {
    match c {
        '“' | '”' | '„' | '»' | '«' | '″' => '"',
        '‘' | '’' | '‚' | '‹' | '›' | '′' => '\'',
        c if c.is_whitespace() => ' ',
        '\u{200b}'..='\u{200f}' | '\u{feff}' | '\u{2060}' => ' ',
        c => c,
    }
}

/// A line without what terminals read as commands, and with the escapes of JSON and of
/// quoted strings resolved, where it has them.
fn decoded(line: &str) -> Cow<'_, str> {
    let line = match line.contains('\u{1b}') {
        true => Cow::Owned(without_commands(line)),
        false => Cow::Borrowed(line),
    };
    let escaped = ["\\\"", "\\n", "\\u", "\\\\", "\\t", "\\'"];
    match escaped.iter().any(|sign| line.contains(sign)) {
        true => Cow::Owned(unescaped(&line)),
        false => line,
    }
}

/// A text without the commands of terminals (ECMA-48, section 5.4).
fn without_commands(line: &str) -> String {
    let mut out = String::new();
    let mut letters = line.chars();
    while let Some(c) = letters.next() {
        if c != '\u{1b}' {
            out.push(c);
            continue;
        }
        if letters.next() == Some('[') {
            for c in letters.by_ref() {
                if ('@'..='~').contains(&c) {
                    break;
                }
            }
        }
    }
    out
}

/// The escapes of JSON (RFC 8259, section 7), as often as they are nested.
fn unescaped(line: &str) -> String {
    /// So often a log puts a log into a log.
    const MOST_NESTED: usize = 3;
    let mut text = line.to_owned();
    for _ in 0..MOST_NESTED {
        if !text.contains('\\') {
            break;
        }
        text = unescaped_once(&text);
    }
    text
}

fn unescaped_once(line: &str) -> String {
    let mut out = String::with_capacity(line.len());
    let mut letters = line.chars().peekable();
    while let Some(c) = letters.next() {
        if c != '\\' {
            out.push(c);
            continue;
        }
        match letters.peek().copied() {
            Some('n' | 't' | 'r') => {
                letters.next();
                out.push(' ');
            }
            Some(c @ ('"' | '\'' | '\\' | '/')) => {
                letters.next();
                out.push(c);
            }
            Some('u') => {
                letters.next();
                let digits: String = letters.clone().take(4).collect();
                match u32::from_str_radix(&digits, 16)
                    .ok()
                    .and_then(char::from_u32)
                {
                    Some(c) if digits.len() == 4 => {
                        out.push(c);
                        letters.nth(3);
                    }
                    _ => out.push_str("\\u"),
                }
            }
            _ => out.push('\\'),
        }
    }
    out
}
