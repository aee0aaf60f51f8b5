//! The scenes as they were played and recorded (`scripts/record-scenes`): what was told,
//! asked and seen, and what must be concluded. The inference is tested on these, so that a
//! word of the table rebuilds nothing but this crate; a test of the lab keeps them current.

use std::sync::LazyLock;

use chronaxis_diagnosis::case::{Case, Vantage};
use chronaxis_diagnosis::judge::Scope;
use chronaxis_diagnosis::verdict::State;
use chronaxis_diagnosis::walk::Touched;
use chronaxis_model::fact::Observation;
use chronaxis_model::target::ShownTarget;
use serde_json::{Map, Value};

/// One scene, played.
pub struct Recorded {
    pub id: String,
    pub state: State,
    pub cause: Option<String>,
    pub target: ShownTarget,
    pub scope: Scope,
    pub log: Vec<Observation>,
}

impl Recorded {
    /// Judged by the table of today.
    pub fn case(&self) -> Case {
        Case::new(
            self.target.clone(),
            self.scope.clone(),
            &self.log,
            &Touched::default(),
            Vantage::default(),
            "recorded",
        )
    }
}

/// All of them.
pub fn scenes() -> &'static [Recorded] {
    static ALL: LazyLock<Vec<Recorded>> =
        LazyLock::new(|| include_str!("../scenes.jsonl").lines().map(read).collect());
    &ALL
}

/// The one of this name.
pub fn scene(id: &str) -> &'static Recorded {
    let found = scenes().iter().find(|scene| scene.id == id);
    found.unwrap_or_else(|| panic!("no recorded scene {id}"))
}

fn read(line: &str) -> Recorded {
    let mut value: Value = serde_json::from_str(line).expect("a line is JSON");
    let log = value["log"].take();
    let log = log.as_array().expect("a log").iter().map(|entry| {
        let mut entry: Map<String, Value> = entry.as_object().expect("a fact").clone();
        let layer = entry.shift_remove("layer").expect("its layer");
        let layer = serde_json::from_value(layer).expect("a layer");
        Observation::from_json(layer, entry).expect("a fact")
    });
    let log = log.collect();
    Recorded {
        id: value["id"].as_str().expect("an id").to_owned(),
        state: serde_json::from_value(value["state"].take()).expect("a state"),
        cause: value["cause"].as_str().map(str::to_owned),
        target: serde_json::from_value(value["target"].take()).expect("a target"),
        scope: serde_json::from_value(value["scope"].take()).expect("a scope"),
        log,
    }
}
