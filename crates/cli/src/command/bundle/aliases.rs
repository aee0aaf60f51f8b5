//! Names of connections that other files of a bundle have: service files, option files, lists of
//! data sources, whatever the readers know.

use std::path::Path;

use chronaxis_diagnosis::bundle::ShownAlias;
use chronaxis_engines::title;
use chronaxis_model::redact::visible;
use chronaxis_model::shown;
use chronaxis_readers::Connection;

use crate::bundles::Loaded;
use crate::way_in::bundle_alias::{is_named, others};

/// The connections that the other files of a bundle describe; the manifest's own are told by
/// itself.
pub(super) fn of_files(top: &Path, loaded: &Loaded) -> Vec<ShownAlias> {
    let described = others(top, loaded);
    let connections = described.iter().flat_map(|d| &d.report.connections);
    let connections: Vec<&Connection> = connections
        .filter(|c| is_named(c, top, &loaded.bundle))
        .collect();
    connections.into_iter().map(alias).collect()
}

fn alias(connection: &Connection) -> ShownAlias {
    let shown_value = |key: &str| {
        let told = connection.draft.value(key)?;
        Some(shown::value(key, &told.value))
    };
    let engine = connection.engine.map_or("a database", title);
    let leads_to = shown_value("host").map(|host| {
        let port = shown_value("port").map_or(String::new(), |p| format!(":{p}"));
        let database = shown_value("dbname").map_or(String::new(), |d| format!(", database {d}"));
        format!("{engine} at {host}{port}{database}")
    });
    ShownAlias {
        name: visible(&connection.name),
        file: shown::path(&connection.file),
        line: Some(connection.line),
        leads_to: leads_to.or_else(|| Some(format!("{engine}, by the client's own defaults"))),
    }
}
