//! What a file is.

use chronaxis_bundle::item::{Access, Content, File, Locked, Object, What};
use chronaxis_bundle::key;
use chronaxis_bundle::tools::{Shut, Tools};
use chronaxis_model::certificate;
use chronaxis_model::redact::visible;
use chronaxis_model::secret::Secret;
use x509_parser::certification_request::X509CertificationRequest;
use x509_parser::prelude::FromDer;
use x509_parser::revocation_list::CertificateRevocationList;
use x509_parser::x509::SubjectPublicKeyInfo;
use zeroize::Zeroizing;

use super::{manifest, pem};
use crate::text::Text;

/// What opens what is locked.
#[derive(Clone, Copy)]
pub struct Keyring<'a> {
    /// Proofs and locks.
    pub tools: &'a dyn Tools,
    /// The passphrase, where one was given.
    pub passphrase: Option<&'a Secret>,
}

/// The bytes of a file.
pub struct Source {
    /// Its path in the bundle.
    pub path: String,
    /// Its bytes.
    pub bytes: Zeroizing<Vec<u8>>,
    /// Who may do what with it.
    pub access: Option<Access>,
}

/// What names say, by their endings: the content that fits, and how to say it.
const ENDINGS: [(&str, &str, &[&str]); 15] = [
    ("zip", "an archive", &["archive"]),
    ("tar", "an archive", &["archive"]),
    ("tgz", "an archive", &["archive"]),
    ("pem", "PEM", &["pem"]),
    ("crt", "a certificate", &["pem", "der"]),
    ("cer", "a certificate", &["pem", "der"]),
    ("der", "DER", &["der"]),
    ("key", "a private key", &["pem", "der"]),
    ("p12", "a keystore (PKCS #12)", &["pkcs12"]),
    ("pfx", "a keystore (PKCS #12)", &["pkcs12"]),
    (
        "jks",
        "a keystore of Java",
        &["java-keystore", "java-secret-keystore", "pkcs12"],
    ),
    (
        "keystore",
        "a keystore",
        &["java-keystore", "java-secret-keystore", "pkcs12"],
    ),
    (
        "truststore",
        "a keystore",
        &["java-keystore", "java-secret-keystore", "pkcs12"],
    ),
    ("pk8", "a private key in DER", &["der"]),
    ("ca-bundle", "PEM", &["pem"]),
];

/// What the name of a file says that it is, where that is something else.
fn lie(path: &str, content: Content) -> Option<&'static str> {
    // What other systems put beside the files of an archive.
    if path.starts_with("__MACOSX/") || path.rsplit('/').next().is_some_and(|n| n.starts_with("._"))
    {
        return None;
    }
    let name = path
        .rsplit('/')
        .next()
        .unwrap_or_default()
        .to_ascii_lowercase();
    let (_, ending) = name.rsplit_once('.')?;
    let (_, what, fits) = ENDINGS.iter().find(|(e, ..)| *e == ending)?;
    (!fits.contains(&content.id())).then_some(*what)
}

/// Looks into a file.
pub fn file(source: Source, keyring: Keyring<'_>) -> File {
    let size = u64::try_from(source.bytes.len()).unwrap_or(u64::MAX);
    let mut out = File::of(source.path, size, Content::Unknown);
    out.access = source.access;
    look(&source.bytes, &mut out, keyring);
    out.named_like = lie(&out.path, out.content);
    out
}

fn look(bytes: &[u8], out: &mut File, keyring: Keyring<'_>) {
    if bytes.iter().all(u8::is_ascii_whitespace) {
        out.content = Content::Empty;
        return;
    }
    if let Some(content) = by_first_bytes(bytes) {
        out.content = content;
        return;
    }
    if bytes.first() == Some(&0x30) && der(bytes, out, keyring) {
        return;
    }
    let Ok(text) = Text::decode(bytes) else {
        return;
    };
    of_text(&text, out, keyring);
}

