//! The case: all of a run in one JSON document, the only thing that commands hand to each
//! other. The types of the document stand apart from those of the domain.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use serde_json::{Map, Value};

use chronaxis_model::endpoint::Endpoint;
use chronaxis_model::fact::{Fact, InstanceMet, Observation, Subject};
use chronaxis_model::layer::{Layer, Micros, Outcome};
use chronaxis_model::target::ShownTarget;

use crate::judge::{Evidence, LayerJudgement, Scope, optional_symptom_schema};
use crate::knowledge::{self, causes};
use crate::schema::schema_of;
use crate::sides::{Side, sides};
use crate::verdict::{
    AlsoFound, Assessment, Occasion, PlaceVerdict, RuledOut, ShownCause, Verdict, assess,
};
use crate::walk::Touched;

/// The name of the format.
pub const FORMAT: &str = "chronaxis-case";

/// The version of the format; fields are only ever added within one.
pub const VERSION: u32 = 1;

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

/// The document.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct Case {
    /// `chronaxis-case`.
    pub format: String,
    /// The format's version.
    pub version: u32,
    /// The program's version.
    pub tool: String,
    /// The fingerprint of the table by which it was judged.
    pub knowledge: String,
    /// What was told.
    pub target: ShownTarget,
    /// What was asked.
    pub scope: Scope,
    /// From where.
    pub vantage: Vantage,
    /// All nine layers, in order.
    pub layers: Vec<CaseLayer>,
    /// Each path by itself.
    pub paths: Vec<CasePath>,
    /// The places to which the client was sent on, in order.
    #[serde(skip_serializing_if = "Vec::is_empty", default)]
    pub redirects: Vec<CaseRedirect>,
    /// What each side says of the sign-in.
    #[serde(skip_serializing_if = "Vec::is_empty", default)]
    pub sign_in: Vec<Side>,
    /// How often it was tried, and how often it worked.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub repeat: Option<Repeat>,
    /// What became of the requests, where it was tried again and again.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub counts: Option<Counts>,
    /// The instances that answered, where it was tried again and again.
    #[serde(skip_serializing_if = "Vec::is_empty", default)]
    pub instances: Vec<InstanceMet>,
    /// What was touched.
    pub contacts: Contacts,
    /// The verdict.
    pub verdict: Verdict,
    /// The causes in the running.
    pub causes: Vec<ShownCause>,
    /// The causes that are out.
    pub ruled_out: Vec<RuledOut>,
    /// What else was seen.
    pub also_found: Vec<AlsoFound>,
    /// Fields of another version.
    #[serde(flatten)]
    #[schemars(skip)]
    pub extra: Map<String, Value>,
}

/// A fact of the log, for the schema: one of this version, or of another, which a reader
/// keeps as it is.
#[derive(JsonSchema)]
#[serde(untagged)]
#[allow(
    dead_code,
    clippy::large_enum_variant,
    reason = "it is never made: it describes what `Observation::to_json` writes"
)]
enum FactEntry {
    /// One of this version.
    Known {
        /// What it is about.
        about: Subject,
        /// When it was made, counted from the beginning of the run.
        at_us: Micros,
        #[serde(flatten)]
        fact: Fact,
    },
    /// One of another version.
    Unknown {
        /// Its tag.
        fact: String,
    },
}

/// The JSON Schema of the document (draft 2020-12), made from these types.
pub fn schema() -> Value {
    schema_of::<Case>(FORMAT)
}

