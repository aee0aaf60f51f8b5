//! The directory: Chronaxis's own service listener, which a client asks for a service and which
//! sends it on to an instance (`docs/directory.md`).

mod codes;
mod complete;
mod conversation;
pub mod frames;
pub mod message;
mod string;
mod written;

use std::collections::BTreeMap;

use chronaxis_model::conversation::Conversation;
use chronaxis_model::fact::Service;
use chronaxis_model::layer::Layer;
use chronaxis_model::target::{ClientId, EngineId, ShownTarget, Target};

use crate::named_file::FileWanted;
use crate::policy::{ClientPolicy, TlsFiles};
use crate::protocol::{ConversationPlan, Protocol};
use crate::spec::{ClientRule, Engine, EngineSpec, Greeting};
use crate::strings::{ClientEnvironment, Draft, NotFollowed, Strings, url_at};
use crate::written::{Form, NotWritten, Parts};

/// Its id.
pub const ID: EngineId = SPEC.id;

/// The engine.
pub static ENGINE: Engine = Engine {
    spec: &SPEC,
    strings: &Directory,
    protocol: &Directory,
};

/// The port of a listener, unless said otherwise.
pub const USUAL_PORT: u16 = 7471;

/// Most times that a client lets itself be sent on.
pub const MOST_REDIRECTS: usize = 3;

static SPEC: EngineSpec = EngineSpec {
    schemes: &["directory"],
    whole_words: &["directory"],
    driver_words: &["directory"],
    own_fields: &[
        ("service", "dbname"),
        ("instance", "instance"),
        ("role", "role"),
        ("tls", "tls"),
    ],
    clients: &[ClientRule::any(ClientId::Directory)],
    in_settings: true,
    has_databases: true,
    database_word: "service",
    usual_port: Some(USUAL_PORT),
    usual_ports: &[USUAL_PORT, USUAL_PORT + 1],
    greetings: &[Greeting {
        service: Service::new("directory"),
        speaks: "directory",
        title: "a directory (a service listener)",
        fits: frames::is_one,
    }],
    first_bytes: message::FIRST,
    asks_to_encrypt: true,
    tells_apart: true,
    administrators: &["harbourmaster"],
    ..EngineSpec::named("directory", "directory")
};

/// Both sides of it.
struct Directory;

/// Whether no more than the place of a listener was told, not what to ask of it.
fn is_listener_alone(target: &ShownTarget) -> bool {
    target.database.is_none() && complete::is_place(&target.form)
}

impl Strings for Directory {
    fn read(&self, text: &str, line: Option<u32>) -> Draft {
        string::read(text, line)
    }

    fn at(&self, host: &str, port: u16) -> String {
        url_at("directory", host, port)
    }

    fn files(&self, _: &Draft, around: &ClientEnvironment) -> Vec<FileWanted> {
        complete::files(around)
    }

    fn complete(&self, draft: Draft, around: &ClientEnvironment) -> Result<Target, NotFollowed> {
        Ok(complete::complete(draft, around))
    }

    fn described(&self, target: &ShownTarget) -> String {
        written::described(target)
    }

    fn written(&self, parts: &Parts<'_>, form: Form) -> Result<String, NotWritten> {
        written::written(parts, form)
    }

    fn client_policy(&self, _: &ShownTarget) -> ClientPolicy {
        complete::POLICY
    }

    fn tls_files<'a>(&self, target: &'a ShownTarget) -> TlsFiles<'a> {
        let named = |key: &str| target.options.get(key).map(String::as_str);
        TlsFiles {
            authorities: named("ca"),
            certificate: named("certificate"),
            key: named("key"),
        }
    }
}

impl Protocol for Directory {
    fn open(&self, plan: ConversationPlan<'_>) -> Box<dyn Conversation> {
        Box::new(conversation::ClientHalf::new(&plan))
    }

    /// Without a service there is nothing to open.
    fn last_layer(&self, target: &ShownTarget) -> Layer {
        match is_listener_alone(target) {
            true => Layer::Tls,
            false => Layer::Session,
        }
    }

    fn unspoken(&self, target: &ShownTarget) -> Option<&'static str> {
        is_listener_alone(target).then_some(
            "no service is named, so only the listener is asked; name one with --database to go further",
        )
    }

    fn most_redirects(&self) -> usize {
        MOST_REDIRECTS
    }

    /// An instance that is sent on to is asked for by its name.
    fn pin(&self, options: &mut BTreeMap<String, String>, instance: &str) {
        options.insert("instance".to_owned(), instance.to_owned());
    }

    fn is_pinned(&self, target: &ShownTarget) -> bool {
        target.origins.contains_key("instance")
    }

    fn pinned<'a>(&self, target: &'a ShownTarget) -> Option<&'a str> {
        target.options.get("instance").map(String::as_str)
    }
}
