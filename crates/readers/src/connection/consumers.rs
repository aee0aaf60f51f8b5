//! Whose names count: what calls and frameworks take their values by, and what they make of
//! a name that they do not have.

mod calls;
mod dialects;

pub(crate) use calls::CALLED;

use calls::{OF_MYSQLCLIENT, OF_PYMYSQL};
use chronaxis_engines::{Draft, MYSQL};
use chronaxis_model::settings::{Defect, DefectKind, Field};
use chronaxis_model::shown;
use chronaxis_model::target::EngineId;

use super::Source;
use crate::entry::Entry;
use crate::format::Format;
use crate::grouping::Group;
use crate::names::Role;
use crate::packages::Language;
use crate::traced::Traced;

/// What Django takes out of a MySQL connection's options for itself (its documentation,
/// "MySQL notes").
const OF_DJANGO: &[&str] = &["isolation_level"];

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
        self.names_of_orm(fields, draft);
    }

    fn at_key(&self, entry: &Entry, defect: Defect) -> Defect {
        Defect {
            place: Some(self.places.point(entry.file, entry.key_at.start)),
            ..defect
        }
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

    /// The account under a name that Sequelize, TypeORM or knex does not read: its driver
    /// takes the one of the system (measured with their versions 6, 0.3 and 3).
    fn names_of_orm(&self, fields: &[(Role, &Entry, Traced)], draft: &mut Draft) {
        let has = |name: &str| {
            let mut all = self.packages.iter();
            all.any(|p| p.language == Language::Javascript && p.name == name)
        };
        let keyed = |key: &str| fields.iter().any(|(_, e, _)| e.key() == key);
        let (title, reads) = match () {
            () if keyed("dialect") && has("sequelize") => ("Sequelize", "username"),
            () if keyed("type") && (has("typeorm") || has("@nestjs/typeorm")) => {
                ("TypeORM", "username")
            }
            () if has("knex") => ("knex", "user"),
            () => return,
        };
        let user = fields.iter().find(|(role, ..)| *role == Role::User);
        let Some((_, entry, text)) = user.filter(|(_, e, _)| e.key() != reads) else {
            return;
        };
        let other = matches!(entry.key(), "user" | "username");
        let in_connection =
            title != "knex" || entry.holder().last().is_some_and(|h| h == "connection");
        if !other || !in_connection || self.format != Format::Json {
            return;
        }
        draft.values.remove("user");
        draft.defects.push(Defect {
            kind: DefectKind::Inactive,
            subject: Field::USER,
            stops: false,
            text: format!(
                "{title} does not read {}; it reads {reads}",
                shown::quoted("name", entry.key())
            ),
            expected: reads.to_owned(),
            place: Some(self.places.mark(entry, text, true)),
            mended: None,
        });
    }
}