/// What the first bytes say.
fn by_first_bytes(bytes: &[u8]) -> Option<Content> {
    let known: [(&[u8], Content); 9] = [
        (b"\xfe\xed\xfe\xed", Content::JavaKeystore),
        (b"\xce\xce\xce\xce", Content::JavaSecretKeystore),
        (b"PK\x03\x04", Content::Archive("zip")),
        (b"\x1f\x8b", Content::Archive("gzip")),
        (b"BZh", Content::Archive("bzip2")),
        (b"\xfd7zXZ\0", Content::Archive("xz")),
        (b"7z\xbc\xaf\x27\x1c", Content::Archive("7z")),
        (b"Rar!", Content::Archive("rar")),
        (
            b"PuTTY-User-Key-File",
            Content::Ssh("a key of an SSH client"),
        ),
    ];
    if bytes.get(257..262) == Some(b"ustar") {
        return Some(Content::Archive("tar"));
    }
    known
        .into_iter()
        .find(|(head, _)| bytes.starts_with(head))
        .map(|(_, content)| content)
}

fn object(what: What) -> Object {
    Object {
        what,
        line: None,
        name: None,
    }
}

/// Looks for one thing in DER; whether there is one.
fn der(bytes: &[u8], out: &mut File, keyring: Keyring<'_>) -> bool {
    if is_pkcs12(bytes) {
        out.content = Content::Pkcs12;
        keystore(bytes, out, keyring);
        return true;
    }
    let Some(what) = thing(bytes, keyring) else {
        if let Some(whole) = announced(bytes)
            && whole > bytes.len()
        {
            out.content = Content::Der;
            out.damage = Some(format!("it is cut off: {} of {whole} bytes", bytes.len()));
            return true;
        }
        return false;
    };
    out.content = Content::Der;
    out.objects.push(object(what));
    true
}

/// How long a thing in DER says that it is (X.690, section 8.1.3).
fn announced(bytes: &[u8]) -> Option<usize> {
    match bytes {
        [0x30, short, ..] if *short < 0x80 => Some(2 + usize::from(*short)),
        [0x30, 0x81, a, ..] => Some(3 + usize::from(*a)),
        [0x30, 0x82, a, b, ..] => Some(4 + usize::from(u16::from_be_bytes([*a, *b]))),
        _ => None,
    }
}

/// What one thing in DER is.
fn thing(bytes: &[u8], keyring: Keyring<'_>) -> Option<What> {
    if let Ok(found) = certificate::read(bytes) {
        return Some(What::Certificate(Box::new(found)));
    }
    if let Ok(found) = key::read(bytes) {
        return Some(What::Key(Box::new(found)));
    }
    if is_locked_key(bytes) {
        return Some(locked_key(bytes, keyring));
    }
    let whole = |rest: &[u8]| rest.is_empty();
    if X509CertificationRequest::from_der(bytes).is_ok_and(|(rest, _)| whole(rest)) {
        return Some(What::Request);
    }
    if CertificateRevocationList::from_der(bytes).is_ok_and(|(rest, _)| whole(rest)) {
        return Some(What::Revoked);
    }
    if SubjectPublicKeyInfo::from_der(bytes).is_ok_and(|(rest, _)| whole(rest)) {
        return Some(What::PublicKey);
    }
    // A signed message (RFC 5652, section 5.1): 1.2.840.113549.1.7.2.
    let signed = [
        0x06, 0x09, 0x2a, 0x86, 0x48, 0x86, 0xf7, 0x0d, 0x01, 0x07, 0x02,
    ];
    let head = bytes.get(..16).unwrap_or(bytes);
    head.windows(signed.len())
        .any(|w| w == signed)
        .then_some(What::Signed)
}

/// Version 3 and what is signed or locked (RFC 7292, section 4).
fn is_pkcs12(bytes: &[u8]) -> bool {
    let head = bytes.get(..8).unwrap_or(bytes);
    let version = [0x02, 0x01, 0x03, 0x30];
    let length = match bytes.get(1) {
        Some(n) if *n < 0x80 => 0,
        Some(n) => usize::from(n & 0x7f),
        None => return false,
    };
    head.get(2 + length..6 + length) == Some(&version)
        || head.get(2 + length..5 + length) == version.get(..3)
}

