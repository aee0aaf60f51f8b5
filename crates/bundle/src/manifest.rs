//! Our own manifest, `bundle.toml`: what the bundle is for, which of its files are what, and
//! names for connections.

use std::ops::Range;

/// A value, and where it is written.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Told {
    /// The value, as it reads.
    pub text: String,
    /// The bytes of the file that hold it.
    pub at: Range<usize>,
    /// Its line, from 1.
    pub line: u32,
}

/// For what a bundle is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Purpose {
    /// To check the server's certificate.
    ServerCheck,
    /// To show a certificate of the client's own, too.
    ClientCertificate,
}

impl Purpose {
    /// The words of the manifest.
    pub const WORDS: [(&'static str, Purpose); 2] = [
        ("server check", Purpose::ServerCheck),
        ("client certificate", Purpose::ClientCertificate),
    ];

    /// The word for it.
    pub fn as_str(self) -> &'static str {
        match self {
            Purpose::ServerCheck => "server check",
            Purpose::ClientCertificate => "client certificate",
        }
    }
}

/// A name for a connection.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Alias {
    /// The name.
    pub name: String,
    /// Where it is written.
    pub line: u32,
    /// A connection string, or the name of another alias.
    pub target: Option<Told>,
    /// `engine`, `host`, `port`, …, in place of a string.
    pub fields: Vec<(String, Told)>,
}

/// The manifest.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Manifest {
    /// What it is for, where it says so.
    pub purpose: Option<Purpose>,
    /// The files of the authorities.
    pub authorities: Vec<Told>,
    /// The file of the client's certificate.
    pub certificate: Option<Told>,
    /// The file of its key.
    pub key: Option<Told>,
    /// The keystore, in the place of certificate and key.
    pub keystore: Option<Told>,
    /// The names for connections, in their order.
    pub aliases: Vec<Alias>,
}

impl Manifest {
    /// All paths in it, each with what is to lie there.
    pub fn paths(&self) -> Vec<(&'static str, &Told)> {
        let mut out: Vec<(&'static str, &Told)> = self
            .authorities
            .iter()
            .map(|t| ("CA certificates", t))
            .collect();
        out.extend(self.certificate.as_ref().map(|t| ("client certificate", t)));
        out.extend(self.key.as_ref().map(|t| ("private key", t)));
        out.extend(self.keystore.as_ref().map(|t| ("keystore", t)));
        out
    }
}

/// Where a path of a manifest leads.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Led {
    /// To a path in the bundle.
    Inside(String),
    /// Out of the bundle.
    Outside,
}

/// Resolves a path of a manifest that lies in this folder of the bundle: `${BUNDLE}` is the
/// bundle itself.
pub fn led(folder: &str, path: &str) -> Led {
    let from_top = path
        .strip_prefix("${BUNDLE}/")
        .or_else(|| path.strip_prefix("$BUNDLE/"));
    if path.starts_with('/') || path.contains('\\') {
        return Led::Outside;
    }
    let mut out: Vec<&str> = match from_top {
        Some(_) => Vec::new(),
        None => folder.split('/').filter(|p| !p.is_empty()).collect(),
    };
    for part in from_top.unwrap_or(path).split('/') {
        match part {
            "" | "." => {}
            ".." => {
                if out.pop().is_none() {
                    return Led::Outside;
                }
            }
            part => out.push(part),
        }
    }
    Led::Inside(out.join("/"))
}
