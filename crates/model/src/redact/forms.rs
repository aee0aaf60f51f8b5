//! The forms in which a peer could send a secret back, where the text cannot be decoded
//! byte by byte.

use base64::Engine as _;
use base64::engine::general_purpose::STANDARD_NO_PAD;

/// A shorter piece of an encoded text is in many texts.
const SHORTEST: usize = 4;

/// The letters of base64 (RFC 4648, section 4).
const BASE64: &[u8; 64] = b"ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/";

/// Other alphabets for the same six bits: for URLs (RFC 4648, section 5), for mailboxes
/// (RFC 3501, section 5.1.3), of crypt(3), of bcrypt, of xxencode.
const OTHERS: &[&[u8; 64]] = &[
    b"ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789-_",
    b"ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+,",
    b"./0123456789ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz",
    b"./ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789",
    b"+-0123456789ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz",
];

/// The letters of base32 (RFC 4648, sections 6 and 7).
const BASE32: &[&[u8; 32]] = &[
    b"ABCDEFGHIJKLMNOPQRSTUVWXYZ234567",
    b"0123456789ABCDEFGHIJKLMNOPQRSTUV",
];

/// A secret as it stands, and as it is written inside quotes.
pub(super) fn plain(text: &str) -> Vec<Vec<u8>> {
    let json = serde_json::to_string(text).unwrap_or_default();
    let mut forms = vec![text.to_owned(), text.trim().to_owned()];
    if text.len() >= SHORTEST {
        forms.extend([
            json.trim_matches('"').to_owned(),
            text.replace('\'', "\'\'"),
            text.replace('"', "\"\""),
            text.replace(' ', "+"),
        ]);
    }
    forms.into_iter().map(String::into_bytes).collect()
}

/// The encoded forms by which one of very many secrets is known: in hexadecimal, in base64.
pub(super) fn fewer(text: &str) -> Vec<Vec<u8>> {
    let mut forms = Vec::new();
    if text.len() >= SHORTEST {
        let hex: String = text.bytes().map(|b| format!("{b:02x}")).collect();
        forms.push(hex.into_bytes());
        forms.extend(base64(text.as_bytes(), OTHERS.get(..1).unwrap_or_default()));
    }
    forms
}

/// All encoded forms of a secret. A very short one has none: it is looked for as it stands
/// alone.
pub(super) fn encoded(text: &str) -> Vec<Vec<u8>> {
    let mut forms = Vec::new();
    if text.len() < SHORTEST {
        return forms;
    }
    let hex: String = text.bytes().map(|b| format!("{b:02x}")).collect();
    forms.push(hex.into_bytes());
    forms.extend(base64(text.as_bytes(), OTHERS));
    let wide: Vec<u8> = text.encode_utf16().flat_map(u16::to_le_bytes).collect();
    forms.extend(base64(&wide, &[]));
    forms.extend(
        BASE32
            .iter()
            .flat_map(|letters| base32(text.as_bytes(), letters)),
    );
    forms
}

/// The letters that a secret yields within any longer base64 text: for each of the three
/// alignments, those that depend on the secret alone; in each alphabet.
fn base64(bytes: &[u8], others: &[&[u8; 64]]) -> Vec<Vec<u8>> {
    let mut forms = Vec::new();
    for lead in 0..3usize {
        let mut padded = vec![0u8; lead];
        padded.extend_from_slice(bytes);
        let code = STANDARD_NO_PAD.encode(&padded).into_bytes();
        let from = (lead * 8).div_ceil(6);
        let to = padded.len() * 8 / 6;
        let Some(inner) = code.get(from..to).filter(|inner| inner.len() >= SHORTEST) else {
            continue;
        };
        let value = |letter: &u8| BASE64.iter().position(|l| l == letter).unwrap_or(0);
        for other in others {
            let letter = |l| other.get(value(l)).copied().unwrap_or_default();
            forms.push(inner.iter().map(letter).collect());
        }
        forms.push(inner.to_vec());
    }
    forms
}

/// The same in base32, for each of its five alignments.
fn base32(bytes: &[u8], letters: &[u8; 32]) -> Vec<Vec<u8>> {
    let mut forms = Vec::new();
    for lead in 0..5usize {
        let bits = std::iter::repeat_n(0u8, lead)
            .chain(bytes.iter().copied())
            .flat_map(|byte| (0..8).rev().map(move |bit| byte >> bit & 1));
        let bits: Vec<u8> = bits.skip((lead * 8).div_ceil(5) * 5).collect();
        let whole = bits.chunks_exact(5);
        let value = |five: &[u8]| {
            five.iter()
                .fold(0usize, |sum, bit| sum * 2 + usize::from(*bit))
        };
        let form: Vec<u8> = whole
            .filter_map(|five| letters.get(value(five)).copied())
            .collect();
        if form.len() >= SHORTEST + 2 {
            forms.push(form);
        }
    }
    forms
}
