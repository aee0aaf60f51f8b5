//! What was touched, and the addresses one by one.

use chronaxis_model::redact::visible;

use super::entries::Entries;
use super::{Block, Topic, counted};
use crate::case::{Case, CasePath, Contacts, ServerContacts};

/// What was touched, in numbers.
fn in_numbers(contacts: &Contacts) -> String {
    let count = |n: u32, one: &str, many: &str| counted(n as usize, one, many);
    let steps = match contacts.path_packets {
        0 => String::new(),
        n => format!(", {}", count(n, "path packet", "path packets")),
    };
    format!(
        "{}, {}{steps}, {}, {}",
        count(contacts.lookups, "lookup", "lookups"),
        count(contacts.lines, "connection", "connections"),
        count(contacts.sign_ins, "sign-in", "sign-ins"),
        count(contacts.sessions, "session", "sessions"),
    )
}

/// The same, and each server where there are several; all of it where that is wanted.
pub(super) fn touched(contacts: &Contacts, verbose: bool) -> Option<Block> {
    let mut text = in_numbers(contacts);
    if contacts.servers.len() > 1 && !verbose {
        let each: Vec<String> = contacts
            .servers
            .iter()
            .map(|one| format!("{} to {}", one.lines, place_of(one)))
            .collect();
        text.push_str(&format!(" ({})", each.join(", ")));
    }
    let mut out = Entries::default();
    out.text("contacts", text);
    for one in contacts.servers.iter().filter(|_| verbose) {
        let (lines, sign_ins) = (one.lines, one.sign_ins);
        let text = format!(
            "{}: connections {lines}, sign-ins {sign_ins}",
            place_of(one)
        );
        out.text("", text);
    }
    out.section(Topic::Contacts)
}

fn place_of(server: &ServerContacts) -> String {
    place(&server.address, server.port)
}

/// How each address stands, where there are several.
pub(super) fn addresses(case: &Case) -> Option<Block> {
    let mut out = Entries::default();
    for path in case.paths.iter().filter(|_| case.paths.len() > 1) {
        let symptom = path.symptom.as_deref().unwrap_or("answers");
        let place = place(&path.address, path.port);
        out.text("address", format!("{place} {symptom}"));
    }
    out.section(Topic::Addresses)
}

/// An address and port as people write them.
fn place(address: &str, port: Option<u16>) -> String {
    match port {
        Some(port) if address.contains(':') => format!("[{address}]:{port}"),
        Some(port) => format!("{address}:{port}"),
        None => visible(address),
    }
}

/// Where it was decided: of several places the first that stands as the whole does.
pub(super) fn decisive_place(case: &Case) -> String {
    let told = case
        .target
        .ends
        .first()
        .map(|end| visible(&end.to_string()));
    if case.target.ends.len() > 1 {
        let alike = |path: &&CasePath| path.symptom == case.verdict.symptom;
        if let Some(path) = case.paths.iter().find(alike) {
            return place(&path.address, path.port);
        }
    }
    told.unwrap_or_else(|| "-".to_owned())
}
