//! Who takes a URL apart before a driver sees it: frameworks and drivers, each by its own
//! rules. Two of them seldom agree about a `#` or a `/` in a password.
//!
//! A reader is a function and a line of [`URL_READERS`].

mod canonical;
mod node;
mod parts;
mod php;
mod python;
mod ruby;

pub use parts::{Parts, Refused};

use chronaxis_engines::{MYSQL, POSTGRESQL};
use chronaxis_model::target::EngineId;

use crate::packages::{Language, Package};
pub(crate) use canonical::canonical;
use parts::Read;

/// Which parameters of a URL a reader hands on.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Takes {
    /// All of them, to the driver.
    All,
    /// These; it passes over all others.
    Only(&'static [&'static str]),
}

/// How a driver is told to encrypt.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Tls {
    /// In the engine's own words.
    AsTold,
    /// As `pg` does.
    NodePostgres,
    /// As `postgres` does.
    PostgresJs,
    /// As `mysql2` does.
    NodeMysql,
}

/// A reader of URLs.
pub struct UrlReader {
    /// Its name in tests and machine-readable output.
    pub id: &'static str,
    /// What people call it.
    pub title: &'static str,
    /// Its reading.
    pub read: fn(&str) -> Read,
    /// The language of the programs that it is for.
    pub language: Language,
    /// Packages that tell that a project uses it, as dependency lists call them.
    pub packages: &'static [&'static str],
    /// The schemes that it takes, with what may stand behind a plus sign; none where it
    /// takes any.
    pub schemes: Option<&'static [&'static str]>,
    /// The engines that it is for; empty where it is for any.
    pub engines: &'static [EngineId],
    /// The parameters that it hands on.
    pub takes: Takes,
    /// How encryption is told.
    pub tls: Tls,
}

/// Parameters of a file with certificates, and what else changes a connection to
/// PostgreSQL.
const FILES: &[&str] = &["sslrootcert", "sslcert", "sslkey", "options"];

/// What PHP's frameworks and Rails hand on of what a URL says beside them.
const FRAMEWORK: &[&str] = &[
    "sslmode",
    "sslrootcert",
    "sslcert",
    "sslkey",
    "connect_timeout",
    "options",
    "target_session_attrs",
    "ssl_mode",
    "ssl_ca",
    "ssl_cert",
    "ssl_key",
    "socket",
];

impl std::fmt::Debug for UrlReader {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(self.id)
    }
}

