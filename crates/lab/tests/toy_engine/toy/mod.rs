//! A toy engine: it greets, asks for a password, answers one query. Its facts, its strings
//! and its protocol stand in this folder and nowhere else.

mod conversation;
pub mod server;

use chronaxis_engines::{
    ClientEnvironment, ClientRule, ConversationPlan, Draft, Engine, EngineSpec, Form, Greeting,
    NotFollowed, NotWritten, Parts, Protocol, Strings, complete_url, read_url, url_at, url_of,
};
use chronaxis_model::conversation::Conversation;
use chronaxis_model::fact::Service;
use chronaxis_model::target::{ClientId, ShownTarget, Target};

pub static TOY: Engine = Engine {
    spec: &SPEC,
    strings: &Toy,
    protocol: &Toy,
};

static SPEC: EngineSpec = EngineSpec {
    schemes: &["toybase"],
    words: &["toybase"],
    driver_words: &["toybase"],
    variable_leads: &["toybase"],
    clients: &[ClientRule::any(ClientId::Plain)],
    in_settings: true,
    has_databases: true,
    usual_port: Some(7117),
    usual_ports: &[7117, 7118],
    programs: &["toybased"],
    greetings: &[Greeting {
        service: Service::new("toybase"),
        speaks: "Toybase",
        title: "a Toybase server",
        fits: |bytes| bytes.starts_with(b"TOYBASE "),
    }],
    server_greets: true,
    administrators: &["toymaster"],
    queries: &[("WHERE AM I", "")],
    ..EngineSpec::named("toybase", "Toybase")
};

struct Toy;

impl Strings for Toy {
    fn read(&self, text: &str, line: Option<u32>) -> Draft {
        read_url(&SPEC, ClientId::Plain, &["pool"], (text, line))
    }

    fn at(&self, host: &str, port: u16) -> String {
        url_at("toybase", host, port)
    }

    fn complete(&self, draft: Draft, around: &ClientEnvironment) -> Result<Target, NotFollowed> {
        Ok(complete_url(&SPEC, draft, around))
    }

    fn described(&self, target: &ShownTarget) -> String {
        url_of("toybase", target)
    }

    fn written(&self, parts: &Parts<'_>, form: Form) -> Result<String, NotWritten> {
        match form {
            Form::Url => Ok(parts.url("toybase", &parts.places(), &[])),
            Form::Environment => parts.environment("TOYBASE", "TOYBASE_PORT", "TOYBASE_PASSWORD"),
            _ => Err(parts.no_such_form("url, environment")),
        }
    }
}

impl Protocol for Toy {
    fn open(&self, plan: ConversationPlan<'_>) -> Box<dyn Conversation> {
        Box::new(conversation::ClientHalf::new(&plan))
    }
}
