//! A survey of settings for people: each connection with what was found about it, then
//! where descriptions differ.

use std::io::{self, Write};

use anstyle::Style;
use chronaxis_diagnosis::survey::{Described, Differing, Finding, LookedAt, Stale, Survey};
use chronaxis_diagnosis::verdict::State;
use chronaxis_model::redact::visible;
use chronaxis_model::settings::Weight;
use chronaxis_model::sourced::Origin;

use super::page::{BAD, BOLD, DIM, GOOD, LOOK, WIDTH, entry, styled_entry};
use super::text::marks::marked;

/// The whole survey.
pub(crate) fn survey(out: &mut impl Write, survey: &Survey) -> io::Result<()> {
    let mut file = "";
    for connection in &survey.connections {
        if connection.file != file {
            if !file.is_empty() {
                writeln!(out)?;
            }
            file = &connection.file;
            writeln!(out, "{BOLD}{}{BOLD:#}", visible(file))?;
        }
        described(out, connection)?;
    }
    for trouble in &survey.troubles {
        writeln!(out)?;
        let place = trouble.place.as_ref().and_then(|p| p.whereabouts());
        writeln!(out, "{BOLD}{}{BOLD:#}", visible(&place.unwrap_or_default()))?;
        found(out, trouble)?;
    }
    for differing in &survey.disagreements {
        writeln!(out)?;
        disagreement(out, differing)?;
    }
    if let Some(running) = &survey.running {
        writeln!(out)?;
        processes(out, running)?;
    }
    if !survey.connections.is_empty() {
        writeln!(out)?;
    }
    title(out, survey)?;
    if let Some(fix) = survey
        .verdict
        .fix
        .first()
        .filter(|_| survey.verdict.cause.is_some())
    {
        entry(out, "first", &visible(fix))?;
    }
    looked_at(out, &survey.looked_at)
}

fn title(out: &mut impl Write, survey: &Survey) -> io::Result<()> {
    let (word, style) = match survey.verdict.state {
        State::Working => ("NOTHING WRONG", GOOD),
        State::Broken => ("FAULTS", BAD),
        State::Undecided => ("TO BE TESTED", LOOK),
    };
    let line = "─".repeat(WIDTH.saturating_sub(word.len() + 1));
    writeln!(out, "{style}{word}{style:#} {DIM}{line}{DIM:#}")?;
    for text in textwrap::wrap(&survey.verdict.headline, WIDTH - 2) {
        writeln!(out, "  {text}")?;
    }
    Ok(())
}

