//! The case: all of a run in one JSON document, the only thing that commands hand to each
//! other. The types of the document stand apart from those of the domain.

mod parts;

pub use parts::{
    CaseLayer, CasePath, CaseRedirect, Contacts, Counts, PathLayer, RedirectLayer, Repeat,
    ServerContacts, Vantage,
};

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use serde_json::{Map, Value};

use chronaxis_model::fact::{Fact, InstanceMet, Observation, Subject};
use chronaxis_model::layer::Micros;
use chronaxis_model::target::ShownTarget;

use crate::judge::{Evidence, Scope};
use crate::knowledge;
use crate::schema::schema_of;
use crate::sides::{Side, sides};
use crate::verdict::{AlsoFound, Assessment, Occasion, RuledOut, ShownCause, Verdict, assess};
use crate::walk::Touched;

/// The name of the format.
pub const FORMAT: &str = "chronaxis-case";

/// The version of the format; fields are only ever added within one.
pub const VERSION: u32 = 1;

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
        let contacts = parts::contacts(log, touched);
        let layers = parts::layers(&assessment, log);
        let paths = parts::paths(&assessment);
        Case {
            format: FORMAT.to_owned(),
            version: VERSION,
            tool: tool.to_owned(),
            knowledge: knowledge::fingerprint(),
            layers,
            paths,
            redirects: assessment.redirects.iter().map(parts::redirect).collect(),
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
