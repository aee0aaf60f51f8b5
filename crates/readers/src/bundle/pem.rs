//! Blocks of PEM (RFC 7468; RFC 1421 for locked keys of the old form), each by itself: a
//! damaged one does not hide the others.

use base64::Engine as _;
use base64::engine::general_purpose::STANDARD;
use zeroize::Zeroizing;

/// Most blocks of a file: lists of authorities have some 150.
const MOST: usize = 4_000;

/// A block.
pub(super) struct Block {
    /// What its first line says that it is.
    pub(super) label: String,
    /// Its bytes, or what is wrong with it.
    pub(super) der: Result<Zeroizing<Vec<u8>>, String>,
    /// How it is locked, if it is a key that is in the old form (RFC 1421): what its header says.
    pub(super) old_lock: Option<String>,
    /// The line where it begins, from 1.
    pub(super) line: u32,
}

/// Whether a text has one.
pub(super) fn is_one(text: &str) -> bool {
    text.contains("-----BEGIN ")
}

/// Longest label.
const LONGEST: usize = 40;

/// The label of a line that begins or ends a block: nothing but words, for what stands in its
/// place may be a key.
fn label<'a>(line: &'a str, word: &str) -> Option<&'a str> {
    let rest = line.trim().strip_prefix("-----")?.strip_prefix(word)?;
    let label = rest.trim_start().strip_suffix("-----")?.trim();
    let plain = label
        .bytes()
        .all(|b| b.is_ascii_uppercase() || b.is_ascii_digit() || b == b' ');
    (plain && !label.is_empty() && label.len() <= LONGEST).then_some(label)
}

/// The label of a block of which all stands on one line.
fn on_one_line(line: &str) -> Option<&str> {
    let (_, rest) = line.split_once("-----BEGIN ")?;
    let (label, body) = rest.split_once("-----")?;
    let plain = label
        .bytes()
        .all(|b| b.is_ascii_uppercase() || b.is_ascii_digit() || b == b' ');
    (plain && label.len() <= LONGEST && !body.trim().is_empty()).then_some(label)
}

/// All blocks of a text.
pub(super) fn blocks(text: &str) -> Vec<Block> {
    let mut out = Vec::new();
    let mut lines = (1u32..).zip(text.lines()).peekable();
    while let Some((line, first)) = lines.next() {
        let Some(name) = label(first, "BEGIN") else {
            if let Some(name) = on_one_line(first) {
                out.push(Block {
                    label: name.to_owned(),
                    der: Err("stands on one line: its line breaks are lost".to_owned()),
                    old_lock: None,
                    line,
                });
            }
            continue;
        };
        if out.len() == MOST {
            break;
        }
        let mut body = Zeroizing::new(String::new());
        let mut old_lock = None;
        let mut end = Err("has no END line: it is cut off".to_owned());
        while let Some((_, next)) = lines.peek() {
            if label(next, "BEGIN").is_some() {
                break;
            }
            if let Some(other) = label(next, "END") {
                end = match other == name {
                    true => Ok(()),
                    false => Err("ends with another label than it begins with".to_owned()),
                };
                lines.next();
                break;
            }
            match next.split_once(':') {
                Some((key, value)) => match key.trim() {
                    "DEK-Info" => old_lock = Some(value.trim().to_owned()),
                    "Proc-Type" if value.contains("ENCRYPTED") => {
                        old_lock.get_or_insert_with(String::new);
                    }
                    _ => {}
                },
                None => body.extend(next.chars().filter(|c| !c.is_whitespace())),
            }
            lines.next();
        }
        let decoded = end.and_then(|()| {
            let bytes = STANDARD.decode(body.as_bytes()).map(Zeroizing::new);
            bytes.map_err(|_| "is not base64 throughout".to_owned())
        });
        out.push(Block {
            label: name.to_owned(),
            der: decoded,
            old_lock,
            line,
        });
    }
    out
}
