//! What a diagnosis would do, for people who want to know beforehand.

use std::io::{self, Write};

use chronaxis_core::redact::visible;
use chronaxis_core::target::{End, ShownTarget};
use chronaxis_core::walk::Step;

use super::page::{BOLD, DIM, entry};

/// The target, then a line a step.
pub(crate) fn steps(out: &mut impl Write, target: &ShownTarget, steps: &[Step]) -> io::Result<()> {
    let ends: Vec<String> = target.ends.iter().map(End::to_string).collect();
    let label = visible(&target.label);
    let places = visible(&ends.join(", "));
    let engine = target.engine.title();
    writeln!(out, "{BOLD}{label}{BOLD:#}, {engine} at {places}")?;
    writeln!(
        out,
        "{DIM}by the rules of {}; nothing is sent: this only says what would be{DIM:#}\n",
        target.client.as_str()
    )?;
    for step in steps {
        let to = visible(&step.to);
        let when = visible(&step.when);
        let text = match to.is_empty() {
            true => when,
            false => format!("{to}: {when}"),
        };
        entry(out, step.kind, &text)?;
    }
    let secret = &target.secret;
    let shape = secret.shape.as_deref().unwrap_or("none given");
    entry(
        out,
        "password",
        &visible(&format!("hidden ({shape})")).replace("hidden (none given)", "none given"),
    )
}
