//! Calls of Python: the arguments that a module's calls have, and what it makes of others.

use chronaxis_engines::libpq_takes;
use chronaxis_model::settings::{Defect, DefectKind, Field, nearest};
use chronaxis_model::shown;

use super::refused;
use crate::connection::Source;
use crate::entry::{Entry, Part, Quotes};
use crate::grouping::Group;
use crate::traced::Traced;

/// A module of Python whose calls take these names and refuse all others.
struct Call {
    module: &'static str,
    takes: &'static [&'static str],
    /// Whether it takes what PostgreSQL's library takes, too.
    of_libpq: bool,
    /// Whether its port must be a number.
    number: bool,
}

/// What pools take beside what they hand on.
const OF_POOLS: &[&str] = &[
    "driver",
    "dsn",
    "minconn",
    "maxconn",
    "min_size",
    "max_size",
    "minsize",
    "maxsize",
    "pool_recycle",
    "echo",
    "loop",
];

/// What peewee takes for itself (its documentation, "Database").
const OF_PEEWEE: &[&str] = &[
    "database",
    "engine",
    "thread_safe",
    "field_types",
    "operations",
    "autocommit",
    "autoconnect",
    "autorollback",
    "register_unicode",
    "register_hstore",
    "encoding",
    "isolation_level",
    "server_side_cursors",
    "prefer_psycopg3",
    "max_connections",
    "stale_timeout",
    "timeout",
];

const CALLS: &[Call] = &[
    Call {
        module: "PostgresqlDatabase",
        takes: OF_PEEWEE,
        of_libpq: true,
        number: false,
    },
    Call {
        module: "PooledPostgresqlDatabase",
        takes: OF_PEEWEE,
        of_libpq: true,
        number: false,
    },
    // psycopg 2.9, `connect`.
    Call {
        module: "psycopg2",
        takes: &[
            "database",
            "connection_factory",
            "cursor_factory",
            "async",
            "async_",
        ],
        of_libpq: true,
        number: false,
    },
    // psycopg 3.2, `Connection.connect`.
    Call {
        module: "psycopg",
        takes: &[
            "conninfo",
            "autocommit",
            "prepare_threshold",
            "context",
            "row_factory",
            "cursor_factory",
            "server_cursor_factory",
        ],
        of_libpq: true,
        number: false,
    },
    // asyncpg 0.30, `connect` and `create_pool`.
    Call {
        module: "asyncpg",
        takes: &[
            "host",
            "port",
            "user",
            "password",
            "passfile",
            "service",
            "servicefile",
            "database",
            "timeout",
            "statement_cache_size",
            "max_cached_statement_lifetime",
            "max_cacheable_statement_size",
            "command_timeout",
            "ssl",
            "direct_tls",
            "connection_class",
            "record_class",
            "server_settings",
            "target_session_attrs",
            "krbsrvname",
            "gsslib",
            "max_queries",
            "max_inactive_connection_lifetime",
            "setup",
            "init",
            "connect",
            "reset",
        ],
        of_libpq: false,
        number: false,
    },
    Call {
        module: "pymysql",
        takes: OF_PYMYSQL,
        of_libpq: false,
        number: true,
    },
    Call {
        module: "aiomysql",
        takes: OF_PYMYSQL,
        of_libpq: false,
        number: true,
    },
    Call {
        module: "MySQLdb",
        takes: OF_MYSQLCLIENT,
        of_libpq: false,
        number: true,
    },
];

/// PyMySQL 1.1, `Connection`.
pub(super) const OF_PYMYSQL: &[&str] = &[
    "user",
    "password",
    "host",
    "database",
    "unix_socket",
    "port",
    "charset",
    "collation",
    "sql_mode",
    "read_default_file",
    "conv",
    "use_unicode",
    "client_flag",
    "cursorclass",
    "init_command",
    "connect_timeout",
    "read_default_group",
    "autocommit",
    "local_infile",
    "max_allowed_packet",
    "defer_connect",
    "auth_plugin",
    "auth_plugin_map",
    "read_timeout",
    "write_timeout",
    "bind_address",
    "binary_prefix",
    "program_name",
    "server_public_key",
    "ssl",
    "ssl_ca",
    "ssl_cert",
    "ssl_disabled",
    "ssl_key",
    "ssl_key_password",
    "ssl_verify_cert",
    "ssl_verify_identity",
    "compress",
    "named_pipe",
    "passwd",
    "db",
];

/// mysqlclient 2.2, `Connection`.
pub(super) const OF_MYSQLCLIENT: &[&str] = &[
    "host",
    "user",
    "password",
    "passwd",
    "database",
    "db",
    "port",
    "unix_socket",
    "conv",
    "connect_timeout",
    "compress",
    "named_pipe",
    "init_command",
    "read_default_file",
    "read_default_group",
    "cursorclass",
    "use_unicode",
    "charset",
    "collation",
    "sql_mode",
    "client_flag",
    "multi_statements",
    "ssl_mode",
    "ssl",
    "local_infile",
    "autocommit",
    "auth_plugin",
    "read_timeout",
    "write_timeout",
    "binary_prefix",
];

/// The key under which the reader of Python keeps the name of a call that makes an engine of
/// a URL.
pub(crate) const CALLED: &str = "~called";

