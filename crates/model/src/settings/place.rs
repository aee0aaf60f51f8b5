//! Showing the place of a defect without showing the secret beside it.

use std::ops::Range;

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::redact::visible;

/// Stands for any secret in an excerpt, whatever its length.
pub const COVER: &str = "••••••";

/// Where in a text something stands.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Place {
    /// The text, secrets covered and invisible characters made visible.
    pub excerpt: String,
    /// Where in the excerpt the mark begins, counted in characters from 0.
    pub at: usize,
    /// How many characters the mark spans; at least 1.
    pub width: usize,
    /// The file, where it is not the target's own text.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub file: Option<String>,
    /// The line of the mark in that file, from 1.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub line: Option<u32>,
    /// The column of the mark in that line, counted in characters from 1.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub column: Option<u32>,
}

impl Place {
    /// A place in a file of which no text is shown.
    pub fn of_file(file: &str, line: Option<u32>, column: Option<u32>) -> Place {
        Place {
            excerpt: String::new(),
            at: 0,
            width: 1,
            file: Some(file.to_owned()),
            line,
            column,
        }
    }

    /// The same mark, in a file.
    #[must_use]
    pub fn in_file(self, file: &str, line: u32, column: u32) -> Place {
        Place {
            file: Some(file.to_owned()),
            line: Some(line),
            column: Some(column),
            ..self
        }
    }

    /// File, line and column in words, where it is in a file.
    pub fn whereabouts(&self) -> Option<String> {
        let file = self.file.as_ref()?;
        Some(match (self.line, self.column) {
            (Some(line), Some(column)) => format!("{file}, line {line}, column {column}"),
            (Some(line), None) => format!("{file}, line {line}"),
            _ => file.clone(),
        })
    }
}

/// A text with the spans in it that must not be shown.
#[derive(Clone, Debug)]
pub struct Excerpt<'a> {
    text: &'a str,
    covered: Vec<Range<usize>>,
}

impl<'a> Excerpt<'a> {
    /// Takes a text and the byte spans of its secrets.
    pub fn new(text: &'a str, mut covered: Vec<Range<usize>>) -> Excerpt<'a> {
        covered.sort_by_key(|r| (r.start, r.end));
        let mut merged: Vec<Range<usize>> = Vec::new();
        for span in covered {
            match merged.last_mut() {
                Some(last) if span.start <= last.end => last.end = last.end.max(span.end),
                _ => merged.push(span),
            }
        }
        Excerpt {
            text,
            covered: merged,
        }
    }

    /// The text as it may be shown.
    pub fn shown(&self) -> String {
        self.shown_up_to(self.text.len())
    }

    /// Marks a byte span. A mark inside a covered span becomes that whole span, so that
    /// its position says nothing about the secret.
    pub fn mark(&self, span: Range<usize>) -> Place {
        let span = self
            .covered
            .iter()
            .find(|c| c.start < c.end && c.start <= span.start && span.end <= c.end)
            .cloned()
            .unwrap_or(span);
        let at = self.shown_up_to(span.start).chars().count();
        let end = self.shown_up_to(span.end).chars().count();
        Place {
            excerpt: self.shown(),
            at,
            width: end.saturating_sub(at).max(1),
            file: None,
            line: None,
            column: None,
        }
    }

    /// What is shown of the first `end` bytes; a covered span counts once it began.
    fn shown_up_to(&self, end: usize) -> String {
        let mut out = String::new();
        let mut at = 0;
        for span in &self.covered {
            if span.start >= end {
                break;
            }
            out.push_str(&visible(self.text.get(at..span.start).unwrap_or_default()));
            out.push_str(COVER);
            at = span.end;
        }
        if at < end {
            out.push_str(&visible(self.text.get(at..end).unwrap_or_default()));
        }
        out
    }
}
