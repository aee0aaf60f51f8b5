//! A text as those read it who decode it: without characters that nobody sees, with escapes
//! undone, as the bytes that its numbers stand for. Each byte knows where it came from.

use std::ops::Range;

use super::is_control;

/// How often a text may be encoded one over the other.
const ROUNDS: usize = 3;

/// Characters by their names in HTML, the longest of them first where one begins another
/// (HTML standard, "Named character references").
const ENTITIES: &[(&str, char)] = &[
    ("amp", '&'),
    ("lt", '<'),
    ("gt", '>'),
    ("quot", '"'),
    ("apos", '\''),
    ("nbsp", ' '),
    ("excl", '!'),
    ("num", '#'),
    ("dollar", '$'),
    ("percnt", '%'),
    ("lpar", '('),
    ("rpar", ')'),
    ("ast", '*'),
    ("plus", '+'),
    ("comma", ','),
    ("period", '.'),
    ("hyphen", '-'),
    ("sol", '/'),
    ("colon", ':'),
    ("semi", ';'),
    ("equals", '='),
    ("quest", '?'),
    ("commat", '@'),
    ("lsqb", '['),
    ("lbrack", '['),
    ("bsol", '\\'),
    ("rsqb", ']'),
    ("rbrack", ']'),
    ("Hat", '^'),
    ("lowbar", '_'),
    ("UnderBar", '_'),
    ("grave", '`'),
    ("lcub", '{'),
    ("lbrace", '{'),
    ("verbar", '|'),
    ("vert", '|'),
    ("rcub", '}'),
    ("rbrace", '}'),
    ("tilde", '~'),
    ("Tab", '\t'),
    ("NewLine", '\n'),
];

/// A decoded text.
pub(super) struct View {
    pub(super) bytes: Vec<u8>,
    /// The span of the raw text from which each byte was made.
    from: Vec<Range<usize>>,
}

impl View {
    fn empty() -> View {
        View {
            bytes: Vec::new(),
            from: Vec::new(),
        }
    }

    fn push(&mut self, byte: u8, from: Range<usize>) {
        self.bytes.push(byte);
        self.from.push(from);
    }

    fn push_char(&mut self, c: char, from: &Range<usize>) {
        let mut buffer = [0; 4];
        for byte in c.encode_utf8(&mut buffer).bytes() {
            self.push(byte, from.clone());
        }
    }

    /// The span of the raw text that a span of the view was made from.
    pub(super) fn raw(&self, span: Range<usize>) -> Range<usize> {
        let start = self.from.get(span.start).map_or(0, |f| f.start);
        let last = span.end.checked_sub(1).and_then(|at| self.from.get(at));
        start..last.map_or(start, |f| f.end)
    }

    /// Whether no letter or digit stands right beside a span.
    pub(super) fn stands_alone(&self, span: Range<usize>) -> bool {
        let letter =
            |byte: Option<&u8>| byte.is_some_and(|b| b.is_ascii_alphanumeric() || !b.is_ascii());
        let before = span.start.checked_sub(1).and_then(|at| self.bytes.get(at));
        !letter(before) && !letter(self.bytes.get(span.end))
    }

    /// The raw span of several bytes of the view.
    fn span(&self, at: usize, length: usize) -> Range<usize> {
        self.raw(at..at + length)
    }
}

/// All views of a text.
pub(super) fn of(raw: &str) -> Vec<View> {
    let mut whole = View::empty();
    let mut bare = View::empty();
    for (at, c) in raw.char_indices() {
        let from = at..at + c.len_utf8();
        whole.push_char(c, &from);
        if !is_control(c) {
            bare.push_char(c, &from);
        }
    }
    let same = whole.bytes.len() == bare.bytes.len();
    let mut views = vec![bare];
    for _ in 0..ROUNDS {
        let next = views.last().map(undone).filter(|next| {
            views
                .last()
                .is_some_and(|last| last.bytes.len() != next.bytes.len())
        });
        match next {
            Some(next) => views.push(next),
            None => break,
        }
    }
    let more: Vec<View> = views
        .first()
        .map(|bare| vec![quoted_printable(bare), numbers(bare, 16), numbers(bare, 10)])
        .unwrap_or_default();
    views.extend(more.into_iter().filter(|view| !view.bytes.is_empty()));
    if !same {
        views.push(whole);
    }
    views
}

/// One layer of escapes undone: percent (RFC 3986, section 2.1), HTML, backslashes.
fn undone(view: &View) -> View {
    let mut out = View::empty();
    let mut at = 0;
    while let Some(byte) = view.bytes.get(at) {
        let rest = view.bytes.get(at..).unwrap_or_default();
        let escape = match byte {
            b'%' => hex_byte(rest.get(1..3)).map(|b| (Made::Byte(b), 3)),
            b'&' => entity(rest),
            b'\\' => backslash(rest),
            _ => None,
        };
        match escape {
            Some((made, length)) => {
                let from = view.span(at, length);
                match made {
                    Made::Byte(b) => out.push(b, from),
                    Made::Char(c) => out.push_char(c, &from),
                }
                at += length;
            }
            None => {
                out.push(*byte, view.span(at, 1));
                at += 1;
            }
        }
    }
    out
}

