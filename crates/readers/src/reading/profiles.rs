//! Documents of one file of Spring's that count for some profiles only (Spring Boot's
//! documentation, "Activation Properties").

use crate::connection::Connection;
use crate::entry::Entry;
use crate::format::Format;
use crate::project::File;

/// What a document is for, where it says so: `spring.config.activate.on-profile`, or
/// `spring.profiles` as before version 2.4.
fn profiles_of(entries: &[Entry], document: usize) -> Option<Vec<String>> {
    let of_it = entries.iter().filter(|e| e.document == document);
    let told = of_it.into_iter().find_map(|e| {
        let path = e.path.join(".");
        let says = path == "spring.config.activate.on-profile" || path == "spring.profiles";
        e.value.plain().filter(|_| says)
    })?;
    let names = told.as_str().split([',', '|']).map(str::trim);
    Some(names.map(str::to_owned).collect())
}

/// The profiles that are active without anybody's asking.
fn active(entries: &[Entry]) -> Vec<String> {
    let told = entries
        .iter()
        .find(|e| e.path.join(".") == "spring.profiles.active")
        .and_then(|e| e.value.plain());
    let names = told.iter().flat_map(|t| t.as_str().split(','));
    names.map(|name| name.trim().to_owned()).collect()
}

/// Whether a file is one whose documents Spring lays over one another.
fn is_springs(file: &File) -> bool {
    let name = file.path.rsplit('/').next().unwrap_or_default();
    file.format == Format::Yaml && name.starts_with("application")
}

/// Whether a document counts: it is for no profile, or for one that is active.
fn counts(entries: &[Entry], document: usize) -> bool {
    let active = active(entries);
    profiles_of(entries, document).is_none_or(|names| names.iter().any(|n| active.contains(n)))
}

/// The entries with all documents that count laid over one another as one; the others stay
/// by themselves.
pub(super) fn laid_over(file: &File, entries: Vec<Entry>) -> Vec<Entry> {
    let several = entries.iter().any(|e| e.document > 0);
    if !is_springs(file) || !several {
        return entries;
    }
    let first = entries.first().map_or(0, |e| e.document);
    let mut out: Vec<Entry> = Vec::new();
    for mut entry in entries.clone() {
        if !counts(&entries, entry.document) {
            out.push(entry);
            continue;
        }
        entry.document = first;
        match out
            .iter_mut()
            .find(|e| e.document == first && e.path == entry.path)
        {
            Some(known) => *known = entry,
            None => out.push(entry),
        }
    }
    out
}

/// Passes over what stands in documents for profiles that are not active, where the others
/// describe a connection.
pub(super) fn pass_over(file: &File, connections: &mut [Connection]) {
    if !is_springs(file) {
        return;
    }
    let entries = &file.parsed.entries;
    let counted = |c: &Connection| {
        let first = c.entries.first();
        first.is_none_or(|(_, e)| counts(entries, e.document))
    };
    if connections.iter().any(counted) {
        for connection in connections {
            connection.passed_over |= !counted(connection);
        }
    }
}
