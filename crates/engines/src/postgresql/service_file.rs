//! PostgreSQL's service file: named sets of values, in sections (PostgreSQL documentation,
//! "The Connection Service File").

use super::string::KEYWORDS;

/// One value of a service.
#[derive(Debug, PartialEq, Eq)]
pub(super) struct Entry {
    pub(super) key: String,
    pub(super) value: String,
    /// Its line, from 1.
    pub(super) line: u32,
    /// The column of its value, counted in characters from 1.
    pub(super) column: u32,
}

/// Why a service cannot be taken from a file.
#[derive(Debug, PartialEq, Eq)]
pub(super) struct Broken {
    /// The line, from 1.
    pub(super) line: u32,
    /// What is there; it repeats no value.
    pub(super) what: &'static str,
}

/// The values of a service in the order of the file; none where it has no such section.
/// Like the C library, it takes the first value of each key and reads no section but the
/// one asked for.
pub(super) fn find(text: &str, service: &str) -> Result<Option<Vec<Entry>>, Broken> {
    let mut found: Option<Vec<Entry>> = None;
    for (number, raw) in (1u32..).zip(text.lines()) {
        let line = raw.trim();
        if line.is_empty() || line.starts_with('#') {
            continue;
        }
        if let Some(head) = line.strip_prefix('[') {
            if found.is_some() {
                return Ok(found);
            }
            if head
                .strip_prefix(service)
                .is_some_and(|rest| rest.starts_with(']'))
            {
                found = Some(Vec::new());
            }
            continue;
        }
        let Some(entries) = found.as_mut() else {
            continue;
        };
        let broken = |what| Broken { line: number, what };
        let (key, value) = line.split_once('=').ok_or(broken("a line has no \"=\""))?;
        if key == "service" {
            return Err(broken("a service names another service"));
        }
        if key != "password" && !KEYWORDS.contains(&key) {
            return Err(broken("a key is not one that this client knows"));
        }
        if entries.iter().all(|e| e.key != key) {
            let before = raw
                .find('=')
                .and_then(|at| raw.get(..=at))
                .unwrap_or_default();
            entries.push(Entry {
                key: key.to_owned(),
                value: value.to_owned(),
                line: number,
                column: u32::try_from(before.chars().count()).unwrap_or(0) + 1,
            });
        }
    }
    Ok(found)
}

/// The names of all services in a file.
pub(super) fn names(text: &str) -> impl Iterator<Item = &str> {
    text.lines().filter_map(|line| {
        let inner = line.trim().strip_prefix('[')?;
        inner.split_once(']').map(|(name, _)| name)
    })
}
