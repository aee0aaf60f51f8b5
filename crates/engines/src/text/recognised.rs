//! Which spans of a connection string may be shown: those that a parser took for what they
//! are, the keywords before them, and the signs between. Whatever is left may be a secret
//! in the wrong place.

use std::ops::Range;

use chronaxis_model::shown::keywords::is_near_key;
use chronaxis_model::shown::may_show;

use super::keys::is_scheme;
use super::pieces::{Piece, Pieces};

/// Signs of the forms themselves.
const SIGNS: &[char] = &[
    ':', '/', '@', '?', '&', '=', ';', ',', '[', ']', '{', '}', '\'', '"', ' ', '\t',
];

/// The byte spans of a text that must not be shown.
pub(super) fn covered(text: &str, pieces: &Pieces) -> Vec<Range<usize>> {
    let mut sheet = Sheet {
        text,
        shown: vec![false; text.len()],
    };
    sheet.lead();
    // Where several stand in the text, each counts by itself: a list spans what lies between.
    let is_list =
        |piece: &&Piece| !pieces.places.is_empty() && matches!(piece.key.as_str(), "host" | "port");
    let single = pieces.found.iter().filter(|p| !is_list(p));
    let (plain, odd): (Vec<&Piece>, Vec<&Piece>) =
        single.chain(&pieces.places).partition(|p| is_plain(p));
    for piece in plain {
        sheet.show(piece.span.clone());
    }
    // One text may hold several values, of which one is not plain.
    for piece in odd {
        sheet.hide(piece.span.clone());
    }
    for span in &pieces.recognised {
        sheet.show(span.clone());
    }
    for span in &pieces.covered {
        sheet.hide(span.clone());
    }
    sheet.keys(pieces);
    for span in &pieces.covered {
        sheet.hide(span.clone());
    }
    let mut out = pieces.covered.clone();
    out.extend(sheet.left(&pieces.covered));
    out
}

fn is_plain(piece: &Piece) -> bool {
    may_show(super::subject(&piece.key), &piece.value)
}

struct Sheet<'a> {
    text: &'a str,
    shown: Vec<bool>,
}

impl Sheet<'_> {
    fn set(&mut self, span: Range<usize>, to: bool) {
        if let Some(bytes) = self.shown.get_mut(span) {
            bytes.fill(to);
        }
    }

    fn show(&mut self, span: Range<usize>) {
        self.set(span, true);
    }

    fn hide(&mut self, span: Range<usize>) {
        self.set(span, false);
    }

    /// The scheme, or the word before a data-source name.
    fn lead(&mut self) {
        let from = self.text.len() - self.text.trim_start().len();
        let bare = self.text.get(from..).unwrap_or_default();
        self.show(0..from);
        let length = match bare.split_once("://") {
            Some((scheme, _)) if is_scheme(scheme) => scheme.len() + 3,
            _ => ["jdbc:postgresql:", "mysql:", "pgsql:"]
                .into_iter()
                .find(|lead| bare.starts_with(lead))
                .map_or(0, str::len),
        };
        self.show(from..from + length);
    }

    /// Every known keyword right before an equals sign that is no part of a value.
    fn keys(&mut self, pieces: &Pieces) {
        let in_value = |at: usize| {
            let spans = pieces.found.iter().map(|p| &p.span);
            let mut all = spans.chain(&pieces.covered);
            all.any(|span| span.contains(&at))
        };
        let signs = self.text.match_indices('=').map(|(at, _)| at);
        let signs: Vec<usize> = signs.filter(|at| !in_value(*at)).collect();
        for at in signs {
            let before = self.text.get(..at).unwrap_or_default().trim_end();
            let is_part = |c: char| c.is_ascii_alphanumeric() || matches!(c, '_' | '-' | '.' | ' ');
            let run = before.len() - before.trim_end_matches(is_part).len();
            let run_at = before.len() - run;
            let words = before.get(run_at..).unwrap_or_default();
            // A keyword may have two words: `user id`, `initial catalog`.
            let ends: Vec<usize> = std::iter::once(0)
                .chain(words.match_indices(' ').map(|(p, _)| p + 1))
                .collect();
            let fits = |from: &&usize| {
                let word = words.get(**from..).unwrap_or_default();
                is_near_key(&word.to_ascii_lowercase())
            };
            if let Some(from) = ends.iter().find(fits) {
                self.show(run_at + from..at + 1);
            }
        }
    }

    /// What was recognised by nothing, without the signs at its edges.
    fn left(&self, covered: &[Range<usize>]) -> Vec<Range<usize>> {
        let mut out = Vec::new();
        let mut at = 0;
        while at < self.shown.len() {
            if self.shown.get(at) == Some(&true) {
                at += 1;
                continue;
            }
            if let Some(span) = covered.iter().find(|c| c.start <= at && at < c.end) {
                at = span.end;
                continue;
            }
            let is_end = |i: &usize| {
                self.shown.get(*i) == Some(&true) || covered.iter().any(|c| c.start == *i)
            };
            let end = (at + 1..self.shown.len()).find(is_end);
            let end = end.unwrap_or(self.shown.len());
            let run = self.text.get(at..end).unwrap_or_default();
            let inner = run.trim_matches(SIGNS);
            if !inner.is_empty() {
                let from = at + run.len() - run.trim_start_matches(SIGNS).len();
                out.push(from..from + inner.len());
            }
            at = end;
        }
        out
    }
}
