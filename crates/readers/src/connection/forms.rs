//! Forms of strings that those who get them do not take.

use chronaxis_engines::by_id;
use chronaxis_model::settings::{Defect, DefectKind, Field};
use chronaxis_model::shown;
use chronaxis_model::target::{ClientId, EngineId};

use super::Source;
use super::frameworks::library_missing;
use crate::driver;
use crate::entry::Entry;
use crate::format::Format;
use crate::packages::{Language, OLD_RAILS, Package};
use crate::traced::Traced;
use crate::url_reader::UrlReader;

/// PDO's drivers (PHP manual, "PDO Drivers").
const OF_PDO: &[&str] = &[
    "mysql", "pgsql", "sqlite", "sqlsrv", "dblib", "odbc", "oci", "firebird", "ibm", "informix",
    "cubrid", "uri", "sybase", "mssql",
];

/// Packages of Python that read URLs with a driver behind a plus sign, or bring one that
/// does.
const TAKE_DRIVERS: &[&str] = &[
    "sql",
    "alembic",
    "databases",
    "airflow",
    "superset",
    "pandas",
    "prefect",
    "dagster",
    "mlflow",
    "celery",
    "kombu",
    "langchain",
    "llama",
    "ibis",
    "dask",
    "expectations",
    "luigi",
    "ormar",
    "gino",
    "jupyter",
    "dbt",
    "optuna",
    "apscheduler",
    "flask",
    "fastapi",
    "piccolo",
    "advanced",
];

