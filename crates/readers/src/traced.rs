//! A text that knows where each of its characters stands in which file.

use std::ops::Range;

/// A file of a reading, by its number.
pub type FileId = usize;

/// A value as a program gets it, with the way back to the bytes it came from.
#[derive(Clone, Default)]
pub struct Traced {
    text: String,
    runs: Vec<Run>,
}

impl std::fmt::Debug for Traced {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        // It may be a password.
        write!(f, "Traced({} bytes)", self.text.len())
    }
}

/// A stretch of the text and where it begins in the file.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
struct Run {
    at: usize,
    file: FileId,
    from: usize,
    /// Whether each byte stands there as it is, one after the other.
    verbatim: bool,
}

impl Traced {
    /// A text that stands in the file just so.
    pub fn verbatim(text: &str, from: usize) -> Traced {
        let mut out = Traced::default();
        out.push_str(text, from);
        out
    }

    /// A text of which nobody knows how it came from the bytes at `from`.
    pub fn opaque(text: impl Into<String>, from: usize) -> Traced {
        let run = Run {
            at: 0,
            file: 0,
            from,
            verbatim: false,
        };
        Traced {
            text: text.into(),
            runs: vec![run],
        }
    }

    /// A value and the raw text that a format decoded it from: escapes begin with a
    /// backslash, all else stands for itself. Where that does not fit, all of it is taken
    /// to stand at the beginning.
    pub fn aligned(value: &str, raw: &str, from: usize) -> Traced {
        let escape = |rest: &str, _| rest.starts_with('\\').then(|| escape_length(rest));
        Traced::aligned_by(value, raw, from, escape)
    }

    /// The same, where `escape` says how many bytes of the raw text stand for a character
    /// that is not written as itself.
    pub(crate) fn aligned_by(
        value: &str,
        raw: &str,
        from: usize,
        escape: impl Fn(&str, char) -> Option<usize>,
    ) -> Traced {
        if value == raw {
            return Traced::verbatim(value, from);
        }
        let mut out = Traced::default();
        let mut rest = raw;
        for c in value.chars() {
            let at = from + (raw.len() - rest.len());
            let length = match escape(rest, c) {
                Some(length) => {
                    out.push(c, at);
                    length
                }
                None if rest.starts_with(c) => {
                    out.push_str(c.encode_utf8(&mut [0; 4]), at);
                    c.len_utf8()
                }
                None => return Traced::opaque(value, from),
            };
            rest = rest.get(length..).unwrap_or_default();
        }
        out
    }

    /// The text.
    pub fn as_str(&self) -> &str {
        &self.text
    }

    /// Adds a character that the bytes at `from` were decoded to.
    pub fn push(&mut self, c: char, from: usize) {
        self.run(from, false);
        self.text.push(c);
    }

    /// Adds a text that stands at `from` just so.
    pub fn push_str(&mut self, text: &str, from: usize) {
        self.run(from, true);
        self.text.push_str(text);
    }

    /// Adds another one, wherever it came from.
    pub fn append(&mut self, other: &Traced) {
        let shift = self.text.len();
        self.runs.extend(other.runs.iter().map(|run| Run {
            at: run.at + shift,
            ..*run
        }));
        self.text.push_str(&other.text);
    }

    fn run(&mut self, from: usize, verbatim: bool) {
        let at = self.text.len();
        let follows = self
            .runs
            .last()
            .is_some_and(|last| last.verbatim && verbatim && last.from + (at - last.at) == from);
        if !follows {
            self.runs.push(Run {
                at,
                file: 0,
                from,
                verbatim,
            });
        }
    }

    /// The file and the byte in it that this byte of the text came from.
    pub fn origin(&self, at: usize) -> (FileId, usize) {
        let run = self.runs.iter().rev().find(|run| run.at <= at);
        run.map_or((0, 0), |run| {
            let ahead = if run.verbatim { at - run.at } else { 0 };
            (run.file, run.from + ahead)
        })
    }

    /// Says of which file all of it is.
    /// Where each stretch of it begins.
    pub(crate) fn origins(&self) -> impl Iterator<Item = (FileId, usize)> {
        self.runs.iter().map(|run| (run.file, run.from))
    }

    /// Says of which file all of it is.
    pub fn in_file(&mut self, file: FileId) {
        for run in &mut self.runs {
            run.file = file;
        }
    }

    /// A piece of it; the whole where the range does not fit.
    pub fn slice(&self, range: Range<usize>) -> Traced {
        let Some(text) = self.text.get(range.clone()) else {
            return self.clone();
        };
        let (file, from) = self.origin(range.start);
        let mut runs = Vec::new();
        if let Some(first) = self.runs.iter().rev().find(|r| r.at <= range.start) {
            runs.push(Run {
                at: 0,
                file,
                from,
                verbatim: first.verbatim,
            });
        }
        let inner = self.runs.iter();
        let inner = inner.filter(|r| r.at > range.start && r.at < range.end);
        runs.extend(inner.map(|r| Run {
            at: r.at - range.start,
            ..*r
        }));
        Traced {
            text: text.to_owned(),
            runs,
        }
    }

    /// Without outer blanks.
    pub fn trimmed(&self) -> Traced {
        let lead = self.text.len() - self.text.trim_start().len();
        let end = self.text.trim_end().len().max(lead);
        self.slice(lead..end)
    }
}

/// How many bytes the escape at the beginning of a text takes: those of JSON (RFC 8259,
/// section 7), YAML 1.2 (section 5.7), TOML 1.0 and Python agree on these lengths.
fn escape_length(text: &str) -> usize {
    let hex = |digits: usize| {
        let whole = text.get(2..2 + digits);
        whole.filter(|d| d.chars().all(|c| c.is_ascii_hexdigit()))
    };
    match text.chars().nth(1) {
        Some('u') => match hex(4) {
            // The first of two that make one character (RFC 8259, section 7).
            Some(first) if first.to_ascii_lowercase().starts_with("d8") && text.len() >= 12 => 12,
            Some(_) => 6,
            None => 2,
        },
        Some('U') if hex(8).is_some() => 10,
        Some('x') if hex(2).is_some() => 4,
        Some(c) => 1 + c.len_utf8(),
        None => 1,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_way_back_leads_through_escapes_and_pieces() {
        let raw = r"a\tb\u00e9c";
        let traced = Traced::aligned("a\tbéc", raw, 10);
        assert_eq!(traced.origin(0), (0, 10));
        assert_eq!(traced.origin(1), (0, 11), "the escape itself");
        assert_eq!(traced.origin(2), (0, 13));
        assert_eq!(traced.origin(5), (0, 20));
        let mut piece = traced.slice(2..6);
        assert_eq!(piece.as_str(), "béc");
        assert_eq!(piece.origin(0), (0, 13));
        piece.in_file(3);
        assert_eq!(piece.origin(3), (3, 20));
        assert_eq!(Traced::aligned("xyz", "abc", 4).origin(2), (0, 4));
        assert_eq!(Traced::verbatim("  a ", 0).trimmed().origin(0), (0, 2));
    }
}
