//! What listens on this machine, as a table.

use std::io::{self, Write};

use chronaxis_diagnosis::case::Vantage;
use chronaxis_diagnosis::listed::{Listed, Listeners};
use chronaxis_diagnosis::verdict::State;
use chronaxis_model::fact::{Held, Spoke};
use chronaxis_model::redact::visible;

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
        "{BOLD}{}{BOLD:#}\n{DIM}{} as {}, {when}{DIM:#}\n",
        document.verdict.headline.trim_end_matches('.'),
        visible(&vantage.host),
        visible(&vantage.user)
    )?;
    if document.verdict.state == State::Undecided || document.listeners.is_empty() {
        return Ok(());
    }
    let speaks = if asked { "speaks" } else { "" };
    let head = columns([
        "listens on",
        "account",
        "program",
        "reached",
        "queue",
        speaks,
    ]);
    writeln!(out, "{DIM}{head}{DIM:#}")?;
    for one in &document.listeners {
        line(out, one, asked)?;
    }
    let hidden = document.listeners.iter().any(|l| l.held == Held::Unknown);
    if hidden || !document.also_found.is_empty() {
        writeln!(out)?;
    }
    for found in &document.also_found {
        let text = format!("{}: {}", found.id, visible(&found.text));
        styled_entry(out, "note", &text, LOOK)?;
    }
    if hidden {
        let text = match vantage.user.as_str() {
            "root" => "no process on this system holds these: look in other containers",
            _ => "only the administrator can see the programs of other accounts",
        };
        entry(out, "unknown", text)?;
    }
    Ok(())
}

/// Where the columns of a line begin, within the width of the page.
const COLUMNS: [usize; 6] = [2, 24, 34, 50, 61, 67];

/// A line of the table. What is too long for its column has the rest of its line to itself.
fn columns(cells: [&str; 6]) -> String {
    let mut line = String::new();
    let mut at = 0;
    for (cell, start) in cells.iter().zip(COLUMNS) {
        if at > 0 && at >= start {
            line.push('\n');
            at = 0;
        }
        line.push_str(&" ".repeat(start - at));
        line.push_str(cell);
        at = start + cell.chars().count();
    }
    line.trim_end().to_owned()
}

fn line(out: &mut impl Write, one: &Listed, asked: bool) -> io::Result<()> {
    let user = one.user.as_deref().map(visible).unwrap_or_default();
    let program = match (&one.program, one.process) {
        (Some(program), Some(id)) => format!("{program} {id}"),
        _ => "unknown".to_owned(),
    };
    let reached = match one.address {
        None => "here",
        Some(_) if one.loopback_only => "here",
        Some(ip) if ip.is_unspecified() => "anywhere",
        Some(_) => "by address",
    };
    let queue = one.waiting.map_or_else(String::new, |n| n.to_string());
    let speaks = match (one.speaks, one.spoke) {
        _ if !asked => "",
        (Some(service), _) => chronaxis_engines::speaks(service),
        (None, Some(Spoke::Answered)) => "unknown",
        (None, Some(Spoke::Closed)) => "closes",
        (None, Some(Spoke::Silent)) => "says nothing",
        (None, None) => "",
    };
    let place = one.place();
    let cells = [&place, &user, &program, reached, &queue, speaks];
    writeln!(out, "{}", columns(cells))
}
