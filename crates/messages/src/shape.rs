//! Shapes: words with holes, and how they are held against a text.

use std::ops::Range;

use chronaxis_model::shown;

/// Longest text that a hole takes, in bytes.
const LONGEST: usize = 240;

/// What stands in a hole.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Hole {
    /// A host name or address.
    Host,
    /// A literal address.
    Address,
    /// A port.
    Port,
    /// A host or address with a port behind a colon.
    Place,
    /// An account.
    User,
    /// A database.
    Database,
    /// The host from which the client came, as the server sees it.
    Client,
    /// A five-character code (ISO/IEC 9075, SQLSTATE).
    SqlState,
    /// A number that the engine gives to its errors.
    Number,
    /// A path of a file.
    Path,
    /// The name of a driver or scheme.
    Driver,
    /// Anything within a few words.
    Any,
    /// A single word.
    Word,
}

impl Hole {
    fn named(name: &str) -> Option<Hole> {
        Some(match name {
            "host" => Hole::Host,
            "address" => Hole::Address,
            "port" => Hole::Port,
            "place" => Hole::Place,
            "user" => Hole::User,
            "database" => Hole::Database,
            "client" => Hole::Client,
            "sqlstate" => Hole::SqlState,
            "number" => Hole::Number,
            "path" => Hole::Path,
            "driver" => Hole::Driver,
            "any" => Hole::Any,
            "word" => Hole::Word,
            _ => return None,
        })
    }

    /// Whether a character may stand in it.
    fn takes(self, c: char) -> bool {
        match self {
            Hole::Host | Hole::Client => c.is_alphanumeric() || ".-_:[]%*".contains(c),
            Hole::Address => c.is_ascii_hexdigit() || ".:[]%".contains(c) || c.is_alphanumeric(),
            Hole::Place => c.is_alphanumeric() || ".-_:[]%/".contains(c),
            Hole::Port | Hole::Number => c.is_ascii_digit(),
            Hole::SqlState => c.is_ascii_digit() || c.is_ascii_uppercase(),
            Hole::User | Hole::Database => !matches!(c, '"' | '\'' | '\n' | '`'),
            Hole::Path => !c.is_whitespace() && !matches!(c, '"' | '\'' | '`' | '<' | '>'),
            Hole::Driver => c.is_alphanumeric() || ".-_:/+\\*@ ".contains(c),
            Hole::Any => true,
            Hole::Word => !c.is_whitespace() && !matches!(c, '"' | '\'' | '`'),
        }
    }

    /// Whether a text is what stands in it.
    fn fits(self, text: &str) -> bool {
        if text.len() > LONGEST || !text.chars().all(|c| self.takes(c)) {
            return false;
        }
        match self {
            Hole::Any => true,
            Hole::User | Hole::Database | Hole::Client => true,
            Hole::SqlState => text.len() == 5,
            Hole::Port => !text.is_empty() && text.len() <= 5,
            Hole::Number => !text.is_empty() && text.len() <= 9,
            Hole::Address => address(text).is_some(),
            Hole::Host => shown::is_host(text.trim_end_matches('.')) || address(text).is_some(),
            Hole::Place => place(text).is_some(),
            // Behind a drive's letter no path has a colon.
            Hole::Path => !text.is_empty() && !text.get(2..).is_some_and(|rest| rest.contains(':')),
            Hole::Driver | Hole::Word => !text.is_empty(),
        }
    }
}

/// A literal address, with or without brackets.
pub fn address(text: &str) -> Option<std::net::IpAddr> {
    let bare = text.trim_start_matches('[').trim_end_matches(']');
    let bare = bare.split_once('%').map_or(bare, |(bare, _)| bare);
    bare.parse().ok()
}

/// A host and a port: `quay:5432`, `[::1]:5432`, `::1:5432` (as Node writes it),
/// `quay/10.8.0.10:5432` (as Java writes it).
pub fn place(text: &str) -> Option<(String, u16)> {
    let (host, port) = text.rsplit_once(':')?;
    let port = port.parse().ok()?;
    let host = match host.split_once('/') {
        Some(("", address)) => address,
        Some((name, _)) => name,
        None => host,
    };
    let bare = host.trim_start_matches('[').trim_end_matches(']');
    (shown::is_host(bare) || address(bare).is_some()).then(|| (bare.to_owned(), port))
}