/// Why a text is no case.
#[derive(Debug, thiserror::Error)]
pub enum NotACase {
    /// It is no JSON, or lacks a field.
    #[error("this is not a case: {0}")]
    Unreadable(#[from] serde_json::Error),
    /// Another format.
    #[error("the format is \"{0}\"; expected \"chronaxis-case\"")]
    OtherFormat(String),
    /// A later version.
    #[error("the case is of version {0}; this program reads version 1")]
    OtherVersion(u32),
    /// An engine that this program does not know.
    #[error("the case is of the engine \"{0}\", which this program does not know")]
    UnknownEngine(&'static str),
    /// A fact without a tag.
    #[error("{0}")]
    Fact(String),
}

impl Case {
    /// Judges what was seen and lays it out.
    pub fn new(
        target: ShownTarget,
        scope: Scope,
        log: &[Observation],
        touched: &Touched,
        vantage: Vantage,
        tool: &str,
    ) -> Case {
        let occasion = occasion(&vantage);
        let evidence = Evidence {
            target: &target,
            scope: &scope,
            log,
        };
        let assessment = assess(evidence, &occasion);
        let repeats = evidence.facts().find_map(|(_, fact)| match fact {
            Fact::Repeated(all) => Some(all),
            _ => None,
        });
        let contacts = contacts(log, touched);
        let layers = layers(&assessment, log);
        let paths = paths(&assessment);
        Case {
            format: FORMAT.to_owned(),
            version: VERSION,
            tool: tool.to_owned(),
            knowledge: knowledge::fingerprint(),
            layers,
            paths,
            redirects: assessment.redirects.iter().map(redirect).collect(),
            sign_in: sides(evidence),
            repeat: repeats.map(|all| Repeat {
                runs: all.runs,
                working: all.working,
            }),
            counts: repeats.and_then(|all| {
                let answered = all.answered?;
                Some(Counts {
                    sent: all.runs,
                    answered,
                    lost: all.runs.saturating_sub(answered),
                })
            }),
            instances: repeats.map_or_else(Vec::new, |all| all.instances.clone()),
            contacts,
            verdict: assessment.verdict,
            causes: assessment.causes,
            ruled_out: assessment.ruled_out,
            also_found: assessment.also_found,
            target,
            scope,
            vantage,
            extra: Map::new(),
        }
    }

    /// Reads a saved case.
    ///
    /// # Errors
    /// Says why it is none of this format and version.
    pub fn read(text: &str) -> Result<Case, NotACase> {
        let value: Value = serde_json::from_str(text)?;
        let format = value.get("format").and_then(Value::as_str).unwrap_or("");
        if format != FORMAT {
            return Err(NotACase::OtherFormat(format.to_owned()));
        }
        let version = value.get("version").and_then(Value::as_u64).unwrap_or(0);
        if version != u64::from(VERSION) {
            let version = u32::try_from(version).unwrap_or(u32::MAX);
            return Err(NotACase::OtherVersion(version));
        }
        let case: Case = serde_json::from_value(value)?;
        let engine = case.target.engine;
        match chronaxis_engines::find(engine) {
            Some(_) => Ok(case),
            None => Err(NotACase::UnknownEngine(engine.as_str())),
        }
    }

    /// The log, as it was.
    ///
    /// # Errors
    /// Names an entry that is no fact of any version.
    pub fn log(&self) -> Result<Vec<Observation>, NotACase> {
        let mut log = Vec::new();
        for layer in &self.layers {
            for entry in &layer.facts {
                let read = Observation::from_json(layer.layer, entry.clone());
                log.push(read.map_err(NotACase::Fact)?);
            }
        }
        log.sort_by_key(|o| o.at);
        Ok(log)
    }

    /// The same facts judged again, by the table of this program.
    ///
    /// # Errors
    /// As [`Case::log`].
    pub fn judged_again(&self) -> Result<Assessment, NotACase> {
        let log = self.log()?;
        let evidence = Evidence {
            target: &self.target,
            scope: &self.scope,
            log: &log,
        };
        Ok(assess(evidence, &occasion(&self.vantage)))
    }
}

fn occasion(vantage: &Vantage) -> Occasion {
    Occasion {
        started: vantage.started.clone(),
        host: vantage.host.clone(),
    }
}

fn layers(assessment: &Assessment, log: &[Observation]) -> Vec<CaseLayer> {
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

fn paths(assessment: &Assessment) -> Vec<CasePath> {
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

fn redirect(place: &PlaceVerdict) -> CaseRedirect {
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

fn contacts(log: &[Observation], touched: &Touched) -> Contacts {
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
