//! The files of a bundle, and what stands in each.

use chronaxis_model::certificate::Certificate;

use crate::key::PrivateKey;
use crate::manifest::Manifest;

/// Who may do what with a file, where its folder or archive says so.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Access {
    /// The permission bits.
    pub mode: u32,
    /// Whether it belongs to the account under which the program runs.
    pub own: bool,
    /// Whether root owns it.
    pub root: bool,
}

/// What a file is, by what stands in it.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Content {
    /// Nothing stands in it.
    Empty,
    /// Blocks of PEM (RFC 7468).
    Pem,
    /// One thing in DER.
    Der,
    /// A keystore of PKCS #12 (RFC 7292).
    Pkcs12,
    /// A keystore of Java, in its own form.
    JavaKeystore,
    /// A keystore of Java with secret keys, in its own form.
    JavaSecretKeystore,
    /// Our own manifest.
    Manifest,
    /// Settings with connections, by the name of their kind.
    Aliases(&'static str),
    /// An archive in an archive.
    Archive(&'static str),
    /// A web page.
    WebPage,
    /// A key of SSH, which is none for TLS.
    Ssh(&'static str),
    /// Some other text.
    Text,
    /// Something that is not known here.
    Unknown,
    /// It is too large to be looked into.
    Large,
    /// It cannot be read.
    Closed,
}

impl Content {
    /// The id in JSON.
    pub fn id(self) -> &'static str {
        match self {
            Content::Empty => "empty",
            Content::Pem => "pem",
            Content::Der => "der",
            Content::Pkcs12 => "pkcs12",
            Content::JavaKeystore => "java-keystore",
            Content::JavaSecretKeystore => "java-secret-keystore",
            Content::Manifest => "manifest",
            Content::Aliases(_) => "aliases",
            Content::Archive(_) => "archive",
            Content::WebPage => "web-page",
            Content::Ssh(_) => "ssh-key",
            Content::Text => "text",
            Content::Unknown => "unknown",
            Content::Large => "too-large",
            Content::Closed => "unreadable",
        }
    }

    /// What people call it.
    pub fn title(self) -> String {
        match self {
            Content::Empty => "an empty file".to_owned(),
            Content::Pem => "PEM".to_owned(),
            Content::Der => "DER".to_owned(),
            Content::Pkcs12 => "keystore (PKCS #12)".to_owned(),
            Content::JavaKeystore => "keystore (Java's own form, JKS)".to_owned(),
            Content::JavaSecretKeystore => "keystore (Java's own form, JCEKS)".to_owned(),
            Content::Manifest => "manifest of the bundle".to_owned(),
            Content::Aliases(kind) => kind.to_owned(),
            Content::Archive(kind) => format!("an archive ({kind}) inside"),
            Content::WebPage => "a web page".to_owned(),
            Content::Ssh(kind) => kind.to_owned(),
            Content::Text => "text".to_owned(),
            Content::Unknown => "unknown".to_owned(),
            Content::Large => "not read: too large for a part of a bundle".to_owned(),
            Content::Closed => "cannot be read".to_owned(),
        }
    }
}

/// One thing in a file.
#[derive(Clone, Debug)]
pub struct Object {
    /// What it is.
    pub what: What,
    /// The line where it begins, in text.
    pub line: Option<u32>,
    /// The name that it has in a keystore.
    pub name: Option<String>,
}

/// What a thing is.
#[derive(Clone, Debug)]
pub enum What {
    /// A certificate (RFC 5280).
    Certificate(Box<Certificate>),
    /// A private key.
    Key(Box<PrivateKey>),
    /// A private key that is locked.
    LockedKey(Locked),
    /// A public key by itself.
    PublicKey,
    /// A request for a certificate (RFC 2986).
    Request,
    /// A list of revoked certificates (RFC 5280, section 5).
    Revoked,
    /// Parameters of a key exchange or a curve.
    Parameters,
    /// Certificates in a signed message (RFC 5652), which clients do not read.
    Signed,
    /// A block with a label that says nothing here.
    Other(String),
    /// Something that is damaged: what was to be there, and what is wrong.
    Damaged {
        /// What its label says that it is.
        label: String,
        /// What is wrong with it.
        why: String,
    },
}

/// Something that a passphrase locks.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Locked {
    /// No passphrase was given.
    Untried,
    /// The one that was given does not fit.
    Wrong,
    /// It is locked in a way that is not known here.
    Unknown,
}

