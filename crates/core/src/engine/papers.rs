//! The files with certificates and keys that a client's settings point to.

use super::spec::{FileSeen, Surroundings};
use crate::certificate::{Identity, PemTrouble, certificates, private_key};
use crate::settings::{Defect, DefectKind};
use crate::shown;

/// Reads them, and notes what is wrong with them.
pub(super) struct Papers<'a> {
    around: &'a Surroundings,
    /// What was found wrong; each keeps the client from connecting.
    pub(super) defects: Vec<Defect>,
}

impl<'a> Papers<'a> {
    pub(super) fn new(around: &'a Surroundings) -> Papers<'a> {
        Papers {
            around,
            defects: Vec::new(),
        }
    }

    /// Whether a file is there.
    pub(super) fn has(&self, path: &str) -> bool {
        self.seen(path).is_some()
    }

    fn seen(&self, path: &str) -> Option<&'a FileSeen> {
        self.around
            .files
            .iter()
            .find(|f| f.path == path && f.regular)
    }

    /// The trusted certificates of a file. `told` says that the settings name it: that it
    /// is not there is then their fault.
    pub(super) fn trusted(&mut self, path: &str, told: bool) -> Vec<Vec<u8>> {
        let Some(file) = self.there(path, "the trusted certificates", told) else {
            return Vec::new();
        };
        match certificates(&file.text) {
            Ok(found) => found,
            Err(trouble) => {
                self.unusable(path, "certificates", trouble);
                Vec::new()
            }
        }
    }

    /// The client's own certificate and key. `open_key_refused` says that this client does
    /// not take a key that others may read.
    pub(super) fn identity(
        &mut self,
        certificate: &str,
        key: &str,
        open_key_refused: bool,
    ) -> Option<Identity> {
        let certificate_file = self.there(certificate, "the client's certificate", true)?;
        let key_file = self.there(key, "the client's key", true)?;
        if open_key_refused && is_open(key_file) {
            let text = format!(
                "the key {} may be read by others (mode {:04o}), and this client refuses it",
                shown::path(key),
                key_file.mode & 0o7777
            );
            self.note(
                DefectKind::FileOpen,
                text,
                "a key for its owner only: mode 0600",
            );
            return None;
        }
        let chain = certificates(&certificate_file.text)
            .map_err(|trouble| self.unusable(certificate, "certificates", trouble))
            .ok()?;
        let key = private_key(&key_file.text)
            .map_err(|trouble| self.unusable(key, "a private key", trouble))
            .ok()?;
        Some(Identity { chain, key })
    }

    fn there(&mut self, path: &str, what: &str, told: bool) -> Option<&'a FileSeen> {
        let found = self.seen(path);
        if found.is_none() {
            let kind = match told {
                true => DefectKind::FileElsewhere,
                false => DefectKind::FileMissing,
            };
            let text = format!("the file with {what} is not there: {}", shown::path(path));
            self.note(kind, text, "a file that can be read");
        }
        found
    }

    fn unusable(&mut self, path: &str, what: &str, trouble: PemTrouble) {
        let path = shown::path(path);
        let text = match trouble {
            PemTrouble::NoBlock => format!("{path} holds no {what} in PEM form"),
            PemTrouble::Damaged => format!("{path} is damaged"),
            PemTrouble::Encrypted => format!("{path} is locked with a passphrase"),
        };
        let expected = format!("{what} in PEM form, not locked");
        self.note(DefectKind::FileUnusable, text, &expected);
    }

    fn note(&mut self, kind: DefectKind, text: String, expected: &str) {
        self.defects.push(Defect {
            kind,
            subject: "certificates".to_owned(),
            stops: true,
            text,
            expected: expected.to_owned(),
            place: None,
            mended: None,
        });
    }
}

/// PostgreSQL's rule for keys: nobody else, or, where root owns it, the group for reading.
fn is_open(key: &FileSeen) -> bool {
    let most = if key.root_owned { 0o640 } else { 0o600 };
    key.mode & 0o777 & !most & 0o077 != 0
}
