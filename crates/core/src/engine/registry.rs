//! All engines: one line each.

use super::postgresql;
use super::spec::Engine;
use crate::target::EngineId;

/// All engines.
pub static ENGINES: &[&dyn Engine] = &[&postgresql::Postgresql];

/// The engine of this id.
pub fn by_id(id: EngineId) -> &'static dyn Engine {
    match id {
        EngineId::Postgresql => &postgresql::Postgresql,
    }
}

/// Schemes and engine names that the interface knows and this version does not speak.
pub const NOT_YET: &[&str] = &[
    "mysql",
    "mariadb",
    "tds",
    "sqlserver",
    "mongodb",
    "mongodb+srv",
    "directory",
    "tcp",
    "tls",
];
