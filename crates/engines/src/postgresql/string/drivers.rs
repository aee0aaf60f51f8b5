//! URLs that name the driver beside the engine: `postgresql+psycopg2://…`.
//!
//! The place, the account and the database are written as in the C library's own URL; the
//! parameters are the driver's.

use chronaxis_model::target::ClientId;

use super::keywords::KEYWORDS;
use crate::text::pieces::Pieces;
use crate::text::uri::Unknown;

/// The drivers that are known, each with the client whose rules it follows.
pub(in super::super) const DRIVERS: [(&str, ClientId); 12] = [
    ("psycopg2", ClientId::Libpq),
    ("psycopg", ClientId::Libpq),
    ("psycopg_async", ClientId::Libpq),
    ("psycopg2cffi", ClientId::Libpq),
    ("pygresql", ClientId::Libpq),
    ("asyncpg", ClientId::Asyncpg),
    ("pg8000", ClientId::Pg8000),
    ("node-postgres", ClientId::NodePostgres),
    ("postgresjs", ClientId::PostgresJs),
    ("pgx", ClientId::Pgx),
    ("go-pq", ClientId::GoPq),
    ("npgsql", ClientId::Npgsql),
];

/// What the drivers for Node take; they pass over all else.
const NODE: &[&str] = &[
    "sslmode",
    "sslrootcert",
    "sslcert",
    "sslkey",
    "application_name",
    "options",
    "connect_timeout",
    "target_session_attrs",
];

/// What may stand behind the question mark of an asyncpg URL, and what each means here.
const ASYNCPG: &[&str] = &[
    "ssl",
    "timeout",
    "command_timeout",
    "statement_cache_size",
    "max_cached_statement_lifetime",
    "max_cacheable_statement_size",
    "prepared_statement_cache_size",
    "prepared_statement_name_func",
    "passfile",
    "target_session_attrs",
    "direct_tls",
    "host",
    "port",
    "user",
    "database",
];

const PG8000: &[&str] = &[
    "ssl_context",
    "timeout",
    "application_name",
    "unix_sock",
    "tcp_keepalive",
    "replication",
    "startup_params",
];

/// The client whose rules a URL of this scheme follows.
pub(super) fn client(scheme: &str) -> ClientId {
    let driver = scheme.split_once('+').map_or("", |(_, driver)| driver);
    DRIVERS
        .iter()
        .find(|(name, _)| *name == driver)
        .map_or(ClientId::Libpq, |(_, client)| *client)
}

/// The parameters that this client's driver takes.
pub(in super::super) fn parameters(client: ClientId) -> &'static [&'static str] {
    match client {
        ClientId::Asyncpg => ASYNCPG,
        ClientId::Pg8000 => PG8000,
        ClientId::NodePostgres | ClientId::PostgresJs => NODE,
        _ => KEYWORDS,
    }
}

/// What this client makes of a parameter that it does not know. A URL by itself may be
/// meant for any program; one that names the driver is not.
pub(super) fn unknown(client: ClientId, scheme: &str) -> Unknown {
    match (client, scheme.contains('+')) {
        (ClientId::NodePostgres | ClientId::PostgresJs, _) => Unknown::PassedOver,
        (_, true) => Unknown::Refused,
        (_, false) => Unknown::Doubtful,
    }
}

/// Puts a driver's own parameters under the names that the rest of the engine knows.
pub(super) fn translate(client: ClientId, pieces: &mut Pieces) {
    if client != ClientId::Asyncpg {
        return;
    }
    for piece in &mut pieces.found {
        match piece.key.as_str() {
            "ssl" => "sslmode".clone_into(&mut piece.key),
            "database" => "dbname".clone_into(&mut piece.key),
            _ => {}
        }
    }
}