/// A part of a shape.
#[derive(Clone, Debug, PartialEq, Eq)]
enum Part {
    Words(&'static str),
    Hole(Hole),
}

/// A shape, taken apart.
#[derive(Clone, Debug)]
pub struct Shape {
    parts: Vec<Part>,
    /// Which part is looked for: the longest words.
    anchor: usize,
    /// Which piece of them.
    piece: Range<usize>,
}

/// So long a piece of a shape's words is looked for; the rest is held against the text where
/// that stands.
pub(crate) const LONGEST_PIECE: usize = 7;

/// The piece of a shape that is looked for: of its longest words the part that is rarest in
/// ordinary text, as a range of bytes. It is worked out when the table is compiled.
pub(crate) const fn piece_of(shape: &str) -> (usize, usize) {
    let bytes = shape.as_bytes();
    let (from, to) = longest_words(bytes);
    if to - from <= LONGEST_PIECE {
        return (from, to);
    }
    let mut best = (from, to);
    let mut highest = 0;
    let mut at = from;
    while at + LONGEST_PIECE <= to {
        let end = at + LONGEST_PIECE;
        if is_boundary(bytes, at) && is_boundary(bytes, end) {
            let mut score = 0;
            let mut index = at;
            while index < end {
                score += rareness(byte(bytes, index));
                index += 1;
            }
            if score > highest {
                highest = score;
                best = (at, end);
            }
        }
        at += 1;
    }
    best
}

const fn longest_words(bytes: &[u8]) -> (usize, usize) {
    let mut best = (0, 0);
    let mut from = 0;
    let mut at = 0;
    while at <= bytes.len() {
        let ends = at == bytes.len() || byte(bytes, at) == b'{';
        if ends {
            if at - from > best.1 - best.0 {
                best = (from, at);
            }
            while at < bytes.len() && byte(bytes, at) != b'}' {
                at += 1;
            }
            from = at + 1;
        }
        at += 1;
    }
    best
}

#[allow(
    clippy::indexing_slicing,
    reason = "where it is evaluated, an index that is out of bounds does not compile"
)]
const fn byte(bytes: &[u8], at: usize) -> u8 {
    if at < bytes.len() { bytes[at] } else { b' ' }
}

/// Whether a character begins at this byte.
const fn is_boundary(bytes: &[u8], at: usize) -> bool {
    byte(bytes, at) & 0xc0 != 0x80
}

/// How rare a letter is in logs and in English.
const fn rareness(byte: u8) -> u32 {
    match byte.to_ascii_lowercase() {
        b'e' | b't' | b'a' | b'o' | b'i' | b'n' | b's' | b'r' | b' ' => 1,
        b'h' | b'd' | b'l' | b'u' | b'c' | b'm' | b'f' | b'.' | b':' | b'-' => 2,
        b'0'..=b'9' | b'/' | b'"' | b'=' | b',' => 2,
        b'w' | b'y' | b'p' | b'g' | b'b' | b'v' | b'k' => 3,
        _ => 5,
    }
}

/// What was found: where, and what stood in the holes.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Fit {
    /// The whole of it in the text.
    pub span: Range<usize>,
    /// The holes.
    pub held: Vec<(Hole, String)>,
}

impl Shape {
    /// Takes a shape apart; none where it has no words, or a hole of no known name.
    pub fn of(text: &'static str) -> Option<Shape> {
        let (from, to) = piece_of(text);
        let mut parts = Vec::new();
        let mut anchor = None;
        let mut at = 0;
        let mut rest = text;
        while !rest.is_empty() {
            let words = rest.split('{').next().unwrap_or_default();
            if !words.is_empty() {
                if from >= at && to <= at + words.len() && to > from {
                    anchor = Some((parts.len(), from - at..to - at));
                }
                parts.push(Part::Words(words));
            }
            rest = rest.get(words.len()..)?;
            at += words.len();
            if let Some(behind) = rest.strip_prefix('{') {
                let (name, after) = behind.split_once('}')?;
                parts.push(Part::Hole(Hole::named(name)?));
                at += rest.len() - after.len();
                rest = after;
            }
        }
        let (anchor, piece) = anchor?;
        Some(Shape {
            parts,
            anchor,
            piece,
        })
    }

