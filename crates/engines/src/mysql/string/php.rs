//! PDO's data-source names (PHP manual, "PDO_MYSQL DSN"; measured with PHP 8.2): names in
//! small letters with nothing round them, blanks only behind a semicolon, the last of two.

use super::words::PHP;
use crate::text::pieces::{Piece, Pieces};

/// Reads what stands behind the driver's name, from byte `from`.
pub(super) fn read(text: &str, from: usize) -> Pieces {
    let mut pieces = Pieces::default();
    let mut at = from;
    while let Some(rest) = text.get(at..).filter(|r| !r.is_empty()) {
        // A part without the sign is read together with the next one.
        let Some(equals) = rest.find('=') else {
            pieces.covered.push(at..text.len());
            break;
        };
        let name = rest.get(..equals).unwrap_or_default();
        let begins = at + equals + 1;
        let (value, length) = value(text.get(begins..).unwrap_or_default());
        let span = begins..begins + length;
        match PHP.iter().find(|(known, _)| *known == name) {
            Some((_, key)) => {
                pieces.found.retain(|known: &Piece| known.key != *key);
                pieces.add(key, value, span.clone());
            }
            None => pieces.covered.push(span.clone()),
        }
        let behind = text.get(span.end..).unwrap_or_default();
        let bare = behind.strip_prefix(';').unwrap_or(behind).trim_start();
        at = text.len() - bare.len();
    }
    pieces
}

/// A value up to its semicolon, and how many bytes that takes: a doubled one is one.
fn value(text: &str) -> (String, usize) {
    let mut out = String::new();
    let mut chars = text.char_indices().peekable();
    while let Some((at, c)) = chars.next() {
        if c != ';' {
            out.push(c);
        } else if chars.peek().is_some_and(|(_, next)| *next == ';') {
            chars.next();
            out.push(';');
        } else {
            return (out, at);
        }
    }
    (out, text.len())
}
