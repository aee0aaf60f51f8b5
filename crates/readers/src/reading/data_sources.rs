//! ODBC's data sources as the driver of each reads them: it looks only for keys of its own
//! (measured with psqlODBC 13 and MariaDB's driver 3.1).

use std::collections::BTreeMap;

use chronaxis_engines::{MYSQL, POSTGRESQL, psqlodbc_password};
use chronaxis_model::settings::{Defect, DefectKind, Field};
use chronaxis_model::shown;
use chronaxis_model::target::EngineId;

use super::Reading;
use crate::connection::Connection;
use crate::entry::{Entry, Part};
use crate::names::{Means, engine_word, named};
use crate::traced::Traced;

/// The keys that a driver looks for in a data source, of those that say where and who.
const KEYS: &[(EngineId, &[&str])] = &[
    (
        POSTGRESQL,
        &[
            "driver",
            "servername",
            "port",
            "database",
            "username",
            "password",
            "sslmode",
        ],
    ),
    (
        MYSQL,
        &[
            "driver",
            "server",
            "servername",
            "host",
            "port",
            "database",
            "db",
            "uid",
            "user",
            "pwd",
            "password",
            "socket",
            "sslca",
            "sslcert",
            "sslkey",
            "sslmode",
        ],
    ),
];

/// The engine of each data source, by its driver.
fn engines(entries: &[Entry]) -> BTreeMap<Vec<String>, EngineId> {
    let is_driver = |e: &&Entry| e.key().eq_ignore_ascii_case("driver");
    let mut out = BTreeMap::new();
    for driver in entries.iter().filter(is_driver) {
        let text = driver.value.plain().unwrap_or_default();
        if let Some(Means::Engine(id)) = engine_word(text.as_str()) {
            out.entry(driver.holder().to_vec()).or_insert(id);
        }
    }
    out
}

/// Whether a driver passes a key over that says where or who.
fn passes_over(engine: EngineId, key: &str) -> bool {
    let known = KEYS.iter().find(|(id, _)| *id == engine);
    let low = key.to_ascii_lowercase();
    known.is_some_and(|(_, keys)| !keys.contains(&low.as_str())) && named(key).is_some()
}

/// The entries that the drivers see, as they see them.
pub(super) fn as_drivers_do(entries: &[Entry]) -> Vec<Entry> {
    let mut out = Vec::new();
    let engines = engines(entries);
    for entry in entries {
        let engine = engines.get(entry.holder()).copied();
        if engine.is_some_and(|id| passes_over(id, entry.key())) {
            continue;
        }
        let mut seen = entry.clone();
        let secret = entry.key().eq_ignore_ascii_case("password");
        if let Some(text) = entry
            .value
            .plain()
            .filter(|_| engine == Some(POSTGRESQL) && secret)
            && text.as_str().contains(['+', '%'])
        {
            let (file, from) = text.origin(0);
            let mut traced = Traced::opaque(psqlodbc_password(text.as_str()), from);
            traced.in_file(file);
            seen.value.parts = vec![Part::Text(traced)];
        }
        out.push(seen);
    }
    out
}

impl Reading<'_> {
    /// That the driver of a data source passes keys over.
    pub(super) fn passed_over_by_driver(
        &self,
        all: &[Entry],
        connection: &Connection,
    ) -> Vec<Defect> {
        let section = connection.entries.first().map(|(_, e)| e.holder());
        let of_it = |e: &&Entry| Some(e.holder()) == section;
        let own: Vec<Entry> = all.iter().filter(of_it).cloned().collect();
        let Some(engine) = engines(&own).into_values().next() else {
            return Vec::new();
        };
        own.iter()
            .filter(|e| passes_over(engine, e.key()))
            .map(|e| Defect {
                kind: DefectKind::ParameterUnknown,
                subject: Field::PARAMETERS,
                stops: false,
                text: format!(
                    "the ODBC driver does not look for {} in a data source, and passes it over",
                    shown::quoted("name", e.key())
                ),
                expected: match engine {
                    POSTGRESQL => "Servername, Port, Database, Username, Password".to_owned(),
                    _ => "Server, Port, Database, User, Password".to_owned(),
                },
                place: Some(self.places.point(e.file, e.key_at.start)),
                mended: None,
            })
            .collect()
    }
}
