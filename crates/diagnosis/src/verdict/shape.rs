//! What a verdict consists of.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use chronaxis_model::found::CauseId;
use chronaxis_model::layer::Layer;
use chronaxis_model::settings::Place;

use super::network::NetworkReport;
use crate::judge::optional_symptom_schema;
use crate::knowledge::causes::{self, Owner};
use crate::knowledge::questions::Word;

/// How it stands.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum State {
    /// Everything asked for succeeded.
    Working,
    /// It failed, and one cause stands out.
    Broken,
    /// It failed and none does, or it could not be tested to the end from here.
    Undecided,
}

impl State {
    /// The word for it in outputs.
    pub fn as_str(self) -> &'static str {
        match self {
            State::Working => "working",
            State::Broken => "broken",
            State::Undecided => "undecided",
        }
    }
}

/// A test to make next.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct NextTest {
    /// The question that it answers.
    pub question: String,
    /// What to do, and what each outcome would mean.
    pub what: String,
    /// A command for it, where there is one.
    pub command: Option<String>,
}

/// The verdict.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct Verdict {
    /// How it stands.
    pub state: State,
    /// The last layer that was asked for and can be reached.
    pub as_far_as: Layer,
    /// Where it stopped.
    pub seen_at: Option<Layer>,
    /// How it stopped: `port/silent`.
    #[schemars(schema_with = "optional_symptom_schema")]
    pub symptom: Option<String>,
    /// The first cause.
    #[schemars(schema_with = "causes::optional_id_schema")]
    pub cause: Option<String>,
    /// Where the cause belongs.
    pub layer: Option<Layer>,
    /// The first cause's probability.
    pub probability: Option<f64>,
    /// One sentence.
    pub headline: String,
    /// Who can fix it.
    pub owner: Option<Owner>,
    /// What to do.
    pub fix: Vec<String>,
    /// The ready paragraph for whoever can fix it.
    pub handover: Option<String>,
    /// What a network team needs, where one may have to act.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub network: Option<Box<NetworkReport>>,
    /// What to test next.
    pub next_test: Option<NextTest>,
}

impl Verdict {
    /// Whether its first cause is this one.
    pub fn is(&self, cause: CauseId) -> bool {
        self.cause.as_deref() == Some(cause.as_str())
    }

    /// How it stands, and no more.
    pub(crate) fn bare(state: State, as_far_as: Layer, headline: String) -> Verdict {
        Verdict {
            state,
            as_far_as,
            seen_at: None,
            symptom: None,
            cause: None,
            layer: None,
            probability: None,
            headline,
            owner: None,
            fix: Vec::new(),
            handover: None,
            network: None,
            next_test: None,
        }
    }
}

/// An answer that moved a cause.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct Moved {
    /// The question.
    pub question: String,
    /// Its answer.
    pub answer: String,
    /// By how much.
    pub factor: f64,
    /// What was seen.
    pub text: String,
}

impl Moved {
    /// Whether it is this answer.
    pub fn is(&self, answer: impl Into<Word>) -> bool {
        let answer = answer.into();
        self.question == answer.question().as_str() && self.answer == answer.as_str()
    }
}

/// A cause in the running, as it is shown.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct ShownCause {
    /// Its id.
    #[schemars(schema_with = "causes::id_schema")]
    pub id: String,
    /// Where it belongs.
    pub layer: Layer,
    /// Who can fix it.
    pub owner: Option<Owner>,
    /// Its probability.
    pub probability: f64,
    /// Answers that speak for it.
    #[serde(rename = "for")]
    pub speaks_for: Vec<Moved>,
    /// Answers that speak against it.
    pub against: Vec<Moved>,
}

impl ShownCause {
    /// Whether it is this one.
    pub fn is(&self, cause: CauseId) -> bool {
        self.id == cause.as_str()
    }
}

/// A cause that is out.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct RuledOut {
    /// Its id.
    #[schemars(schema_with = "causes::id_schema")]
    pub id: String,
    /// The answer that rules it out.
    pub because: Because,
}

/// Why a cause is out.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct Because {
    /// The question.
    pub question: String,
    /// Its answer.
    pub answer: String,
    /// What was seen.
    pub text: String,
}

/// Something else that was seen on the way.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct AlsoFound {
    /// Its id, of a cause or a caution.
    #[schemars(schema_with = "causes::finding_schema")]
    pub id: String,
    /// Where it belongs.
    pub layer: Layer,
    /// What it is.
    pub text: String,
    /// Where in the settings.
    pub place: Option<Place>,
}

/// When and where a run was made, for the hand-over's words.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Occasion {
    /// When it began, RFC 3339, UTC.
    pub started: String,
    /// The machine's name.
    pub host: String,
}
