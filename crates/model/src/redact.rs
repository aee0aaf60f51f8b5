//! Text from outside: masked, and made harmless, before it becomes a fact.

mod forms;
mod views;

use std::collections::BTreeSet;
use std::fmt;
use std::fmt::Write as _;
use std::ops::Range;
use std::sync::Arc;

use aho_corasick::{AhoCorasick, AhoCorasickKind, MatchKind};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use self::views::View;
use crate::secret::Secret;

/// What stands where a secret stood.
pub const MASK: &str = "[hidden]";

/// A form shorter than this is masked only where it stands alone: inside longer words it
/// says nothing.
const SHORTEST_INSIDE: usize = 4;

/// So much of an encoded form at the end of a text tells less than four characters of the
/// secret, and stands at the end of many a text that has nothing to do with it.
const SHORTEST_ENCODED_CUT: usize = 6;

/// So many secrets are looked for in all their forms.
const MOST_IN_FULL: usize = 256;

/// How much of the end of a text may be the beginning of a secret, in bytes.
const LONGEST_CUT: usize = 512;

/// Longest piece of foreign text that is looked at, in bytes.
const LONGEST_READ: usize = 64 * 1024;

/// Longest piece of foreign text that a fact keeps, in characters.
const LONGEST_KEPT: usize = 1000;

/// Text that came from a peer or a system, with secrets masked and with control and
/// bidirectional characters made visible. Only a [`Redactor`] makes one.
#[derive(
    Clone, Debug, Default, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema,
)]
#[serde(transparent)]
pub struct Redacted(String);

impl Redacted {
    /// The harmless text.
    pub fn as_str(&self) -> &str {
        &self.0
    }
}

impl fmt::Display for Redacted {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.pad(&self.0)
    }
}

/// Knows the secrets of a run in every form in which a peer could send them back. Masking
/// takes time in proportion to the text, however many secrets and forms there are.
#[derive(Clone, Default)]
pub struct Redactor(Option<Arc<Known>>);

struct Known {
    search: AhoCorasick,
    /// What the search looks for, by its number there; in lower case.
    forms: Vec<Vec<u8>>,
    /// Those as it stands, in order, for texts that end in the middle of one.
    plain: Vec<Vec<u8>>,
    /// Likewise the encoded ones.
    encoded: Vec<Vec<u8>>,
}

impl Redactor {
    /// Prepares the forms of these secrets: as it stands, with doubled quotes, in
    /// hexadecimal, in base64 and base32 at any alignment. What is escaped or encoded byte
    /// by byte is decoded in the text instead.
    pub fn new<'a>(secrets: impl IntoIterator<Item = &'a Secret>) -> Redactor {
        let mut plain: BTreeSet<Vec<u8>> = BTreeSet::new();
        let mut encoded: BTreeSet<Vec<u8>> = BTreeSet::new();
        let mut known: BTreeSet<&str> = BTreeSet::new();
        for secret in secrets {
            known.insert(secret.expose());
        }
        known.remove("");
        let of: fn(&str) -> Vec<Vec<u8>> = match known.len() <= MOST_IN_FULL {
            true => forms::encoded,
            false => forms::fewer,
        };
        let lower = |form: Vec<u8>| form.to_ascii_lowercase();
        for text in known {
            plain.extend(forms::plain(text).into_iter().map(lower));
            encoded.extend(of(text).into_iter().map(lower));
        }
        plain.remove([].as_slice());
        let forms: Vec<Vec<u8>> = plain.union(&encoded).cloned().collect();
        let search = AhoCorasick::builder()
            .ascii_case_insensitive(true)
            .match_kind(MatchKind::LeftmostLongest)
            // Quick to make and small: there is one for each target, and texts are short.
            .kind(Some(AhoCorasickKind::NoncontiguousNFA))
            .build(&forms);
        // It fails only past the bounds of its own numbers, gigabytes of secrets away.
        Redactor(search.ok().filter(|_| !forms.is_empty()).map(|search| {
            Arc::new(Known {
                search,
                plain: plain.into_iter().collect(),
                encoded: encoded.into_iter().collect(),
                forms,
            })
        }))
    }

    /// Masks bytes from a peer; what is not UTF-8 is shown as `\xNN`.
    pub fn bytes(&self, raw: &[u8]) -> Redacted {
        let mut text = String::new();
        for chunk in raw.get(..LONGEST_READ).unwrap_or(raw).utf8_chunks() {
            text.push_str(chunk.valid());
            for byte in chunk.invalid() {
                let _ = write!(text, "\\x{byte:02x}");
            }
        }
        self.text(&text)
    }

    /// Masks a text, however a secret in it is encoded, and broken apart by characters that
    /// nobody sees.
    pub fn text(&self, raw: &str) -> Redacted {
        let mut end = raw.len().min(LONGEST_READ);
        while !raw.is_char_boundary(end) {
            end -= 1;
        }
        let raw = raw.get(..end).unwrap_or_default();
        let mut shown = visible(&self.mask(raw));
        if let Some((at, _)) = shown.char_indices().nth(LONGEST_KEPT) {
            shown.truncate(at);
            shown.push('…');
        }
        Redacted(shown)
    }

    fn mask(&self, raw: &str) -> String {
        let Some(known) = &self.0 else {
            return raw.to_owned();
        };
        let mut spans: Vec<Range<usize>> = Vec::new();
        for view in views::of(raw) {
            known.find(&view, &mut spans);
        }
        spans.sort_by_key(|span| (span.start, span.end));
        let mut out = String::new();
        let mut at = 0;
        for span in spans {
            if span.start >= at {
                out.push_str(raw.get(at..span.start).unwrap_or_default());
                out.push_str(MASK);
            }
            at = at.max(span.end);
        }
        out.push_str(raw.get(at..).unwrap_or_default());
        out
    }
}

