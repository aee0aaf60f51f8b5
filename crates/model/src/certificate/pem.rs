//! PEM files (RFC 7468), as clients read them: text around the blocks is passed over.

use base64::Engine as _;
use base64::engine::general_purpose::STANDARD;
use x509_parser::pem::Pem;
use zeroize::Zeroizing;

/// Why a file holds nothing of use.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum PemTrouble {
    /// No block of the kind is in it.
    NoBlock,
    /// A block is damaged.
    Damaged,
    /// The key is encrypted with a passphrase.
    Encrypted,
}

/// The certificates of a file, as DER.
///
/// # Errors
/// Says what is wrong where none can be read.
pub fn certificates(text: &str) -> Result<Vec<Vec<u8>>, PemTrouble> {
    let blocks = blocks(text)?;
    let found: Vec<Vec<u8>> = blocks
        .into_iter()
        .filter(|b| matches!(b.label.as_str(), "CERTIFICATE" | "X509 CERTIFICATE"))
        .map(|b| b.contents)
        .collect();
    if found.is_empty() {
        return Err(PemTrouble::NoBlock);
    }
    match found.iter().all(|der| super::read(der).is_ok()) {
        true => Ok(found),
        false => Err(PemTrouble::Damaged),
    }
}

/// The private key of a file, as DER.
///
/// # Errors
/// Says what is wrong where none can be read.
pub fn private_key(text: &str) -> Result<Zeroizing<Vec<u8>>, PemTrouble> {
    let encrypted = text.contains("ENCRYPTED PRIVATE KEY") || text.contains("DEK-Info:");
    if encrypted {
        return Err(PemTrouble::Encrypted);
    }
    let found = blocks(text)?.into_iter().find(|b| {
        matches!(
            b.label.as_str(),
            "PRIVATE KEY" | "RSA PRIVATE KEY" | "EC PRIVATE KEY"
        )
    });
    match found {
        Some(block) => Ok(Zeroizing::new(block.contents)),
        None => Err(PemTrouble::NoBlock),
    }
}

/// A block (RFC 7468, section 2); it may be a key.
pub fn written(label: &str, der: &[u8]) -> Zeroizing<String> {
    let text = Zeroizing::new(STANDARD.encode(der));
    let mut out = Zeroizing::new(String::with_capacity(text.len() * 2 + 128));
    out.push_str(&format!("-----BEGIN {label}-----\n"));
    for line in text.as_bytes().chunks(64) {
        out.push_str(&String::from_utf8_lossy(line));
        out.push('\n');
    }
    out.push_str(&format!("-----END {label}-----\n"));
    out
}

fn blocks(text: &str) -> Result<Vec<Pem>, PemTrouble> {
    let mut found = Vec::new();
    for block in Pem::iter_from_buffer(text.as_bytes()) {
        found.push(block.map_err(|_| PemTrouble::Damaged)?);
    }
    Ok(found)
}
