//! What allow-lists say: the answer, each list with its rule, the cause, the smallest change.

use std::borrow::Cow;

use chronaxis_model::redact::visible;
use chronaxis_model::settings::Place;

use super::entries::Entries;
use super::to_do::to_do;
use super::{Block, Body, Column, Item, Piece, Table, Tone, Topic, VerdictLine};
use crate::allowlist::{Allowlist, ListAnswer, Pair, ShownAnswer, ShownDifference, ShownRule};

/// Most findings that are shown; JSON has all of them.
const MOST: usize = 8;

/// The report; with every rule that was passed over where `all` is wanted.
pub fn report(document: &Allowlist, all: bool) -> Vec<Block> {
    if let Some(pairs) = &document.matrix {
        return of_pairs(document, pairs);
    }
    if let Some(differences) = &document.between {
        return of_versions(document, differences);
    }
    let files: Vec<String> = document.lists.iter().map(|l| visible(&l.file)).collect();
    let (client, to) = (shown(document.client), shown(document.to));
    let title = format!("{client} to {to}");
    let mut out = vec![Block::Head {
        title: vec![Piece::strong(title)],
        remark: format!("by {}; {}", files.join(", "), touched(document)),
    }];
    out.extend(names(document));
    for list in &document.lists {
        out.extend(of_list(list, all));
    }
    out.push(Block::Verdict(verdict(document)));
    out.extend(to_do(&document.verdict));
    for change in &document.changes {
        let mut entries = Entries::default();
        let text = match change.purpose.as_str() {
            "let-in" => format!("the smallest that lets in {}", visible(&change.who)),
            _ => "the smallest that keeps the rest of the world out".to_owned(),
        };
        entries.text("change", text);
        let lines = change.diff.lines().map(visible).collect();
        entries.add("", Body::Diff(lines), Tone::Plain);
        if !change.commands.is_empty() {
            entries.text("or", "in the rules that are in force:");
        }
        for command in &change.commands {
            entries.command(command);
        }
        out.extend(entries.section(Topic::Change));
    }
    out.extend(found(document));
    out
}

/// What of the network was touched.
fn touched(document: &Allowlist) -> String {
    match document.names.len() {
        0 => "nothing was contacted".to_owned(),
        1 => "one name was looked up".to_owned(),
        n => format!("{n} names were looked up"),
    }
}

/// Most names that are shown.
const MOST_NAMES: usize = 8;

/// Where names in the lists lead.
fn names(document: &Allowlist) -> Option<Block> {
    let mut entries = Entries::default();
    for looked_up in document.names.iter().take(MOST_NAMES) {
        let to = match &looked_up.addresses {
            None => "no resolver answered".to_owned(),
            Some(none) if none.is_empty() => "no such name".to_owned(),
            Some(found) => {
                let found: Vec<String> = found.iter().map(ToString::to_string).collect();
                found.join(", ")
            }
        };
        entries.text("name", format!("{}: {to}", visible(&looked_up.name)));
    }
    entries.section(Topic::Contacts)
}

fn shown(value: Option<impl ToString>) -> String {
    value.map_or_else(String::new, |v| v.to_string())
}

/// Most pairs that are shown one by one.
const MOST_PAIRS: usize = 200;

/// Who reaches what: a row for each pair, those that do not first.
fn of_pairs(document: &Allowlist, pairs: &[Pair]) -> Vec<Block> {
    let column = |title, width| Column {
        title,
        width,
        tone: Tone::Plain,
    };
    let mut sorted: Vec<&Pair> = pairs.iter().collect();
    sorted.sort_by_key(|p| match p.answer {
        ShownAnswer::Denied => 0,
        ShownAnswer::Unknown => 1,
        ShownAnswer::Allowed => 2,
    });
    let rows = sorted.iter().take(MOST_PAIRS).map(|pair| {
        let line = pair
            .line
            .map_or_else(String::new, |n| format!(", line {n}"));
        vec![
            pair.client.to_string(),
            pair.to.to_string(),
            pair.answer.as_str().to_owned(),
            format!("{}{line}", visible(&pair.file)),
        ]
    });
    let mut out = vec![Block::Head {
        title: vec![Piece::strong("who reaches what")],
        remark: "by the rules in these files; nothing was contacted".to_owned(),
    }];
    out.push(Block::Table(Table {
        folded: false,
        columns: vec![
            column("client", 16),
            column("to", 22),
            column("answer", 8),
            column("by", 28),
        ],
        rows: rows.collect(),
    }));
    if let Some(more) = pairs.len().checked_sub(MOST_PAIRS + 1) {
        let text = format!(
            "and {} more pairs; --output csv or json lists all",
            more + 1
        );
        out.push(Block::Remark(text));
    }
    out.push(Block::Verdict(VerdictLine {
        state: match document.answer {
            ShownAnswer::Allowed => "ALL ALLOWED",
            ShownAnswer::Denied => "SOME DENIED",
            ShownAnswer::Unknown => "SOME UNKNOWN",
        },
        ..verdict(document)
    }));
    out
}

