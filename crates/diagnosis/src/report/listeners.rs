//! What listens on a machine: a header, a row each, and the remarks.

use chronaxis_model::fact::{Held, Spoke};
use chronaxis_model::redact::visible;

use super::entries::Entries;
use super::{Block, Column, Piece, Table, Tone, Topic, moment};
use crate::case::Vantage;
use crate::listed::{Listed, Listeners};
use crate::verdict::State;

/// The report; `asked` where each was asked what it speaks.
pub fn report(document: &Listeners, vantage: &Vantage, asked: bool) -> Vec<Block> {
    let headline = document.verdict.headline.trim_end_matches('.');
    let (host, user) = (visible(&vantage.host), visible(&vantage.user));
    let mut out = vec![Block::Head {
        title: vec![Piece::strong(headline)],
        remark: format!("{host} as {user}, {}", moment(&vantage.started)),
    }];
    if document.verdict.state == State::Undecided || document.listeners.is_empty() {
        return out;
    }
    let column = |title, width| Column {
        title,
        width,
        tone: Tone::Plain,
    };
    let mut columns = vec![
        column("listens on", 21),
        column("account", 9),
        column("program", 15),
        column("reached", 10),
        column("queue", 5),
    ];
    if asked {
        columns.push(column("speaks", 12));
    }
    out.push(Block::Table(Table {
        columns,
        rows: document.listeners.iter().map(|l| row(l, asked)).collect(),
        folded: false,
    }));
    let mut notes = Entries::default();
    for found in &document.also_found {
        let text = format!("{}: {}", found.id, visible(&found.text));
        notes.toned("note", text, Tone::Look);
    }
    if document.listeners.iter().any(|l| l.held == Held::Unknown) {
        let text = match vantage.user.as_str() {
            "root" => "no process on this system holds these: look in other containers",
            _ => "only the administrator can see the programs of other accounts",
        };
        notes.text("unknown", text);
    }
    out.extend(notes.section(Topic::Notes));
    out
}

fn row(one: &Listed, asked: bool) -> Vec<String> {
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
    let speaks = match (one.speaks, one.spoke) {
        (Some(service), _) => chronaxis_engines::speaks(service),
        (None, Some(Spoke::Answered)) => "unknown",
        (None, Some(Spoke::Closed)) => "closes",
        (None, Some(Spoke::Silent)) => "says nothing",
        (None, None) => "",
    };
    let mut cells = vec![
        one.place(),
        one.user.as_deref().map(visible).unwrap_or_default(),
        program,
        reached.to_owned(),
        one.waiting.map_or_else(String::new, |n| n.to_string()),
    ];
    if asked {
        cells.push(speaks.to_owned());
    }
    cells
}
