//! Who takes a URL apart before a driver sees it: frameworks and drivers, each by its own
//! rules. Two of them seldom agree about a `#` or a `/` in a password.
//!
//! A reader is a function and a line of [`URL_READERS`].

mod node;
mod parts;
mod php;
mod python;
mod ruby;

pub use parts::{Parts, Refused};

use crate::packages::Language;
use parts::Read;

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
}

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
    },
    UrlReader {
        id: "asyncpg",
        title: "asyncpg",
        read: python::asyncpg,
        language: Language::Python,
        packages: &["asyncpg"],
        schemes: Some(&["postgres", "postgresql"]),
    },
    UrlReader {
        id: "postgres-js",
        title: "postgres.js",
        read: node::postgres_js,
        language: Language::Javascript,
        packages: &["postgres"],
        schemes: None,
    },
    UrlReader {
        id: "node-postgres",
        title: "node-postgres",
        read: node::postgres,
        language: Language::Javascript,
        packages: &["pg", "pg-promise", "pg-connection-string"],
        schemes: None,
    },
    UrlReader {
        id: "node-mysql2",
        title: "mysql2",
        read: node::mysql,
        language: Language::Javascript,
        packages: &["mysql2"],
        schemes: None,
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
            "illuminate/database",
        ],
        schemes: None,
    },
    UrlReader {
        id: "rails",
        title: "Rails",
        read: ruby::rails,
        language: Language::Ruby,
        packages: &["rails", "activerecord", "sinatra-activerecord"],
        schemes: None,
    },
];

/// A reader by its name.
pub fn by_id(id: &str) -> Option<&'static UrlReader> {
    URL_READERS.iter().find(|reader| reader.id == id)
}
