//! The recorded scenes, on which the inference is tested, are those of today: played again,
//! each shows the same symptom and gives the same answers. `scripts/record-scenes` plays
//! and records them anew.

use std::collections::BTreeMap;

use chronaxis_diagnosis::case::Case;
use chronaxis_diagnosis::judge::{Evidence, Scope, at_the_deciding_place};
use chronaxis_diagnosis::verdict::{answers_for, decisive_view};
use chronaxis_lab::scene::Scene;
use chronaxis_model::fact::Observation;
use chronaxis_model::target::ShownTarget;
use serde_json::{Value, json};

const FILE: &str = concat!(
    env!("CARGO_MANIFEST_DIR"),
    "/../diagnosis/tests/scenes.jsonl"
);

fn recorded(scene: &Scene, case: &Case) -> Value {
    let log = case.log().unwrap();
    let log: Vec<Value> = log
        .iter()
        .map(|observation| {
            let mut entry = observation.to_json();
            entry.insert("layer".to_owned(), json!(observation.layer));
            Value::Object(entry)
        })
        .collect();
    json!({
        "id": scene.id,
        "state": scene.expected.state,
        "cause": scene.expected.cause,
        "target": case.target,
        "scope": case.scope,
        "log": log,
    })
}

/// What the inference goes by: the symptom, the answers, and what must come of them.
fn gist(value: &Value) -> String {
    let target: ShownTarget = serde_json::from_value(value["target"].clone()).unwrap();
    let scope: Scope = serde_json::from_value(value["scope"].clone()).unwrap();
    let entries = value["log"].as_array().unwrap().iter();
    let log: Vec<Observation> = entries
        .map(|entry| {
            let mut entry = entry.as_object().unwrap().clone();
            let layer = serde_json::from_value(entry.shift_remove("layer").unwrap()).unwrap();
            Observation::from_json(layer, entry).unwrap()
        })
        .collect();
    let evidence = Evidence {
        target: &target,
        scope: &scope,
        log: &log,
    };
    let truth = format!("{} {}", value["state"], value["cause"]);
    let found = at_the_deciding_place(evidence, |evidence, judgement| {
        let symptom = judgement.status.symptom?;
        Some((
            symptom,
            answers_for(&decisive_view(evidence, judgement), symptom),
        ))
    });
    let Some((symptom, answers)) = found else {
        return truth;
    };
    let words: Vec<String> = answers
        .iter()
        .map(|(question, answer)| format!("{} {}", question.as_str(), answer.word))
        .collect();
    format!("{truth} {symptom}: {}", words.join(", "))
}

#[test]
fn the_recorded_scenes_are_those_of_today() {
    let fresh: Vec<Value> = chronaxis_lab::scenes::all()
        .iter()
        .map(|scene| {
            let case = chronaxis_lab::rehearsal::case_of(scene).unwrap();
            recorded(scene, &case)
        })
        .collect();
    if std::env::var_os("CHRONAXIS_RECORD").is_some() {
        let text: String = fresh.iter().map(|value| format!("{value}\n")).collect();
        std::fs::write(FILE, text).unwrap();
    }
    let kept = std::fs::read_to_string(FILE).unwrap();
    let kept: BTreeMap<String, String> = kept
        .lines()
        .map(|line| serde_json::from_str(line).unwrap())
        .map(|value: Value| (value["id"].to_string(), gist(&value)))
        .collect();
    let today: BTreeMap<String, String> = fresh
        .iter()
        .map(|value| (value["id"].to_string(), gist(value)))
        .collect();
    let other: Vec<&String> = today
        .iter()
        .filter(|(id, gist)| kept.get(*id) != Some(gist))
        .map(|(id, _)| id)
        .collect();
    assert!(
        other.is_empty() && kept.len() == today.len(),
        "not as recorded: {other:?}; run scripts/record-scenes, read what changed, commit it"
    );
}
