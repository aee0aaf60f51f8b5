//! A look over settings: each connection with what was found about it, then where
//! descriptions differ.

use std::borrow::Cow;

use chronaxis_engines::by_id;
use chronaxis_model::redact::visible;
use chronaxis_model::settings::{Field, Weight};
use chronaxis_model::sourced::Origin;

use super::entries::Entries;
use super::{Block, Body, Item, Piece, Tone, Topic, VerdictLine, counted, marks};
use crate::survey::{Described, Differing, Finding, LookedAt, NamedFile, Stale, Survey};
use crate::verdict::State;

/// The whole survey.
pub fn report(survey: &Survey) -> Vec<Block> {
    let mut out = Vec::new();
    let mut file = "";
    for connection in &survey.connections {
        if connection.file != file {
            file = &connection.file;
            out.push(Block::Group(vec![Piece::strong(visible(file))]));
        }
        out.push(described(connection));
    }
    for trouble in &survey.troubles {
        let place = trouble.place.as_ref().and_then(|p| p.whereabouts());
        let place = visible(&place.unwrap_or_default());
        out.push(Block::Group(vec![Piece::strong(place)]));
        let mut entries = Entries::default();
        finding(&mut entries, trouble);
        out.extend(entries.section(Topic::Notes));
    }
    for differing in &survey.disagreements {
        out.extend(disagreement(differing));
    }
    if let Some(running) = &survey.running {
        out.push(processes(running));
    }
    out.push(Block::Verdict(verdict(survey)));
    let mut notes = Entries::default();
    let first = survey.verdict.fix.first();
    if let Some(fix) = first.filter(|_| survey.verdict.cause.is_some()) {
        notes.text("first", visible(fix));
    }
    looked_at(&mut notes, &survey.looked_at);
    out.extend(notes.section(Topic::Notes));
    out
}

fn verdict(survey: &Survey) -> VerdictLine {
    let (state, tone) = match survey.verdict.state {
        State::Working => ("NOTHING WRONG", Tone::Good),
        State::Broken => ("FAULTS", Tone::Bad),
        State::Undecided => ("TO BE TESTED", Tone::Look),
    };
    VerdictLine {
        state,
        tone,
        place: String::new(),
        certainty: Cow::Borrowed(""),
        headline: visible(&survey.verdict.headline),
        cause: None,
        owner: None,
    }
}

/// What a value waits for, where it is not known without a run.
fn waits(connection: &Described, subject: &str) -> Option<String> {
    let of_it = connection
        .unknown
        .iter()
        .find(|u| u.subject.as_str() == subject || u.subject == Field::STRING);
    of_it.map(|u| match u.variables.as_slice() {
        [] => "(not given here)".to_owned(),
        names => format!("({})", names.join(", ")),
    })
}

fn described(connection: &Described) -> Block {
    let target = &connection.target;
    let engine = match connection.engine_told {
        true => chronaxis_engines::title(target.engine),
        false => "engine not given",
    };
    let place = match target.ends.split_first() {
        Some((first, [])) => visible(&first.to_string()),
        Some((first, rest)) => format!("{} and {} more", visible(&first.to_string()), rest.len()),
        None => waits(connection, "host")
            .or_else(|| waits(connection, "port"))
            .unwrap_or_else(|| "no usable host".to_owned()),
    };
    let value = |told: &Option<String>, subject| {
        let told = told.as_deref().map(visible);
        told.or_else(|| waits(connection, subject))
    };
    let user = value(&target.user, "user");
    let user = user.map_or_else(String::new, |user| format!(" as {user}"));
    let database = value(&target.database, "database");
    let word = by_id(target.engine).spec.database_word;
    let database = database.map_or_else(String::new, |d| format!(", {word} {d}"));
    let name = visible(&connection.name);
    let mut entries = Entries::default();
    for file in &connection.files {
        named(&mut entries, file);
    }
    for found in &connection.findings {
        finding(&mut entries, found);
    }
    Block::Item(Item {
        title: vec![Piece::plain(format!(
            "{name}: {engine} at {place}{user}{database}"
        ))],
        remarks: vec![remark(connection)],
        entries: entries.into_inner(),
    })
}

/// A file with certificates or a key.
fn named(out: &mut Entries, file: &NamedFile) {
    let path = visible(&file.path);
    let place = match &file.lies_at {
        None if !file.path.starts_with('/') => format!("{path}, which is not found here"),
        None => format!("{path}, which is not on this machine"),
        Some(at) if *at == file.path => path,
        Some(at) => format!("{path}, which is {} here", visible(at)),
    };
    let holds = match file.holds.as_slice() {
        [] => String::new(),
        some => format!(": {}", some.join("; ")),
    };
    out.text(file.option.clone(), format!("{place}{holds}"));
}

