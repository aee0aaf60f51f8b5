//! Whose rules count for separate fields, and what these clients call things.

use chronaxis_core::target::{ClientId, EngineId};

use crate::entry::Entry;
use crate::format::Format;
use crate::names::Role;
use crate::traced::Traced;

/// What an engine's clients call an option of encryption.
pub(crate) fn own_name(engine: Option<EngineId>, name: &'static str) -> &'static str {
    match (engine, name) {
        (Some(EngineId::Postgresql), "ssl_ca") => "sslrootcert",
        (Some(EngineId::Mysql), "sslmode") => "ssl_mode",
        (Some(EngineId::Mysql), "sslrootcert") => "ssl_ca",
        (Some(EngineId::Mysql), "sslcert") => "ssl_cert",
        (Some(EngineId::Mysql), "sslkey") => "ssl_key",
        _ => name,
    }
}

/// The engine whose usual port stands there.
pub(crate) fn engine_by_port(fields: &[(Role, &Entry, Traced)]) -> Option<EngineId> {
    let (_, _, port) = fields.iter().find(|(role, ..)| *role == Role::Port)?;
    match port.as_str().trim() {
        "5432" => Some(EngineId::Postgresql),
        "3306" => Some(EngineId::Mysql),
        "1433" => Some(EngineId::Tds),
        "27017" => Some(EngineId::Mongodb),
        _ => None,
    }
}

/// Whose rules count for separate fields, by driver and format.
pub(crate) fn client(engine: Option<EngineId>, driver: &str, format: Format) -> ClientId {
    let low = driver.to_ascii_lowercase();
    let java = low.contains("jdbc") || low.starts_with("org.") || low.starts_with("com.");
    match engine {
        Some(EngineId::Postgresql) if low.contains("asyncpg") => ClientId::Asyncpg,
        Some(EngineId::Postgresql) if low.contains("pg8000") => ClientId::Pg8000,
        Some(EngineId::Postgresql) if java => ClientId::Pgjdbc,
        Some(EngineId::Postgresql) => ClientId::Libpq,
        Some(EngineId::Mysql) if low.contains("pymysql") => ClientId::Pymysql,
        Some(EngineId::Mysql) if java && low.contains("mariadb") => ClientId::MariadbJava,
        Some(EngineId::Mysql) if java => ClientId::ConnectorJ,
        Some(EngineId::Mysql) if format == Format::Php => ClientId::Mysqlnd,
        Some(EngineId::Mysql) if low.contains("mariadb") => ClientId::Libmariadb,
        Some(EngineId::Mysql) => ClientId::Libmysqlclient,
        _ => ClientId::Plain,
    }
}