/// A file of a bundle.
#[derive(Clone, Debug)]
pub struct File {
    /// Its path in the bundle.
    pub path: String,
    /// Its size in bytes.
    pub size: u64,
    /// Who may do what with it.
    pub access: Option<Access>,
    /// What it is.
    pub content: Content,
    /// What its name says that it is, where that is something else.
    pub named_like: Option<&'static str>,
    /// What stands in it.
    pub objects: Vec<Object>,
    /// How a keystore stands that is not open.
    pub locked: Option<Locked>,
    /// What is wrong with the file as a whole.
    pub damage: Option<String>,
    /// The manifest that it is.
    pub manifest: Option<Box<Manifest>>,
    /// Whether a password stands in it in clear.
    pub holds_password: bool,
}

impl File {
    /// A file of which only this is known.
    pub fn of(path: String, size: u64, content: Content) -> File {
        File {
            path,
            size,
            access: None,
            content,
            named_like: None,
            objects: Vec::new(),
            locked: None,
            damage: None,
            manifest: None,
            holds_password: false,
        }
    }

    /// The certificates in it.
    pub fn certificates(&self) -> impl Iterator<Item = &Certificate> {
        self.objects.iter().filter_map(|o| match &o.what {
            What::Certificate(one) => Some(one.as_ref()),
            _ => None,
        })
    }

    /// The private keys in it that are open.
    pub fn keys(&self) -> impl Iterator<Item = &PrivateKey> {
        self.objects.iter().filter_map(|o| match &o.what {
            What::Key(one) => Some(one.as_ref()),
            _ => None,
        })
    }

    /// The folder of the bundle in which it lies; empty at the top.
    pub fn folder(&self) -> &str {
        self.path.rsplit_once('/').map_or("", |(folder, _)| folder)
    }

    /// Whether something in it is a secret: a key, open or locked by a passphrase.
    pub fn is_secret(&self) -> bool {
        let key = |o: &Object| matches!(o.what, What::Key(_));
        self.objects.iter().any(key) || self.holds_password
    }
}

/// A bundle.
#[derive(Clone, Debug, Default)]
pub struct Bundle {
    /// Its files, in the order of their paths.
    pub files: Vec<File>,
    /// What is wrong with the archive as a whole.
    pub damage: Option<String>,
    /// What was left out, in words.
    pub left_out: Vec<String>,
    /// Entries of the archive that nobody should unpack, in words.
    pub hostile: Vec<String>,
    /// Whether it is a single file: then nothing is missing beside it.
    pub single: bool,
    /// What stands before the paths of its files where they lie now, for commands; empty for
    /// an archive.
    pub lies_in: String,
}

/// The place of a thing: its file and its place there.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub struct At {
    /// The file, by its place in the bundle.
    pub file: usize,
    /// The thing, by its place in the file.
    pub object: usize,
}

impl Bundle {
    /// Whether something in it is locked, and no passphrase was tried.
    pub fn is_untried(&self) -> bool {
        self.files.iter().any(|f| {
            f.locked == Some(Locked::Untried)
                || f.objects
                    .iter()
                    .any(|o| matches!(o.what, What::LockedKey(Locked::Untried)))
        })
    }

    /// Whether something in it is locked, for whatever reason.
    pub fn is_locked(&self) -> bool {
        self.files.iter().any(|f| {
            f.locked.is_some()
                || f.objects
                    .iter()
                    .any(|o| matches!(o.what, What::LockedKey(_)))
        })
    }

    /// All certificates, each with its place.
    pub fn certificates(&self) -> Vec<(At, &Certificate)> {
        self.all(|what| match what {
            What::Certificate(one) => Some(one.as_ref()),
            _ => None,
        })
    }

    /// All private keys that are open, each with its place.
    pub fn keys(&self) -> Vec<(At, &PrivateKey)> {
        self.all(|what| match what {
            What::Key(one) => Some(one.as_ref()),
            _ => None,
        })
    }

    fn all<'a, T>(&'a self, of: impl Fn(&'a What) -> Option<T>) -> Vec<(At, T)> {
        let mut out = Vec::new();
        for (file, one) in self.files.iter().enumerate() {
            for (object, found) in one.objects.iter().enumerate() {
                if let Some(found) = of(&found.what) {
                    out.push((At { file, object }, found));
                }
            }
        }
        out
    }

    /// The manifest, with its file.
    pub fn manifest(&self) -> Option<(&File, &Manifest)> {
        self.files
            .iter()
            .find_map(|f| Some((f, f.manifest.as_deref()?)))
    }
}

/// The SHA-256 fingerprint of a certificate, in groups of two hexadecimal digits.
pub fn fingerprint(certificate: &Certificate) -> String {
    use sha2::Digest as _;
    let digest = sha2::Sha256::digest(certificate.der());
    let pairs: Vec<String> = digest.iter().map(|b| format!("{b:02X}")).collect();
    pairs.join(":")
}
