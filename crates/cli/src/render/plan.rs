//! What a diagnosis would do, for people who want to know beforehand.

use std::io::{self, Write};

use chronaxis_diagnosis::walk::Step;
use chronaxis_model::redact::visible;
use chronaxis_model::target::ShownTarget;

use super::page::{BOLD, DIM, entry};
use super::text::places;

/// The target, then a line a step.
pub(crate) fn steps(out: &mut impl Write, target: &ShownTarget, steps: &[Step]) -> io::Result<()> {
    let label = visible(&target.label);
    let engine = chronaxis_engines::title(target.engine);
    writeln!(out, "{BOLD}{label}{BOLD:#}, {engine}{}", places(target))?;
    writeln!(
        out,
        "{DIM}as {} would connect; nothing is sent, this only lists what would be{DIM:#}\n",
        target.client.as_str()
    )?;
    for step in steps {
        let to = visible(&step.to);
        let when = visible(&step.when);
        let text = match to.is_empty() {
            true => when,
            false => format!("{to}: {when}"),
        };
        entry(out, kind(step), &text)?;
    }
    let password = match &target.secret.shape {
        Some(shape) => format!("hidden ({shape})"),
        None => "none given".to_owned(),
    };
    entry(out, "password", &visible(&password))
}

/// What people call a step.
fn kind(step: &Step) -> &'static str {
    match step.kind {
        "look-up" => "lookup",
        "line" => "connection",
        other => other,
    }
}
