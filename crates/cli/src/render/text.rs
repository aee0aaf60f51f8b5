//! A report for people at a terminal.

mod targets;

use std::io::{self, Write};

use anstyle::Style;
use chronaxis_diagnosis::report::{
    Block, Body, Column, Entry, Item, LayerLine, Piece, Section, Table, Topic, VerdictLine,
};
use chronaxis_model::layer::Outcome;

use super::page::{
    BAD, BOLD, DIM, GOOD, KEYS, WIDTH, bar, broken, broken_under, command, entry, figure, pieces,
    style, tint,
};

/// Where a layer's text begins.
const TEXT_AT: usize = 39;

/// How many columns a value has before it is told who says so.
const VALUE: usize = 28;

/// A report while it is laid out, block by block.
#[derive(Debug, Default)]
pub(crate) struct Text {
    before: Before,
}

/// What stands before the next block.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
enum Before {
    #[default]
    Nothing,
    Head,
    Layer,
    Verdict,
    Section(Topic),
    Group,
    Other,
}

/// Sections that belong together have no line between them.
fn room(topic: Topic) -> u8 {
    match topic {
        Topic::Session => 0,
        Topic::Redirects | Topic::Lasting | Topic::Said | Topic::Log | Topic::Place => 1,
        Topic::Reasons => 2,
        Topic::Certificate | Topic::Fix | Topic::Message | Topic::Network | Topic::Next => 3,
        Topic::Warnings | Topic::Addresses | Topic::Sources | Topic::Contacts => 4,
        Topic::Lists => 2,
        Topic::Change => 6,
        Topic::Notes => 5,
    }
}

impl Text {
    /// Lays out the next block.
    pub(crate) fn block(&mut self, out: &mut dyn Write, block: &Block) -> io::Result<()> {
        if self.stands_apart(block) {
            writeln!(out)?;
        }
        let before = self.before;
        self.before = kind(block);
        match block {
            Block::Head { title, remark } => head(out, title, remark),
            Block::Layer(line) => layer(out, line, before == Before::Head),
            Block::Verdict(line) => verdict(out, line),
            Block::Section(section) => entries(out, &section.entries),
            Block::Group(title) => pieces(out, title),
            Block::Item(one) => item(out, one),
            Block::Table(all) => table(out, all),
            Block::Target(line) => targets::line(out, line),
            Block::Summary(summary) => targets::summary(out, summary),
            Block::Remark(text) => remark(out, text),
        }
    }

    /// All of a report.
    pub(crate) fn blocks(&mut self, out: &mut dyn Write, blocks: &[Block]) -> io::Result<()> {
        blocks.iter().try_for_each(|block| self.block(out, block))
    }

    /// Whether an empty line stands before a block.
    fn stands_apart(&self, block: &Block) -> bool {
        match (self.before, block) {
            // A head ends with an empty line.
            (Before::Nothing | Before::Head, _) => false,
            (Before::Group, Block::Section(_) | Block::Item(_) | Block::Table(_)) => false,
            (Before::Verdict, Block::Section(section)) => {
                !matches!(section.topic, Topic::Session | Topic::Notes)
            }
            (Before::Section(last), Block::Section(Section { topic, .. })) => {
                room(last) != room(*topic) || *topic == Topic::Place
            }
            (Before::Layer, Block::Layer(_)) => false,
            (Before::Other, Block::Item(_) | Block::Target(_)) => false,
            _ => true,
        }
    }
}

fn kind(block: &Block) -> Before {
    match block {
        Block::Head { .. } => Before::Head,
        Block::Layer(_) => Before::Layer,
        Block::Verdict(_) => Before::Verdict,
        Block::Section(section) => Before::Section(section.topic),
        Block::Group(_) => Before::Group,
        Block::Item(_)
        | Block::Table(_)
        | Block::Target(_)
        | Block::Summary(_)
        | Block::Remark(_) => Before::Other,
    }
}

fn head(out: &mut dyn Write, title: &[Piece], remark: &str) -> io::Result<()> {
    pieces(out, title)?;
    self::remark(out, remark)?;
    writeln!(out)
}

