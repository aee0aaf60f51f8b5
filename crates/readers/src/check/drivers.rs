//! ODBC: whether the library that a data source's driver needs is there.

use chronaxis_core::redact::visible;
use chronaxis_core::settings::{Defect, DefectKind};
use chronaxis_core::shown;

use super::finding;
use crate::connection::Connection;
use crate::entry::Entry;
use crate::machine::Machine;
use crate::names::Role;
use crate::places::Places;

/// Where machines keep their list of drivers.
const USUAL_LIST: &str = "/etc/odbcinst.ini";

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
    let library = match name.starts_with('/') {
        true => Some(name.clone()),
        false => library_of(&name, drivers, machine),
    };
    let (words, expected) = match library {
        Some(path) if machine.has_file(&path) == Some(false) => (
            format!("the driver's library {} is not there", shown::path(&path)),
            "the driver's package installed, or the path corrected",
        ),
        None if machine.has_file(USUAL_LIST) == Some(true) => (
            format!("no driver is called {} here", titled(&name)),
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