    fn words(&self) -> &'static str {
        match self.parts.get(self.anchor) {
            Some(Part::Words(words)) => words,
            _ => "",
        }
    }

    /// The piece of its words that is looked for.
    pub fn anchor(&self) -> &'static str {
        self.words().get(self.piece.clone()).unwrap_or_default()
    }

    /// Holds it against a text in which its anchor stands at this place.
    pub fn fit(&self, text: &str, anchor: Range<usize>) -> Option<Fit> {
        let words = self.words();
        let from = anchor.start.checked_sub(self.piece.start)?;
        let anchor = from..from + words.len();
        same(text.get(anchor.clone())?, words).then_some(())?;
        let mut held = Vec::new();
        let mut start = anchor.start;
        let before = self.parts.get(..self.anchor)?;
        let mut hole: Option<Hole> = None;
        for part in before.iter().rev() {
            match part {
                Part::Hole(kind) => hole = Some(*kind),
                Part::Words(words) => {
                    start = self.backwards(text, start, hole.take(), words, &mut held)?;
                }
            }
        }
        if let Some(kind) = hole {
            let from = start - run_before(text.get(..start)?, kind);
            let found = text.get(from..start)?;
            kind.fits(found).then_some(())?;
            held.push((kind, found.to_owned()));
            start = from;
        }
        held.reverse();
        let mut end = anchor.end;
        let behind = self.parts.get(self.anchor + 1..)?;
        let mut hole: Option<Hole> = None;
        for part in behind {
            match part {
                Part::Hole(kind) => hole = Some(*kind),
                Part::Words(words) => {
                    end = forwards(text, end, hole.take(), words, &mut held)?;
                }
            }
        }
        if let Some(kind) = hole {
            let run = run_behind(text.get(end..)?, kind);
            let found = text.get(end..end + run)?;
            let found = found.trim_end_matches(['.', ',', ')', ':', ';']);
            // A bracket that was not opened closes something else.
            let found = match found.contains('[') {
                true => found,
                false => found.trim_end_matches(']'),
            };
            kind.fits(found).then_some(())?;
            held.push((kind, found.to_owned()));
            end += found.len();
        }
        whole_words(text, start..end).then_some(Fit {
            span: start..end,
            held,
        })
    }

    /// From this place back over a hole to the words before it.
    fn backwards(
        &self,
        text: &str,
        at: usize,
        hole: Option<Hole>,
        words: &str,
        held: &mut Vec<(Hole, String)>,
    ) -> Option<usize> {
        let Some(kind) = hole else {
            let from = at.checked_sub(words.len())?;
            return same(text.get(from..at)?, words).then_some(from);
        };
        let window = floor(text, at.saturating_sub(LONGEST + words.len()));
        let near = text.get(window..at)?;
        let mut end = near.len();
        while let Some(found) = rfind(near.get(..end)?, words) {
            let inside = near.get(found + words.len()..)?;
            if kind.fits(inside) {
                held.push((kind, inside.to_owned()));
                return Some(window + found);
            }
            if !inside.chars().all(|c| kind.takes(c)) {
                return None;
            }
            end = found + words.len() - 1;
            end = floor(near, end);
        }
        None
    }
}

/// From this place over a hole to the words behind it.
fn forwards(
    text: &str,
    at: usize,
    hole: Option<Hole>,
    words: &str,
    held: &mut Vec<(Hole, String)>,
) -> Option<usize> {
    let Some(kind) = hole else {
        let to = at.checked_add(words.len())?;
        return same(text.get(at..to)?, words).then_some(to);
    };
    let window = floor(text, (at + LONGEST + words.len()).min(text.len()));
    let near = text.get(at..window)?;
    let mut from = 0;
    while let Some(found) = find(near.get(from..)?, words) {
        let found = from + found;
        let inside = near.get(..found)?;
        if kind.fits(inside) {
            held.push((kind, inside.to_owned()));
            return Some(at + found + words.len());
        }
        if !inside.chars().all(|c| kind.takes(c)) {
            return None;
        }
        from = found + near.get(found..)?.chars().next().map_or(1, char::len_utf8);
    }
    None
}

/// How many bytes at the beginning a last hole takes.
fn run_behind(text: &str, kind: Hole) -> usize {
    let stop = |c: char| !kind.takes(c) || (kind == Hole::Any && c == '\n');
    let run = text.find(stop).unwrap_or(text.len());
    floor(text, run.min(LONGEST))
}

/// How many bytes at the end a first hole takes.
fn run_before(text: &str, kind: Hole) -> usize {
    let mut run = 0;
    for c in text.chars().rev() {
        if !kind.takes(c) || run >= LONGEST {
            break;
        }
        run += c.len_utf8();
    }
    run
}

/// Whether what was found is no piece of longer words.
fn whole_words(text: &str, span: Range<usize>) -> bool {
    let inside = |c: Option<char>| c.is_some_and(|c| c.is_alphanumeric() || c == '_');
    let (before, own, behind) = (
        text.get(..span.start),
        text.get(span.clone()),
        text.get(span.end..),
    );
    let (Some(before), Some(own), Some(behind)) = (before, own, behind) else {
        return false;
    };
    let cut = |own: Option<char>, other: Option<char>| inside(own) && inside(other);
    !cut(own.chars().next(), before.chars().next_back())
        && !cut(own.chars().next_back(), behind.chars().next())
}

fn same(text: &str, words: &str) -> bool {
    text.eq_ignore_ascii_case(words)
}

fn find(text: &str, words: &str) -> Option<usize> {
    let last = text.len().checked_sub(words.len())?;
    (0..=last).find(|at| {
        let piece = text.as_bytes().get(*at..*at + words.len());
        piece.is_some_and(|piece| piece.eq_ignore_ascii_case(words.as_bytes()))
    })
}

fn rfind(text: &str, words: &str) -> Option<usize> {
    let last = text.len().checked_sub(words.len())?;
    (0..=last).rev().find(|at| {
        let piece = text.as_bytes().get(*at..*at + words.len());
        piece.is_some_and(|piece| piece.eq_ignore_ascii_case(words.as_bytes()))
    })
}

/// The last boundary of characters that is not behind this place.
pub(crate) fn floor(text: &str, mut at: usize) -> usize {
    at = at.min(text.len());
    while !text.is_char_boundary(at) {
        at -= 1;
    }
    at
}
