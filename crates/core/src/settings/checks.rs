//! What can be seen in a single value.

use std::ops::Range;

use super::defect::{Defect, DefectKind};
use super::place::Excerpt;
use crate::secret::{Blemish, Secret, is_invisible, is_placeholder};

/// Looks at one value and says what is wrong with its form. `span` is where it stands in
/// the excerpt, if it stands there. None of these keeps a client from dialling, except a
/// placeholder in the host, which no name service may be asked about.
pub fn check_value(
    subject: &str,
    value: &str,
    excerpt: Option<(&Excerpt<'_>, Range<usize>)>,
) -> Vec<Defect> {
    let place = excerpt.map(|(text, span)| text.mark(span));
    // Of a password not even its length stands here: the case tells its shape elsewhere.
    let shown = if subject == "password" {
        String::new()
    } else {
        format!(": \"{}\"", crate::redact::visible(value))
    };
    let mut found = Vec::new();
    let mut add = |kind, stops, text: String, expected: &str| {
        found.push(Defect {
            kind,
            subject: subject.to_owned(),
            stops,
            text,
            expected: expected.to_owned(),
            place: place.clone(),
            mended: None,
        });
    };
    if is_placeholder(value) {
        let what = format!("the {subject} is a placeholder{shown}");
        add(
            DefectKind::Placeholder,
            subject == "host",
            what,
            "the real value",
        );
        return found;
    }
    if let Some(what) = whitespace_of(value) {
        let text = format!("the {subject} {what}{shown}");
        add(
            DefectKind::StrayWhitespace,
            false,
            text,
            "the value without it",
        );
    }
    found
}

fn whitespace_of(value: &str) -> Option<&'static str> {
    let shape = Secret::new(value).shape();
    if shape.has(Blemish::TrailingBlank) {
        let line_end = value.ends_with(['\n', '\r']);
        return Some(if line_end {
            "ends in a line end"
        } else {
            "ends in a space"
        });
    }
    if shape.has(Blemish::LeadingBlank) {
        return Some("begins with a space");
    }
    if shape.has(Blemish::Quoted) && value.len() > 2 {
        return Some("stands in quotes that are part of it");
    }
    value
        .chars()
        .any(is_invisible)
        .then_some("has an invisible character")
}

/// The known word that a misspelt one was probably meant to be.
pub fn nearest<'a>(word: &str, known: impl IntoIterator<Item = &'a str>) -> Option<&'a str> {
    let word = word.to_lowercase();
    known
        .into_iter()
        .map(|k| (strsim::jaro_winkler(&word, k), k))
        .filter(|(likeness, _)| *likeness > 0.75)
        .max_by(|a, b| a.0.total_cmp(&b.0))
        .map(|(_, k)| k)
}