/// A sequence of an algorithm of password-based encryption and an octet string (RFC 5958,
/// section 3): those of PKCS #5 and PKCS #12 (RFC 8018, appendix A; RFC 7292, appendix C).
fn is_locked_key(bytes: &[u8]) -> bool {
    let algorithms: [&[u8]; 2] = [
        &[0x2a, 0x86, 0x48, 0x86, 0xf7, 0x0d, 0x01, 0x05],
        &[0x2a, 0x86, 0x48, 0x86, 0xf7, 0x0d, 0x01, 0x0c, 0x01],
    ];
    let head = bytes.get(..24).unwrap_or(bytes);
    algorithms
        .iter()
        .any(|oid| head.windows(oid.len()).any(|w| w == *oid))
}

fn locked(shut: Shut) -> Locked {
    match shut {
        Shut::Passphrase => Locked::Wrong,
        Shut::Damaged | Shut::Unknown => Locked::Unknown,
    }
}

fn locked_key(bytes: &[u8], keyring: Keyring<'_>) -> What {
    let Some(passphrase) = keyring.passphrase else {
        return What::LockedKey(Locked::Untried);
    };
    match keyring.tools.open_key(bytes, passphrase) {
        Ok(opened) => match key::read(&opened) {
            Ok(found) => What::Key(Box::new(found)),
            Err(_) => What::LockedKey(Locked::Wrong),
        },
        Err(shut) => What::LockedKey(locked(shut)),
    }
}

/// A key that is locked in the old form.
fn old_key(lock: &str, body: &[u8], keyring: Keyring<'_>) -> What {
    let Some(passphrase) = keyring.passphrase else {
        return What::LockedKey(Locked::Untried);
    };
    match keyring.tools.open_old_key(lock, body, passphrase) {
        // Noise may by chance end as it should.
        Ok(opened) => match key::read(&opened) {
            Ok(found) => What::Key(Box::new(found)),
            Err(_) => What::LockedKey(Locked::Wrong),
        },
        Err(shut) => What::LockedKey(locked(shut)),
    }
}

/// What is in a keystore: by the passphrase that was given, else by none, for some hold only
/// certificates and are not locked.
fn keystore(bytes: &[u8], out: &mut File, keyring: Keyring<'_>) {
    let none = Secret::new("");
    let opened = keyring
        .tools
        .open_keystore(bytes, keyring.passphrase.unwrap_or(&none));
    let opened = match opened {
        Ok(opened) => opened,
        Err(Shut::Damaged) => {
            out.damage = Some("it is no whole keystore".to_owned());
            return;
        }
        Err(Shut::Passphrase) if keyring.passphrase.is_none() => {
            out.locked = Some(Locked::Untried);
            return;
        }
        Err(shut) => {
            out.locked = Some(locked(shut));
            return;
        }
    };
    for (name, der) in opened.keys {
        let what = match key::read(&der) {
            Ok(found) => What::Key(Box::new(found)),
            Err(_) => What::Other("a key of another kind".to_owned()),
        };
        out.objects.push(Object {
            what,
            line: None,
            name: name.as_deref().map(visible),
        });
    }
    for (name, der) in opened.certificates {
        let what = match certificate::read(&der) {
            Ok(found) => What::Certificate(Box::new(found)),
            Err(_) => What::Damaged {
                label: "certificate".to_owned(),
                why: "cannot be read".to_owned(),
            },
        };
        out.objects.push(Object {
            what,
            line: None,
            name: name.as_deref().map(visible),
        });
    }
}

