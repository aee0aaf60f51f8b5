//! ODBC: whether the library that a data source's driver needs is there.

use chronaxis_model::redact::visible;
use chronaxis_model::settings::{Defect, DefectKind};
use chronaxis_model::shown;

use super::finding;
use crate::connection::Connection;
use crate::entry::Entry;
use crate::machine::Machine;
use crate::names::Role;
use crate::places::Places;

/// Where machines keep their list of drivers.
const USUAL_LIST: &str = "/etc/odbcinst.ini";

/// Where a library that is named without a path is found: in the driver manager's own folder,
/// then as the loader finds it (measured with unixODBC 2.3; ld.so(8)).
const FOLDERS: &[&str] = &[
    "/usr/lib/x86_64-linux-gnu/odbc",
    "/usr/lib/aarch64-linux-gnu/odbc",
    "/usr/lib/odbc",
    "/usr/lib64/odbc",
    "/usr/lib/x86_64-linux-gnu",
    "/usr/lib/aarch64-linux-gnu",
    "/lib/x86_64-linux-gnu",
    "/lib/aarch64-linux-gnu",
    "/usr/local/lib",
    "/usr/lib",
    "/usr/lib64",
    "/lib",
    "/lib64",
];

/// Whether a library is there; none where that is not known.
fn is_there(library: &str, machine: &dyn Machine) -> Option<bool> {
    if library.starts_with('/') {
        return machine.has_file(library);
    }
    // A folder of its own is told from where the program runs, or by the loader's settings.
    if library.contains('/') || library.contains('$') {
        return None;
    }
    let seen: Vec<Option<bool>> = FOLDERS
        .iter()
        .map(|folder| machine.has_file(&format!("{folder}/{library}")))
        .collect();
    match seen.contains(&Some(true)) {
        true => Some(true),
        false if seen.contains(&None) => None,
        false => Some(false),
    }
}

pub(crate) fn check(
    places: &Places<'_>,
    connection: &Connection,
    drivers: &[&Entry],
    machine: &dyn Machine,
) -> Option<Defect> {
    let (_, entry) = connection
        .entries
        .iter()
        .find(|(role, e)| *role == Role::Engine && e.key().eq_ignore_ascii_case("driver"))?;
    let text = entry.value.plain()?;
    let name = text.as_str().trim().to_owned();
    // In a data source only a whole path is a library; all else is a section of the list
    // (measured with unixODBC 2.3).
    let library = match name.starts_with('/') {
        true => Some(name.clone()),
        false => library_of(&name, drivers, machine),
    };
    let (words, expected) = match library {
        Some(path) if is_there(&path, machine) == Some(false) => (
            format!("the driver's library {} does not exist", shown::path(&path)),
            "install the driver's package, or correct the path",
        ),
        None if machine.has_file(USUAL_LIST) == Some(true) => (
            format!("there is no driver called {} here", titled(&name)),
            "a section of that name in odbcinst.ini, or the path of the library",
        ),
        _ => return None,
    };
    let mut defect = finding(
        places,
        DefectKind::LibraryMissing,
        "driver",
        (entry, &text),
        (words, expected),
    );
    defect.stops = true;
    Some(defect)
}

/// A driver's name in a sentence; they have spaces.
fn titled(name: &str) -> String {
    match shown::is_title(name) {
        true => format!("\"{}\"", visible(name)),
        false => shown::hidden(name),
    }
}

/// The library of a driver by its name: from the list beside the data sources, or the
/// machine's own.
fn library_of(name: &str, drivers: &[&Entry], machine: &dyn Machine) -> Option<String> {
    let is_library = |e: &Entry| {
        let section = e.path.first().is_some_and(|s| s.eq_ignore_ascii_case(name));
        section && e.key().eq_ignore_ascii_case("driver")
    };
    let own = drivers.iter().find(|e| is_library(e));
    if let Some(path) = own.and_then(|e| e.value.plain()) {
        return Some(path.as_str().trim().to_owned());
    }
    let list = machine.text_of(USUAL_LIST)?;
    let parsed = crate::format::Format::OdbcDrivers.read(&crate::text::Text::new(list));
    let found = parsed.entries.iter().find(|e| is_library(e))?;
    Some(found.value.plain()?.as_str().trim().to_owned())
}
