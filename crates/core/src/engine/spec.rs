//! What an engine has to bring, and what it is given.

use std::collections::BTreeMap;

use crate::conversation::Conversation;
use crate::endpoint::Endpoint;
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

    /// The drivers that may stand behind a scheme and a plus sign.
    fn drivers(&self) -> Vec<&'static str>;

    /// What stands behind `jdbc:` in the URLs of its JDBC driver.
    fn jdbc_name(&self) -> &'static str;

    /// The one query that is asked in a session, as it is sent.
    fn query(&self) -> &'static str;

    /// Its usual port.
    fn usual_port(&self) -> u16;

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

/// What a conversation needs to know.
pub struct TalkPlan<'a> {
    /// What was told.
    pub target: &'a Target,
    /// The end of the line.
    pub to: &'a Endpoint,
    /// Random bytes for the protocol's own nonces.
    pub seed: [u8; 18],
    /// Longest wait for one complete answer.
    pub patience: crate::layer::Micros,
    /// Whether a password may go in clear over a plain line.
    pub allow_plaintext: bool,
    /// Ask whether the server encrypts, even where this client would not.
    pub ask_encryption: bool,
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
    /// What the options of the command say, under the engine-neutral names `user` and
    /// `database`; they win over all else.
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
