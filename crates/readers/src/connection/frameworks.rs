//! What frameworks add to a driver's settings, or do not take: Rails' adapters, Django's
//! dictionary of options, PDO's drivers.

use chronaxis_engines::{Draft, MYSQL, POSTGRESQL, by_id, libpq_takes};
use chronaxis_model::settings::{Defect, DefectKind, Field, Place};
use chronaxis_model::shown;
use chronaxis_model::sourced::Sourced;
use chronaxis_model::target::{ClientId, EngineId};

use super::Source;
use crate::entry::Entry;
use crate::format::Format;
use crate::grouping::Group;
use crate::packages::Language;
use crate::resolve::is_unknown;
use crate::traced::Traced;

/// An adapter of Active Record, and the library that it loads.
struct Adapter {
    name: &'static str,
    engine: EngineId,
    gem: &'static str,
}

/// Its adapters for these engines (Ruby on Rails guides, "Configuring a Database").
const ADAPTERS: &[Adapter] = &[
    Adapter {
        name: "postgresql",
        engine: POSTGRESQL,
        gem: "pg",
    },
    Adapter {
        name: "postgis",
        engine: POSTGRESQL,
        gem: "pg",
    },
    Adapter {
        name: "mysql2",
        engine: MYSQL,
        gem: "mysql2",
    },
    Adapter {
        name: "trilogy",
        engine: MYSQL,
        gem: "trilogy",
    },
];

/// What Django takes out of its options before PostgreSQL's library gets them, and what the
/// driver in Python takes (Django's documentation, "PostgreSQL notes").
const OF_DJANGO: &[&str] = &[
    "isolation_level",
    "assume_role",
    "server_side_binding",
    "pool",
    "autocommit",
    "cursor_factory",
    "connection_factory",
    "prepare_threshold",
    "row_factory",
    "context",
    "async",
];

/// PDO's drivers (PHP manual, "PDO Drivers").
const OF_PDO: &[&str] = &[
    "mysql", "pgsql", "sqlite", "sqlsrv", "dblib", "odbc", "oci", "firebird", "ibm", "informix",
    "cubrid", "uri", "sybase", "mssql",
];

impl Source<'_> {
    fn has_gem(&self, name: &str) -> bool {
        let mut all = self.packages.iter();
        all.any(|p| p.language == Language::Ruby && p.name == name)
    }

    /// An adapter that Rails does not have, or whose library the list of gems lacks.
    pub(super) fn adapter(&self, entry: &Entry, text: &Traced, engine: EngineId) -> Option<Defect> {
        let of_rails = entry.key() == "adapter"
            && self.format == Format::Yaml
            && ["rails", "activerecord", "sinatra-activerecord"]
                .iter()
                .any(|gem| self.has_gem(gem));
        if !of_rails {
            return None;
        }
        let word = text.as_str();
        let own = || ADAPTERS.iter().filter(|a| a.engine == engine);
        let Some(adapter) = ADAPTERS.iter().find(|a| a.name == word) else {
            let near = own().next()?.name;
            return Some(Defect {
                kind: DefectKind::SchemeUnknown,
                subject: Field::DRIVER,
                stops: true,
                text: format!("Rails has no adapter {}", shown::quoted("driver", word)),
                expected: near.to_owned(),
                place: Some(self.places.mark(entry, text, false)),
                mended: self.places.mended(entry, text, near),
            });
        };
        if self.has_gem(adapter.gem) {
            return None;
        }
        Some(library_missing(
            format!(
                "the adapter {} needs the gem {}, which the Gemfile does not have",
                adapter.name, adapter.gem
            ),
            format!("gem \"{}\" in the Gemfile", adapter.gem),
            self.places.mark(entry, text, false),
        ))
    }

    /// Laravel and the driver for Node dial a socket file and nothing else where one is named
    /// (Laravel's `MySqlConnector`; mysql2's documentation, "socketPath").
    pub(super) fn socket_over_host(&self, draft: &mut Draft) {
        let laravel = ["laravel/framework", "illuminate/database"];
        let of_laravel = self
            .packages
            .iter()
            .any(|p| laravel.contains(&p.name.as_str()));
        if draft.value("socket").is_some() && (of_laravel || draft.client == ClientId::NodeMysql) {
            draft.values.remove("host");
            draft.values.remove("port");
        }
    }

    /// Django's options: what PostgreSQL's library is asked for, and what it does not take.
    pub(super) fn django_options(
        &self,
        group: &Group,
        draft: &mut Draft,
        engine: Option<EngineId>,
    ) {
        if self.format != Format::Python || engine.is_none() {
            return;
        }
        let of_libpq = engine == Some(POSTGRESQL);
        for entry in group.options(self.entries) {
            let key = entry.key();
            let text = (self.worth)(entry);
            let told = draft.value(key).is_some();
            let handed = of_libpq && libpq_takes(key) && !told && !is_unknown(text.as_str());
            if key == "read_default_file" || handed {
                let origin = self.places.origin(entry, &text, 0);
                let value = Sourced::new(text.as_str().to_owned(), origin);
                draft.values.insert(key.to_owned(), value);
            } else if of_libpq && !libpq_takes(key) && !OF_DJANGO.contains(&key) {
                draft.defects.push(Defect {
                    kind: DefectKind::Unreadable,
                    subject: Field::PARAMETERS,
                    stops: true,
                    text: format!(
                        "Django hands the option {} on, and PostgreSQL's library has none of that name",
                        shown::quoted("name", key)
                    ),
                    expected: "an option of PostgreSQL's library, such as sslmode".to_owned(),
                    place: Some(self.places.point(entry.file, entry.key_at.start)),
                    mended: None,
                });
            }
        }
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
}

fn library_missing(text: String, expected: String, place: Place) -> Defect {
    Defect {
        kind: DefectKind::LibraryMissing,
        subject: Field::DRIVER,
        stops: true,
        text,
        expected,
        place: Some(place),
        mended: None,
    }
}
