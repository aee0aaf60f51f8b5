//! Whose names count: what calls and frameworks take their values by, and what they make of
//! a name that they do not have.

use chronaxis_engines::{Draft, MYSQL, by_id, libpq_takes};
use chronaxis_model::settings::{Defect, DefectKind, Field, nearest};
use chronaxis_model::shown;
use chronaxis_model::target::EngineId;

use super::Source;
use crate::entry::{Entry, Part, Quotes};
use crate::format::Format;
use crate::grouping::Group;
use crate::names::Role;
use crate::packages::Language;
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

const CALLS: &[Call] = &[
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
const OF_PYMYSQL: &[&str] = &[
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
const OF_MYSQLCLIENT: &[&str] = &[
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

/// What Django takes out of a MySQL connection's options for itself (its documentation,
/// "MySQL notes").
const OF_DJANGO: &[&str] = &["isolation_level"];

/// Words by which a framework is told its engine, and which it takes no other for.
struct Dialects {
    packages: &'static [&'static str],
    language: Language,
    title: &'static str,
    /// The key, or the whole variable.
    key: &'static str,
    words: &'static [&'static str],
}

const DIALECTS: &[Dialects] = &[
    // Sequelize 6, "Dialects".
    Dialects {
        packages: &["sequelize"],
        language: Language::Javascript,
        title: "Sequelize",
        key: "dialect",
        words: &[
            "postgres",
            "mysql",
            "mariadb",
            "sqlite",
            "mssql",
            "db2",
            "snowflake",
            "oracle",
        ],
    },
    // TypeORM 0.3, "Data Source Options".
    Dialects {
        packages: &["typeorm", "@nestjs/typeorm"],
        language: Language::Javascript,
        title: "TypeORM",
        key: "type",
        words: TYPEORM,
    },
    Dialects {
        packages: &["typeorm", "@nestjs/typeorm"],
        language: Language::Javascript,
        title: "TypeORM",
        key: "typeorm_connection",
        words: TYPEORM,
    },
    // Laravel's `config/database.php` as it is delivered.
    Dialects {
        packages: &["laravel/framework"],
        language: Language::Php,
        title: "Laravel",
        key: "db_connection",
        words: &["pgsql", "mysql", "mariadb", "sqlite", "sqlsrv"],
    },
];

const TYPEORM: &[&str] = &[
    "postgres",
    "mysql",
    "mariadb",
    "cockroachdb",
    "aurora-mysql",
    "aurora-postgres",
    "sqlite",
    "better-sqlite3",
    "mssql",
    "oracle",
    "mongodb",
    "sap",
    "spanner",
    "cordova",
    "react-native",
    "expo",
    "nativescript",
    "capacitor",
    "sqljs",
];

fn refused(subject: Field, kind: DefectKind, text: String, expected: String) -> Defect {
    Defect {
        kind,
        subject,
        stops: true,
        text,
        expected,
        place: None,
        mended: None,
    }
}

impl Source<'_> {
    /// What the call or the framework that a group of keys goes to makes of their names.
    pub(super) fn names_taken(
        &self,
        group: &Group,
        fields: &[(Role, &Entry, Traced)],
        draft: &mut Draft,
        engine: Option<EngineId>,
    ) {
        if self.format == Format::Python {
            draft.defects.extend(self.call_refuses(group));
            draft.defects.extend(self.django_misses(group, fields));
            draft.defects.extend(self.django_mysql(group, engine));
            draft.defects.extend(self.flask_reads(fields));
        }
        draft.defects.extend(self.dialect(fields));
    }

    fn at_key(&self, entry: &Entry, defect: Defect) -> Defect {
        Defect {
            place: Some(self.places.point(entry.file, entry.key_at.start)),
            ..defect
        }
    }

    /// A name that the call of a driver does not have, or a port that is no number.
    fn call_refuses(&self, group: &Group) -> Vec<Defect> {
        // What stands at no place of its own names the module of a call.
        let inside = |e: &&Entry| e.holder() == group.holder.as_slice();
        let all = || self.entries.iter().filter(inside);
        let module = all().find(|e| e.key() == "driver" && e.key_at.is_empty());
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

    /// Django reads its names in capitals, and does not start without an engine (its
    /// documentation, "Settings", DATABASES).
    fn django_misses(&self, group: &Group, fields: &[(Role, &Entry, Traced)]) -> Option<Defect> {
        let [first, _] = group.holder.as_slice() else {
            return None;
        };
        let first_field = fields.first().map(|(_, entry, _)| *entry)?;
        if first != "DATABASES" || fields.iter().any(|(role, ..)| *role == Role::Url) {
            return None;
        }
        let small = |e: &Entry| {
            let own = e.holder() == group.holder.as_slice();
            own && e.key().chars().any(|c| c.is_ascii_lowercase())
        };
        if let Some((_, entry, _)) = fields.iter().find(|(_, e, _)| small(e)) {
            let expected = entry.key().to_ascii_uppercase();
            let text = format!(
                "Django reads its names in capitals: {}, not {}",
                shown::quoted("name", &expected),
                shown::quoted("name", entry.key())
            );
            let defect = refused(Field::FILE, DefectKind::Missing, text, expected);
            return Some(self.at_key(entry, defect));
        }
        let has_engine = fields.iter().any(|(role, ..)| *role == Role::Engine);
        (!has_engine).then(|| {
            let text = "Django does not start without an ENGINE here".to_owned();
            let expected = "\"ENGINE\": \"django.db.backends.…\"".to_owned();
            let defect = refused(Field::DRIVER, DefectKind::Missing, text, expected);
            self.at_key(first_field, defect)
        })
    }

    /// Options that neither Django nor the driver of MySQL has: the driver refuses the call.
    fn django_mysql(&self, group: &Group, engine: Option<EngineId>) -> Vec<Defect> {
        let of_django = group
            .holder
            .first()
            .is_some_and(|first| first == "DATABASES");
        if !of_django || engine != Some(MYSQL) {
            return Vec::new();
        }
        let known = |key: &str| {
            OF_PYMYSQL.contains(&key) || OF_MYSQLCLIENT.contains(&key) || OF_DJANGO.contains(&key)
        };
        group
            .options(self.entries)
            .filter(|entry| !known(entry.key()))
            .map(|entry| {
                let text = format!(
                    "Django hands the option {} on, and the driver of MySQL has none of that name",
                    shown::quoted("name", entry.key())
                );
                let expected = "an option of the driver, such as charset or ssl".to_owned();
                let defect = refused(Field::PARAMETERS, DefectKind::Unreadable, text, expected);
                self.at_key(entry, defect)
            })
            .collect()
    }

    /// Flask-SQLAlchemy reads one name (its documentation, "Configuration").
    fn flask_reads(&self, fields: &[(Role, &Entry, Traced)]) -> Option<Defect> {
        let used = self.packages.iter().any(|p| p.name == "flask-sqlalchemy");
        let (_, entry, _) = fields
            .iter()
            .find(|(_, e, _)| used && e.key() == "SQLALCHEMY_DATABASE_URL")?;
        let right = |e: &Entry| e.key() == "SQLALCHEMY_DATABASE_URI";
        if self.entries.iter().any(right) {
            return None;
        }
        let text = "Flask-SQLAlchemy does not read SQLALCHEMY_DATABASE_URL".to_owned();
        let expected = "SQLALCHEMY_DATABASE_URI".to_owned();
        let defect = refused(Field::STRING, DefectKind::Missing, text, expected);
        Some(self.at_key(entry, defect))
    }

    /// A word for the engine that the framework does not know.
    fn dialect(&self, fields: &[(Role, &Entry, Traced)]) -> Option<Defect> {
        let (_, entry, text) = fields
            .iter()
            .find(|(role, e, _)| *role == Role::Engine && !e.value.parts.is_empty())?;
        let key = entry.key().to_ascii_lowercase();
        let used = |dialects: &&Dialects| {
            let named = |p: &&crate::packages::Package| {
                p.language == dialects.language && dialects.packages.contains(&p.name.as_str())
            };
            dialects.key == key && self.packages.iter().copied().any(|p| named(&p))
        };
        let dialects = DIALECTS.iter().find(used)?;
        let word = text.as_str();
        let defined = dialects.title == "Laravel" && self.laravel.iter().any(|name| name == word);
        if dialects.words.contains(&word) || defined || word.is_empty() {
            return None;
        }
        let engine = match crate::names::engine_word(word) {
            Some(crate::names::Means::Engine(id)) => id,
            _ => return None,
        };
        let means =
            |w: &&&str| crate::names::engine_word(w) == Some(crate::names::Means::Engine(engine));
        let near = dialects.words.iter().find(means).copied();
        Some(Defect {
            kind: DefectKind::SchemeUnknown,
            subject: Field::DRIVER,
            stops: true,
            text: format!(
                "{} does not know {} for {}",
                dialects.title,
                shown::quoted("driver", word),
                by_id(engine).spec.title
            ),
            expected: near.unwrap_or_default().to_owned(),
            place: Some(self.places.mark(entry, text, false)),
            mended: near.and_then(|near| self.places.mended(entry, text, near)),
        })
    }
}
