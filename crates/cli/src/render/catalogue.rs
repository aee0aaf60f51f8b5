//! The catalogue of causes.

use std::io::{self, Write};

use chronaxis_diagnosis::knowledge::causes::{CAUSES, Cause, Owner};
use chronaxis_model::layer::Layer;

use super::page::{BOLD, DIM, entry};

/// All of them, a line each, under their layers.
pub(crate) fn all(out: &mut impl Write) -> io::Result<()> {
    for layer in Layer::ALL {
        let mut of_layer = CAUSES
            .iter()
            .filter(|c| c.layer == layer && c.owner.is_some())
            .peekable();
        if of_layer.peek().is_none() {
            continue;
        }
        writeln!(out, "{BOLD}{layer}{BOLD:#}")?;
        for cause in of_layer {
            let owner = cause.owner.map_or("", Owner::as_str);
            writeln!(out, "  {:<30} {DIM}{owner}{DIM:#}", cause.id)?;
        }
    }
    writeln!(out, "{BOLD}any{BOLD:#}\n  something-else")?;
    writeln!(
        out,
        "\nchronaxis causes ID explains what one looks like and how to tell it apart."
    )
}

/// One of them, whole.
pub(crate) fn one(out: &mut impl Write, cause: &Cause) -> io::Result<()> {
    writeln!(out, "{BOLD}{}{BOLD:#}", cause.id)?;
    entry(out, "what", cause.headline)?;
    entry(out, "layer", cause.layer.as_str())?;
    entry(out, "looks like", cause.looks)?;
    entry(out, "told apart", cause.told_apart)?;
    entry(
        out,
        "fixed by",
        cause.owner.map_or("nobody in particular", Owner::title),
    )?;
    for (i, fix) in cause.fix.iter().enumerate() {
        entry(out, if i == 0 { "fix" } else { "" }, fix)?;
    }
    Ok(())
}