fn remark(out: &mut dyn Write, text: &str) -> io::Result<()> {
    for line in broken(text, WIDTH) {
        writeln!(out, "{DIM}{line}{DIM:#}")?;
    }
    Ok(())
}

fn layer(out: &mut dyn Write, line: &LayerLine, first: bool) -> io::Result<()> {
    if first && line.timed {
        writeln!(out, "{:29}{DIM}0.1ms 15s{DIM:#}", "")?;
    }
    let tint = tint(line.outcome);
    let word = match line.outcome {
        Outcome::Fault => "FAULT",
        other => other.as_str(),
    };
    let time = line.elapsed.map(|e| e.to_string()).unwrap_or_default();
    let weak = matches!(line.outcome, Outcome::Unreached | Outcome::Untested);
    let style = if weak { DIM } else { Style::new() };
    let lines = broken(&line.summary, WIDTH - TEXT_AT);
    let first = lines.first().map_or("", String::as_str);
    write!(out, "  {:<8} {tint}{word}{tint:#}", line.layer)?;
    if !first.is_empty() {
        let gap = " ".repeat(9 - word.len());
        let bar = match line.timed {
            true => bar(line.elapsed),
            false => " ".repeat(9),
        };
        write!(
            out,
            "{gap} {time:>7} {tint}{bar}{tint:#} {style}{first}{style:#}"
        )?;
    }
    writeln!(out)?;
    let margin = " ".repeat(TEXT_AT);
    for more in lines.iter().skip(1) {
        writeln!(out, "{margin}{style}{more}{style:#}")?;
    }
    for fact in &line.facts {
        for line in broken_under(fact, WIDTH - 6, "", "  ") {
            writeln!(out, "      {DIM}{line}{DIM:#}")?;
        }
    }
    Ok(())
}

fn verdict(out: &mut dyn Write, line: &VerdictLine) -> io::Result<()> {
    let mut style = style(line.tone);
    style = style.bold();
    let place = match line.place.is_empty() {
        true => String::new(),
        false => format!(" {}", line.place),
    };
    let rule = WIDTH.saturating_sub(line.state.len() + place.len() + 1);
    let rule = "─".repeat(rule);
    writeln!(
        out,
        "{style}{}{style:#}{place} {DIM}{rule}{DIM:#}",
        line.state
    )?;
    let named = !line.certainty.is_empty();
    let margin = if named { KEYS } else { 2 };
    for (i, text) in broken(&line.headline, WIDTH - margin).iter().enumerate() {
        let key = if i == 0 { line.certainty.as_ref() } else { "" };
        let text_style = if named { BOLD } else { Style::new() };
        writeln!(
            out,
            "  {style}{key:<width$}{style:#}{text_style}{text}{text_style:#}",
            width = margin - 2
        )?;
    }
    if let Some(cause) = &line.cause {
        writeln!(out, "{:KEYS$}{style}{cause}{style:#}", "")?;
    }
    if let Some(owner) = line.owner {
        entry(out, "", &format!("to be fixed by {owner}"), Style::new())?;
    }
    Ok(())
}

fn entries(out: &mut dyn Write, all: &[Entry]) -> io::Result<()> {
    for Entry { key, body, tone } in all {
        let style = style(*tone);
        match body {
            Body::Text(text) => entry(out, key, text, style)?,
            Body::Figure(short, text) => figure(out, key, short, text)?,
            Body::Value(value, by) => {
                let gap = VALUE.saturating_sub(value.chars().count()).max(1);
                let text = format!("{value}{}{by}", " ".repeat(gap));
                entry(out, key, &text, style)?;
            }
            Body::Command(text) => command(out, text)?,
            Body::Diff(lines) => diff(out, key, lines)?,
            Body::Marked { excerpt, at, width } => {
                let (text, at) = window(excerpt, *at);
                entry(out, key, &text, Style::new())?;
                let room = WIDTH - KEYS - at.min(WIDTH - KEYS - 1);
                let mark = "^".repeat((*width).min(room));
                writeln!(out, "{}{BAD}{mark}{BAD:#}", " ".repeat(KEYS + at))?;
            }
        }
    }
    Ok(())
}

