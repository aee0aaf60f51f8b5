//! What every reader of URLs makes of one, and what they share.

use crate::letters::{Letter, text as text_of};

/// The parts of a URL as a program gets them, decoded.
#[derive(Clone, Default)]
pub struct Parts {
    /// The scheme, in lower case.
    pub(crate) scheme: String,
    pub(crate) user: Vec<Letter>,
    /// None where there is none; an empty one may be one.
    pub(crate) password: Option<Vec<Letter>>,
    /// The host, or several with commas between.
    pub(crate) host: Vec<Letter>,
    pub(crate) port: Vec<Letter>,
    pub(crate) database: Vec<Letter>,
    pub(crate) query: Vec<(String, Vec<Letter>)>,
}

impl Parts {
    /// What a part is, for tests and comparisons: `host`, `port`, `user`, `password`,
    /// `database`.
    pub fn text(&self, part: &str) -> Option<String> {
        let letters = match part {
            "host" => &self.host,
            "port" => &self.port,
            "user" => &self.user,
            "password" => self.password.as_ref()?,
            "database" => &self.database,
            _ => return None,
        };
        Some(text_of(letters))
    }
}

/// Why a reader makes nothing of a text.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Refused {
    /// Which value is at fault.
    pub subject: &'static str,
    /// What it says, or does, in a few words.
    pub what: &'static str,
}

pub(crate) const fn refused(subject: &'static str, what: &'static str) -> Refused {
    Refused { subject, what }
}

pub(crate) type Read = Result<Parts, Refused>;

/// What a reader makes of a percent sign that begins no escape.
#[derive(Clone, Copy, PartialEq, Eq)]
pub(crate) enum BadEscape {
    /// It stays as it is, and bytes that are no text are replaced.
    Stays,
    /// It refuses the URL.
    Refused,
}

/// Decodes percent escapes (RFC 3986, section 2.1); those that begin with one of the
/// `kept` characters once decoded stay.
pub(crate) fn decoded(all: &[Letter], bad: BadEscape, kept: &[char]) -> Result<Vec<Letter>, ()> {
    let mut out: Vec<Letter> = Vec::new();
    let mut at = 0;
    while let Some(letter) = all.get(at) {
        let Some(first) = escape(all.get(at..).unwrap_or_default()) else {
            if letter.c == '%' && bad == BadEscape::Refused {
                return Err(());
            }
            out.push(*letter);
            at += 1;
            continue;
        };
        // One character may take several escapes.
        let mut bytes = vec![first];
        let mut end = at + 3;
        while std::str::from_utf8(&bytes).is_err() && bytes.len() < 4 {
            match escape(all.get(end..).unwrap_or_default()) {
                Some(next) if next & 0xc0 == 0x80 => {
                    bytes.push(next);
                    end += 3;
                }
                _ => break,
            }
        }
        let c = match std::str::from_utf8(&bytes)
            .ok()
            .and_then(|t| t.chars().next())
        {
            Some(c) => c,
            None if bad == BadEscape::Refused => return Err(()),
            None => {
                end = at + 3;
                char::REPLACEMENT_CHARACTER
            }
        };
        if kept.contains(&c) {
            out.extend(all.get(at..end).unwrap_or_default());
        } else {
            out.push(Letter {
                c,
                at: letter.at,
                as_is: false,
            });
        }
        at = end;
    }
    Ok(out)
}

/// The byte that an escape at the beginning means.
fn escape(all: &[Letter]) -> Option<u8> {
    let digit = |at: usize| all.get(at).and_then(|l| l.c.to_digit(16));
    let sign = all.first()?.c == '%';
    let value = digit(1)?.checked_mul(16)?.checked_add(digit(2)?)?;
    sign.then_some(u8::try_from(value).ok()?)
}

/// Splits at the first of these letters; none where there is none.
pub(crate) fn split_first(all: &[Letter], sign: char) -> Option<(&[Letter], &[Letter])> {
    let at = all.iter().position(|l| l.c == sign)?;
    Some((all.get(..at)?, all.get(at + 1..)?))
}

pub(crate) fn split_last(all: &[Letter], sign: char) -> Option<(&[Letter], &[Letter])> {
    let at = all.iter().rposition(|l| l.c == sign)?;
    Some((all.get(..at)?, all.get(at + 1..)?))
}

/// Each `+` as the space that it stands for.
pub(crate) fn with_spaces(all: &[Letter]) -> Vec<Letter> {
    let one = |l: &Letter| match l.c {
        '+' => Letter {
            c: ' ',
            as_is: false,
            ..*l
        },
        _ => *l,
    };
    all.iter().map(one).collect()
}

/// Escapes every character that does not stay (RFC 3986, section 2.1).
pub(crate) fn escaped(all: &[Letter], stays: impl Fn(char) -> bool) -> Vec<Letter> {
    let mut out = Vec::new();
    for letter in all {
        if stays(letter.c) {
            out.push(*letter);
            continue;
        }
        for byte in letter.c.encode_utf8(&mut [0; 4]).bytes() {
            let escape = format!("%{byte:02X}");
            out.extend(escape.chars().map(|c| Letter {
                c,
                at: letter.at,
                as_is: false,
            }));
        }
    }
    out
}

/// The pairs of a query (HTML, "application/x-www-form-urlencoded"): `+` is a space.
pub(crate) fn pairs(query: &[Letter]) -> Vec<(String, Vec<Letter>)> {
    let spaced = with_spaces(query);
    let all = spaced.split(|l| l.c == '&').filter(|p| !p.is_empty());
    all.map(|pair| {
        let (key, value) = split_first(pair, '=').unwrap_or((pair, &[]));
        let plain = |l: &[Letter]| decoded(l, BadEscape::Stays, &[]).unwrap_or_default();
        (text_of(&plain(key)), plain(value))
    })
    .collect()
}

/// What stands before and behind the first of several signs, the sign left with the rest.
pub(crate) fn until<'a>(all: &'a [Letter], signs: &[char]) -> (&'a [Letter], &'a [Letter]) {
    let at = all.iter().position(|l| signs.contains(&l.c));
    all.split_at(at.unwrap_or(all.len()))
}
