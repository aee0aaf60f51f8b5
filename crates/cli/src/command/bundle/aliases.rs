//! Names of connections that other files of a bundle have: service files, option files, lists of
//! data sources, whatever the readers know.

use std::path::Path;

use chronaxis_bundle::item::Bundle;
use chronaxis_diagnosis::bundle::ShownAlias;
use chronaxis_engines::title;
use chronaxis_model::redact::visible;
use chronaxis_model::shown;
use chronaxis_readers::Connection;

use crate::way_in::reading;

/// The connections that the files of a folder describe; the manifest's own are told by itself.
pub(super) fn of_files(top: &Path, bundle: &Bundle) -> Vec<ShownAlias> {
    let Ok(read) = reading::read(&[top.to_owned()], true, false) else {
        return Vec::new();
    };
    let manifests: Vec<&str> = bundle
        .files
        .iter()
        .filter(|f| f.manifest.is_some())
        .map(|f| f.path.as_str())
        .collect();
    let of_manifest = |c: &&Connection| {
        let path = Path::new(&c.file);
        let inner = path.strip_prefix(top).unwrap_or(path);
        manifests.iter().any(|m| Path::new(m) == inner)
    };
    let connections = read.report.connections.iter();
    connections
        .filter(|c| !c.name.is_empty() && !of_manifest(c))
        .map(alias)
        .collect()
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
