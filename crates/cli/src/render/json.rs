//! The plan of a walk and the catalogue as JSON.

use std::io::{self, Write};

use chronaxis_diagnosis::knowledge::causes::{CAUSES, Cause, warning_words};
use chronaxis_diagnosis::walk::Step;
use chronaxis_model::document::to_json;
use chronaxis_model::found::Warning;
use chronaxis_model::target::ShownTarget;
use serde_json::json;

/// What a walk would do: one object a target; on one line where there are several.
pub(crate) fn plan(
    out: &mut impl Write,
    target: &ShownTarget,
    steps: &[Step],
    one_line: bool,
) -> io::Result<()> {
    let step = |step: &Step| json!({ "kind": step.kind, "to": step.to, "when": step.when });
    let plan = json!({
        "format": "chronaxis-plan",
        "version": 1,
        "tool": env!("CARGO_PKG_VERSION"),
        "target": target,
        "steps": steps.iter().map(step).collect::<Vec<_>>(),
    });
    writeln!(out, "{}", to_json(&plan, one_line)?)
}

/// The catalogue, or one entry of it.
pub(crate) fn catalogue(out: &mut impl Write, only: Option<&Cause>) -> io::Result<()> {
    let entry = |cause: &Cause| {
        json!({
            "id": cause.id.as_str(),
            "layer": cause.layer.as_str(),
            "owner": cause.owner,
            "headline": cause.headline,
            "looks": cause.looks,
            "told_apart": cause.told_apart,
            "fix": cause.fix,
        })
    };
    let causes: Vec<_> = match only {
        Some(one) => vec![entry(one)],
        None => CAUSES.iter().map(entry).collect(),
    };
    let caution = |id: &Warning| json!({ "id": id.as_str(), "text": warning_words(*id) });
    let cautions: Vec<_> = match only {
        Some(_) => Vec::new(),
        None => Warning::ALL.iter().map(caution).collect(),
    };
    let all = json!({
        "format": "chronaxis-causes",
        "version": 1,
        "tool": env!("CARGO_PKG_VERSION"),
        "causes": causes,
        "cautions": cautions,
    });
    writeln!(out, "{}", to_json(&all, false)?)
}