/// Drivers that only asynchronous engines of SQLAlchemy take, and those that take both (its
/// documentation, "Asynchronous I/O").
const ASYNC: &[&str] = &[
    "asyncpg",
    "psycopg_async",
    "aiomysql",
    "asyncmy",
    "aiosqlite",
];
const BOTH: &[&str] = &["psycopg"];

/// Arguments that `create_engine` has not, though those of drivers and of other pools are
/// called so (its documentation, "Engine Configuration").
const NOT_OF_ENGINES: &[(&str, &str)] = &[
    ("max_pool_size", "pool_size and max_overflow"),
    ("min_pool_size", "pool_size"),
    ("min_size", "pool_size"),
    ("max_size", "pool_size and max_overflow"),
    ("pool_max_size", "pool_size and max_overflow"),
    ("timeout", "pool_timeout, or connect_args"),
    ("connect_timeout", "connect_args={\"connect_timeout\": …}"),
    ("sslmode", "connect_args={\"sslmode\": …}"),
    ("ssl", "connect_args"),
    ("charset", "?charset=… in the URL, or connect_args"),
    ("autocommit", "isolation_level=\"AUTOCOMMIT\""),
];

impl Source<'_> {
    /// A name that the call of a driver does not have, or a port that is no number.
    pub(super) fn call_refuses(&self, group: &Group) -> Vec<Defect> {
        // What stands at no place of its own names the module of a call.
        let inside = |e: &&Entry| e.holder() == group.holder.as_slice();
        let all = || self.entries.iter().filter(inside);
        let noted = |e: &&Entry| matches!(e.key(), "driver" | "engine") && e.key_at.is_empty();
        let module = all().find(noted);
        let Some(module) = module.and_then(|e| e.value.plain()) else {
            return Vec::new();
        };
        let Some(call) = CALLS.iter().find(|c| c.module == module.as_str()) else {
            return Vec::new();
        };
        let takes = |key: &str| {
            call.takes.contains(&key)
                || OF_POOLS.contains(&key)
                || (call.of_libpq && libpq_takes(key))
        };
        let mut out = Vec::new();
        for entry in all().filter(|e| !e.key_at.is_empty()) {
            let key = entry.key();
            if !takes(key) {
                let near = nearest(key, call.takes.iter().copied());
                let expected = match key {
                    "username" => "user".to_owned(),
                    _ => near.map_or("a name that it has".to_owned(), str::to_owned),
                };
                let text = format!(
                    "{} has no argument {} and refuses the call",
                    call.module,
                    shown::quoted("name", key)
                );
                let defect = refused(Field::PARAMETERS, DefectKind::Unreadable, text, expected);
                out.push(self.at_key(entry, defect));
            }
            let quoted = entry.value.quotes != Quotes::None
                && matches!(entry.value.parts.as_slice(), [Part::Text(_)]);
            if call.number && key == "port" && quoted {
                let text = format!(
                    "{} takes a number as its port, and this is a string",
                    call.module
                );
                let expected = "the port without quotes".to_owned();
                let defect = refused(Field::PORT, DefectKind::Unreadable, text, expected);
                out.push(self.at_key(entry, defect));
            }
        }
        out
    }

    /// What `create_engine` and its asynchronous kin make of a URL's driver and of their
    /// arguments.
    pub(in crate::connection) fn engine_call(&self, entry: &Entry, text: &Traced) -> Vec<Defect> {
        let beside = |e: &&Entry| e.holder() == entry.holder() && e.file == entry.file;
        let all = || self.entries.iter().filter(beside);
        let called = all()
            .find(|e| e.key() == CALLED)
            .and_then(|e| e.value.plain());
        let Some(called) = called else {
            return Vec::new();
        };
        let mut out = Vec::new();
        for entry in all() {
            let known = NOT_OF_ENGINES.iter().find(|(name, _)| *name == entry.key());
            if let Some((name, right)) = known {
                let words = format!("SQLAlchemy has no argument {name} and refuses the call");
                let kind = DefectKind::Unreadable;
                let defect = refused(Field::PARAMETERS, kind, words, (*right).to_owned());
                out.push(self.at_key(entry, defect));
            }
        }
        let scheme = text.as_str().split("://").next().unwrap_or_default();
        let driver = scheme.split_once('+').map_or("", |(_, driver)| driver);
        let wants = called.as_str().contains("async");
        let is = ASYNC.contains(&driver);
        // Which driver PostgreSQL has by default depends on the version: the third psycopg,
        // since 2.1, is both.
        let by_default = driver.is_empty() && scheme.starts_with("postgres");
        if wants != is && !BOTH.contains(&driver) && !scheme.is_empty() && !by_default {
            let (words, expected) = match wants {
                true => (
                    format!(
                        "{} needs an asynchronous driver, and this URL has none",
                        called.as_str()
                    ),
                    "postgresql+asyncpg://, mysql+aiomysql://, or the like",
                ),
                false => (
                    format!("{} cannot use an asynchronous driver", called.as_str()),
                    "create_async_engine, or a URL with a driver such as psycopg2 or pymysql",
                ),
            };
            let kind = DefectKind::SchemeUnknown;
            let defect = refused(Field::of("scheme"), kind, words, expected.to_owned());
            let place = Some(self.places.mark(entry, text, true));
            out.push(Defect { place, ..defect });
        }
        out
    }
}