impl Source<'_> {
    /// All that those who get a string do not take of its form.
    pub(super) fn of_form(
        &self,
        (entry, text): (&Entry, &Traced),
        (client, engine): (ClientId, Option<EngineId>),
        reader: Option<&'static UrlReader>,
    ) -> Vec<Defect> {
        let all = [
            self.no_jdbc(entry, text),
            self.jdbc_of_others(entry, text, engine),
            self.scheme_of_mysql(entry, text),
            self.no_data_source_name(entry, text),
            self.driver_in_scheme(entry, text, engine),
            self.takes_no_url(client, entry, text),
            reader.and_then(|reader| self.rails_differ(reader, entry, text)),
        ];
        all.into_iter().flatten().collect()
    }

    /// Java's form, in a project of another language that has a driver of its own.
    fn jdbc_of_others(
        &self,
        entry: &Entry,
        text: &Traced,
        engine: Option<EngineId>,
    ) -> Option<Defect> {
        let own = driver::of(self.packages, engine?).is_some();
        let java = |p: &&&Package| p.language == Language::Java;
        let is = text.as_str().starts_with("jdbc:") && own;
        if !is || self.packages.iter().any(|p| java(&p)) || self.of_services {
            return None;
        }
        Some(Defect {
            kind: DefectKind::SchemeUnknown,
            subject: Field::of("scheme"),
            stops: true,
            text: "only drivers for Java take a URL that begins with jdbc:".to_owned(),
            expected: "the URL without jdbc:, with user and password before the host".to_owned(),
            place: Some(self.places.mark(entry, text, true)),
            mended: None,
        })
    }

    /// A driver in the scheme, for a project that hands its URL to the driver itself.
    fn driver_in_scheme(
        &self,
        entry: &Entry,
        text: &Traced,
        engine: Option<EngineId>,
    ) -> Option<Defect> {
        let (scheme, _) = text.as_str().split_once("://")?;
        let (plain, _) = scheme.split_once('+')?;
        let python = |p: &Package| p.language == Language::Python;
        let takes = |p: &Package| TAKE_DRIVERS.iter().any(|word| p.name.contains(word));
        let own = driver::of(self.packages, engine?).is_some();
        if !own
            || self.of_services
            || !self.packages.iter().all(|p| python(p))
            || self.packages.iter().any(|p| takes(p))
        {
            return None;
        }
        Some(Defect {
            kind: DefectKind::SchemeUnknown,
            subject: Field::of("scheme"),
            stops: true,
            text: format!(
                "only SQLAlchemy and its kin take {}, and the dependency list has none of them",
                shown::quoted("scheme", scheme)
            ),
            expected: format!("{plain}://"),
            place: Some(self.places.mark(entry, text, true)),
            mended: None,
        })
    }

    /// A URL where Java's own form is needed: `jdbc:` before it.
    fn no_jdbc(&self, entry: &Entry, text: &Traced) -> Option<Defect> {
        let path = entry.path.join(".").to_ascii_lowercase();
        let of_java = path.contains("spring.datasource.")
            || path.ends_with("jdbc.url")
            || path.ends_with("hibernate.connection.url");
        let string = text.as_str();
        if !of_java || !string.contains("://") || string.starts_with("jdbc:") {
            return None;
        }
        Some(Defect {
            kind: DefectKind::Unreadable,
            subject: Field::STRING,
            stops: true,
            text: "a URL for Java begins with jdbc:, and has its user and password apart"
                .to_owned(),
            expected: "jdbc:postgresql://host:port/database, or the like".to_owned(),
            place: Some(self.places.mark(entry, text, true)),
            mended: None,
        })
    }

    /// MariaDB's driver for Java takes MySQL's scheme only where it is told to, since its
    /// version 3 (its documentation, "permitMysqlScheme").
    fn scheme_of_mysql(&self, entry: &Entry, text: &Traced) -> Option<Defect> {
        let has = |name: &str| {
            let mut all = self.packages.iter();
            all.any(|p| p.language == Language::Java && p.name.starts_with(name))
        };
        let refused = text.as_str().starts_with("jdbc:mysql:")
            && has("mariadb-java-client")
            && !has("mysql-connector")
            && !text.as_str().contains("permitMysqlScheme");
        refused.then(|| Defect {
            kind: DefectKind::SchemeUnknown,
            subject: Field::of("scheme"),
            stops: true,
            text: "the dependency list has MariaDB's driver, which does not take jdbc:mysql:"
                .to_owned(),
            expected: "jdbc:mariadb:".to_owned(),
            place: Some(self.places.mark(entry, text, true)),
            mended: None,
        })
    }

    /// A URL in the place of PDO's data-source name.
    fn no_data_source_name(&self, entry: &Entry, text: &Traced) -> Option<Defect> {
        let of_pdo = self.format == Format::Php && entry.key() == "dsn";
        let driver = text.as_str().split(':').next().unwrap_or_default();
        (of_pdo && text.as_str().contains("://") && OF_PDO.contains(&driver)).then(|| Defect {
            kind: DefectKind::Unreadable,
            subject: Field::STRING,
            stops: true,
            text: "PDO takes no URL: it dials its default place".to_owned(),
            expected: format!("{driver}:host=…;port=…;dbname=…"),
            place: Some(self.places.mark(entry, text, true)),
            mended: None,
        })
    }

    /// The driver that a string for PDO asks for and that PHP does not have.
    pub(super) fn pdo_driver(&self, entry: &Entry, text: &Traced) -> Option<Defect> {
        let string = text.as_str();
        let (driver, rest) = string.split_once(':')?;
        let word = driver
            .chars()
            .all(|c| c.is_ascii_alphanumeric() || c == '_');
        let of_pdo = self.format == Format::Php && entry.key() == "dsn";
        if !of_pdo || !word || !rest.contains('=') || OF_PDO.contains(&driver) {
            return None;
        }
        Some(library_missing(
            format!(
                "PDO has no driver {}: PHP says \"could not find driver\"",
                shown::quoted("driver", driver)
            ),
            "a driver of PDO, such as pgsql: or mysql:".to_owned(),
            self.places.mark(entry, text, true),
        ))
    }

    /// A URL for another engine than the one that stands beside it: Prisma compares the
    /// scheme with its provider before anything else (its documentation, "Data sources"), a
    /// driver of Java is asked whether it takes the URL (java.sql.Driver, "acceptsURL").
    pub(super) fn of_other_provider(
        &self,
        (provider, class): (Option<EngineId>, Option<&str>),
        of_url: Option<EngineId>,
        entry: &Entry,
        text: &Traced,
    ) -> Option<Defect> {
        let provider = provider?;
        let of_url = of_url.filter(|id| *id != provider)?;
        let title = |id| by_id(id).spec.title;
        if text.as_str().starts_with("jdbc:") && class.is_some_and(|c| c.contains('.')) {
            let right = by_id(of_url).spec.driver_words.iter();
            let mut right = right.filter(|w| w.ends_with("Driver"));
            return Some(Defect {
                kind: DefectKind::SchemeUnknown,
                subject: Field::DRIVER,
                stops: true,
                text: format!(
                    "the driver class is one for {}, and the URL one for {}",
                    title(provider),
                    title(of_url)
                ),
                expected: right.next().copied().unwrap_or_default().to_owned(),
                place: Some(self.places.mark(entry, text, true)),
                mended: None,
            });
        }
        if self.format != Format::Prisma {
            return None;
        }
        let scheme = by_id(provider).spec.schemes.first().copied();
        Some(Defect {
            kind: DefectKind::SchemeUnknown,
            subject: Field::of("scheme"),
            stops: true,
            text: format!(
                "the provider of this schema is {}, and the URL is one for {}",
                title(provider),
                title(of_url)
            ),
            expected: format!("{}://, or the other provider", scheme.unwrap_or_default()),
            place: Some(self.places.mark(entry, text, true)),
            mended: None,
        })
    }

    pub(super) fn has_old_rails(&self) -> bool {
        self.packages.iter().any(|p| p.name == OLD_RAILS)
    }

    /// That versions of Rails differ about a scheme, where none is told.
    fn rails_differ(&self, reader: &UrlReader, entry: &Entry, text: &Traced) -> Option<Defect> {
        let of_mysql = reader.id == "rails" && text.as_str().starts_with("mysql://");
        of_mysql.then(|| Defect {
            kind: DefectKind::ReadersDiffer,
            subject: Field::of("scheme"),
            stops: false,
            text: "Rails before 7.2 has no adapter mysql and does not start; later versions take mysql2 for it".to_owned(),
            expected: "mysql2://".to_owned(),
            place: Some(self.places.mark(entry, text, true)),
            mended: None,
        })
    }

    /// A URL where the project's driver takes none.
    fn takes_no_url(&self, client: ClientId, entry: &Entry, text: &Traced) -> Option<Defect> {
        // A library that takes URLs makes a string of the driver's of them.
        let translates = |p: &Package| p.name.contains("dburl") || p.name.contains("migrate");
        let in_settings = matches!(self.format, Format::Json | Format::Xml);
        let form = match client {
            ClientId::GoMysql if !self.packages.iter().any(|p| translates(p)) => {
                "user:password@tcp(host:port)/database"
            }
            ClientId::Npgsql if in_settings => "Host=…;Database=…;Username=…;Password=…",
            ClientId::MysqlConnector if in_settings => "Server=…;Database=…;User ID=…;Password=…",
            _ => return None,
        };
        text.as_str().contains("://").then(|| Defect {
            kind: DefectKind::Unreadable,
            subject: Field::STRING,
            stops: true,
            text: format!("{} takes no URL", client.as_str()),
            expected: form.to_owned(),
            place: Some(self.places.mark(entry, text, true)),
            mended: None,
        })
    }
}
