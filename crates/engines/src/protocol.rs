//! The side of an engine that speaks: what it has to bring, and what it is given.

use std::collections::BTreeMap;

use chronaxis_model::account::Inquiry;
use chronaxis_model::conversation::Conversation;
use chronaxis_model::endpoint::Endpoint;
use chronaxis_model::layer::{Layer, Micros};
use chronaxis_model::redact::Redactor;
use chronaxis_model::target::{ClientId, ShownTarget, Target};

use crate::seed::LineSeeds;

/// The client's half of an engine's protocol.
pub trait Protocol: Sync {
    /// Begins to talk to one address of the target.
    fn open(&self, conversation: ConversationPlan<'_>) -> Box<dyn Conversation>;

    /// The last layer of a walk of this engine to this target.
    fn last_layer(&self, _: &ShownTarget) -> Layer {
        Layer::Session
    }

    /// What of this engine is not spoken here, so that a walk to this target ends early.
    fn unspoken(&self, _: &ShownTarget) -> Option<&'static str> {
        None
    }

    /// From which version on the target's client has this sign-in method, where older ones of
    /// it lack it.
    fn method_since(&self, _: ClientId, _method: &str) -> Option<&'static str> {
        None
    }

    /// How often its client lets itself be sent on to another place.
    fn most_redirects(&self) -> usize {
        0
    }

    /// Makes the options of a target ask for this instance, where its client was sent on to one.
    fn pin(&self, _options: &mut BTreeMap<String, String>, _instance: &str) {}

    /// Whether the settings themselves say which instance is meant.
    fn is_pinned(&self, _: &ShownTarget) -> bool {
        false
    }

    /// The instance that is asked for: by the settings, or since a listener sent the client
    /// on to it.
    fn pinned<'a>(&self, _: &'a ShownTarget) -> Option<&'a str> {
        None
    }

    /// The names of what its client sends at the start beside user and database.
    fn start_parameters(&self, _: &ShownTarget) -> Vec<&'static str> {
        Vec::new()
    }
}

/// What a line is for.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum LinePurpose {
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

impl LinePurpose {
    /// Whether the client itself makes such a line.
    pub fn is_clients(self) -> bool {
        matches!(self, LinePurpose::First | LinePurpose::FallBack)
    }
}

/// What a conversation needs to know.
pub struct ConversationPlan<'a> {
    /// What was told.
    pub target: &'a Target,
    /// The end of the line.
    pub to: &'a Endpoint,
    /// The host as it was told, name or address; the socket file's path.
    pub host: &'a str,
    /// Its random values.
    pub seeds: LineSeeds,
    /// Longest wait for one complete answer.
    pub patience: Micros,
    /// Whether a password may go in clear over a plain line.
    pub allow_plaintext: bool,
    /// Whether the password may go out over a plain line by the server's public key.
    pub allow_server_key: bool,
    /// What the line is for.
    pub manner: LinePurpose,
    /// Masks the server's texts.
    pub redactor: Redactor,
    /// What the session is for.
    pub errand: Errand,
}

/// What a session is for, beside one look at who and where it is.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub enum Errand {
    /// Nothing more.
    #[default]
    Nothing,
    /// To look up an account in the server's own tables.
    LookUp(Inquiry),
    /// To be kept idle, for gaps up to this one.
    Idle(Micros),
    /// To stay open beside others, until the line is left.
    Stay,
}
