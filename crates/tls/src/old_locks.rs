//! Keys locked as PEM had it before PKCS #8: the cipher and its first block stand in a header
//! (RFC 1421, section 4.6.1.3), and the key is made from the passphrase by MD5, as OpenSSL's
//! `EVP_BytesToKey` does with one round.

use aes::{Aes128, Aes192, Aes256};
use cbc::Decryptor;
use cbc::cipher::KeyIvInit;
use cbc::cipher::block_padding::Pkcs7;
use chronaxis_bundle::tools::Shut;
use des::TdesEde3;
use md5::{Digest as _, Md5};
use zeroize::Zeroizing;

/// Bytes of the first block that count as salt.
const SALT: usize = 8;

/// Opens such a key; `lock` is what stands in its header: `AES-256-CBC,0123…`.
pub(super) fn open(lock: &str, body: &[u8], passphrase: &str) -> Result<Zeroizing<Vec<u8>>, Shut> {
    let (cipher, first) = lock.split_once(',').ok_or(Shut::Damaged)?;
    let first = hexadecimal(first.trim()).ok_or(Shut::Damaged)?;
    let salt = first.get(..SALT).ok_or(Shut::Damaged)?;
    let key = |length| derived(passphrase, salt, length);
    match cipher.trim() {
        "AES-128-CBC" => unlocked::<Decryptor<Aes128>>(&key(16), &first, body),
        "AES-192-CBC" => unlocked::<Decryptor<Aes192>>(&key(24), &first, body),
        "AES-256-CBC" => unlocked::<Decryptor<Aes256>>(&key(32), &first, body),
        "DES-EDE3-CBC" => unlocked::<Decryptor<TdesEde3>>(&key(24), &first, body),
        _ => Err(Shut::Unknown),
    }
}

fn unlocked<Mode: KeyIvInit + cbc::cipher::BlockModeDecrypt>(
    key: &[u8],
    first: &[u8],
    body: &[u8],
) -> Result<Zeroizing<Vec<u8>>, Shut> {
    let mode = Mode::new_from_slices(key, first).map_err(|_| Shut::Damaged)?;
    let mut bytes = Zeroizing::new(body.to_vec());
    // What a wrong passphrase makes of it has no such end, as a rule.
    let length = mode
        .decrypt_padded::<Pkcs7>(&mut bytes)
        .map_err(|_| Shut::Passphrase)?
        .len();
    bytes.truncate(length);
    Ok(bytes)
}

fn derived(passphrase: &str, salt: &[u8], length: usize) -> Zeroizing<Vec<u8>> {
    let mut out = Zeroizing::new(Vec::with_capacity(length + 16));
    let mut last = Zeroizing::new(Vec::new());
    while out.len() < length {
        let mut digest = Md5::new();
        digest.update(last.as_slice());
        digest.update(passphrase.as_bytes());
        digest.update(salt);
        last = Zeroizing::new(digest.finalize().to_vec());
        out.extend_from_slice(&last);
    }
    out.truncate(length);
    out
}

fn hexadecimal(text: &str) -> Option<Vec<u8>> {
    let digits: Option<Vec<u8>> = text
        .chars()
        .map(|c| c.to_digit(16).and_then(|d| u8::try_from(d).ok()))
        .collect();
    let digits = digits?;
    let pairs = digits.chunks_exact(2);
    (pairs.remainder().is_empty() && digits.len() <= 64).then(|| {
        pairs
            .map(|pair| pair.iter().fold(0, |byte, d| byte << 4 | d))
            .collect()
    })
}
