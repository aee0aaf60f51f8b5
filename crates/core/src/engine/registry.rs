//! All engines: one line each.

use super::spec::Engine;
use super::{mysql, postgresql, tls, unspoken};
use crate::target::EngineId;

/// All engines.
pub static ENGINES: &[&dyn Engine] = &[
    &postgresql::Postgresql,
    &mysql::Mysql,
    &unspoken::TDS,
    &unspoken::MONGODB,
    &unspoken::DIRECTORY,
    &unspoken::TCP,
    &tls::Tls,
];

/// The engine of this id.
pub fn by_id(id: EngineId) -> &'static dyn Engine {
    match id {
        EngineId::Postgresql => &postgresql::Postgresql,
        EngineId::Mysql => &mysql::Mysql,
        EngineId::Tds => &unspoken::TDS,
        EngineId::Mongodb => &unspoken::MONGODB,
        EngineId::Directory => &unspoken::DIRECTORY,
        EngineId::Tcp => &unspoken::TCP,
        EngineId::Tls => &tls::Tls,
    }
}