impl Known {
    /// Adds the spans of the raw text in which this view of it holds a secret.
    fn find(&self, view: &View, spans: &mut Vec<Range<usize>>) {
        for found in self.search.find_iter(&view.bytes) {
            let form = self.forms.get(found.pattern().as_usize());
            let short = form.is_some_and(|f| f.len() < SHORTEST_INSIDE);
            if !short || view.stands_alone(found.range()) {
                spans.push(view.raw(found.range()));
            }
        }
        if let Some(from) = self.cut_short(&view.bytes) {
            spans.push(view.raw(from..view.bytes.len()));
        }
    }

    /// Where the end of a text begins that is the beginning of a form: it was cut short.
    fn cut_short(&self, bytes: &[u8]) -> Option<usize> {
        let first = bytes.len().saturating_sub(LONGEST_CUT);
        let last = bytes.len().checked_sub(SHORTEST_INSIDE)?;
        (first..=last).find(|from| {
            let end = bytes.get(*from..).unwrap_or_default().to_ascii_lowercase();
            begins_one_of(&self.plain, &end)
                || (end.len() >= SHORTEST_ENCODED_CUT && begins_one_of(&self.encoded, &end))
        })
    }
}

/// Whether a text is the beginning of one of these, which are in order.
fn begins_one_of(sorted: &[Vec<u8>], text: &[u8]) -> bool {
    let next = sorted.partition_point(|form| form.as_slice() < text);
    let form = sorted.get(next);
    form.is_some_and(|form| form.len() > text.len() && form.starts_with(text))
}

impl fmt::Debug for Redactor {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("Redactor(hidden)")
    }
}

pub(crate) fn is_control(c: char) -> bool {
    c.is_control()
        || matches!(c, '\u{061c}' | '\u{200b}'..='\u{200f}' | '\u{2028}'..='\u{202e}'
            | '\u{2060}'..='\u{206f}' | '\u{feff}')
}

/// A text with secrets masked where they stand as words of their own: inside a longer word
/// they are that word's, and the gap would tell them.
pub fn without_words<'a>(text: &str, secrets: impl IntoIterator<Item = &'a Secret>) -> String {
    let mut out = text.to_owned();
    for secret in secrets {
        let secret = secret.expose();
        if secret.chars().count() >= SHORTEST_INSIDE && out.contains(secret) {
            out = without_word(&out, secret);
        }
    }
    out
}

fn without_word(text: &str, secret: &str) -> String {
    let mut out = String::new();
    let mut rest = text;
    while let Some(at) = rest.find(secret) {
        let (before, found) = rest.split_at(at);
        let behind = found.get(secret.len()..).unwrap_or_default();
        let inside = |c: Option<char>| c.is_some_and(char::is_alphanumeric);
        let whole = !inside(before.chars().next_back()) && !inside(behind.chars().next());
        out.push_str(before);
        out.push_str(if whole { MASK } else { secret });
        rest = behind;
    }
    out + rest
}

/// Shows control, bidirectional and invisible characters by their code: `<U+202E>`.
pub fn visible(text: &str) -> String {
    let mut out = String::with_capacity(text.len());
    for c in text.chars() {
        if is_control(c) || (c != ' ' && crate::secret::is_invisible(c)) {
            let _ = write!(out, "<U+{:04X}>", u32::from(c));
        } else {
            out.push(c);
        }
    }
    out
}
