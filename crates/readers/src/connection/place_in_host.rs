//! Ports and sockets that stand in a host's place, where the program that reads them takes
//! them apart.

use chronaxis_model::target::EngineId;

use super::Source;
use crate::entry::Entry;
use crate::format::Format;
use crate::names::Role;
use crate::traced::Traced;

impl Source<'_> {
    /// Takes hosts apart as the program does.
    pub(super) fn take_hosts_apart(
        &self,
        fields: &mut Vec<(Role, &Entry, Traced)>,
        engine: Option<EngineId>,
        driver: Option<&str>,
    ) {
        let keys: Vec<&str> = fields.iter().map(|(_, entry, _)| entry.key()).collect();
        let mysqli = driver == Some("mysqli");
        if mysqli {
            persistent(fields);
        }
        let by_names = engine.is_none() && has_php_shape(&keys);
        // What an application keeps under names of its own it takes apart by itself.
        let own_names = keys.iter().any(|key| {
            let low = key.to_ascii_lowercase();
            low.contains("dbhost") || low.contains("dbserver") || low == "db_host"
        });
        // So do applications that name the engine of their tables.
        let of_tables = matches!(driver, Some("innodb" | "mysql4"));
        if self.format == Format::Php && (mysqli || by_names || own_names || of_tables) {
            split_place(fields);
        }
        // A program without a list of Python or PHP may be in any language; those that read
        // such files and keep the port apart have a key for it.
        let untold = self.format == Format::Ini && self.packages.is_empty();
        if untold && fields.iter().all(|(role, ..)| *role != Role::Port) {
            split_place(fields);
        }
    }
}

/// Whether these constants are for PHP's own driver of MySQL, by their names.
pub(crate) fn has_php_shape(keys: &[&str]) -> bool {
    let all = ["DB_NAME", "DB_USER", "DB_PASSWORD", "DB_HOST"];
    all.iter().all(|name| keys.contains(name))
}

/// PHP's driver keeps a line open for a host behind `p:` (PHP manual, "Persistent Mysqli
/// Connections").
fn persistent(fields: &mut [(Role, &Entry, Traced)]) {
    for (_, _, host) in fields.iter_mut().filter(|(role, ..)| *role == Role::Host) {
        let whole = host.as_str().len();
        if host.as_str().starts_with("p:") {
            *host = host.slice(2..whole);
        }
    }
}

/// PHP's driver takes a port, or a socket, behind the host and a colon.
fn split_place(fields: &mut Vec<(Role, &Entry, Traced)>) {
    let Some(at) = fields.iter().position(|(role, ..)| *role == Role::Host) else {
        return;
    };
    let Some((_, entry, text)) = fields.get(at).cloned() else {
        return;
    };
    let whole = text.as_str();
    let Some(colon) = whole.find(':').filter(|p| whole.rfind(':') == Some(*p)) else {
        return;
    };
    let behind = whole.get(colon + 1..).unwrap_or_default();
    let role = match behind.starts_with('/') {
        true => Role::Socket,
        false if !behind.is_empty() && behind.chars().all(|c| c.is_ascii_digit()) => Role::Port,
        false => return,
    };
    let rest = text.slice(colon + 1..whole.len());
    if let Some((_, _, host)) = fields.get_mut(at) {
        *host = text.slice(0..colon);
    }
    fields.push((role, entry, rest));
}
