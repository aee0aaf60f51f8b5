//! The parts of the document, and how each is laid out.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use serde_json::{Map, Value};

use chronaxis_model::endpoint::Endpoint;
use chronaxis_model::fact::{Fact, Observation};
use chronaxis_model::layer::{Layer, Micros, Outcome};

use super::FactEntry;
use crate::judge::{LayerJudgement, optional_symptom_schema};
use crate::knowledge::causes;
use crate::verdict::{Assessment, PlaceVerdict};
use crate::walk::Touched;

/// The machine from which the facts were made.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Vantage {
    /// Its name.
    pub host: String,
    /// The account.
    pub user: String,
    /// The addresses from which it sent.
    pub addresses: Vec<String>,
    /// When it began: RFC 3339, UTC.
    pub started: String,
    /// How long it took.
    pub elapsed_us: Micros,
}

/// One layer of the document.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct CaseLayer {
    /// Which.
    pub layer: Layer,
    /// How it ended.
    pub outcome: Outcome,
    /// The one fact that matters.
    pub summary: String,
    /// The time that it took.
    pub elapsed_us: Option<Micros>,
    /// All facts, those of other versions among them.
    #[serde(default)]
    #[schemars(with = "Vec<FactEntry>")]
    pub facts: Vec<Map<String, Value>>,
}

/// One path of the document.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct CasePath {
    /// Its address; a socket file's path.
    pub address: String,
    /// Its port; none for a socket file.
    #[serde(default)]
    pub port: Option<u16>,
    /// Its symptom.
    #[schemars(schema_with = "optional_symptom_schema")]
    pub symptom: Option<String>,
    /// Its first cause.
    #[schemars(schema_with = "causes::optional_id_schema")]
    pub cause: Option<String>,
    /// That cause's probability.
    pub probability: Option<f64>,
    /// Its own layers, from route to session.
    pub layers: Vec<PathLayer>,
}

/// A place to which the client was sent on. What was seen there stands among the facts of the
/// layers, with the number of the redirect.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct CaseRedirect {
    /// The host, as the listener names it.
    pub host: String,
    /// Its port.
    pub port: u16,
    /// The instance for which to ask there.
    pub instance: String,
    /// How it stopped there.
    #[schemars(schema_with = "optional_symptom_schema")]
    pub symptom: Option<String>,
    /// The likeliest cause of that.
    #[schemars(schema_with = "causes::optional_id_schema")]
    pub cause: Option<String>,
    /// That cause's probability.
    pub probability: Option<f64>,
    /// The layers there, from the name to the session.
    pub layers: Vec<RedirectLayer>,
}

/// One layer at such a place.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct RedirectLayer {
    /// Which.
    pub layer: Layer,
    /// How it ended.
    pub outcome: Outcome,
    /// The one fact that matters.
    pub summary: String,
    /// The time that it took.
    pub elapsed_us: Option<Micros>,
}

/// One layer of a path.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct PathLayer {
    /// Which.
    pub layer: Layer,
    /// How it ended.
    pub outcome: Outcome,
}

/// What the run touched.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Contacts {
    /// Questions to name service.
    pub lookups: u32,
    /// Lines opened, control ports included.
    pub lines: u32,
    /// Packets sent to live for so many devices only, to learn the way.
    #[serde(skip_serializing_if = "is_zero", default)]
    pub path_packets: u32,
    /// Proofs sent.
    pub sign_ins: u32,
    /// Sessions let in.
    pub sessions: u32,
    /// By server.
    pub servers: Vec<ServerContacts>,
}

#[allow(
    clippy::trivially_copy_pass_by_ref,
    reason = "the signature that serde asks for"
)]
fn is_zero(n: &u32) -> bool {
    *n == 0
}

/// What one server saw of it.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct ServerContacts {
    /// Its address; a socket file's path.
    pub address: String,
    /// Its port.
    pub port: Option<u16>,
    /// Lines opened.
    pub lines: u32,
    /// Proofs sent.
    pub sign_ins: u32,
}

/// Tries again and again.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Repeat {
    /// How often it was tried.
    pub runs: u32,
    /// How often it worked.
    pub working: u32,
}

/// How many requests were sent over those tries, and what became of them.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Counts {
    /// Requests that were sent, or were to be: one a try.
    pub sent: u32,
    /// Those that were answered.
    pub answered: u32,
    /// Those that were not.
    pub lost: u32,
}

