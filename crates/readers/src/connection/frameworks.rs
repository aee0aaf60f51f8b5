//! What frameworks add to a driver's settings, or do not take: Rails' adapters, Django's
//! dictionary of options, PDO's drivers.

use chronaxis_engines::{Draft, MYSQL, POSTGRESQL, libpq_takes};
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

    /// What Rails asks PostgreSQL for at the start: the encoding, and the variables of a
    /// session (Ruby on Rails guides, "Configuring a PostgreSQL Database").
    pub(super) fn rails_session(&self, group: &Group, draft: &mut Draft, engine: Option<EngineId>) {
        let of_rails = ["rails", "activerecord"]
            .iter()
            .any(|gem| self.has_gem(gem));
        if self.format != Format::Yaml || !of_rails || engine != Some(POSTGRESQL) {
            return;
        }
        let mut asked = Vec::new();
        for entry in self.entries.iter().filter(|e| e.document == group.document) {
            let Some(inner) = entry.path.strip_prefix(group.holder.as_slice()) else {
                continue;
            };
            let text = (self.worth)(entry);
            let plain = |c: char| c.is_ascii_alphanumeric() || "_-.".contains(c);
            if is_unknown(text.as_str()) || !text.as_str().chars().all(plain) {
                continue;
            }
            match inner {
                [key] if key == "encoding" => {
                    let origin = self.places.origin(entry, &text, 0);
                    let value = Sourced::new(text.as_str().to_owned(), origin);
                    draft.values.insert("client_encoding".to_owned(), value);
                }
                [key, name] if key == "variables" && text.as_str() != "default" => {
                    let origin = self.places.origin(entry, &text, 0);
                    asked.push((format!("-c {name}={}", text.as_str()), origin));
                }
                _ => {}
            }
        }
        if let Some((_, origin)) = asked.first() {
            let all: Vec<&str> = asked.iter().map(|(option, _)| option.as_str()).collect();
            let value = Sourced::new(all.join(" "), origin.clone());
            draft.values.entry("options".to_owned()).or_insert(value);
        }
    }
}

pub(super) fn library_missing(text: String, expected: String, place: Place) -> Defect {
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
