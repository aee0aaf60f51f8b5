//! Words by which frameworks are told their engine.

use chronaxis_engines::by_id;
use chronaxis_model::settings::{Defect, DefectKind, Field};
use chronaxis_model::shown;

use crate::connection::Source;
use crate::entry::Entry;
use crate::names::Role;
use crate::packages::Language;
use crate::traced::Traced;

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
            "postgresql",
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

impl Source<'_> {
    /// A word for the engine that the framework does not know.
    pub(super) fn dialect(&self, fields: &[(Role, &Entry, Traced)]) -> Option<Defect> {
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