/// A change, line by line as it is: cut nowhere, for somebody may copy it.
fn diff(out: &mut dyn Write, key: &str, lines: &[String]) -> io::Result<()> {
    for (index, line) in lines.iter().enumerate() {
        let key = if index == 0 { key } else { "" };
        let head = ["--- ", "+++ ", "@@ "].iter().any(|h| line.starts_with(h));
        let style = match line.chars().next() {
            _ if head => DIM,
            Some('+') => GOOD,
            Some('-') => BAD,
            _ => Style::new(),
        };
        let lead = format!("  {key:<width$}", width = KEYS - 2);
        writeln!(out, "{DIM}{lead}{DIM:#}{style}{line}{style:#}")?;
    }
    Ok(())
}

/// The part of a long text round its mark, so that it fits on one line.
fn window(excerpt: &str, at: usize) -> (String, usize) {
    let room = WIDTH - KEYS - 1;
    let chars: Vec<char> = excerpt.chars().collect();
    if chars.len() <= room {
        return (excerpt.to_owned(), at);
    }
    let from = at.saturating_sub(room / 3).min(chars.len() - room);
    let mut text: String = chars.iter().skip(from).take(room).collect();
    if from > 0 {
        text = format!("…{}", text.chars().skip(1).collect::<String>());
    }
    (text, at - from)
}

fn item(out: &mut dyn Write, one: &Item) -> io::Result<()> {
    let title: String = one.title.iter().map(|p| p.text.as_str()).collect();
    for line in broken_under(&title, WIDTH, "  ", "      ") {
        writeln!(out, "{line}")?;
    }
    for remark in &one.remarks {
        for line in broken_under(remark, WIDTH, "      ", "      ") {
            writeln!(out, "{DIM}{line}{DIM:#}")?;
        }
    }
    entries(out, &one.entries)
}

/// A heading, where the columns have one, and a line for each row.
fn table(out: &mut dyn Write, all: &Table) -> io::Result<()> {
    let heads: Vec<&str> = all.columns.iter().map(|c| c.title).collect();
    if heads.iter().any(|head| !head.is_empty()) {
        row(out, &heads, &all.columns, Some(DIM))?;
    }
    for cells in &all.rows {
        if all.folded {
            folded_row(out, cells, &all.columns)?;
            continue;
        }
        let cells: Vec<&str> = cells.iter().map(String::as_str).collect();
        row(out, &cells, &all.columns, None)?;
    }
    Ok(())
}

/// A row whose cells go on below, each within its column.
fn folded_row(out: &mut dyn Write, cells: &[String], columns: &[Column]) -> io::Result<()> {
    let folded: Vec<Vec<String>> = cells
        .iter()
        .zip(columns)
        .map(|(cell, column)| broken_under(cell, column.width, "", ""))
        .collect();
    let lines = folded.iter().map(Vec::len).max().unwrap_or_default();
    for line in 0..lines {
        let part = |cell: &Vec<String>| cell.get(line).cloned().unwrap_or_default();
        let parts: Vec<String> = folded.iter().map(part).collect();
        let parts: Vec<&str> = parts.iter().map(String::as_str).collect();
        row(out, &parts, columns, None)?;
    }
    Ok(())
}

/// A row of a table. What is too long for its column has the rest of its line to itself.
fn row(
    out: &mut dyn Write,
    cells: &[&str],
    columns: &[Column],
    in_all: Option<Style>,
) -> io::Result<()> {
    let (mut at, mut start) = (0, 2);
    for (cell, column) in cells.iter().zip(columns) {
        if at > 0 && at >= start {
            writeln!(out)?;
            at = 0;
        }
        if !cell.is_empty() {
            let style = in_all.unwrap_or(style(column.tone));
            write!(out, "{}{style}{cell}{style:#}", " ".repeat(start - at))?;
            at = start + cell.chars().count();
        }
        start += column.width + 1;
    }
    writeln!(out)
}
