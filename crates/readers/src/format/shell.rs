//! Shell start-up files and scripts: assignments to variables, as far as they can be told
//! without running anything (POSIX.1-2024, "Shell Command Language").

use super::environment::{braced, is_name};
use crate::entry::{Entry, Look, Parsed, Part, Quotes, Value};
use crate::text::Text;
use crate::traced::Traced;

pub(super) fn read(text: &Text) -> Parsed {
    let mut parsed = Parsed::default();
    for (start, line) in text.lines() {
        let bare = line.trim_start();
        let words = ["export ", "declare -x ", "typeset -x ", "readonly "];
        let lead = words
            .iter()
            .find(|w| bare.starts_with(**w))
            .map_or(0, |w| w.len());
        let after = bare.get(lead..).unwrap_or_default();
        let lead = lead + after.len() - after.trim_start().len();
        let mut at = start + (line.len() - bare.len()) + lead;
        let over = start + line.len();
        // Several assignments may stand side by side.
        while let Some(entry) = assignment(text.string.get(at..over).unwrap_or_default(), at) {
            at = entry.value.at.end;
            let rest = text.string.get(at..over).unwrap_or_default();
            let next = rest.trim_start_matches([' ', '\t', ';']);
            parsed.entries.push(entry);
            if next.len() == rest.len() {
                break;
            }
            at = over - next.len();
        }
    }
    parsed
}

/// The assignment with which a piece of a line begins; `at` is where it stands.
fn assignment(piece: &str, at: usize) -> Option<Entry> {
    let (name, raw) = piece.split_once('=')?;
    if !is_name(name) || name.contains(['.', '-']) {
        return None;
    }
    let from = at + name.len() + 1;
    let value = value(raw, from);
    Some(Entry::new(
        vec![name.to_owned()],
        at..at + name.len(),
        value,
    ))
}

/// One word of the shell: pieces in quotes and without, side by side.
pub(super) fn value(raw: &str, from: usize) -> Value {
    let mut word = Word::default();
    let mut at = 0;
    let mut quotes = Quotes::None;
    while let Some(rest) = raw.get(at..).filter(|r| !r.is_empty()) {
        let first = rest.chars().next().unwrap_or_default();
        match first {
            '\'' => {
                let inner = rest.get(1..).unwrap_or_default();
                let end = inner.find('\'').unwrap_or(inner.len());
                word.known
                    .push_str(inner.get(..end).unwrap_or_default(), from + at + 1);
                quotes = Quotes::Literal;
                at += end + 2;
            }
            '"' => {
                quotes = Quotes::Escaped;
                at += 1 + in_double_quotes(
                    &mut word,
                    raw.get(at + 1..).unwrap_or_default(),
                    from + at + 1,
                );
            }
            '\\' => {
                let next = rest.chars().nth(1).unwrap_or('\\');
                word.known.push(next, from + at);
                at += 1 + next.len_utf8();
            }
            ' ' | '\t' | ';' | '&' | '|' => break,
            '$' | '`' => at += expansion(&mut word, rest, from + at),
            c => {
                // A carriage return is part of the word: only line feeds end lines here.
                word.known
                    .push_str(rest.get(..c.len_utf8()).unwrap_or_default(), from + at);
                at += c.len_utf8();
            }
        }
    }
    let end = at.min(raw.len());
    Value {
        parts: word.over(),
        at: from..from + end,
        quotes,
        cut: None,
    }
}

#[derive(Default)]
struct Word {
    parts: Vec<Part>,
    known: Traced,
}

impl Word {
    fn part(&mut self, part: Part) {
        if !self.known.as_str().is_empty() {
            self.parts.push(Part::Text(std::mem::take(&mut self.known)));
        }
        self.parts.push(part);
    }

    fn over(mut self) -> Vec<Part> {
        if !self.known.as_str().is_empty() || self.parts.is_empty() {
            self.parts.push(Part::Text(self.known));
        }
        self.parts
    }
}

/// Takes what stands in double quotes, and says how long it is with the closing one.
fn in_double_quotes(word: &mut Word, inner: &str, from: usize) -> usize {
    let mut at = 0;
    while let Some(rest) = inner.get(at..).filter(|r| !r.is_empty()) {
        let first = rest.chars().next().unwrap_or_default();
        match first {
            '"' => return at + 1,
            '\\' => {
                let next = rest.chars().nth(1).unwrap_or('\\');
                // Before any other character the backslash stays.
                if !matches!(next, '$' | '`' | '"' | '\\') {
                    word.known.push_str("\\", from + at);
                }
                word.known.push(next, from + at);
                at += 1 + next.len_utf8();
            }
            '$' | '`' => at += expansion(word, rest, from + at),
            c => {
                word.known
                    .push_str(rest.get(..c.len_utf8()).unwrap_or_default(), from + at);
                at += c.len_utf8();
            }
        }
    }
    inner.len()
}

/// What begins with a dollar sign or a back quote, and its length.
fn expansion(word: &mut Word, rest: &str, from: usize) -> usize {
    if let Some((look, length)) = braced(rest, from) {
        word.part(Part::Look(look));
        return length;
    }
    let name: String = rest
        .chars()
        .skip(1)
        .take_while(|c| c.is_ascii_alphanumeric() || *c == '_')
        .collect();
    if rest.starts_with('$') && is_name(&name) {
        let length = 1 + name.len();
        word.part(Part::Look(Look {
            name,
            default: None,
            required: false,
            by_program: false,
            at: from..from + length,
        }));
        return length;
    }
    let closes = match (rest.starts_with("$("), rest.starts_with('`')) {
        (true, _) => Some(')'),
        (_, true) => Some('`'),
        _ => None,
    };
    match closes {
        Some(sign) => {
            word.part(Part::Unknown);
            let inner = rest.get(1..).unwrap_or_default();
            inner.find(sign).map_or(rest.len(), |end| end + 2)
        }
        None => {
            word.known.push_str("$", from);
            1
        }
    }
}
