//! What an engine has to bring, and what it is given.

use std::collections::BTreeMap;

use crate::conversation::Conversation;
use crate::endpoint::Endpoint;
use crate::fact::Service;
use crate::layer::Layer;
use crate::redact::Redactor;
use crate::secret::Secret;
use crate::settings::Defect;
use crate::target::{ClientId, EngineId, ShownTarget, Target};
use crate::told::{Origin, Told};

/// What an engine has to bring.
pub trait Engine: Sync {
    /// Its name.
    fn id(&self) -> EngineId;

    /// The URL schemes that mean it.
    fn schemes(&self) -> &'static [&'static str];

    /// The schemes by which adapters of common frameworks call it.
    fn adapters(&self) -> &'static [&'static str] {
        &[]
    }

    /// The drivers that may stand behind a scheme and a plus sign.
    fn drivers(&self) -> Vec<&'static str>;

    /// What stands behind `jdbc:` in the URLs of its JDBC drivers.
    fn jdbc_names(&self) -> &'static [&'static str] {
        &[]
    }

    /// What its data-source names for PHP begin with.
    fn php_name(&self) -> Option<&'static str> {
        None
    }

    /// What the names of its ODBC drivers hold, in lower case.
    fn odbc_words(&self) -> &'static [&'static str] {
        &[]
    }

    /// Where machines keep its socket files, the likeliest first.
    fn socket_folders(&self) -> &'static [&'static str] {
        &["/tmp"]
    }

    /// What its client sends first, if it speaks first.
    fn first_bytes(&self) -> Vec<u8> {
        Vec::new()
    }

    /// What answers where it answers itself.
    fn services(&self) -> &'static [Service] {
        &[]
    }

    /// `HOST:PORT` in a form that [`Engine::read`] reads.
    fn at(&self, host: &str, port: u16) -> String;

    /// The queries that may be asked in a session, each with the condition; only one is.
    fn queries(&self) -> &'static [(&'static str, &'static str)];

    /// The last layer of a walk of this engine to this target.
    fn last_layer(&self, _: &ShownTarget) -> Layer {
        Layer::Session
    }

    /// What of this engine is not spoken here, so that a walk to this target ends early.
    fn unspoken(&self, _: &ShownTarget) -> Option<&'static str> {
        None
    }

    /// Whether its client signs in with an empty password where it has none.
    fn signs_in_without_password(&self) -> bool {
        false
    }

    /// Whether its servers speak first.
    fn server_greets(&self) -> bool {
        false
    }

    /// Whether its servers count lines that end before the sign-in is complete, and block
    /// whoever makes too many.
    fn counts_lines(&self) -> bool {
        false
    }

    /// Whether a line of this client to this end goes over the network, so that
    /// encryption is of use to it.
    fn encrypts_on(&self, to: &Endpoint) -> bool {
        matches!(to, Endpoint::Tcp(_))
    }

    /// The target as text that this program reads again, without its secret; not quoted for
    /// any shell.
    fn described(&self, target: &ShownTarget) -> String;

    /// Its usual port.
    fn usual_port(&self) -> Option<u16>;

    /// Ports on which its servers, poolers and second instances usually listen, the
    /// likeliest first.
    fn usual_ports(&self) -> &'static [u16] {
        &[]
    }

    /// How the names of its socket files begin and end.
    fn socket_files(&self) -> &'static [(&'static str, &'static str)] {
        &[]
    }

    /// How the names of the programs begin that serve it.
    fn programs(&self) -> &'static [&'static str] {
        &[]
    }

    /// The names of what its client sends at the start beside user and database.
    fn start_parameters(&self, target: &ShownTarget) -> Vec<&'static str>;

    /// Accounts that its servers have from the start, with all rights.
    fn administrators(&self) -> &'static [&'static str];

    /// The environment variables to which its client listens.
    fn variables(&self) -> &'static [&'static str];

    /// Reads a connection string. Whatever stands in it, a draft comes back, with its
    /// defects noted.
    fn read(&self, text: &str, line: Option<u32>) -> Draft;

    /// The files that its client would read for this draft, in its order. One of them may
    /// name another: asked again once the first are there, it says so.
    fn files(&self, draft: &Draft, around: &Surroundings) -> Vec<FileWanted>;

    /// Fills in what the draft leaves open, by the client's own rules.
    ///
    /// # Errors
    /// Names what stands in the draft or around it that this version does not follow.
    fn complete(&self, draft: Draft, around: &Surroundings) -> Result<Target, NotFollowed>;

    /// Begins to talk to one address of the target. The seed is random bytes.
    fn open(&self, talk: TalkPlan<'_>) -> Box<dyn Conversation>;
}

