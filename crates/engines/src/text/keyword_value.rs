//! The keyword/value form, `host=quay.osmary.example dbname=sailings`, as PostgreSQL's C
//! library reads it; the directory's client reads it alike.

use std::ops::Range;

use chronaxis_model::settings::{DefectKind, nearest};
use chronaxis_model::shown;

use super::pieces::{Pieces, SECRETS};

/// Reads pairs as the C library does: blanks may stand round the `=`; a value may stand
/// in single quotes; a backslash escapes the next character. `keywords` are those that this
/// client takes, but for the password.
pub(in super::super) fn read(text: &str, keywords: &[&str]) -> Pieces {
    let mut pieces = Pieces::default();
    let mut cursor = Cursor { text, at: 0 };
    let mut last_was_secret = false;
    loop {
        cursor.skip_blanks();
        if cursor.peek().is_none() {
            return pieces;
        }
        let name = cursor.name();
        let key = text.get(name.clone()).unwrap_or_default();
        cursor.skip_blanks();
        if cursor.peek() != Some('=') {
            no_equals(&mut pieces, text, name, last_was_secret);
            return pieces;
        }
        cursor.next();
        cursor.skip_blanks();
        let known = keywords.contains(&key) || SECRETS.contains(&key);
        let from = cursor.at;
        let Some((value, span)) = cursor.value() else {
            if !keywords.contains(&key) {
                pieces.covered.push(from..text.len());
            }
            let what = format!(
                "the quote that opens the value of the keyword {} is not closed",
                shown::key(key, keywords.iter().chain(SECRETS).copied())
            );
            pieces.fail(
                DefectKind::Unreadable,
                if known { key } else { "keyword" },
                from..from + 1,
                what,
                "a closing single quote",
            );
            return pieces;
        };
        if known {
            pieces.add(key, value, span);
        } else {
            pieces.covered.push(span);
            pieces.unknown.push(key.to_owned());
            let near = nearest(key, keywords.iter().chain(SECRETS).copied());
            let what = format!(
                "this client does not know the keyword {}",
                shown::key(key, keywords.iter().copied())
            );
            let expected = near.map_or("a keyword of this client".to_owned(), |n| {
                format!("probably {n}")
            });
            pieces.fail(DefectKind::Unreadable, "keyword", name, what, &expected);
        }
        last_was_secret = SECRETS.contains(&key);
    }
}

/// A word without `=`: behind a password it is the password's own second word.
fn no_equals(pieces: &mut Pieces, text: &str, word: Range<usize>, after_secret: bool) {
    let next_key = text
        .get(word.start..)
        .and_then(|rest| rest.find('='))
        .and_then(|p| text.get(..word.start + p))
        .and_then(|head| head.trim_end().rfind(' '))
        .map_or(text.len(), |p| p.max(word.end));
    if !pieces.covered.is_empty() {
        // Where the string has a secret, whatever stands here may be a piece of it.
        pieces.covered.push(word.start..next_key);
    }
    if after_secret {
        pieces.fail(
            DefectKind::NotEscaped,
            "password",
            word,
            "a space in the password ends it; what follows is read as the next keyword".to_owned(),
            "the password in single quotes",
        );
    } else {
        pieces.fail(
            DefectKind::Unreadable,
            "string",
            word,
            "a word has no \"=\" after it".to_owned(),
            "keyword=value",
        );
    }
}

struct Cursor<'a> {
    text: &'a str,
    at: usize,
}

impl Cursor<'_> {
    fn peek(&self) -> Option<char> {
        self.text.get(self.at..)?.chars().next()
    }

    fn next(&mut self) -> Option<char> {
        let c = self.peek()?;
        self.at += c.len_utf8();
        Some(c)
    }

    fn skip_blanks(&mut self) {
        while self.peek().is_some_and(|c| c.is_ascii_whitespace()) {
            self.next();
        }
    }

    fn name(&mut self) -> Range<usize> {
        let start = self.at;
        while self
            .peek()
            .is_some_and(|c| c != '=' && !c.is_ascii_whitespace())
        {
            self.next();
        }
        start..self.at
    }

    /// The value and the span of its text; none if its quote is not closed.
    fn value(&mut self) -> Option<(String, Range<usize>)> {
        let quoted = self.peek() == Some('\'');
        if quoted {
            self.next();
        }
        let start = self.at;
        let mut value = String::new();
        loop {
            let end = self.at;
            match self.peek() {
                None if quoted => return None,
                None => return Some((value, start..end)),
                Some('\'') if quoted => {
                    self.next();
                    return Some((value, start..end));
                }
                Some(c) if !quoted && c.is_ascii_whitespace() => return Some((value, start..end)),
                Some('\\') => {
                    self.next();
                    value.extend(self.next());
                }
                Some(c) => {
                    self.next();
                    value.push(c);
                }
            }
        }
    }
}