fn described(out: &mut impl Write, connection: &Described) -> io::Result<()> {
    let target = &connection.target;
    let engine = match connection.engine_told {
        true => chronaxis_engines::title(target.engine),
        false => "engine not given",
    };
    let waits = |subject: &str| {
        let of_it = connection
            .unknown
            .iter()
            .find(|u| u.subject == subject || u.subject == "string");
        of_it.map(|u| match u.variables.as_slice() {
            [] => "(not given here)".to_owned(),
            names => format!("({})", names.join(", ")),
        })
    };
    let place = match target.ends.split_first() {
        Some((first, [])) => visible(&first.to_string()),
        Some((first, rest)) => format!("{} and {} more", visible(&first.to_string()), rest.len()),
        None => waits("host")
            .or_else(|| waits("port"))
            .unwrap_or_else(|| "no usable host".to_owned()),
    };
    let user = target
        .user
        .as_deref()
        .map(visible)
        .or_else(|| waits("user"));
    let user = user.map_or_else(String::new, |user| format!(" as {user}"));
    let database = target
        .database
        .as_deref()
        .map(visible)
        .or_else(|| waits("database"));
    let database = database.map_or_else(String::new, |d| format!(", database {d}"));
    let line = format!(
        "{}: {engine} at {place}{user}{database}",
        visible(&connection.name)
    );
    let indent = textwrap::Options::new(WIDTH)
        .initial_indent("  ")
        .subsequent_indent("      ")
        .word_splitter(textwrap::WordSplitter::NoHyphenation);
    for text in textwrap::wrap(&line, indent) {
        writeln!(out, "{text}")?;
    }
    let form = target.secret.form.as_ref();
    let is_empty = form.is_some_and(|f| f.characters == 0);
    let secret = match (&target.secret.shape, waits("password")) {
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
    let more = format!("line {}; {secret}{}", connection.line, visible(&others));
    let indent = textwrap::Options::new(WIDTH)
        .initial_indent("      ")
        .subsequent_indent("      ")
        .word_splitter(textwrap::WordSplitter::NoHyphenation);
    for text in textwrap::wrap(&more, indent) {
        writeln!(out, "{DIM}{text}{DIM:#}")?;
    }
    for finding in &connection.findings {
        found(out, finding)?;
    }
    Ok(())
}

fn file_of(origin: &Origin) -> Option<&str> {
    match origin {
        Origin::File { file, .. } => Some(file),
        _ => None,
    }
}

fn style_of(weight: Weight) -> Style {
    match weight {
        Weight::Fault => BAD,
        Weight::Doubt | Weight::Caution => LOOK,
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

fn found(out: &mut impl Write, finding: &Finding) -> io::Result<()> {
    let style = style_of(finding.weight);
    styled_entry(
        out,
        label_of(finding.weight),
        &format!("{}: {}", finding.id, visible(&finding.text)),
        style,
    )?;
    if let Some(place) = &finding.place {
        if place.excerpt.is_empty() {
            if let Some(whereabouts) = place.whereabouts() {
                entry(out, "where", &visible(&whereabouts))?;
            }
        } else {
            marked(out, place)?;
            if let Some(whereabouts) = place.whereabouts() {
                entry(out, "", &visible(&whereabouts))?;
            }
        }
    }
    entry(out, "expected", &visible(&finding.expected))?;
    if let Some(mended) = &finding.mended {
        entry(out, "write", &visible(mended))?;
    }
    Ok(())
}

fn disagreement(out: &mut impl Write, differing: &Differing) -> io::Result<()> {
    writeln!(
        out,
        "{LOOK}different{LOOK:#}: {BOLD}{}{BOLD:#} is described in {} places",
        visible(&differing.about),
        differing.connections.len()
    )?;
    for field in &differing.fields {
        let mut key = field.field.clone();
        if let Some(likeness) = &field.likeness {
            let text = match likeness.as_str() {
                "differs-by-outer-blanks-or-case" => {
                    "differs only in outer spaces or case".to_owned()
                }
                other => other.replace('-', " "),
            };
            entry(out, &key, &text)?;
            key = String::new();
        }
        for said in &field.values {
            let places: Vec<String> = said.places.iter().map(short).collect();
            let value = visible(&said.value);
            let gap = if value.chars().count() < 28 {
                " ".repeat(28 - value.chars().count())
            } else {
                " ".to_owned()
            };
            entry(
                out,
                &key,
                &format!("{value}{gap}{}", visible(&places.join(", "))),
            )?;
            key = String::new();
        }
    }
    Ok(())
}

/// `file:line`, or what there is instead.
fn short(origin: &Origin) -> String {
    match origin {
        Origin::File { file, line, .. } => format!("{file}:{line}"),
        other => other.shown(),
    }
}

fn processes(out: &mut impl Write, running: &[Stale]) -> io::Result<()> {
    if running.is_empty() {
        return writeln!(
            out,
            "{DIM}no visible process was started before one of these files changed{DIM:#}"
        );
    }
    for process in running {
        let text = format!(
            "process {} ({}) was started {} and reads {} from {}, which changed {}",
            process.pid,
            visible(&process.command),
            process.started,
            visible(&process.file),
            visible(&process.by),
            process.changed
        );
        styled_entry(
            out,
            label_of(Weight::Doubt),
            &format!("settings-not-reloaded: {text}"),
            LOOK,
        )?;
        if let Some(twin) = process.fresh_twin {
            entry(
                out,
                "",
                &format!(
                    "process {twin} of the same program was started after it: probably two copies of the same service"
                ),
            )?;
        }
    }
    Ok(())
}

fn looked_at(out: &mut impl Write, seen: &LookedAt) -> io::Result<()> {
    let plural =
        |n: usize, one: &str, many: &str| format!("{n} {}", if n == 1 { one } else { many });
    let mut parts = vec![format!(
        "{}, {} read",
        plural(seen.files, "file", "files"),
        seen.read
    )];
    let mut passed = |n: usize, what: String| {
        if n > 0 {
            parts.push(what);
        }
    };
    passed(seen.binaries, plural(seen.binaries, "binary", "binaries"));
    passed(seen.too_large, format!("{} over 2 MB", seen.too_large));
    passed(
        seen.special,
        plural(seen.special, "pipe or device", "pipes or devices"),
    );
    passed(
        seen.links_out,
        plural(
            seen.links_out,
            "link out of the tree",
            "links out of the tree",
        ),
    );
    passed(
        seen.ignored,
        format!(
            "{} left out by ignore files (--all looks there)",
            seen.ignored
        ),
    );
    entry(out, "seen", &parts.join("; "))?;
    for line in &seen.unreadable {
        entry(out, "not read", &visible(line))?;
    }
    Ok(())
}
