//! Text from outside: masked, and made harmless, before it becomes a fact.

use std::collections::BTreeSet;
use std::fmt;
use std::fmt::Write as _;
use std::sync::Arc;

use base64::Engine as _;
use base64::engine::general_purpose::STANDARD_NO_PAD;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::secret::Secret;

/// What stands where a secret stood.
pub const MASK: &str = "[hidden]";

/// A form shorter than this would mask half of any text; a text that holds so short a
/// secret is withheld as a whole.
const SHORTEST_MASKED: usize = 4;

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

/// Knows the secrets of a run in every form in which a peer could send them back.
#[derive(Clone, Default)]
pub struct Redactor {
    /// Longest first; compared without regard to the case of ASCII letters.
    forms: Arc<[Vec<u8>]>,
    short: bool,
}

impl Redactor {
    /// Prepares the forms of these secrets: as it stands, with escapes (backslash, JSON,
    /// doubled quotes), percent-encoded, in hexadecimal, in base64 at any alignment.
    pub fn new<'a>(secrets: impl IntoIterator<Item = &'a Secret>) -> Redactor {
        let mut forms: BTreeSet<Vec<u8>> = BTreeSet::new();
        let mut known: BTreeSet<&str> = BTreeSet::new();
        let mut short = false;
        for secret in secrets {
            let text = secret.expose();
            if text.is_empty() || !known.insert(text) {
                continue;
            }
            short |= text.chars().count() < SHORTEST_MASKED;
            let lowered = forms_of(text).into_iter().map(|f| f.to_ascii_lowercase());
            forms.extend(lowered.filter(|form| !form.is_empty()));
        }
        let mut forms: Vec<Vec<u8>> = forms.into_iter().collect();
        forms.sort_by(|a, b| b.len().cmp(&a.len()).then(a.cmp(b)));
        Redactor {
            forms: forms.into(),
            short,
        }
    }

    /// Masks bytes from a peer; what is not UTF-8 is shown as `\xNN`.
    pub fn bytes(&self, raw: &[u8]) -> Redacted {
        let mut text = String::new();
        for chunk in raw.utf8_chunks() {
            text.push_str(chunk.valid());
            for byte in chunk.invalid() {
                let _ = write!(text, "\\x{byte:02x}");
            }
        }
        self.text(&text)
    }

    /// Masks a text.
    ///
    /// The text is searched as it came, and again without control and bidirectional
    /// characters, so that these cannot be used to break a secret apart.
    pub fn text(&self, raw: &str) -> Redacted {
        let masked = self.mask(raw);
        let bare: String = masked.chars().filter(|c| !is_control(*c)).collect();
        let masked = if self.find(bare.to_ascii_lowercase().as_bytes(), 0).is_some() {
            self.mask(&bare)
        } else {
            masked
        };
        if self.short && masked.contains(MASK) {
            return Redacted("[text withheld: it holds the secret]".to_owned());
        }
        let mut shown = visible(&masked);
        if let Some((at, _)) = shown.char_indices().nth(LONGEST_KEPT) {
            shown.truncate(at);
            shown.push('…');
        }
        Redacted(shown)
    }

    fn mask(&self, raw: &str) -> String {
        let low = raw.to_ascii_lowercase().into_bytes();
        let mut out = String::new();
        let mut at = 0;
        while let Some((start, len)) = self.find(&low, at) {
            out.push_str(&String::from_utf8_lossy(
                raw.as_bytes().get(at..start).unwrap_or_default(),
            ));
            out.push_str(MASK);
            at = start + len;
        }
        let rest = raw.as_bytes().get(at..).unwrap_or_default();
        let cut = self.cut_secret(low.get(at..).unwrap_or_default());
        out.push_str(&String::from_utf8_lossy(
            rest.get(..rest.len() - cut).unwrap_or_default(),
        ));
        if cut > 0 {
            out.push_str(MASK);
        }
        out
    }

    /// The first place at or after `from` where any form stands; the longest form there.
    fn find(&self, low: &[u8], from: usize) -> Option<(usize, usize)> {
        self.forms
            .iter()
            .filter_map(|form| {
                low.get(from..)?
                    .windows(form.len())
                    .position(|w| w == form.as_slice())
                    .map(|p| (from + p, form.len()))
            })
            .min_by_key(|&(start, len)| (start, usize::MAX - len))
    }

    /// How many bytes at the end are the beginning of a form: text that was cut short.
    fn cut_secret(&self, low: &[u8]) -> usize {
        self.forms
            .iter()
            .filter_map(|form| {
                (SHORTEST_MASKED..form.len().min(low.len() + 1))
                    .rev()
                    .find(|&n| form.get(..n).is_some_and(|head| low.ends_with(head)))
            })
            .max()
            .unwrap_or(0)
    }
}

impl fmt::Debug for Redactor {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("Redactor(hidden)")
    }
}

