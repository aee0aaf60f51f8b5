//! A credential bundle: its files with what stands in them, for what they suffice, what is
//! wrong.

use std::borrow::Cow;

use chronaxis_model::redact::visible;

use super::entries::Entries;
use super::to_do::to_do;
use super::{Block, Piece, Tone, Topic, VerdictLine};
use crate::bundle::{BundleDocument, ShownItem, ShownObject};
use crate::verdict::State;

/// Most files that are shown one by one.
const MOST_FILES: usize = 60;

/// Most things of one file that are shown.
const MOST_OBJECTS: usize = 12;

/// The report; with everything that stands in certificates where `all` is wanted.
pub fn report(document: &BundleDocument, all: bool) -> Vec<Block> {
    let count = match document.items.len() {
        1 => "one file".to_owned(),
        n => format!("{n} files"),
    };
    let mut out = vec![Block::Head {
        title: vec![Piece::strong(document.path.clone())],
        remark: match &document.live {
            Some(live) => format!("{}, {count}; connected to {}", document.kind, live.server),
            None => format!("{}, {count}; nothing was contacted", document.kind),
        },
    }];
    for item in document.items.iter().take(MOST_FILES) {
        out.extend(of_item(item, all));
    }
    if let Some(more) = document.items.len().checked_sub(MOST_FILES + 1) {
        let text = format!("and {} more files; --output json lists all", more + 1);
        out.push(Block::Remark(text));
    }
    out.extend(uses(document));
    out.push(Block::Verdict(verdict(document)));
    out.extend(to_do(&document.verdict));
    out.extend(also(document));
    out
}

fn of_item(item: &ShownItem, all: bool) -> Vec<Block> {
    let mut title = vec![
        Piece::strong(item.path.clone()),
        Piece::new(format!("  {}", item.title), Tone::Weak),
    ];
    if let Some(mode) = &item.mode {
        title.push(Piece::new(format!("  {mode}"), Tone::Weak));
    }
    let mut entries = Entries::default();
    match item.locked.as_deref() {
        Some("untried") => entries.toned("locked", "with a passphrase; none was given", Tone::Look),
        Some("wrong") => entries.toned("locked", "the passphrase does not open it", Tone::Bad),
        Some(_) => entries.toned("locked", "in a way that is not opened here", Tone::Look),
        None => {}
    }
    for object in item.objects.iter().take(MOST_OBJECTS) {
        of_object(object, all, &mut entries);
    }
    if let Some(more) = item.objects.len().checked_sub(MOST_OBJECTS + 1) {
        entries.text("", format!("and {} more", more + 1));
    }
    let mut out = vec![Block::Group(title)];
    out.extend(entries.section(Topic::Lists));
    out
}

fn of_object(object: &ShownObject, all: bool, entries: &mut Entries) {
    let place = match (&object.name, object.line) {
        (Some(name), _) => format!("{}: ", visible(name)),
        (None, Some(line)) if line > 1 => format!("line {line}: "),
        _ => String::new(),
    };
    let tone = match object.what.as_str() {
        "damaged" => Tone::Bad,
        _ => Tone::Plain,
    };
    entries.toned("holds", format!("{place}{}", object.text), tone);
    let Some(certificate) = object.certificate.as_ref().filter(|_| all) else {
        return;
    };
    entries.text("", format!("subject {}", certificate.subject));
    entries.text("", format!("issuer {}", certificate.issuer));
    if !certificate.names.is_empty() {
        entries.text("", format!("for {}", certificate.names.join(", ")));
    }
    let purposes = match certificate.purposes.as_slice() {
        [] => "not said".to_owned(),
        some => some.join(", "),
    };
    entries.text(
        "",
        format!(
            "valid {} to {}; purpose: {purposes}; signed by {}",
            certificate.not_before, certificate.not_after, certificate.signed_by
        ),
    );
    entries.text("", format!("serial number {}", certificate.serial));
    entries.text("", format!("SHA-256 {}", certificate.fingerprint));
}

fn uses(document: &BundleDocument) -> Option<Block> {
    let mut entries = Entries::default();
    for one in &document.uses {
        match one.missing.as_slice() {
            [] => entries.toned("enough for", one.purpose.clone(), Tone::Good),
            some => entries.text(
                "not enough",
                format!("for {}: missing {}", one.purpose, some.join(", ")),
            ),
        }
    }
    for chain in &document.chains {
        let end = if chain.whole {
            ""
        } else {
            " → (issuer not in the bundle)"
        };
        entries.text("chain", format!("{}{end}", chain.subjects.join(" → ")));
    }
    for alias in &document.aliases {
        let to = alias.leads_to.as_deref().unwrap_or("nowhere");
        let line = alias.line.map_or(String::new(), |n| format!(", line {n}"));
        entries.text(
            "alias",
            format!("{}: {to} ({}{line})", alias.name, alias.file),
        );
    }
    if let Some(used_by) = &document.used_by {
        entries.text("held for", used_by.clone());
    }
    if let Some(live) = &document.live {
        entries.text("server", live.summary.clone());
        let issued = match live.issued_by_bundle.as_str() {
            "yes" => "its certificate was issued by a CA of this bundle",
            "no" => "its certificate was not issued by a CA of this bundle",
            _ => "it cannot be told who issued its certificate",
        };
        entries.text("", issued);
        let own = match live.client_certificate.as_str() {
            "accepted" => "it accepts the client certificate",
            "refused" => "it refuses the client certificate",
            "not-asked" => "it does not ask for a client certificate",
            "none" => "it asks for a client certificate, and the bundle has none",
            _ => "it cannot be told whether it accepts the client certificate",
        };
        entries.text("", own);
    }
    for text in &document.left_out {
        entries.toned("left out", visible(text), Tone::Look);
    }
    let mut out = vec![];
    out.extend(entries.section(Topic::Notes));
    out.into_iter().next()
}

fn verdict(document: &BundleDocument) -> VerdictLine {
    let verdict = &document.verdict;
    let (state, tone) = match verdict.state {
        State::Working => ("NO FAULT FOUND", Tone::Good),
        State::Broken => ("FAULTY", Tone::Bad),
        State::Undecided => ("CANNOT BE TOLD", Tone::Look),
    };
    VerdictLine {
        state,
        tone,
        place: String::new(),
        certainty: Cow::Borrowed(""),
        headline: verdict.headline.clone(),
        cause: verdict.cause.clone(),
        owner: verdict.owner.map(crate::knowledge::causes::Owner::title),
    }
}

/// Most findings that are shown.
const MOST_FOUND: usize = 40;

fn also(document: &BundleDocument) -> Option<Block> {
    let first = usize::from(document.verdict.cause.is_some());
    let mut entries = Entries::default();
    for found in document.findings.iter().skip(first).take(MOST_FOUND) {
        let tone = if found.fault { Tone::Bad } else { Tone::Look };
        let place = match (&found.file, found.line) {
            (Some(file), _) if found.text.contains(file.as_str()) => String::new(),
            (Some(file), Some(line)) => format!("{file}, line {line}: "),
            (Some(file), None) => format!("{file}: "),
            _ => String::new(),
        };
        let text = format!("{place}{} ({})", found.text, found.id.as_str());
        entries.toned("also", text, tone);
        if let Some(fix) = &found.fix {
            entries.text("", fix.clone());
        }
    }
    entries.section(Topic::Warnings)
}