enum Made {
    Byte(u8),
    Char(char),
}

fn hex_byte(digits: Option<&[u8]>) -> Option<u8> {
    u8::from_str_radix(std::str::from_utf8(digits?).ok()?, 16)
        .ok()
        .filter(|_| digits.is_some_and(|d| d.iter().all(u8::is_ascii_hexdigit)))
}

fn number(digits: &[u8], radix: u32) -> Option<u32> {
    u32::from_str_radix(std::str::from_utf8(digits).ok()?, radix).ok()
}

/// `&amp;`, `&#38;`, `&#x26;`; the semicolon may be missing.
fn entity(rest: &[u8]) -> Option<(Made, usize)> {
    let name = rest.get(1..)?;
    let length = |name: usize| name + usize::from(rest.get(name) == Some(&b';'));
    if name.first() == Some(&b'#') {
        let hex = matches!(name.get(1), Some(b'x' | b'X'));
        let lead = 1 + usize::from(hex);
        let radix = if hex { 16 } else { 10 };
        let digits = name.get(lead..)?;
        let count = digits
            .iter()
            .take(7)
            .take_while(|d| char::from(**d).is_digit(radix))
            .count();
        let c = char::from_u32(number(digits.get(..count)?, radix)?)?;
        return Some((Made::Char(c), length(1 + lead + count)));
    }
    let (known, c) = ENTITIES
        .iter()
        .filter(|(known, _)| name.starts_with(known.as_bytes()))
        .max_by_key(|(known, _)| known.len())?;
    Some((Made::Char(*c), length(1 + known.len())))
}

/// What a backslash begins, in any of the usual languages.
fn backslash(rest: &[u8]) -> Option<(Made, usize)> {
    let next = *rest.get(1)?;
    Some(match next {
        b'x' | b'X' => (Made::Byte(hex_byte(rest.get(2..4))?), 4),
        b'u' if rest.get(2) == Some(&b'{') => {
            let digits = rest.get(3..)?;
            let count = digits
                .iter()
                .take(7)
                .take_while(|d| d.is_ascii_hexdigit())
                .count();
            let c = char::from_u32(number(digits.get(..count)?, 16)?)?;
            (Made::Char(c), count + 4)
        }
        b'u' | b'U' => {
            let unit = number(rest.get(2..6)?, 16)?;
            match char::from_u32(unit) {
                Some(c) => (Made::Char(c), 6),
                // The first half of a pair (RFC 8259, section 7).
                None => {
                    let low = number(rest.get(8..12)?, 16)?;
                    let c = 0x10000 + ((unit & 0x3ff) << 10) + (low & 0x3ff);
                    (Made::Char(char::from_u32(c)?), 12)
                }
            }
        }
        b'n' => (Made::Byte(b'\n'), 2),
        b't' => (Made::Byte(b'\t'), 2),
        b'r' => (Made::Byte(b'\r'), 2),
        b'0'..=b'3' if rest.get(1..4)?.iter().all(|d| (b'0'..=b'7').contains(d)) => (
            Made::Byte(u8::try_from(number(rest.get(1..4)?, 8)?).ok()?),
            4,
        ),
        other => (Made::Byte(other), 2),
    })
}

/// `=41` (RFC 2045, section 6.7).
fn quoted_printable(view: &View) -> View {
    let mut out = View::empty();
    let mut at = 0;
    let mut found = false;
    while let Some(byte) = view.bytes.get(at) {
        match hex_byte(view.bytes.get(at + 1..at + 3)).filter(|_| *byte == b'=') {
            Some(made) => {
                found = true;
                out.push(made, view.span(at, 3));
                at += 3;
            }
            None => {
                out.push(*byte, view.span(at, 1));
                at += 1;
            }
        }
    }
    if found { out } else { View::empty() }
}

/// The bytes that a row of numbers stands for, whatever stands between them: `5a:71`,
/// `0x5a, 0x71`, `90 113`. Numbers without anything between are a form of their own.
fn numbers(view: &View, radix: u32) -> View {
    let mut out = View::empty();
    let mut at = 0;
    let mut last_end = 0;
    while at < view.bytes.len() {
        let rest = view.bytes.get(at..).unwrap_or_default();
        let lead = match rest {
            [b'0', b'x' | b'X', ..] | [b'\\', b'x' | b'X', ..] if radix == 16 => 2,
            _ => 0,
        };
        let digits = rest.get(lead..).unwrap_or_default();
        let count = digits
            .iter()
            .take(4)
            .take_while(|d| char::from(**d).is_digit(radix))
            .count();
        let fits = if radix == 16 {
            count == 2
        } else {
            (1..=3).contains(&count)
        };
        let value = number(digits.get(..count).unwrap_or_default(), radix);
        match value.and_then(|v| u8::try_from(v).ok()).filter(|_| fits) {
            Some(byte) => {
                if at > last_end + 3 {
                    // Too far from the last one to go on from it.
                    out.push(0, view.span(at, 1));
                }
                out.push(byte, view.span(at, lead + count));
                at += lead + count;
                last_end = at;
            }
            None => at += (lead + count).max(1),
        }
    }
    out
}