/// All of them. Of those that a project has, the first counts: frameworks stand before the
/// drivers below them.
pub const URL_READERS: &[UrlReader] = &[
    UrlReader {
        id: "dj-database-url",
        title: "dj-database-url",
        read: python::dj_database_url,
        language: Language::Python,
        packages: &["dj-database-url", "dj-database-url2"],
        schemes: Some(&[
            "postgres",
            "postgresql",
            "pgsql",
            "postgis",
            "redshift",
            "timescale",
            "timescalegis",
            "mysql",
            "mysql2",
            "mysqlgis",
            "mysql-connector",
            "cockroach",
            "mssql",
            "mssqlms",
        ]),
        engines: &[],
        takes: Takes::All,
        tls: Tls::AsTold,
    },
    UrlReader {
        id: "django-environ",
        title: "django-environ",
        read: python::django_environ,
        language: Language::Python,
        packages: &["django-environ"],
        schemes: Some(&[
            "postgres",
            "postgresql",
            "psql",
            "pgsql",
            "postgis",
            "cockroachdb",
            "redshift",
            "mysql",
            "mysql2",
            "mysqlgis",
            "mysql-connector",
            "mssql",
            "pyodbc",
        ]),
        engines: &[],
        takes: Takes::All,
        tls: Tls::AsTold,
    },
    UrlReader {
        id: "sqlalchemy",
        title: "SQLAlchemy",
        read: python::sqlalchemy,
        language: Language::Python,
        packages: &[
            "sqlalchemy",
            "flask-sqlalchemy",
            "flask-migrate",
            "alembic",
            "sqlmodel",
        ],
        schemes: Some(&[
            "postgresql",
            "mysql",
            "mariadb",
            "mssql",
            "postgresql+*",
            "mysql+*",
            "mariadb+*",
            "mssql+*",
        ]),
        engines: &[],
        takes: Takes::All,
        tls: Tls::AsTold,
    },
    UrlReader {
        id: "asyncpg",
        title: "asyncpg",
        read: python::asyncpg,
        language: Language::Python,
        packages: &["asyncpg"],
        schemes: Some(&["postgres", "postgresql"]),
        engines: &[POSTGRESQL],
        takes: Takes::All,
        tls: Tls::AsTold,
    },
    UrlReader {
        id: "prisma",
        title: "Prisma",
        read: node::mysql,
        language: Language::Javascript,
        packages: &["@prisma/client", "prisma"],
        schemes: Some(&["postgresql", "postgres", "mysql", "sqlserver", "mongodb"]),
        engines: &[],
        takes: Takes::Only(&["sslmode", "connect_timeout", "socket"]),
        tls: Tls::AsTold,
    },
    UrlReader {
        id: "sequelize-postgres",
        title: "Sequelize",
        read: node::postgres,
        language: Language::Javascript,
        packages: &["sequelize"],
        schemes: Some(&["postgres", "postgresql"]),
        engines: &[POSTGRESQL],
        takes: Takes::Only(FILES),
        tls: Tls::NodePostgres,
    },
    UrlReader {
        id: "node-postgres",
        title: "node-postgres",
        read: node::postgres,
        language: Language::Javascript,
        packages: &["pg", "pg-promise", "pg-connection-string"],
        schemes: None,
        engines: &[POSTGRESQL],
        takes: Takes::Only(FILES),
        tls: Tls::NodePostgres,
    },
    UrlReader {
        id: "postgres-js",
        title: "postgres.js",
        read: node::postgres_js,
        language: Language::Javascript,
        packages: &["postgres"],
        schemes: None,
        engines: &[POSTGRESQL],
        takes: Takes::Only(FILES),
        tls: Tls::PostgresJs,
    },
    UrlReader {
        id: "node-mysql2",
        title: "mysql2",
        read: node::mysql,
        language: Language::Javascript,
        packages: &["mysql2"],
        schemes: None,
        engines: &[MYSQL],
        takes: Takes::Only(&[]),
        tls: Tls::NodeMysql,
    },
    UrlReader {
        id: "php-parse-url",
        title: "PHP's parse_url",
        read: php::parse_url,
        language: Language::Php,
        packages: &[
            "laravel/framework",
            "doctrine/dbal",
            "doctrine/doctrine-bundle",
            "doctrine/orm",
            "symfony/orm-pack",
            "symfony/framework-bundle",
            "illuminate/database",
        ],
        schemes: None,
        engines: &[],
        takes: Takes::Only(FRAMEWORK),
        tls: Tls::AsTold,
    },
    UrlReader {
        id: "rails",
        title: "Rails",
        read: ruby::rails,
        language: Language::Ruby,
        packages: &["rails", "activerecord", "sinatra-activerecord"],
        schemes: Some(&[
            "postgresql",
            "postgres",
            "postgis",
            "mysql2",
            "mysql",
            "trilogy",
            "sqlserver",
        ]),
        engines: &[],
        takes: Takes::Only(FRAMEWORK),
        tls: Tls::AsTold,
    },
];

/// A reader by its name.
pub fn by_id(id: &str) -> Option<&'static UrlReader> {
    URL_READERS.iter().find(|reader| reader.id == id)
}

/// The reader that takes apart a URL for this engine in a project with these packages.
pub(crate) fn of(near: &[&Package], engine: Option<EngineId>) -> Option<&'static UrlReader> {
    let used = |reader: &&UrlReader| {
        let named = |p: &&&Package| {
            p.language == reader.language && reader.packages.contains(&p.name.as_str())
        };
        let fits =
            reader.engines.is_empty() || engine.is_some_and(|id| reader.engines.contains(&id));
        fits && near.iter().any(|p| named(&p))
    };
    URL_READERS.iter().find(used)
}

impl UrlReader {
    /// Whether it takes URLs of this scheme.
    pub(crate) fn takes_scheme(&self, scheme: &str) -> bool {
        let fits = |known: &&str| match known.strip_suffix('*') {
            Some(lead) => scheme.starts_with(lead) && scheme.len() > lead.len(),
            None => *known == scheme,
        };
        self.schemes.is_none_or(|all| all.iter().any(fits))
    }
}
