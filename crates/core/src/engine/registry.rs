//! All engines: one line each.

use super::mysql;
use super::postgresql;
use super::spec::Engine;
use super::tls;
use crate::target::EngineId;

/// All engines.
pub static ENGINES: &[&dyn Engine] = &[&postgresql::Postgresql, &mysql::Mysql, &tls::Tls];

/// The engine of this id.
pub fn by_id(id: EngineId) -> &'static dyn Engine {
    match id {
        EngineId::Postgresql => &postgresql::Postgresql,
        EngineId::Mysql => &mysql::Mysql,
        EngineId::Tls => &tls::Tls,
    }
}

/// Schemes and engine names that the interface knows and this version does not speak.
pub const NOT_YET: &[&str] = &[
    "tds",
    "sqlserver",
    "mongodb",
    "mongodb+srv",
    "directory",
    "tcp",
];
