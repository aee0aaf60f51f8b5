//! What listens on this machine, as a table.

use std::io::{self, Write};

use chronaxis_core::case::Vantage;
use chronaxis_core::fact::{Held, Spoke};
use chronaxis_core::listed::{Listed, Listeners};
use chronaxis_core::redact::visible;
use chronaxis_core::verdict::State;

use super::page::{BOLD, DIM, LOOK, entry, styled_entry};

/// A header, a line each, and the remarks.
pub(crate) fn table(
    out: &mut impl Write,
    document: &Listeners,
    vantage: &Vantage,
    asked: bool,
) -> io::Result<()> {
    let when = vantage.started.replace('T', " ").replace('Z', " UTC");
    writeln!(
        out,
        "{BOLD}{}{BOLD:#} {DIM}on {} as {}, {when}{DIM:#}\n",
        document.verdict.headline.trim_end_matches('.'),
        visible(&vantage.host),
        visible(&vantage.user)
    )?;
    if document.verdict.state == State::Undecided || document.listeners.is_empty() {
        return Ok(());
    }
    let speaks = if asked { "speaks" } else { "" };
    writeln!(
        out,
        "  {DIM}{:<30}{:<12}{:<18}{:<9}{speaks}{DIM:#}",
        "listens on", "account", "program", "reached"
    )?;
    for one in &document.listeners {
        line(out, one, asked)?;
    }
    let hidden = document.listeners.iter().any(|l| l.held == Held::Unknown);
    if hidden || !document.also_found.is_empty() {
        writeln!(out)?;
    }
    for found in &document.also_found {
        let text = format!("{}: {}", found.id, visible(&found.text));
        styled_entry(out, "look", &text, LOOK)?;
    }
    if hidden {
        entry(
            out,
            "unknown",
            "programs of other accounts are told to the administrator only",
        )?;
    }
    Ok(())
}

fn line(out: &mut impl Write, one: &Listed, asked: bool) -> io::Result<()> {
    let user = one.user.as_deref().map(visible).unwrap_or_default();
    let program = match (&one.program, one.process) {
        (Some(program), Some(id)) => format!("{program} {id}"),
        _ => "unknown".to_owned(),
    };
    let reached = match (&one.socket, one.loopback_only) {
        (Some(_), _) => "here",
        (None, true) => "here",
        (None, false) => "anywhere",
    };
    let place = one.place();
    write!(out, "  {place:<29} {user:<11} {program:<17} {reached:<8}")?;
    if asked {
        let what = match (one.speaks, one.spoke) {
            (Some(service), _) => bare(service.title()),
            (None, Some(Spoke::Answered)) => "something else",
            (None, Some(Spoke::Closed)) => "nothing: it closes",
            (None, Some(Spoke::Silent)) => "nothing",
            (None, None) => "",
        };
        write!(out, " {what}")?;
    }
    writeln!(out)
}

/// A service's name in a column.
fn bare(title: &str) -> &str {
    let title = title.strip_prefix("an ").or(title.strip_prefix("a "));
    title.unwrap_or_default()
}