/// The line, the password's shape, and the other files that have a part in it.
fn remark(connection: &Described) -> String {
    let target = &connection.target;
    let form = target.secret.form.as_ref();
    let is_empty = form.is_some_and(|f| f.characters == 0);
    let secret = match (&target.secret.shape, waits(connection, "password")) {
        (Some(_), _) if is_empty => "password empty".to_owned(),
        (Some(shape), _) => format!("password hidden ({})", visible(shape)),
        (None, Some(from)) => format!("password {from}"),
        (None, None) => "no password".to_owned(),
    };
    let from = target
        .origins
        .values()
        .filter_map(file_of)
        .filter(|f| *f != connection.file);
    let mut others: Vec<&str> = from.collect();
    others.dedup();
    let others = match others.is_empty() {
        true => String::new(),
        false => format!("; also from {}", others.join(", ")),
    };
    format!("line {}; {secret}{}", connection.line, visible(&others))
}

fn file_of(origin: &Origin) -> Option<&str> {
    match origin {
        Origin::File { file, .. } => Some(file),
        _ => None,
    }
}

fn tone_of(weight: Weight) -> Tone {
    match weight {
        Weight::Fault => Tone::Bad,
        Weight::Doubt | Weight::Caution => Tone::Look,
    }
}

/// What people call a weight.
fn label_of(weight: Weight) -> &'static str {
    match weight {
        Weight::Fault => "fault",
        Weight::Doubt => "to test",
        Weight::Caution => "warning",
    }
}

fn finding(out: &mut Entries, finding: &Finding) {
    let text = format!("{}: {}", finding.id, visible(&finding.text));
    out.toned(label_of(finding.weight), text, tone_of(finding.weight));
    if let Some(place) = &finding.place {
        let key = match place.excerpt.is_empty() {
            true => "where",
            false => {
                marks::marked(out, place);
                ""
            }
        };
        if let Some(whereabouts) = place.whereabouts() {
            out.text(key, visible(&whereabouts));
        }
    }
    out.text("expected", visible(&finding.expected));
    if let Some(mended) = &finding.mended {
        out.text("write", visible(mended));
    }
}

fn disagreement(differing: &Differing) -> Vec<Block> {
    let mut entries = Entries::default();
    for field in &differing.fields {
        let mut key = field.field.clone();
        if let Some(likeness) = &field.likeness {
            let text = match likeness.as_str() {
                "differs-by-outer-blanks-or-case" => {
                    "differs only in outer spaces or case".to_owned()
                }
                other => other.replace('-', " "),
            };
            entries.text(std::mem::take(&mut key), text);
        }
        for said in &field.values {
            let places: Vec<String> = said.places.iter().map(short).collect();
            let body = Body::Value(visible(&said.value), visible(&places.join(", ")));
            entries.add(std::mem::take(&mut key), body, Tone::Plain);
        }
    }
    let title = vec![
        Piece::new("different", Tone::Look),
        Piece::plain(": "),
        Piece::strong(visible(&differing.about)),
        Piece::plain(format!(
            " is described in {} places",
            differing.connections.len()
        )),
    ];
    std::iter::once(Block::Group(title))
        .chain(entries.section(Topic::Notes))
        .collect()
}

/// `file:line`, or what there is instead.
fn short(origin: &Origin) -> String {
    match origin {
        Origin::File { file, line, .. } => format!("{file}:{line}"),
        other => other.shown(),
    }
}

fn processes(running: &[Stale]) -> Block {
    if running.is_empty() {
        let none = "no visible process was started before one of these files changed";
        return Block::Remark(none.to_owned());
    }
    let mut out = Entries::default();
    for process in running {
        let text = format!(
            "settings-not-reloaded: process {} ({}) was started {} and reads {} from {}, which changed {}",
            process.pid,
            visible(&process.command),
            process.started,
            visible(&process.file),
            visible(&process.by),
            process.changed
        );
        out.toned(label_of(Weight::Doubt), text, Tone::Look);
        if let Some(twin) = process.fresh_twin {
            let text = format!(
                "process {twin} of the same program was started after it: probably two copies of the same service"
            );
            out.text("", text);
        }
    }
    Block::Section(super::Section {
        topic: Topic::Notes,
        entries: out.into_inner(),
    })
}

fn looked_at(out: &mut Entries, seen: &LookedAt) {
    let files = counted(seen.files, "file", "files");
    let passed = [
        (seen.binaries, counted(seen.binaries, "binary", "binaries")),
        (seen.too_large, format!("{} over 2 MB", seen.too_large)),
        (
            seen.special,
            counted(seen.special, "pipe or device", "pipes or devices"),
        ),
        (
            seen.links_out,
            counted(
                seen.links_out,
                "link out of the tree",
                "links out of the tree",
            ),
        ),
        (
            seen.ignored,
            format!(
                "{} left out by ignore files (--all looks there)",
                seen.ignored
            ),
        ),
    ];
    let passed = passed.into_iter().filter(|(n, _)| *n > 0);
    let parts: Vec<String> = std::iter::once(format!("{files}, {} read", seen.read))
        .chain(passed.map(|(_, words)| words))
        .collect();
    out.text("seen", parts.join("; "));
    for line in &seen.unreadable {
        out.text("not read", visible(line));
    }
}
