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
        if is_plain(line.as_bytes()) {
            self.text.push_str(line);
            return;
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

/// Whether a line needs nothing done.
fn is_plain(line: &[u8]) -> bool {
    let mut before = 0;
    line.iter().all(|byte| {
        let blank = *byte == b' ' && before == b' ';
        before = *byte;
        !blank && !matches!(*byte, b'\\' | 0..=0x1f | 0x7f..)
    })
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
                match u32::from_str_radix(&digits, 16).ok().and_then(char::from_u32) {
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
