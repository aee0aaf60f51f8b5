//! The files with certificates and keys that a client's settings point to.

use chronaxis_model::certificate::{Identity, PemTrouble, Trusted, certificates, private_key};
use chronaxis_model::settings::{Defect, DefectKind, Field};
use chronaxis_model::shown;

use super::named_file::{Encoding, FileSeen, Shut};
use super::strings::ClientEnvironment;

/// Reads them, and notes what is wrong with them.
pub(super) struct CertificateFiles<'a> {
    around: &'a ClientEnvironment,
    /// What was found wrong.
    pub(super) defects: Vec<Defect>,
}

/// What a client looks for in a file.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Sought {
    Certificates,
    Key,
}

impl Sought {
    fn word(self) -> &'static str {
        match self {
            Sought::Certificates => "certificates",
            Sought::Key => "private key",
        }
    }

    /// With its article.
    fn title(self) -> &'static str {
        match self {
            Sought::Certificates => "certificates",
            Sought::Key => "a private key",
        }
    }
}

/// What a client demands of the files with its own certificate and key.
#[derive(Clone, Copy)]
pub(super) struct KeyRules {
    /// Whether it does not take a key that others may read.
    pub(super) open_refused: bool,
    /// How the certificate may stand in its file.
    pub(super) certificate: &'static [Encoding],
    /// How the key may.
    pub(super) key: &'static [Encoding],
    /// In which of them it opens no locked key, whatever the lock.
    pub(super) never_locked: &'static [Encoding],
    /// Whether it opens locks of PKCS #5 version 2 (RFC 8018, section 6.2).
    pub(super) opens_pbes2: bool,
    /// What the entry of a keystore must be called.
    pub(super) entry: Option<&'static str>,
    /// Whether the settings name the key, rather than the client by itself.
    pub(super) key_told: bool,
}

/// Every form that can be read here: for files that are named to this program itself.
pub(super) const ANY: &[Encoding] = &[Encoding::Text, Encoding::Der, Encoding::Keystore];

impl Default for KeyRules {
    fn default() -> KeyRules {
        KeyRules {
            open_refused: false,
            certificate: &[Encoding::Text],
            key: &[Encoding::Text],
            never_locked: &[],
            opens_pbes2: true,
            entry: None,
            key_told: true,
        }
    }
}