/// Most differences that are shown.
const MOST_DIFFERENCES: usize = 100;

/// Who gains and who loses.
fn of_versions(document: &Allowlist, differences: &[ShownDifference]) -> Vec<Block> {
    let mut out = vec![Block::Head {
        title: vec![Piece::strong("who gains and who loses access")],
        remark: "between two versions of a list; nothing was contacted".to_owned(),
    }];
    for one in differences.iter().take(MOST_DIFFERENCES) {
        let (verb, tone) = match one.change.as_str() {
            "gains" => ("gains access to", Tone::Good),
            "loses" => ("loses access to", Tone::Bad),
            _ => ("may differ on", Tone::Look),
        };
        let rule = |rule: &Option<ShownRule>| match rule {
            Some(rule) => placed(&rule.text, rule.place.as_ref()),
            None => "no rule".to_owned(),
        };
        let mut entries = Entries::default();
        entries.text("before", rule(&one.old));
        entries.text("after", rule(&one.new));
        out.push(Block::Item(Item {
            title: vec![Piece::new(
                format!("{}: {verb} port {}", one.clients, one.ports),
                tone,
            )],
            remarks: Vec::new(),
            entries: entries.into_inner(),
        }));
    }
    if let Some(more) = differences.len().checked_sub(MOST_DIFFERENCES + 1) {
        let text = format!("and {} more; --output csv or json lists all", more + 1);
        out.push(Block::Remark(text));
    }
    out.push(Block::Verdict(VerdictLine {
        state: match document.answer {
            ShownAnswer::Allowed => "THE SAME",
            _ => "DIFFERENT",
        },
        tone: match document.answer {
            ShownAnswer::Allowed => Tone::Good,
            _ => Tone::Look,
        },
        ..verdict(document)
    }));
    out
}

fn tone(answer: ShownAnswer) -> Tone {
    match answer {
        ShownAnswer::Allowed => Tone::Good,
        ShownAnswer::Denied => Tone::Bad,
        ShownAnswer::Unknown => Tone::Look,
    }
}

fn of_list(list: &ListAnswer, all: bool) -> Vec<Block> {
    let mut entries = Entries::default();
    let title = vec![
        Piece::strong(visible(&list.file)),
        Piece::new(format!("  {}  ", list.title), Tone::Weak),
        Piece::new(list.answer.as_str(), tone(list.answer)),
    ];
    if all {
        for passed in &list.passed {
            entries.text(
                "passed",
                placed(&passed.rule.text, passed.rule.place.as_ref()),
            );
            entries.text("", visible(&passed.why));
        }
    }
    match &list.rule {
        Some(rule) => {
            let key = match list.answer {
                ShownAnswer::Unknown => "open",
                _ => "decides",
            };
            entries.text(key, placed(&rule.text, rule.place.as_ref()));
        }
        None if list.answer == ShownAnswer::Unknown => {}
        None => entries.text("decides", "what the list does when no rule fits"),
    }
    entries.text("why", visible(&list.why));
    for remark in &list.remarks {
        entries.text("note", placed(&remark.text, remark.place.as_ref()));
    }
    let mut out = vec![Block::Group(title)];
    out.extend(entries.section(Topic::Lists));
    out
}

/// A text with its line, where it has one.
fn placed(text: &str, place: Option<&Place>) -> String {
    match place.and_then(|p| p.line) {
        Some(line) => format!("line {line}: {}", visible(text)),
        None => visible(text),
    }
}

fn verdict(document: &Allowlist) -> VerdictLine {
    let verdict = &document.verdict;
    VerdictLine {
        state: match document.answer {
            ShownAnswer::Allowed => "ALLOWED",
            ShownAnswer::Denied => "DENIED",
            ShownAnswer::Unknown => "CANNOT BE TOLD",
        },
        tone: tone(document.answer),
        place: String::new(),
        certainty: Cow::Borrowed(""),
        headline: visible(&verdict.headline),
        cause: verdict.cause.clone(),
        owner: verdict.owner.map(crate::knowledge::causes::Owner::title),
    }
}

fn found(document: &Allowlist) -> Option<Block> {
    let mut entries = Entries::default();
    for finding in document.findings.iter().take(MOST) {
        let place = finding.place.as_ref();
        let file = place.and_then(|p| p.file.as_deref());
        let line = place.and_then(|p| p.line);
        let place = match (file, line, document.lists.len()) {
            (_, Some(line), 1) => format!("line {line}: "),
            (Some(file), Some(line), _) => format!("{}, line {line}: ", visible(file)),
            _ => String::new(),
        };
        let text = format!(
            "{place}{} ({})",
            visible(&finding.text),
            finding.id.as_str()
        );
        entries.toned("also", text, Tone::Look);
    }
    if let Some(more) = document.findings.len().checked_sub(MOST + 1) {
        let text = format!("{} more; --output json lists all of them", more + 1);
        entries.text("also", text);
    }
    entries.section(Topic::Warnings)
}
