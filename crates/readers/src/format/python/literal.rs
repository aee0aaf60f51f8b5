//! What a literal's text stands for.

use crate::traced::Traced;

/// A literal's text (Python language reference, "Escape sequences"): an unknown escape
/// stands for itself, backslash and all.
pub(super) fn decoded(raw: &str, from: usize) -> Traced {
    let mut out = Traced::default();
    let mut at = 0;
    while let Some(rest) = raw.get(at..).filter(|r| !r.is_empty()) {
        let mut chars = rest.chars();
        let (first, second) = (chars.next().unwrap_or_default(), chars.next());
        let hex = |digits: usize| {
            let code = u32::from_str_radix(rest.get(2..2 + digits)?, 16).ok()?;
            Some((char::from_u32(code)?, digits + 2))
        };
        let meant = match (first, second) {
            ('\\', Some('n')) => Some(('\n', 2)),
            ('\\', Some('t')) => Some(('\t', 2)),
            ('\\', Some('r')) => Some(('\r', 2)),
            ('\\', Some('a')) => Some(('\u{7}', 2)),
            ('\\', Some('b')) => Some(('\u{8}', 2)),
            ('\\', Some('f')) => Some(('\u{c}', 2)),
            ('\\', Some('v')) => Some(('\u{b}', 2)),
            ('\\', Some('0')) => Some(('\0', 2)),
            ('\\', Some(c @ ('\\' | '\'' | '"'))) => Some((c, 2)),
            ('\\', Some('x')) => hex(2),
            ('\\', Some('u')) => hex(4),
            ('\\', Some('U')) => hex(8),
            _ => None,
        };
        match meant {
            Some((c, length)) => {
                out.push(c, from + at);
                at += length;
            }
            None => {
                let length = first.len_utf8();
                out.push_str(rest.get(..length).unwrap_or_default(), from + at);
                at += length;
            }
        }
    }
    out
}
