//! What listens on a machine, in the shape of all JSON.

use std::net::{IpAddr, SocketAddr};

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use chronaxis_engines::engines;
use chronaxis_model::fact::{Held, Service, Spoke};
use chronaxis_model::layer::Layer;
use chronaxis_model::redact::Redacted;

use crate::schema::schema_of;
use crate::verdict::{AlsoFound, ShownCause, State, Verdict};

/// The format's name.
pub const FORMAT: &str = "chronaxis-listeners";

/// The format's version.
pub const VERSION: u32 = 1;

/// Something that listens.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Listed {
    /// On which address; none for a socket file.
    pub address: Option<IpAddr>,
    /// On which port; none for a socket file.
    pub port: Option<u16>,
    /// `ipv4`, `ipv6`, or `file`.
    pub family: String,
    /// The socket file.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub socket: Option<String>,
    /// The account to which it belongs; none where that is not told.
    pub user: Option<String>,
    /// The program; none where this user may not know it.
    pub program: Option<Redacted>,
    /// Its process.
    pub process: Option<i32>,
    /// What kind of program.
    pub held: Held,
    /// How many connections wait to be taken; none for a socket file.
    pub waiting: Option<u32>,
    /// Whether no other machine can reach it.
    pub loopback_only: bool,
    /// What it speaks, where that was asked and can be told.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub speaks: Option<Service>,
    /// What came of asking.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub spoke: Option<Spoke>,
}

impl Listed {
    /// Where it listens.
    pub fn place(&self) -> String {
        match (self.address, self.port, &self.socket) {
            (Some(ip), Some(port), _) => SocketAddr::new(ip, port).to_string(),
            (_, _, Some(path)) => chronaxis_model::redact::visible(path),
            _ => String::new(),
        }
    }

    /// Whether it is, or may be, a database.
    pub fn is_database(&self) -> bool {
        let by_word = self
            .speaks
            .map(|service| engines().iter().any(|e| e.spec.serves(service)));
        let by_program = self.program.as_ref().map(|own| {
            let mut all = engines().iter().flat_map(|e| e.spec.programs);
            all.any(|program| own.as_str().starts_with(program))
        });
        let by_port = self.port.is_some_and(|port| {
            let mut all = engines().iter();
            all.any(|e| e.spec.usual_port == Some(port))
        });
        by_word.or(by_program).unwrap_or(by_port) || self.socket.is_some()
    }
}

/// All of it.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct Listeners {
    /// `chronaxis-listeners`.
    pub format: String,
    /// 1.
    pub version: u32,
    /// The version of the program.
    pub tool: String,
    /// How it stands: undecided where the system shows no such table.
    pub verdict: Verdict,
    /// Nothing is inferred here.
    pub causes: Vec<ShownCause>,
    /// What is worth a look.
    pub also_found: Vec<AlsoFound>,
    /// What listens, by port.
    pub listeners: Vec<Listed>,
}

/// The JSON Schema of the document (draft 2020-12), made from these types.
pub fn schema() -> serde_json::Value {
    schema_of::<Listeners>(FORMAT)
}

impl Listeners {
    /// Lays out what was read; none where the system shows no table of its sockets.
    pub fn new(read: Option<Vec<Listed>>, tool: &str) -> Listeners {
        let state = match &read {
            Some(_) => State::Working,
            None => State::Undecided,
        };
        let listeners = read.unwrap_or_default();
        let headline = match (state, listeners.len()) {
            (State::Undecided, _) => {
                "This system does not show its socket table, so it is unknown what is listening."
                    .to_owned()
            }
            (_, 0) => "Nothing is listening on this machine.".to_owned(),
            (_, 1) => "One address is listening on this machine.".to_owned(),
            (_, n) => format!("{n} addresses are listening on this machine."),
        };
        let also_found = listeners.iter().flat_map(remarks).collect();
        Listeners {
            format: FORMAT.to_owned(),
            version: VERSION,
            tool: tool.to_owned(),
            verdict: Verdict::bare(state, Layer::Listener, headline),
            causes: Vec::new(),
            also_found,
            listeners,
        }
    }
}

fn remarks(one: &Listed) -> Vec<AlsoFound> {
    let mut out = Vec::new();
    let mut remark = |id: &str, text: String| {
        out.push(AlsoFound {
            id: id.to_owned(),
            layer: Layer::Listener,
            text,
            place: None,
        });
    };
    if one.loopback_only && one.is_database() && one.socket.is_none() {
        let text = format!("no other machine can reach {}", one.place());
        remark("listens-on-loopback-only", text);
    }
    if one.waiting.is_some_and(|n| n > 0) {
        let n = one.waiting.unwrap_or_default();
        let what = if n == 1 {
            "connection waits"
        } else {
            "connections wait"
        };
        let text = format!(
            "{n} {what} in the queue of {}: its program accepts none",
            one.place()
        );
        remark("server-hung", text);
    }
    out
}
