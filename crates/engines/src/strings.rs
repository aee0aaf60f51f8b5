//! The side of an engine that is written: its connection strings, and what its clients make
//! of what was told.

use std::collections::BTreeMap;

use chronaxis_model::secret::Secret;
use chronaxis_model::settings::Defect;
use chronaxis_model::sourced::{Origin, Sourced};
use chronaxis_model::target::{ClientId, ShownTarget, Target};

use crate::named_file::{FileSeen, FileWanted};
use crate::policy::{ClientPolicy, HostLookup, SessionWish, TlsFiles};
use crate::written::{Form, NotWritten, Parts};

/// The connection strings of an engine.
pub trait Strings: Sync {
    /// Reads a connection string. Whatever stands in it, a draft comes back, with its
    /// defects noted.
    fn read(&self, text: &str, line: Option<u32>) -> Draft;

    /// `HOST:PORT` in a form that [`Strings::read`] reads.
    fn at(&self, host: &str, port: u16) -> String;

    /// The files that its client would read for this draft, in its order. One of them may
    /// name another: asked again once the first are there, it says so.
    fn files(&self, _: &Draft, _: &ClientEnvironment) -> Vec<FileWanted> {
        Vec::new()
    }

    /// Fills in what the draft leaves open, by the client's own rules.
    ///
    /// # Errors
    /// Names what stands in the draft or around it that this version does not follow.
    fn complete(&self, draft: Draft, around: &ClientEnvironment) -> Result<Target, NotFollowed>;

    /// The target as text that this program reads again, without its secret; not quoted for
    /// any shell.
    fn described(&self, target: &ShownTarget) -> String;

    /// The target in a form that others read, its password a variable to fill in.
    ///
    /// # Errors
    /// Says what the form cannot carry.
    fn written(&self, parts: &Parts<'_>, form: Form) -> Result<String, NotWritten>;

    /// What the target's client does beyond one address, and how long it waits.
    fn client_policy(&self, _: &ShownTarget) -> ClientPolicy {
        ClientPolicy::default()
    }

    /// The setting by which this client keeps a session alive that would be cut after so many
    /// idle seconds; none where it has none of its own.
    fn keep_alive(&self, _: &ShownTarget, _seconds: u64) -> Option<String> {
        None
    }

    /// Whether the settings name the schema in which the program works.
    fn names_schema(&self, _: &ShownTarget) -> bool {
        false
    }

    /// Which kind of server the session is wanted on.
    fn session_wish(&self, _: &ShownTarget) -> SessionWish {
        SessionWish::Anything
    }

    /// How hosts are found.
    fn host_lookup(&self, _: &ShownTarget) -> HostLookup {
        HostLookup::Addresses
    }

    /// The files with certificates that the settings name.
    fn tls_files<'a>(&self, _: &'a ShownTarget) -> TlsFiles<'a> {
        TlsFiles::default()
    }
}

/// `HOST:PORT` as a URL of this scheme.
pub fn url_at(scheme: &str, host: &str, port: u16) -> String {
    match host.contains(':') {
        true => format!("{scheme}://[{host}]:{port}"),
        false => format!("{scheme}://{host}:{port}"),
    }
}

/// A connection string as read, before the client's own rules fill the gaps.
#[derive(Clone, Debug, Default)]
pub struct Draft {
    /// The form it was written in, in words.
    pub form: String,
    /// The readers, by the names that people know, which turned the words of its files
    /// into values.
    pub read_by: Vec<String>,
    /// Values under the engine's own names, with their origin.
    pub values: BTreeMap<String, Sourced<String>>,
    /// The secret, which stands in no other place.
    pub secret: Option<Sourced<Secret>>,
    /// Passphrases of keys and keystores, by the option that names the file.
    pub passphrases: BTreeMap<String, Secret>,
    /// What is wrong with it.
    pub defects: Vec<Defect>,
    /// Its parameters that the engine's own library does not have.
    pub unknown_parameters: Vec<String>,
    /// The text itself, with all covered that was not recognised.
    pub shown: String,
    /// Whose rules count, as its form says.
    pub client: ClientId,
}

impl Draft {
    /// A value, unless it is empty.
    pub fn value(&self, name: &str) -> Option<&Sourced<String>> {
        self.values.get(name).filter(|v| !v.value.is_empty())
    }
}

/// Something valid that this version does not follow; walking on without it would walk
/// another way than the client's.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("{0} are valid for this client, but this version of chronaxis does not follow them")]
pub struct NotFollowed(pub &'static str);

/// Whether a private key belongs to a certificate: the certificate first, both in DER; nothing
/// where that cannot be told.
pub type Proof = fn(&[u8], &[u8]) -> Option<bool>;

/// What stands around a string: options, environment, machine, files.
#[derive(Clone, Debug, Default)]
pub struct ClientEnvironment {
    /// What the options of the command say, under the engine-neutral names `user`,
    /// `database` and `ca`; they win over all else.
    pub options: BTreeMap<&'static str, Sourced<String>>,
    /// A secret from `--password-stdin` or `--password-file`; it wins over all else.
    pub option_secret: Option<Sourced<Secret>>,
    /// The secret of `CHRONAXIS_PASSWORD`.
    pub variable_secret: Option<Sourced<Secret>>,
    /// The passphrase for keys and keystores for which the settings give none.
    pub passphrase: Option<Secret>,
    /// The proof that a private key belongs to a certificate, which is not computed in this
    /// crate.
    pub belongs: Option<Proof>,
    /// The environment variables to which the engine's client listens.
    pub variables: BTreeMap<String, String>,
    /// The account under which this program runs.
    pub os_user: Option<String>,
    /// The home folder.
    pub home: Option<String>,
    /// Where this machine keeps socket files.
    pub socket_folder: String,
    /// The files that were wanted, whether they are there or not.
    pub files_wanted: Vec<FileWanted>,
    /// The files that were wanted and are there.
    pub files: Vec<FileSeen>,
}

impl ClientEnvironment {
    /// A variable's value with its origin, unless it is empty.
    pub fn variable(&self, name: &str) -> Option<Sourced<String>> {
        let value = self.variables.get(name).filter(|v| !v.is_empty())?;
        let origin = Origin::Variable {
            name: name.to_owned(),
        };
        Some(Sourced::new(value.clone(), origin))
    }
}
