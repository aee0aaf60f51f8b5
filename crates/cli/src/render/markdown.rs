//! A report as Markdown (CommonMark with tables), for a ticket or a wiki page.
//!
//! Whatever comes from outside stands in code or is escaped: it must not become a link, a
//! heading or a tag of the page.

use std::io::{self, Write};

use chronaxis_diagnosis::report::{
    Block, Body, Entry, LayerLine, Piece, Section, Table, Topic, VerdictLine,
};

/// A whole report; several follow one another on one page.
pub(crate) fn page(out: &mut dyn Write, blocks: &[Block]) -> io::Result<()> {
    for block in blocks {
        if let Block::Head { title, .. } = block {
            writeln!(out, "# {}\n", line(title))?;
        }
    }
    // Who reads a ticket wants to know first how it stands.
    for block in blocks {
        if let Block::Verdict(found) = block {
            verdict(out, found)?;
        }
    }
    for block in blocks {
        if let Block::Head { remark, .. } = block {
            writeln!(out, "{}.", plain(remark))?;
        }
    }
    let layers: Vec<&LayerLine> = blocks
        .iter()
        .filter_map(|block| match block {
            Block::Layer(line) => Some(line),
            _ => None,
        })
        .collect();
    table_of_layers(out, &layers)?;
    for block in blocks {
        match block {
            Block::Section(found) => section(out, found)?,
            Block::Table(found) => table(out, found)?,
            _ => {}
        }
    }
    Ok(())
}

fn table(out: &mut dyn Write, found: &Table) -> io::Result<()> {
    let line = |out: &mut dyn Write, cells: &[String]| {
        let cells: Vec<String> = cells.iter().map(|cell| plain(cell)).collect();
        writeln!(out, "| {} |", cells.join(" | "))
    };
    let heads: Vec<String> = found.columns.iter().map(|c| c.title.to_owned()).collect();
    writeln!(out)?;
    line(out, &heads)?;
    writeln!(out, "|{}", "---|".repeat(heads.len()))?;
    found.rows.iter().try_for_each(|cells| line(out, cells))
}

fn verdict(out: &mut dyn Write, found: &VerdictLine) -> io::Result<()> {
    let place = match found.place.is_empty() {
        true => String::new(),
        false => format!(" {}", plain(&found.place)),
    };
    let headline = match found.headline.is_empty() {
        true => ".".to_owned(),
        false => format!(": {}", plain(&found.headline)),
    };
    writeln!(out, "**{}{place}{headline}**\n", found.state)?;
    if let Some(cause) = &found.cause {
        let owner = found.owner.map_or_else(String::new, |owner| {
            format!(", to be fixed by {}", plain(owner))
        });
        let sure = plain(&found.certainty);
        writeln!(out, "Likely cause: {} ({sure}){owner}.\n", code(cause))?;
    }
    Ok(())
}

fn table_of_layers(out: &mut dyn Write, layers: &[&LayerLine]) -> io::Result<()> {
    if layers.is_empty() {
        return Ok(());
    }
    writeln!(out, "\n| layer | outcome | time | what was seen |")?;
    writeln!(out, "|---|---|---:|---|")?;
    for line in layers {
        let time = line.elapsed.map(|e| e.to_string()).unwrap_or_default();
        let (layer, outcome) = (line.layer, line.outcome.as_str());
        let summary = plain(&line.summary);
        writeln!(out, "| {layer} | {outcome} | {time} | {summary} |")?;
    }
    Ok(())
}

fn section(out: &mut dyn Write, section: &Section) -> io::Result<()> {
    writeln!(out, "\n## {}\n", section.topic.title())?;
    match section.topic {
        Topic::Message => quoted(out, &section.entries),
        // Their heading says what their one key says.
        Topic::Next | Topic::Contacts => said(out, &section.entries, ""),
        Topic::Fix | Topic::Warnings => said(out, &section.entries, "- "),
        _ => section.entries.iter().try_for_each(|one| entry(out, one)),
    }
}

/// The texts without their keys, each behind this mark.
fn said(out: &mut dyn Write, entries: &[Entry], mark: &str) -> io::Result<()> {
    for one in entries {
        match &one.body {
            Body::Text(text) => writeln!(out, "{mark}{}", plain(text))?,
            Body::Command(command) => writeln!(out, "\n    {command}")?,
            _ => entry(out, one)?,
        }
    }
    Ok(())
}

/// What is to be sent on, as it stands.
fn quoted(out: &mut dyn Write, entries: &[Entry]) -> io::Result<()> {
    for one in entries {
        if let Body::Text(text) = &one.body {
            writeln!(out, "> {}", plain(text))?;
        }
    }
    Ok(())
}

/// A point of a list; what has no key goes on with the one before.
fn entry(out: &mut dyn Write, entry: &Entry) -> io::Result<()> {
    let lead = match entry.key.is_empty() {
        true => "  - ".to_owned(),
        // What stands under another one.
        false if entry.key.starts_with(' ') => format!("  - **{}** ", plain(entry.key.trim())),
        false => format!("- **{}** ", plain(&entry.key)),
    };
    match &entry.body {
        Body::Text(text) => writeln!(out, "{lead}{}", plain(text)),
        Body::Figure(figure, text) => writeln!(out, "{lead}{}: {}", plain(figure), plain(text)),
        Body::Value(value, by) => writeln!(out, "{lead}{}: {}", code(value), plain(by)),
        Body::Command(command) => writeln!(out, "\n      {command}"),
        Body::Marked { excerpt, .. } => writeln!(out, "{lead}{}", code(excerpt)),
        Body::Diff(lines) => lines
            .iter()
            .try_for_each(|line| writeln!(out, "      {line}")),
    }
}

fn line(pieces: &[Piece]) -> String {
    let text: String = pieces.iter().map(|p| p.text.as_str()).collect();
    plain(&text)
}

/// Text in which nothing is markup: the characters that could be are escaped.
fn plain(text: &str) -> String {
    let mut out = String::new();
    for c in text.chars() {
        if "\\`*_{}[]<>#|!&~".contains(c) {
            out.push('\\');
        }
        out.push(c);
    }
    out
}

/// Text as code. A backtick would end it, and stands for nothing in a host or a command.
fn code(text: &str) -> String {
    format!("`{}`", text.replace('`', "'"))
}