/// What a line is for.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Manner {
    /// What this client's first line is for.
    First,
    /// The line to which this client falls back: in clear after an encrypted one, or
    /// encrypted after a clear one.
    FallBack,
    /// To see whether the engine speaks there, by the question whether it encrypts.
    AskOffer,
    /// To see what the server says to the client's user over an encrypted line, where the
    /// client itself makes none. No secret goes out.
    Encrypted,
    /// To send a hello of our own, which offers what old servers take.
    OldHello,
}

impl Manner {
    /// Whether the client itself makes such a line.
    pub fn is_clients(self) -> bool {
        matches!(self, Manner::First | Manner::FallBack)
    }
}

/// What a conversation needs to know.
pub struct TalkPlan<'a> {
    /// What was told.
    pub target: &'a Target,
    /// The end of the line.
    pub to: &'a Endpoint,
    /// The host as it was told, name or address; the socket file's path.
    pub host: &'a str,
    /// Random bytes for the protocol's own nonces.
    pub seed: [u8; 18],
    /// Longest wait for one complete answer.
    pub patience: crate::layer::Micros,
    /// Whether a password may go in clear over a plain line.
    pub allow_plaintext: bool,
    /// Whether the password may go out over a plain line by the server's public key.
    pub allow_server_key: bool,
    /// What the line is for.
    pub manner: Manner,
    /// Masks the server's texts.
    pub redactor: Redactor,
}

/// A connection string as read, before the client's own rules fill the gaps.
#[derive(Clone, Debug, Default)]
pub struct Draft {
    /// The form it was written in, in words.
    pub form: String,
    /// Values under the engine's own names, with their origin.
    pub values: BTreeMap<String, Told<String>>,
    /// The secret, which stands in no other place.
    pub secret: Option<Told<Secret>>,
    /// What is wrong with it.
    pub defects: Vec<Defect>,
    /// The text itself, with all covered that was not recognised.
    pub shown: String,
    /// Whose rules count, as its form says.
    pub client: ClientId,
}

impl Draft {
    /// A value, unless it is empty.
    pub fn value(&self, name: &str) -> Option<&Told<String>> {
        self.values.get(name).filter(|v| !v.value.is_empty())
    }
}

/// Something valid that this version does not follow; walking on without it would walk
/// another way than the client's.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("{0} are valid for this client, but this version of chronaxis does not follow them")]
pub struct NotFollowed(pub &'static str);

/// A file that a client reads by itself.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct FileWanted {
    /// Its path.
    pub path: String,
    /// Whether the client takes it only while nobody else may read it.
    pub private: bool,
    /// Whether it is a folder, of which every regular file counts.
    pub folder: bool,
}

/// A file that was there.
#[derive(Clone)]
pub struct FileSeen {
    /// Its path.
    pub path: String,
    /// Its Unix permission bits.
    pub mode: u32,
    /// Whether it is a regular file.
    pub regular: bool,
    /// Whether the administrator of the machine owns it.
    pub root_owned: bool,
    /// Its text.
    pub text: String,
}

impl std::fmt::Debug for FileSeen {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "FileSeen({}, {:o})", self.path, self.mode)
    }
}

/// What stands around a string: options, environment, machine, files.
#[derive(Clone, Debug, Default)]
pub struct Surroundings {
    /// What the options of the command say, under the engine-neutral names `user`,
    /// `database` and `ca`; they win over all else.
    pub options: BTreeMap<&'static str, Told<String>>,
    /// A secret from `--password-stdin` or `--password-file`; it wins over all else.
    pub option_secret: Option<Told<Secret>>,
    /// The secret of `CHRONAXIS_PASSWORD`.
    pub variable_secret: Option<Told<Secret>>,
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

impl Surroundings {
    /// A variable's value with its origin, unless it is empty.
    pub fn variable(&self, name: &str) -> Option<Told<String>> {
        let value = self.variables.get(name).filter(|v| !v.is_empty())?;
        let origin = Origin::Variable {
            name: name.to_owned(),
        };
        Some(Told::new(value.clone(), origin))
    }
}
