//! Where things stand: origins, marks and mended lines, never with a secret in them.

use std::ops::Range;

use chronaxis_model::redact::visible;
use chronaxis_model::settings::{COVER, Excerpt, Place};
use chronaxis_model::shown;
use chronaxis_model::sourced::Origin;

use crate::entry::Entry;
use crate::text::Text;
use crate::traced::{FileId, Traced};

/// A file, as far as places need it.
pub(crate) struct Sheet<'a> {
    pub(crate) path: &'a str,
    pub(crate) text: &'a Text,
    /// Whether it is no file but the environment of a process.
    pub(crate) is_environment: bool,
}

/// The files of a reading.
pub(crate) struct Places<'a> {
    pub(crate) sheets: Vec<Sheet<'a>>,
}

/// A piece of a file with what must not be shown of it.
pub(crate) struct Piece {
    text: String,
    covered: Vec<Range<usize>>,
}

impl Piece {
    /// The same for the core's checks.
    pub(crate) fn excerpt(&self) -> Excerpt<'_> {
        Excerpt::new(&self.text, self.covered.clone())
    }
}

/// An entry's key, unless it may be something else than one.
fn shown_key(entry: &Entry) -> String {
    match shown::is_title(entry.key()) {
        true => entry.key().to_owned(),
        false => shown::hidden(entry.key()),
    }
}

impl Places<'_> {
    pub(crate) fn path(&self, file: FileId) -> &str {
        self.sheets.get(file).map_or("", |sheet| sheet.path)
    }

    /// A file's name without its folder and ending.
    pub(crate) fn stem(&self, file: FileId) -> String {
        let name = self.path(file).rsplit('/').next().unwrap_or_default();
        let stem = name.rsplit_once('.').map_or(name, |(stem, _)| stem);
        if stem.is_empty() {
            name.to_owned()
        } else {
            stem.to_owned()
        }
    }

    pub(crate) fn position(&self, file: FileId, at: usize) -> (u32, u32) {
        self.sheets
            .get(file)
            .map_or((1, 1), |sheet| sheet.text.position(at))
    }

    /// The origin of the byte `at` of a value.
    pub(crate) fn origin(&self, entry: &Entry, text: &Traced, at: usize) -> Origin {
        let (file, from) = if text.as_str().is_empty() {
            (entry.file, entry.value.at.start)
        } else {
            text.origin(at)
        };
        if self
            .sheets
            .get(file)
            .is_some_and(|sheet| sheet.is_environment)
        {
            return Origin::Variable {
                name: shown_key(entry),
            };
        }
        let (line, column) = self.position(file, from);
        Origin::File {
            file: self.path(file).to_owned(),
            line,
            column,
            name: shown_key(entry),
        }
    }

    /// The entry as it stands in its file, on one line; and where in that its value is.
    pub(crate) fn excerpt(
        &self,
        entry: &Entry,
        text: &Traced,
        secret: bool,
    ) -> (Piece, Range<usize>) {
        let (file, _) = text.origin(0);
        let same_file = file == entry.file || text.as_str().is_empty();
        let whole = self
            .sheets
            .get(entry.file)
            .map_or("", |sheet| sheet.text.string.as_str());
        let at = entry.value.at.clone();
        let raw = whole.get(at.clone()).unwrap_or_default();
        let line = raw.split('\n').next().unwrap_or_default();
        let before = whole.get(entry.key_at.start..at.start);
        let before =
            before.filter(|b| same_file && !b.contains('\n') && entry.key_at.start < at.start);
        let lead = before.unwrap_or_default();
        let text = format!("{lead}{line}");
        let span = lead.len()..text.len();
        let covered = if secret || !chronaxis_engines::is_harmless(line) {
            vec![span.clone()]
        } else {
            Vec::new()
        };
        (Piece { text, covered }, span)
    }

    /// A mark under an entry's value.
    pub(crate) fn mark(&self, entry: &Entry, text: &Traced, secret: bool) -> Place {
        let (piece, span) = self.excerpt(entry, text, secret);
        self.mark_in(piece.excerpt().mark(span), entry, text)
    }

    /// Says of a mark in which file and line it is.
    pub(crate) fn mark_in(&self, place: Place, entry: &Entry, text: &Traced) -> Place {
        match self.origin(entry, text, 0) {
            Origin::File {
                file, line, column, ..
            } => place.in_file(&file, line, column),
            _ => place,
        }
    }

    /// A mark at a byte of a file, under one character.
    pub(crate) fn point(&self, file: FileId, at: usize) -> Place {
        let (line, column) = self.position(file, at);
        let place = Excerpt::new("", Vec::new()).mark(0..0);
        place.in_file(self.path(file), line, column)
    }

    /// The entry with another value, its quotes kept.
    pub(crate) fn mended(&self, entry: &Entry, text: &Traced, value: &str) -> Option<String> {
        let (piece, span) = self.excerpt(entry, text, false);
        let raw = piece.text.get(span.clone())?;
        let lead = piece.text.get(..span.start)?;
        if !chronaxis_engines::is_harmless(value) {
            return None;
        }
        let quote = raw.chars().next().filter(|c| matches!(c, '"' | '\''));
        let quote = quote.map_or_else(String::new, String::from);
        Some(visible(&format!("{lead}{quote}{value}{quote}")))
    }

    /// A file's text from here to the end of the line.
    pub(crate) fn line_from(&self, file: FileId, at: usize) -> &str {
        let rest = self.sheets.get(file).and_then(|s| s.text.string.get(at..));
        let line = rest.and_then(|r| r.split('\n').next()).unwrap_or_default();
        line.strip_suffix('\r').unwrap_or(line)
    }

    /// The entry with another text behind its sign.
    pub(crate) fn line_as(&self, entry: &Entry, written: &str) -> Option<String> {
        let whole = &self.sheets.get(entry.file)?.text.string;
        let lead = whole.get(entry.key_at.start..entry.value.at.start)?;
        let fits = chronaxis_engines::is_harmless(written) && !lead.contains('\n');
        fits.then(|| visible(&format!("{lead}{written}")))
    }

    /// The entry with its secret covered, and a word about what to write.
    pub(crate) fn mended_secret(&self, entry: &Entry, text: &Traced, note: &str) -> Option<String> {
        let (piece, span) = self.excerpt(entry, text, true);
        let lead = piece.text.get(..span.start)?;
        Some(visible(&format!("{lead}{COVER}   ({note})")))
    }
}
