//! What every format is read into: keys with values, each with its place.

use std::ops::Range;

use crate::traced::{FileId, Traced};

/// How a value was written.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Quotes {
    /// Without quotes.
    #[default]
    None,
    /// In single quotes, or another form in which nothing is escaped.
    Literal,
    /// In double quotes, or another form in which a backslash escapes.
    Escaped,
    /// Encoded in base64 (RFC 4648, section 4).
    Base64,
}

/// A look into the environment of the process.
#[derive(Clone, Debug)]
pub struct Look {
    /// The variable.
    pub name: String,
    /// What counts where it is not set.
    pub default: Option<Traced>,
    /// Whether the program refuses to go on without it.
    pub required: bool,
    /// Whether a program asks for it, rather than the format of a file.
    pub by_program: bool,
    /// Where the look stands.
    pub at: Range<usize>,
}

/// A piece of a value.
#[derive(Clone, Debug)]
pub enum Part {
    /// Known.
    Text(Traced),
    /// Known once the environment is.
    Look(Look),
    /// A name of the program that nothing above it in its own file gives a value: another
    /// file of the program may. The keys from the root, joined by dots.
    Name(String),
    /// Not known without running the program.
    Unknown,
}

/// A value as written.
#[derive(Clone, Debug, Default)]
pub struct Value {
    /// Its pieces, in order.
    pub parts: Vec<Part>,
    /// Where it stands, quotes included.
    pub at: Range<usize>,
    /// How it was written.
    pub quotes: Quotes,
    /// Where a comment sign cut it short, if it looks like that.
    pub cut: Option<usize>,
}

impl Value {
    /// A value that is all text.
    pub fn text(text: Traced, at: Range<usize>, quotes: Quotes) -> Value {
        Value {
            parts: vec![Part::Text(text)],
            at,
            quotes,
            cut: None,
        }
    }

    /// One that only a run would tell.
    pub fn unknown(at: Range<usize>) -> Value {
        Value {
            parts: vec![Part::Unknown],
            at,
            ..Value::default()
        }
    }

    /// Its text, if that is known without the environment.
    pub fn plain(&self) -> Option<Traced> {
        let mut out = Traced::default();
        for part in &self.parts {
            match part {
                Part::Text(text) => out.append(text),
                Part::Look(_) | Part::Name(_) | Part::Unknown => return None,
            }
        }
        Some(out)
    }

    /// A value that is one look into the environment.
    pub(crate) fn look(look: Look) -> Value {
        Value {
            at: look.at.clone(),
            parts: vec![Part::Look(look)],
            ..Value::default()
        }
    }

    /// A name that another file of the program may give a value.
    pub(crate) fn named(name: impl Into<String>, at: Range<usize>) -> Value {
        Value {
            parts: vec![Part::Name(name.into())],
            at,
            ..Value::default()
        }
    }

    /// The looks in it.
    pub fn looks(&self) -> impl Iterator<Item = &Look> {
        self.parts.iter().filter_map(|part| match part {
            Part::Look(look) => Some(look),
            _ => None,
        })
    }

    fn in_file(&mut self, file: FileId) {
        for part in &mut self.parts {
            match part {
                Part::Text(text) => text.in_file(file),
                Part::Look(look) => {
                    if let Some(default) = &mut look.default {
                        default.in_file(file);
                    }
                }
                Part::Name(_) | Part::Unknown => {}
            }
        }
    }
}

/// A key with its value.
#[derive(Clone, Debug)]
pub struct Entry {
    /// The keys from the root; an index of a list is one too.
    pub path: Vec<String>,
    /// Where the last key stands.
    pub key_at: Range<usize>,
    /// The value.
    pub value: Value,
    /// Whether it counts, rather than being commented out.
    pub active: bool,
    /// Which document of the file it is in.
    pub document: usize,
    /// Which file it stands in.
    pub file: FileId,
}

impl Entry {
    /// An entry that counts.
    pub fn new(path: Vec<String>, key_at: Range<usize>, value: Value) -> Entry {
        Entry {
            path,
            key_at,
            value,
            active: true,
            document: 0,
            file: 0,
        }
    }

    /// The last key.
    pub fn key(&self) -> &str {
        self.path.last().map_or("", String::as_str)
    }

    /// The keys above the last one.
    pub fn holder(&self) -> &[String] {
        let above = self.path.len().saturating_sub(1);
        self.path.get(..above).unwrap_or_default()
    }
}

/// What a format cannot make sense of.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Trouble {
    /// The byte at which it stands.
    pub at: usize,
    /// What is wrong, in words; nothing of the file's text is in it.
    pub what: String,
    /// What was expected there.
    pub expected: &'static str,
}

/// A scheme that a program replaces by another one in its URLs.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Rewrite {
    /// As it is written in the settings, without `://`.
    pub from: String,
    /// As the program hands it on.
    pub to: String,
}

/// What a format gives of a text.
#[derive(Clone, Debug, Default)]
pub struct Parsed {
    /// The entries, in the order of the text.
    pub entries: Vec<Entry>,
    /// Looks into the environment that stand outside entries.
    pub looks: Vec<Look>,
    /// What could not be read.
    pub troubles: Vec<Trouble>,
    /// Where its reader gives up one section, by the section's name.
    pub refused_in: Vec<(String, Trouble)>,
    /// Where its reader gives the whole file up: the program that reads it so does not
    /// start.
    pub refused: Option<Trouble>,
    /// Schemes that the program writes anew.
    pub rewrites: Vec<Rewrite>,
}

impl Parsed {
    /// Says of which file all values are.
    pub fn in_file(&mut self, file: FileId) {
        for entry in &mut self.entries {
            entry.file = file;
            entry.value.in_file(file);
        }
        for look in &mut self.looks {
            if let Some(default) = &mut look.default {
                default.in_file(file);
            }
        }
    }

    /// Says where the reader gives the file up; the first place counts.
    pub(crate) fn refuse(&mut self, at: usize, what: impl Into<String>, expected: &'static str) {
        let what = what.into();
        self.refused.get_or_insert(Trouble { at, what, expected });
    }

    /// Says where the reader gives up one section.
    pub(crate) fn refuse_in(
        &mut self,
        section: String,
        at: usize,
        what: impl Into<String>,
        expected: &'static str,
    ) {
        let what = what.into();
        self.refused_in
            .push((section, Trouble { at, what, expected }));
    }

    pub(crate) fn trouble(&mut self, at: usize, what: impl Into<String>, expected: &'static str) {
        self.troubles.push(Trouble {
            at,
            what: what.into(),
            expected,
        });
    }
}