fn of_text(text: &Text, out: &mut File, keyring: Keyring<'_>) {
    let string = text.string.as_str();
    if pem::is_one(string) {
        out.content = Content::Pem;
        of_pem(string, out, keyring);
        if out.objects.is_empty() && out.content == Content::Pem {
            out.content = Content::Text;
        }
        return;
    }
    let head = string.trim_start().get(..64).unwrap_or(string.trim_start());
    let head = head.to_ascii_lowercase();
    out.content = if head.starts_with("<!doctype html") || head.starts_with("<html") {
        Content::WebPage
    } else if head.starts_with("ssh-") || head.starts_with("ecdsa-sha2-") {
        Content::Ssh("a public key of SSH")
    } else {
        Content::Text
    };
    let name = out.path.rsplit('/').next().unwrap_or_default();
    if name == manifest::NAME {
        out.content = Content::Manifest;
        match manifest::read(string) {
            Ok(found) => {
                out.holds_password = found.holds_password;
                out.manifest = Some(Box::new(found.manifest));
            }
            Err(broken) => {
                let (line, column) = text.position(broken.at);
                out.damage = Some(format!(
                    "line {line}, column {column}: {}; expected {}",
                    broken.what, broken.expected
                ));
            }
        }
    }
}

fn of_pem(text: &str, out: &mut File, keyring: Keyring<'_>) {
    for block in pem::blocks(text) {
        let label = visible(&block.label);
        let damaged = |why: &str| What::Damaged {
            label: label.clone(),
            why: why.to_owned(),
        };
        let what = match (&block.der, block.label.as_str()) {
            (Err(why), _) => damaged(why),
            (Ok(_), "OPENSSH PRIVATE KEY") => {
                out.content = Content::Ssh("a private key of SSH, which no database client reads");
                continue;
            }
            (Ok(der), name) => match &block.old_lock {
                Some(lock) => old_key(lock, der, keyring),
                None => labelled(der, name, &label, keyring),
            },
        };
        out.objects.push(Object {
            what,
            line: Some(block.line),
            name: None,
        });
    }
}

/// A block whose bytes are there, against what its label says.
fn labelled(der: &[u8], name: &str, label: &str, keyring: Keyring<'_>) -> What {
    let found = thing(der, keyring);
    let fits = match (&found, name) {
        (Some(What::Certificate(_)), _) => {
            matches!(
                name,
                "CERTIFICATE" | "X509 CERTIFICATE" | "TRUSTED CERTIFICATE"
            )
        }
        (Some(What::Key(_)), _) => name.ends_with("PRIVATE KEY"),
        (Some(What::LockedKey(_)), _) => name == "ENCRYPTED PRIVATE KEY",
        (Some(What::PublicKey), _) => name.ends_with("PUBLIC KEY"),
        (Some(What::Request), _) => name.ends_with("CERTIFICATE REQUEST"),
        (Some(What::Revoked), _) => name == "X509 CRL",
        (Some(What::Signed), _) => matches!(name, "PKCS7" | "CMS"),
        (Some(_), _) => true,
        (None, name) if name.ends_with("PARAMETERS") => return What::Parameters,
        (None, "RSA PUBLIC KEY") => return What::PublicKey,
        (None, name) if is_read_here(name) => {
            return What::Damaged {
                label: label.to_owned(),
                why: "does not hold what it says".to_owned(),
            };
        }
        (None, _) => return What::Other(label.to_owned()),
    };
    match (fits, found) {
        (true, Some(found)) => found,
        (_, found) => What::Damaged {
            label: label.to_owned(),
            why: format!("holds {} in truth", found.as_ref().map_or("nothing", words)),
        },
    }
}

fn is_read_here(label: &str) -> bool {
    label.ends_with("PRIVATE KEY")
        || label.ends_with("PUBLIC KEY")
        || label.contains("CERTIFICATE")
        || label == "X509 CRL"
}

/// What a thing is, in words.
fn words(what: &What) -> &'static str {
    match what {
        What::Certificate(_) => "a certificate",
        What::Key(_) => "a private key",
        What::LockedKey(_) => "a locked private key",
        What::PublicKey => "a public key",
        What::Request => "a request for a certificate",
        What::Revoked => "a list of revoked certificates",
        What::Signed => "a signed message",
        What::Parameters | What::Other(_) | What::Damaged { .. } => "something else",
    }
}