pub(super) fn layers(assessment: &Assessment, log: &[Observation]) -> Vec<CaseLayer> {
    assessment
        .judgement
        .layers
        .iter()
        .map(|judged| CaseLayer {
            layer: judged.layer,
            outcome: judged.outcome,
            summary: judged.summary.to_string(),
            elapsed_us: judged.elapsed,
            facts: log
                .iter()
                .filter(|o| o.layer == judged.layer)
                .map(Observation::to_json)
                .collect(),
        })
        .collect()
}

pub(super) fn paths(assessment: &Assessment) -> Vec<CasePath> {
    assessment
        .judgement
        .paths
        .iter()
        .zip(&assessment.paths)
        .map(|(path, first)| CasePath {
            address: place_of(&path.endpoint).0,
            port: place_of(&path.endpoint).1,
            symptom: first.symptom.map(|s| s.to_string()),
            cause: first.cause.map(|id| id.as_str().to_owned()),
            probability: first.probability,
            layers: path
                .layers
                .iter()
                .map(|l| PathLayer {
                    layer: l.layer,
                    outcome: l.outcome,
                })
                .collect(),
        })
        .collect()
}

pub(super) fn redirect(place: &PlaceVerdict) -> CaseRedirect {
    let layer = |judged: &LayerJudgement| RedirectLayer {
        layer: judged.layer,
        outcome: judged.outcome,
        summary: judged.summary.to_string(),
        elapsed_us: judged.elapsed,
    };
    CaseRedirect {
        host: place.host.clone(),
        port: place.port,
        instance: place.instance.clone(),
        symptom: place.symptom.map(|symptom| symptom.to_string()),
        cause: place.cause.as_ref().map(|(id, _)| id.clone()),
        probability: place.cause.as_ref().map(|(_, probability)| *probability),
        layers: place.layers.iter().map(layer).collect(),
    }
}

pub(super) fn contacts(log: &[Observation], touched: &Touched) -> Contacts {
    let mut contacts = Contacts {
        lookups: touched.lookups,
        lines: u32::try_from(touched.lines.len()).unwrap_or(u32::MAX),
        path_packets: touched.steps,
        ..Contacts::default()
    };
    for endpoint in &touched.lines {
        server(&mut contacts.servers, endpoint).lines += 1;
    }
    for endpoint in &touched.other_sign_ins {
        contacts.sign_ins += 1;
        server(&mut contacts.servers, endpoint).sign_ins += 1;
    }
    contacts.sessions += touched.other_sessions;
    for (endpoint, count) in &touched.many_lines {
        contacts.lines += count;
        server(&mut contacts.servers, endpoint).lines += count;
    }
    for (endpoint, count) in &touched.many_sign_ins {
        contacts.sign_ins += count;
        server(&mut contacts.servers, endpoint).sign_ins += count;
    }
    for observation in log {
        let about = &observation.about;
        match observation.fact() {
            Some(Fact::ProofSent) => {
                contacts.sign_ins += 1;
                if let Some(endpoint) = Endpoint::of(about) {
                    server(&mut contacts.servers, &endpoint).sign_ins += 1;
                }
            }
            Some(Fact::SessionReady | Fact::RepairTried { accepted: true, .. }) => {
                contacts.sessions += 1;
            }
            _ => {}
        }
    }
    contacts
}

fn place_of(endpoint: &Endpoint) -> (String, Option<u16>) {
    match endpoint {
        Endpoint::Tcp(to) => (to.ip().to_string(), Some(to.port())),
        Endpoint::Socket(path) => (path.clone(), None),
    }
}

fn server<'a>(servers: &'a mut Vec<ServerContacts>, endpoint: &Endpoint) -> &'a mut ServerContacts {
    let (address, port) = place_of(endpoint);
    let same = |s: &ServerContacts| s.address == address && s.port == port;
    let index = servers.iter().position(same).unwrap_or(servers.len());
    if index == servers.len() {
        servers.push(ServerContacts {
            address,
            port,
            lines: 0,
            sign_ins: 0,
        });
    }
    #[allow(
        clippy::indexing_slicing,
        reason = "an entry stands there: just found or just added"
    )]
    &mut servers[index]
}
