//! What a diagnosis would do, for people who want to know beforehand.

use std::io::{self, Write};

use chronaxis_core::redact::visible;
use chronaxis_core::target::ShownTarget;
use chronaxis_core::walk::Step;

use super::page::{BOLD, DIM, entry};
use super::text::places;

/// The target, then a line a step.
pub(crate) fn steps(out: &mut impl Write, target: &ShownTarget, steps: &[Step]) -> io::Result<()> {
    let label = visible(&target.label);
    let engine = target.engine.title();
    writeln!(out, "{BOLD}{label}{BOLD:#}, {engine}{}", places(target))?;
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
    let password = match &target.secret.shape {
        Some(shape) => format!("hidden ({shape})"),
        None => "none given".to_owned(),
    };
    entry(out, "password", &visible(&password))
}
