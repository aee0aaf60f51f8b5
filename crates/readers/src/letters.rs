//! A value on its way through a reader: each character with the place it came from.

use crate::entry::{Look, Part, Value};
use crate::traced::Traced;

/// A character, and the byte that it came from.
#[derive(Clone, Copy, PartialEq, Eq)]
pub(crate) struct Letter {
    pub(crate) c: char,
    pub(crate) at: usize,
    /// Whether it stands there as it is, rather than being what an escape means.
    pub(crate) as_is: bool,
}

/// The characters of a text that begins at this byte.
pub(crate) fn letters(text: &str, from: usize) -> Vec<Letter> {
    let all = text.char_indices();
    all.map(|(at, c)| Letter {
        c,
        at: from + at,
        as_is: true,
    })
    .collect()
}

/// The characters of a text, its line ends made one; the places are those of the text as
/// it is.
pub(crate) fn unified(text: &str) -> Vec<Letter> {
    let mut all = letters(text, 0);
    let pair =
        |l: &Letter| l.c == '\r' && text.get(l.at + 1..).is_some_and(|r| r.starts_with('\n'));
    all.retain(|l| !pair(l));
    for letter in all.iter_mut().filter(|l| l.c == '\r') {
        letter.c = '\n';
    }
    all
}

/// Without these characters at both ends.
pub(crate) fn trimmed(all: &[Letter], is_off: impl Fn(char) -> bool + Copy) -> &[Letter] {
    trimmed_end(trimmed_start(all, is_off), is_off)
}

/// Without these characters at the beginning.
pub(crate) fn trimmed_start(all: &[Letter], is_off: impl Fn(char) -> bool) -> &[Letter] {
    let kept = all.iter().position(|l| !is_off(l.c)).unwrap_or(all.len());
    all.get(kept..).unwrap_or_default()
}

/// Without these characters at the end.
pub(crate) fn trimmed_end(all: &[Letter], is_off: impl Fn(char) -> bool) -> &[Letter] {
    let kept = all
        .iter()
        .rposition(|l| !is_off(l.c))
        .map_or(0, |last| last + 1);
    all.get(..kept).unwrap_or_default()
}

/// Their text.
pub(crate) fn text(all: &[Letter]) -> String {
    all.iter().map(|l| l.c).collect()
}

/// Replaces each backslash and what it escapes, where `meant` knows what that is.
pub(crate) fn unescaped(all: &[Letter], meant: impl Fn(char) -> Option<char>) -> Vec<Letter> {
    let mut out = Vec::new();
    let mut at = 0;
    while let Some(letter) = all.get(at) {
        let escape = (letter.c == '\\').then(|| all.get(at + 1)).flatten();
        match escape.and_then(|next| meant(next.c)) {
            Some(c) => {
                out.push(Letter {
                    c,
                    at: letter.at,
                    as_is: false,
                });
                at += 2;
            }
            None => {
                out.push(*letter);
                at += 1;
            }
        }
    }
    out
}

/// The pieces of a value, as they are put together.
#[derive(Default)]
pub(crate) struct Pieces {
    parts: Vec<Part>,
    known: Traced,
}

impl Pieces {
    pub(crate) fn letter(&mut self, letter: Letter) {
        match letter.as_is {
            true => self
                .known
                .push_str(letter.c.encode_utf8(&mut [0; 4]), letter.at),
            false => self.known.push(letter.c, letter.at),
        }
    }

    pub(crate) fn letters(&mut self, all: &[Letter]) {
        for letter in all {
            self.letter(*letter);
        }
    }

    pub(crate) fn append(&mut self, text: &Traced) {
        self.known.append(text);
    }

    pub(crate) fn part(&mut self, part: Part) {
        match part {
            Part::Text(text) => self.known.append(&text),
            part => {
                if !self.known.as_str().is_empty() {
                    self.parts.push(Part::Text(std::mem::take(&mut self.known)));
                }
                self.parts.push(part);
            }
        }
    }

    pub(crate) fn over(mut self) -> Vec<Part> {
        if !self.known.as_str().is_empty() || self.parts.is_empty() {
            self.parts.push(Part::Text(self.known));
        }
        self.parts
    }
}

/// What a reader knows of the lines above: most put their values in for `${NAME}`.
#[derive(Default)]
pub(crate) struct Earlier {
    known: std::collections::BTreeMap<String, Vec<Part>>,
}

/// What counts in place of a variable.
pub(crate) enum Otherwise {
    /// Nothing, or what the reader makes of an unset one.
    Nothing,
    /// This, where it is not set.
    IfUnset(Traced),
    /// This, where it is not set or empty.
    IfEmpty(Traced),
    /// This, where it is set and not empty; else nothing.
    IfFull(Traced),
    /// This, where it is set; else nothing.
    IfSet(Traced),
}

impl Earlier {
    pub(crate) fn note(&mut self, name: &str, value: &Value) {
        self.known.insert(name.to_owned(), value.parts.clone());
    }

    pub(crate) fn forget(&mut self, name: &str) {
        self.known.remove(name);
    }

    /// Whether a line above sets it.
    pub(crate) fn knows(&self, name: &str) -> bool {
        self.known.contains_key(name)
    }

    /// Puts in a variable: the value of a line above, or a look into the environment.
    pub(crate) fn put(
        &self,
        out: &mut Pieces,
        name: &str,
        at: std::ops::Range<usize>,
        otherwise: Otherwise,
    ) {
        let known = self.known.get(name).map(Vec::as_slice);
        let is_empty = known.is_some_and(|parts| {
            parts
                .iter()
                .all(|p| matches!(p, Part::Text(t) if t.as_str().is_empty()))
        });
        match (known, otherwise) {
            (Some(_), Otherwise::IfEmpty(default)) if is_empty => out.append(&default),
            (Some(_), Otherwise::IfFull(text)) if !is_empty => out.append(&text),
            (Some(_), Otherwise::IfSet(text)) => out.append(&text),
            (_, Otherwise::IfFull(_) | Otherwise::IfSet(_)) => {}
            (Some(parts), Otherwise::IfEmpty(default)) if waits(parts).is_some() => {
                let name = waits(parts).unwrap_or(name).to_owned();
                out.part(Part::Look(look(&name, Some(default), at)));
            }
            (Some(parts), _) => {
                for part in parts {
                    out.part(part.clone());
                }
            }
            (None, Otherwise::IfUnset(default) | Otherwise::IfEmpty(default)) => {
                out.part(Part::Look(look(name, Some(default), at)));
            }
            (None, Otherwise::Nothing) => out.part(Part::Look(look(name, None, at))),
        }
    }
}

/// The variable that a value is nothing without: it is empty where that is not set.
fn waits(parts: &[Part]) -> Option<&str> {
    let mut first = None;
    for part in parts {
        match part {
            Part::Look(look) if look.default.is_none() => {
                first.get_or_insert(look.name.as_str());
            }
            Part::Text(text) if text.as_str().is_empty() => {}
            _ => return None,
        }
    }
    first
}

fn look(name: &str, default: Option<Traced>, at: std::ops::Range<usize>) -> Look {
    Look {
        name: name.to_owned(),
        default,
        required: false,
        by_program: false,
        at,
    }
}

/// A text of these characters, with their places.
pub(crate) fn traced(all: &[Letter]) -> Traced {
    let mut out = Pieces::default();
    out.letters(all);
    out.known
}
