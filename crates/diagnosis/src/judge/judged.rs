//! What a judgement says.

use chronaxis_model::endpoint::Endpoint;
use chronaxis_model::layer::{Layer, Micros, Outcome};

use super::summary::Summary;
use super::symptom::Symptom;

/// How one layer ended.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct LayerJudgement {
    /// The layer.
    pub layer: Layer,
    /// How it ended.
    pub outcome: Outcome,
    /// The one fact that matters.
    pub summary: Summary,
    /// The time that it took.
    pub elapsed: Option<Micros>,
}

impl LayerJudgement {
    pub(super) fn new(
        layer: Layer,
        outcome: Outcome,
        summary: impl Into<Summary>,
    ) -> LayerJudgement {
        LayerJudgement {
            layer,
            outcome,
            summary: summary.into(),
            elapsed: None,
        }
    }

    pub(super) fn taking(mut self, elapsed: Micros) -> LayerJudgement {
        self.elapsed = Some(elapsed);
        self
    }
}

/// How an attempt stands.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Status {
    /// How it stopped; none where it did not fail.
    pub symptom: Option<Symptom>,
    /// The way is clear up to a point that could not be tested from here: this layer.
    pub untold: Option<Layer>,
}

impl Status {
    /// Whether everything asked for succeeded.
    pub fn works(&self) -> bool {
        self.symptom.is_none() && self.untold.is_none()
    }
}

/// One path, judged.
#[derive(Clone, Debug)]
pub struct JudgedPath {
    /// Which path.
    pub endpoint: Endpoint,
    /// From route to session.
    pub layers: Vec<LayerJudgement>,
    /// How it stands.
    pub status: Status,
    /// Whether the walk went on over this path.
    pub walked: bool,
    /// Whether this client would take its session only if it finds no better one.
    pub second_choice: bool,
    /// Which of the target's ends it leads to.
    pub host: usize,
    /// Whether this client would ever take it.
    pub taken: bool,
}

/// Everything, judged.
#[derive(Clone, Debug)]
pub struct Judgement {
    /// All nine layers, joined over the paths.
    pub layers: Vec<LayerJudgement>,
    /// Each path by itself, in the client's order.
    pub paths: Vec<JudgedPath>,
    /// The names that gave no address, with what came of each, in the client's order.
    pub lost_names: Vec<LostName>,
    /// How the whole attempt stands.
    pub status: Status,
    /// The path that decides; none where no path was reached.
    pub decisive: Option<usize>,
}

/// A name that gave no address.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct LostName {
    /// Which of the target's ends it is.
    pub host: usize,
    /// The name.
    pub name: String,
    /// What came of it.
    pub symptom: Symptom,
}
