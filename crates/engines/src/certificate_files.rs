//! The files with certificates and keys that a client's settings point to.

use chronaxis_model::certificate::{Identity, PemTrouble, certificates, private_key};
use chronaxis_model::settings::{Defect, DefectKind, Field};
use chronaxis_model::shown;

use super::strings::{ClientEnvironment, FileSeen};

/// Reads them, and notes what is wrong with them.
pub(super) struct CertificateFiles<'a> {
    around: &'a ClientEnvironment,
    /// What was found wrong; each keeps the client from connecting.
    pub(super) defects: Vec<Defect>,
}

impl<'a> CertificateFiles<'a> {
    pub(super) fn new(around: &'a ClientEnvironment) -> CertificateFiles<'a> {
        CertificateFiles {
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

    /// Notes a certificate of its own that is not there, and that this client does not miss.
    pub(super) fn goes_on_without(&mut self, certificate: &str) {
        let path = shown::path(certificate);
        let text = format!(
            "the file with the client's certificate is not there: {path}; this client goes on without one"
        );
        self.note(DefectKind::FileMissing, text, "a file that can be read");
        if let Some(noted) = self.defects.last_mut() {
            noted.stops = false;
        }
    }

    /// Whether any of them stops the client.
    pub(super) fn stops(&self) -> bool {
        self.defects.iter().any(|d| d.stops)
    }

    /// Lets none of them stop the client; whether one would have.
    pub(super) fn relents(&mut self) -> bool {
        let stopped = self.stops();
        for defect in &mut self.defects {
            defect.stops = false;
        }
        stopped
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
                "other users can read the key {} (mode {:04o}), and this client refuses it for that reason",
                shown::path(key),
                key_file.mode & 0o7777
            );
            self.note(
                DefectKind::FileOpen,
                text,
                "readable by its owner only: mode 0600",
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
            subject: Field::CERTIFICATES,
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
