//! Files that clients read: which are wanted, and what was there.

use chronaxis_model::secret::Secret;
use zeroize::Zeroizing;

/// A file that a client reads by itself.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct FileWanted {
    /// Its path.
    pub path: String,
    /// Whether the client takes it only while nobody else may read it.
    pub private: bool,
    /// Whether it is a folder, of which every regular file counts.
    pub folder: bool,
    /// Whether it holds certificates or a key, and what opens it.
    pub holds: Holds,
}

/// What a client looks for in a file.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub enum Holds {
    /// Words.
    #[default]
    Words,
    /// Certificates or a key, with the passphrase that the settings give for it.
    Certificates(Option<Secret>),
}

impl FileWanted {
    /// A file of words.
    pub fn words(path: String) -> FileWanted {
        FileWanted {
            path,
            private: false,
            folder: false,
            holds: Holds::Words,
        }
    }

    /// A file of certificates, or with a key.
    pub fn certificates(path: String, passphrase: Option<Secret>) -> FileWanted {
        FileWanted {
            holds: Holds::Certificates(passphrase),
            ..FileWanted::words(path)
        }
    }
}

/// How certificates and keys stand in a file.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Encoding {
    /// As text: PEM (RFC 7468), if it is a file of certificates.
    #[default]
    Text,
    /// DER (X.690).
    Der,
    /// A keystore (PKCS #12, RFC 7292).
    Keystore,
    /// A keystore in Java's own form, which is not read here.
    JavaKeystore,
}

impl Encoding {
    /// What people call it, of certificates and keys.
    pub fn title(self) -> &'static str {
        match self {
            Encoding::Text => "PEM",
            Encoding::Der => "DER",
            Encoding::Keystore => "a keystore (PKCS #12)",
            Encoding::JavaKeystore => "a keystore in Java's own form",
        }
    }
}

/// Why what is locked stays so.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Shut {
    /// No passphrase is given for it.
    NoPassphrase,
    /// The one that is given does not open it.
    Wrong,
    /// It is locked in a way that is not known here.
    Unknown,
}

/// A file that was there.
#[derive(Clone, Default)]
pub struct FileSeen {
    /// Its path.
    pub path: String,
    /// Its Unix permission bits.
    pub mode: u32,
    /// Whether it is a regular file.
    pub regular: bool,
    /// Whether the administrator of the machine owns it.
    pub root_owned: bool,
    /// Its text, which may be a key or hold a password. What is in DER or in a keystore, or was
    /// opened by its passphrase, stands here as PEM.
    pub text: Zeroizing<String>,
    /// How its certificates and keys stand in the file itself.
    pub encoding: Encoding,
    /// Why it is not open, where something in it is locked.
    pub shut: Option<Shut>,
    /// Whether a passphrase opened something in it.
    pub opened: bool,
    /// What a keystore calls its key.
    pub entry: Option<String>,
}

impl std::fmt::Debug for FileSeen {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "FileSeen({}, {:o})", self.path, self.mode)
    }
}