fn forms_of(text: &str) -> Vec<Vec<u8>> {
    let bytes = text.as_bytes();
    let json = serde_json::to_string(text).unwrap_or_default();
    let json = json.trim_start_matches('"').trim_end_matches('"');
    let mut forms: Vec<String> = vec![
        text.to_owned(),
        text.trim().to_owned(),
        json.to_owned(),
        json.replace('/', "\\/"),
        text.replace('\\', "\\\\").replace('\'', "\\'"),
        text.replace('\'', "''"),
        text.replace('"', "\"\""),
        text.replace('&', "&amp;")
            .replace('<', "&lt;")
            .replace('>', "&gt;")
            .replace('"', "&quot;"),
    ];
    forms.push(bytes.iter().map(|b| format!("%{b:02x}")).collect());
    forms.push(percent(bytes, |b| b.is_ascii_alphanumeric()));
    forms.push(percent(bytes, |b| {
        b.is_ascii_alphanumeric() || b"-._~".contains(&b)
    }));
    forms.push(percent(bytes, |b| {
        b.is_ascii_alphanumeric() || b"-._~!$&'()*+,;=".contains(&b)
    }));
    forms.push(
        percent(bytes, |b| b.is_ascii_alphanumeric() || b"-._~".contains(&b)).replace("%20", "+"),
    );
    for separator in ["", ":", " ", "\\x"] {
        let hex: Vec<String> = bytes.iter().map(|b| format!("{b:02x}")).collect();
        forms.push(hex.join(separator));
    }
    forms.push(
        text.chars()
            .map(|c| {
                let mut units = [0; 2];
                c.encode_utf16(&mut units)
                    .iter()
                    .map(|u| format!("\\u{u:04x}"))
                    .collect::<String>()
            })
            .collect(),
    );
    forms.extend(base64_forms(bytes));
    forms.into_iter().map(String::into_bytes).collect()
}

fn percent(bytes: &[u8], keep: impl Fn(u8) -> bool) -> String {
    let mut out = String::new();
    for &b in bytes {
        if keep(b) {
            out.push(char::from(b));
        } else {
            let _ = write!(out, "%{b:02x}");
        }
    }
    out
}

/// The letters that a secret yields within any longer base64 text: for each of the three
/// alignments, those that depend on the secret alone; in both alphabets.
fn base64_forms(bytes: &[u8]) -> Vec<String> {
    let mut forms = Vec::new();
    for lead in 0..3usize {
        let mut padded = vec![0u8; lead];
        padded.extend_from_slice(bytes);
        let code = STANDARD_NO_PAD.encode(&padded);
        let from = (lead * 8).div_ceil(6);
        let to = padded.len() * 8 / 6;
        if let Some(inner) = code.get(from..to)
            && inner.len() >= SHORTEST_MASKED
        {
            forms.push(inner.to_owned());
            forms.push(inner.replace('+', "-").replace('/', "_"));
        }
    }
    forms
}

fn is_control(c: char) -> bool {
    c.is_control()
        || matches!(c, '\u{061c}' | '\u{200b}'..='\u{200f}' | '\u{2028}'..='\u{202e}'
            | '\u{2060}'..='\u{206f}' | '\u{feff}')
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

/// Hides what may be a secret in any text that may hold a connection string: all between
/// the first `:` after a `//` and the last `@` of that word, a port that is no number, and
/// the value behind a password-like key. For messages about text that could not be read.
pub fn mask_connection_text(text: &str) -> String {
    let mut out = String::new();
    for (i, word) in text.split(' ').enumerate() {
        if i > 0 {
            out.push(' ');
        }
        out.push_str(&mask_word(word));
    }
    mask_keyed(&out)
}

fn mask_word(word: &str) -> String {
    let Some((head, rest)) = word.split_once("//") else {
        return word.to_owned();
    };
    let (query_at, _) = rest
        .char_indices()
        .find(|&(i, c)| c == '?' && !rest.get(i..).unwrap_or_default().contains('@'))
        .unwrap_or((rest.len(), ' '));
    let (authority, query) = rest.split_at(query_at);
    let hidden = match (authority.find(':'), authority.rfind('@')) {
        (Some(colon), Some(at)) if colon < at => {
            let (user, _) = authority.split_at(colon);
            let (_, host) = authority.split_at(at);
            format!("{user}:{MASK}{host}")
        }
        (Some(colon), None) => {
            let (host, port) = authority.split_at(colon + 1);
            let digits = port
                .split(['/', '?', '\'', '"', ','])
                .next()
                .unwrap_or_default();
            if digits.chars().all(|c| c.is_ascii_digit()) || host.contains('[') {
                authority.to_owned()
            } else {
                format!("{host}{MASK}")
            }
        }
        _ => authority.to_owned(),
    };
    format!("{head}//{hidden}{query}")
}

fn mask_keyed(text: &str) -> String {
    const KEYS: &[&str] = &["password", "passwd", "pwd", "sslpassword"];
    let low = text.to_ascii_lowercase();
    let mut out = String::new();
    let mut at = 0;
    while let Some((key_end, _)) = KEYS
        .iter()
        .filter_map(|key| {
            let found = low.get(at..)?.find(key)? + at;
            let after = low.get(found + key.len()..)?;
            let blank = after.len() - after.trim_start().len();
            after
                .trim_start()
                .starts_with('=')
                .then_some((found + key.len() + blank + 1, key))
        })
        .min()
    {
        let value = low.get(key_end..).unwrap_or_default();
        let blank = value.len() - value.trim_start().len();
        let end = value_end(value.get(blank..).unwrap_or_default());
        out.push_str(text.get(at..key_end + blank).unwrap_or_default());
        out.push_str(MASK);
        at = key_end + blank + end;
    }
    out.push_str(text.get(at..).unwrap_or_default());
    out
}

/// Where a keyed value ends: at its closing quote, else before the next `key=` or `&`.
fn value_end(value: &str) -> usize {
    if let Some(body) = value.strip_prefix('\'') {
        return body.rfind('\'').map_or(value.len(), |p| p + 2);
    }
    let mut end = value.len();
    for (i, c) in value.char_indices() {
        if c == '&' {
            end = i;
            break;
        }
        if c == ' ' {
            let next = value.get(i + 1..).unwrap_or_default();
            let key: String = next
                .chars()
                .take_while(|c| c.is_ascii_alphabetic() || *c == '_')
                .collect();
            if !key.is_empty()
                && next
                    .get(key.len()..)
                    .is_some_and(|n| n.trim_start().starts_with('='))
            {
                end = i;
                break;
            }
        }
    }
    end
}