impl<'a> CertificateFiles<'a> {
    pub(super) fn new(around: &'a ClientEnvironment) -> CertificateFiles<'a> {
        CertificateFiles {
            around,
            defects: Vec::new(),
        }
    }

    /// What the options of the command and a bundle name, for a client whose settings name no
    /// files: whom it trusts, and as whom it shows itself.
    pub(super) fn of_options(&mut self) -> (Trusted, Option<Identity>) {
        let options = &self.around.options;
        let told = |name: &str| options.get(name).map(|told| told.value.as_str());
        let trusted = match told("ca") {
            Some(path) => Trusted::These(self.trusted(path, true, ANY)),
            None => Trusted::System,
        };
        let own = told("certificate").zip(told("key"));
        let identity =
            own.and_then(|(certificate, key)| self.identity(certificate, key, KeyRules::default()));
        (trusted, identity)
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
    /// is not there is then their fault. `takes` says how they may stand there.
    pub(super) fn trusted(&mut self, path: &str, told: bool, takes: &[Encoding]) -> Vec<Vec<u8>> {
        let Some(file) = self.there(path, "the trusted certificates", told) else {
            return Vec::new();
        };
        if !self.is_taken(file, Sought::Certificates, takes) {
            return Vec::new();
        }
        match certificates(&file.text) {
            Ok(found) => found,
            Err(trouble) => {
                self.unusable(path, Sought::Certificates, trouble);
                Vec::new()
            }
        }
    }

    /// Whether the client reads a file of this kind; what is wrong with it otherwise.
    fn is_taken(&mut self, file: &FileSeen, sought: Sought, takes: &[Encoding]) -> bool {
        let path = shown::path(&file.path);
        // Certificates beside a locked key are not locked themselves.
        let open = file.encoding == Encoding::Text && sought == Sought::Certificates;
        if takes.contains(&file.encoding) {
            return open || self.is_open(file, &path);
        }
        if file.encoding == Encoding::JavaKeystore && takes.contains(&Encoding::Keystore) {
            // Whatever reads the one reads the other, by Java's own rules.
            let text = format!(
                "the keystore {path} is in Java's own form, which this program does not read"
            );
            let expected = "a copy of it in PKCS #12: keytool -importkeystore -srckeystore FILE -destkeystore FILE.p12 -deststoretype PKCS12";
            self.note(DefectKind::FileBeyond, text, expected);
            return false;
        }
        let is = match file.encoding {
            // A text may be anything.
            Encoding::Text => "text (PEM)",
            other => other.title(),
        };
        let wanted: Vec<&str> = takes.iter().map(|one| one.title()).collect();
        let what = sought.title();
        let text = format!("{path} is {is}, and this client does not read {what} in that form");
        let mut expected = format!("{what} in {}", wanted.join(" or "));
        let into_der = sought == Sought::Key && takes == [Encoding::Der];
        if into_der && file.encoding == Encoding::Text {
            expected.push_str(&format!(
                ": openssl pkcs8 -topk8 -nocrypt -in {path} -outform DER -out FILE.pk8"
            ));
        }
        self.note(DefectKind::FileUnusable, text, &expected);
        false
    }

    /// Whether nothing in a file stays locked.
    fn is_open(&mut self, file: &FileSeen, path: &str) -> bool {
        let (kind, text, expected) = match file.shut {
            None => return true,
            Some(Shut::NoPassphrase) => (
                DefectKind::FileLocked,
                format!("{path} is locked with a passphrase, and the settings give none"),
                "its passphrase, or a file that is not locked",
            ),
            Some(Shut::Wrong) => (
                DefectKind::FileLocked,
                format!("the passphrase in the settings does not open {path}"),
                "the passphrase with which it was locked",
            ),
            // The client may well know it.
            Some(Shut::Unknown) => (
                DefectKind::FileBeyond,
                format!("the key in {path} is locked in a way that this program does not open"),
                "a file that is locked by PKCS #5 version 2, or not at all",
            ),
        };
        self.note(kind, text, expected);
        false
    }

    /// Whether the client opens locks like that of a key.
    fn is_opened(&mut self, file: &FileSeen, rules: KeyRules) -> bool {
        let path = shown::path(&file.path);
        let is_locked = file.opened || file.shut.is_some();
        let pbes2 = file.opened || file.shut == Some(Shut::Wrong);
        let text = if is_locked && rules.never_locked.contains(&file.encoding) {
            format!("{path} is locked, and this client opens no locked key in that form")
        } else if pbes2 && !rules.opens_pbes2 {
            format!(
                "{path} is locked by PKCS #5 version 2 (PBES2), and this client does not open that"
            )
        } else {
            return true;
        };
        self.note(DefectKind::FileUnusable, text, "a key that is not locked");
        false
    }

    /// Whether the client finds the key in a file.
    fn is_found(&mut self, file: &FileSeen, rules: KeyRules) -> bool {
        let path = shown::path(&file.path);
        let Some(wanted) = rules.entry.filter(|_| file.encoding == Encoding::Keystore) else {
            return true;
        };
        if file.entry.as_deref() == Some(wanted) {
            return true;
        }
        let called = file.entry.as_deref().map_or_else(
            || "has no name".to_owned(),
            |name| format!("is called {}", shown::word(name)),
        );
        let text = format!(
            "this client takes the entry {wanted} of a keystore alone; that of {path} {called}, and so no certificate is sent"
        );
        let expected = format!("the keystore made with openssl pkcs12 -export -name {wanted}");
        self.remark(DefectKind::FileUnusable, text, &expected);
        false
    }

    /// Notes a certificate of its own that is not there, and that this client does not miss.
    pub(super) fn goes_on_without(&mut self, certificate: &str) {
        let path = shown::path(certificate);
        let text = format!(
            "the file with the client's certificate is not there: {path}; this client goes on without one"
        );
        self.remark(DefectKind::FileMissing, text, "a file that can be read");
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

    /// The client's own certificate and key, by its rules: the certificate comes first, as
    /// OpenSSL's clients read them.
    pub(super) fn identity(
        &mut self,
        certificate: &str,
        key: &str,
        rules: KeyRules,
    ) -> Option<Identity> {
        let certificate_file = self.there(certificate, "the client's certificate", true)?;
        if !self.is_taken(certificate_file, Sought::Certificates, rules.certificate) {
            return None;
        }
        let chain = self.chain(certificate_file)?;
        let key_file = self.there(key, "the client's key", rules.key_told)?;
        if rules.open_refused && is_open(key_file) {
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
        let fits = !rules.key.contains(&key_file.encoding) || self.is_opened(key_file, rules);
        if !fits
            || !self.is_taken(key_file, Sought::Key, rules.key)
            || !self.is_found(key_file, rules)
        {
            return None;
        }
        let private = private_key(&key_file.text)
            .map_err(|trouble| self.unusable(key, Sought::Key, trouble))
            .ok()?;
        let own = chain.first().map_or(&[][..], Vec::as_slice);
        let proof = self.around.belongs;
        if proof.and_then(|belongs| belongs(own, &private)) == Some(false) {
            let text = format!(
                "the private key in {} does not belong to the certificate in {}: their public keys differ",
                shown::path(key),
                shown::path(certificate)
            );
            let expected = "the key with which the certificate was requested";
            self.note(DefectKind::FileMismatch, text, expected);
            return None;
        }
        Some(Identity {
            chain,
            key: private,
        })
    }

    /// The client's own certificate, with those of its issuers that stand behind it.
    fn chain(&mut self, file: &FileSeen) -> Option<Vec<Vec<u8>>> {
        match certificates(&file.text) {
            Ok(chain) => Some(chain),
            Err(PemTrouble::NoBlock) if private_key(&file.text).is_ok() => {
                let text = format!(
                    "{} holds a private key and no certificate: the paths of certificate and key may be swapped",
                    shown::path(&file.path)
                );
                self.note(DefectKind::FileUnusable, text, "certificates in PEM form");
                None
            }
            Err(trouble) => {
                self.unusable(&file.path, Sought::Certificates, trouble);
                None
            }
        }
    }

    fn there(&mut self, path: &str, what: &str, told: bool) -> Option<&'a FileSeen> {
        let found = self.seen(path);
        if found.is_none() {
            let kind = match told {
                true => DefectKind::FileElsewhere,
                false => DefectKind::FileMissing,
            };
            let folder = self.around.files.iter().any(|f| f.path == path);
            let path = shown::path(path);
            let text = match folder {
                true => format!("{path} is a folder, and the file with {what} is wanted"),
                false if path.starts_with("~/") => format!(
                    "the file with {what} is not there: {path} (this client does not take ~ for the home folder)"
                ),
                false => format!("the file with {what} is not there: {path}"),
            };
            self.note(kind, text, "a file that can be read");
        }
        found
    }

    fn unusable(&mut self, path: &str, sought: Sought, trouble: PemTrouble) {
        let path = shown::path(path);
        let text = match trouble {
            PemTrouble::NoBlock => format!("{path} holds no {} in PEM form", sought.word()),
            PemTrouble::Damaged => format!("{path} is damaged"),
            PemTrouble::Encrypted => format!("{path} is locked with a passphrase"),
        };
        let kind = match trouble {
            PemTrouble::Encrypted => DefectKind::FileLocked,
            _ => DefectKind::FileUnusable,
        };
        let expected = format!("{} in PEM form, not locked", sought.title());
        self.note(kind, text, &expected);
    }

    /// Notes what keeps the client from connecting.
    fn note(&mut self, kind: DefectKind, text: String, expected: &str) {
        self.add(kind, true, text, expected);
    }

    /// Notes what the client goes on with.
    fn remark(&mut self, kind: DefectKind, text: String, expected: &str) {
        self.add(kind, false, text, expected);
    }

    fn add(&mut self, kind: DefectKind, stops: bool, text: String, expected: &str) {
        self.defects.push(Defect {
            kind,
            subject: Field::CERTIFICATES,
            stops,
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
