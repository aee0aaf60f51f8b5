//! From a group of keys to a connection: a draft whose every value knows its place.

mod consumers;
mod forms;
mod frameworks;
mod node_tls;
mod own_fields;
mod parameters;
mod place_in_host;
mod program;
mod string;

pub(crate) use consumers::CALLED;
pub(crate) use place_in_host::has_php_shape;

use chronaxis_engines::{Draft, by_id};
use chronaxis_model::secret::Secret;
use chronaxis_model::settings::{Defect, DefectKind, Field, check_port, check_value, nearest};
use chronaxis_model::shown;
use chronaxis_model::sourced::{Origin, Sourced};
use chronaxis_model::target::EngineId;

use crate::clients::{client, engine_by_port, own_name};
use crate::driver;
use crate::entry::{Entry, Rewrite};
use crate::format::Format;
use crate::grouping::{Group, is_string};
use crate::names::{Means, Role, driver_words, engine_word, misspelt, renamed};
use crate::packages::Package;
use crate::places::Places;
use crate::reader::Reader;
use crate::references;
use crate::resolve::{is_nothing_but_unknown, is_unknown, shown_variables};
use crate::traced::{FileId, Traced};

/// A value that only the environment, or a run, would tell.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Unknown {
    /// What it is to the connection: `host`, `password`, …
    pub subject: Field,
    /// The variables it waits for; empty where only a run of the program tells.
    pub variables: Vec<String>,
    /// Where it stands.
    pub origin: Origin,
    /// Why it is not known, in words, where no variable is the reason.
    pub instead: Option<String>,
}

/// One description of a connection.
#[derive(Clone, Debug)]
pub struct Connection {
    /// What the file calls it.
    pub name: String,
    /// The file.
    pub file: String,
    /// The line on which it begins, from 1.
    pub line: u32,
    /// The engine, where it is told.
    pub engine: Option<EngineId>,
    /// Its values.
    pub draft: Draft,
    /// What is not known without a run.
    pub unknown: Vec<Unknown>,
    /// What its surroundings show: other files, other services, this machine.
    pub findings: Vec<Defect>,
    /// Other values that stand beside these, commented out: they say something only where
    /// these fail.
    pub alternatives: Vec<Defect>,
    /// The service of a compose file in which it is used, if it is.
    pub inside: Option<(FileId, String)>,
    /// What of the machine that service sees: paths here, and where each lies inside.
    pub mounts: Vec<(String, String)>,
    /// The stage of work that its file or name speaks of.
    pub stage: Option<&'static str>,
    /// Who reads its file, where the project tells.
    pub reader: Option<&'static Reader>,
    /// Whether another file has the last word on a value of it.
    pub outranked: bool,
    /// Whether its file describes another one that the program takes in its place, unless
    /// told otherwise: of another mode of work, or not the default.
    pub passed_over: bool,
    pub(crate) file_id: FileId,
    pub(crate) entries: Vec<(Role, Entry)>,
}

impl Connection {
    /// Whether its file is a sample that others copy: its placeholders are meant.
    pub fn is_sample(&self) -> bool {
        self.stage == Some("sample")
    }

    /// Whether a whole string describes it, rather than a value each.
    pub fn is_of_string(&self) -> bool {
        self.entries.iter().any(|(role, _)| *role == Role::Url)
    }

    /// Passes it over for another one that it is a part of: what it lacks, the whole has.
    pub(crate) fn pass_over_as_part(&mut self) {
        self.passed_over = true;
        self.findings.retain(|d| d.kind != DefectKind::Missing);
    }

    /// A value, unless it is empty.
    pub fn value(&self, key: &str) -> Option<&str> {
        self.draft.value(key).map(|told| told.value.as_str())
    }
}

/// What a reading of one file knows.
pub(crate) struct Source<'a> {
    pub(crate) id: FileId,
    pub(crate) format: Format,
    /// Whether names of holders are those of services: they say nothing of an engine.
    pub(crate) of_services: bool,
    pub(crate) places: &'a Places<'a>,
    /// The entries that groups are made of.
    pub(crate) entries: &'a [Entry],
    /// What each of them is worth.
    pub(crate) worth: &'a dyn Fn(&Entry) -> Traced,
    /// The packages of the project round it.
    pub(crate) packages: &'a [&'a Package],
    /// The connections that a configuration of Laravel defines.
    pub(crate) laravel: &'a [String],
    /// Schemes that the project's programs write anew.
    pub(crate) rewrites: &'a [&'a Rewrite],
    /// The engine whose client program is started with this file's variables.
    pub(crate) client_of: Option<EngineId>,
    /// The engine of the container that goes by a name.
    pub(crate) container: &'a dyn Fn(&str) -> Option<EngineId>,
}

impl Source<'_> {
    /// The connection that a group describes, if it describes one.
    pub(crate) fn connection(&self, group: &Group) -> Option<Connection> {
        let fields: Vec<(Role, &Entry, Traced)> = group
            .fields
            .iter()
            .filter_map(|(role, at)| {
                let entry = self.entries.get(*at)?;
                Some((*role, entry, (self.worth)(entry)))
            })
            .collect();
        let told = self.engine(group, &fields)?;
        let mut fields = fields;
        self.take_hosts_apart(&mut fields, told.engine, told.driver.as_deref());
        let mut draft = Draft {
            form: self.format.title().to_owned(),
            read_by: Vec::new(),
            defects: told.defects,
            ..Draft::default()
        };
        let mut engine = told.engine;
        let mut unknown = Vec::new();
        // A URL from a variable that is not set leaves the word to the parts beside it.
        let has_host = fields.iter().any(|(role, ..)| *role == Role::Host);
        fields.retain(|(role, entry, text)| {
            let from_variable = entry.value.looks().count() == 1 || is_unknown(text.as_str());
            let unset = from_variable && is_nothing_but_unknown(text.as_str());
            !(*role == Role::Url && has_host && (unset || text.as_str().is_empty()))
        });
        if let Some((_, entry, text)) = fields.iter().rev().find(|(role, ..)| *role == Role::Url) {
            let mut read = self.string(entry, text, engine)?;
            let beside = (told.engine, told.driver.as_deref());
            let other = self.of_other_provider(beside, read.engine, entry, text);
            read.draft.defects.extend(other);
            engine = read.engine.or(engine);
            draft = read.draft;
            unknown = read.unknown;
        } else {
            draft.client = client(
                engine,
                told.driver.as_deref().unwrap_or_default(),
                self.format,
            );
            self.by_driver(&mut draft, engine);
        }
        let of_url = fields.iter().any(|(role, ..)| *role == Role::Url);
        for (role, entry, text) in &fields {
            let has_dbname = fields.iter().any(|(r, ..)| *r == Role::Database);
            let key = match role {
                Role::Url | Role::Engine => continue,
                Role::Name if has_dbname => continue,
                Role::Host => "host",
                Role::Port => "port",
                Role::User => "user",
                Role::Password => "password",
                Role::Database | Role::Name => "dbname",
                Role::Socket => "socket",
                Role::Option(name) => own_name(engine, name),
            };
            // A URL outranks the parts that it names, and leaves the others to them.
            let by_url = match key {
                "password" => draft.secret.is_some(),
                key => draft.value(key).is_some(),
            };
            if of_url && by_url {
                continue;
            }
            self.field(&mut draft, &mut unknown, engine, key, entry, text);
        }
        self.own_fields(group, &mut draft, &mut unknown, engine);
        self.socket_as_host(&mut draft, engine);
        self.socket_over_host(&mut draft);
        self.tls_object(group, &mut draft, engine);
        self.django_options(group, &mut draft, engine);
        self.rails_session(group, &mut draft, engine);
        self.names_taken(group, &fields, &mut draft, engine);
        let first = fields.first()?.1;
        let file = self.places.path(first.file).to_owned();
        let line = self.places.position(first.file, first.key_at.start).0;
        let mut name = group.name(self.entries, self.format.is_flat());
        // A key may be a string itself, with a password in it: it is no name.
        if is_string(&name) || !(name.is_empty() || shown::is_title(&name)) {
            name = format!("line-{line}");
        }
        Some(Connection {
            name: if name.is_empty() {
                self.places.stem(self.id)
            } else {
                name
            },
            file,
            line,
            engine,
            draft,
            unknown,
            findings: Vec::new(),
            alternatives: Vec::new(),
            inside: None,
            mounts: Vec::new(),
            stage: None,
            reader: None,
            outranked: false,
            passed_over: false,
            file_id: self.id,
            entries: fields
                .iter()
                .map(|(role, entry, _)| (*role, (*entry).clone()))
                .collect(),
        })
    }

    /// Some clients take a socket's folder as the host.
    fn socket_as_host(&self, draft: &mut Draft, engine: Option<EngineId>) {
        if engine.is_some_and(|id| by_id(id).spec.socket_is_host)
            && let Some(told) = draft.values.remove("socket")
            && draft.value("host").is_none()
        {
            draft.values.insert("host".to_owned(), told);
        }
    }

    fn field(
        &self,
        draft: &mut Draft,
        unknown: &mut Vec<Unknown>,
        engine: Option<EngineId>,
        key: &str,
        entry: &Entry,
        text: &Traced,
    ) {
        let subject = if key == "dbname" { "database" } else { key };
        let origin = self.places.origin(entry, text, 0);
        if is_unknown(text.as_str()) {
            unknown.push(Unknown {
                subject: Field::of(subject),
                variables: shown_variables(text.as_str()),
                origin,
                instead: None,
            });
            return;
        }
        if let Some(why) = references::why(text.as_str()) {
            unknown.push(Unknown {
                subject: Field::of(subject),
                variables: Vec::new(),
                origin,
                instead: Some(why.to_owned()),
            });
            return;
        }
        let secret = key == "password";
        let value = text.as_str();
        let (excerpt, span) = self.places.excerpt(entry, text, secret);
        let place = |defects: Vec<Defect>| {
            let in_file = |mut d: Defect| {
                d.place = d.place.map(|p| self.places.mark_in(p, entry, text));
                d
            };
            defects.into_iter().map(in_file).collect::<Vec<_>>()
        };
        // A value that repeats its own key was never filled in.
        let same = value.eq_ignore_ascii_case(entry.key()) || value.eq_ignore_ascii_case(key);
        if same && !value.is_empty() && matches!(key, "password" | "host" | "user") {
            draft.defects.push(Defect {
                kind: DefectKind::Placeholder,
                subject: Field::of(subject),
                stops: key == "host",
                text: format!("the {subject} is the same as its key"),
                expected: "the real value".to_owned(),
                place: Some(self.places.mark(entry, text, secret)),
                mended: None,
            });
        }
        draft.defects.extend(place(check_value(
            subject,
            value,
            Some((&excerpt.excerpt(), span.clone())),
        )));
        if key == "port" {
            draft.defects.extend(self.port(engine, entry, text));
        }
        if secret {
            draft.secret = Some(Sourced::new(Secret::new(value), origin));
        } else {
            draft
                .values
                .insert(key.to_owned(), Sourced::new(value.to_owned(), origin));
        }
    }

    /// What the number of a port gives away; several stand side by side where several hosts
    /// do.
    fn port(&self, engine: Option<EngineId>, entry: &Entry, text: &Traced) -> Vec<Defect> {
        let usual = engine.and_then(|id| by_id(id).spec.usual_port);
        let mut out = Vec::new();
        for value in text
            .as_str()
            .split(',')
            .map(str::trim)
            .filter(|v| !v.is_empty())
        {
            let mark = || {
                let plain = shown::may_show("port", value);
                self.places.mark(entry, text, !plain)
            };
            match value.parse::<u16>().ok().filter(|p| *p > 0) {
                Some(port) => out.extend(usual.and_then(|u| check_port(port, u, Some(mark())))),
                None => out.push(Defect {
                    kind: DefectKind::Unreadable,
                    subject: Field::PORT,
                    stops: true,
                    text: format!(
                        "the port is not a number from 1 to 65535: {}",
                        shown::quoted("port", value)
                    ),
                    expected: "a number from 1 to 65535".to_owned(),
                    place: Some(mark()),
                    mended: None,
                }),
            }
        }
        out
    }

    /// What the group says of its engine; none where it is something else altogether.
    fn engine(&self, group: &Group, fields: &[(Role, &Entry, Traced)]) -> Option<ToldEngine> {
        let mut out = ToldEngine::default();
        let told = fields.iter().rev().find(|(role, ..)| *role == Role::Engine);
        if let Some((_, entry, text)) = told.filter(|(_, _, t)| !is_unknown(t.as_str())) {
            let word = text.as_str();
            out.driver = Some(word.to_owned());
            match engine_word(word) {
                Some(Means::Foreign) => return None,
                Some(Means::Engine(id)) => {
                    out.engine = Some(id);
                    out.defects.extend(self.renamed(entry, text));
                    out.defects.extend(self.adapter(entry, text, id));
                    let near = misspelt(word).map(|near| self.driver_unknown(entry, text, near));
                    out.defects.extend(near);
                }
                None => {
                    let near = nearest(word, driver_words());
                    if let Some(near) = near.filter(|_| word.len() > 3)
                        && let Some(Means::Engine(id)) = engine_word(near)
                    {
                        out.engine = Some(id);
                        out.defects.push(self.driver_unknown(entry, text, near));
                    }
                }
            }
        }
        if out.engine.is_some() {
            return Some(out);
        }
        match self.format {
            Format::ServiceFile | Format::PasswordFile => {
                out.engine = Some(chronaxis_engines::POSTGRESQL)
            }
            Format::OptionFile => out.engine = Some(chronaxis_engines::MYSQL),
            _ => {}
        }
        let words = std::iter::once(&group.prefix);
        let holders = group.holder.iter().rev().filter(|_| !self.of_services);
        for word in words.chain(holders) {
            match engine_word(word) {
                Some(Means::Foreign) => return None,
                Some(Means::Engine(id)) if out.engine.is_none() => out.engine = Some(id),
                _ => {}
            }
        }
        if let Some((entry, text)) = self.word_above(group)
            && let Some(near) = misspelt(text.as_str())
        {
            out.defects.push(self.driver_unknown(entry, &text, near));
        }
        out.engine = out
            .engine
            .or_else(|| self.engine_above(group))
            .or_else(|| engine_by_port(fields))
            .or_else(|| {
                let (_, _, host) = fields.iter().find(|(role, ..)| *role == Role::Host)?;
                (self.container)(host.as_str())
            })
            .or_else(|| driver::sole_engine(self.packages))
            .or(self.client_of);
        Some(out)
    }

    /// The engine that a key above the group names: `client: pg`, `connection: {host: …}`.
    fn engine_above(&self, group: &Group) -> Option<EngineId> {
        let (_, text) = self.word_above(group)?;
        match engine_word(text.as_str())? {
            Means::Engine(id) => Some(id),
            Means::Foreign => None,
        }
    }

    /// The key above the group that may name its engine.
    fn word_above(&self, group: &Group) -> Option<(&Entry, Traced)> {
        let above = group.holder.split_last()?.1;
        let beside = self
            .entries
            .iter()
            .filter(|e| e.document == group.document && e.holder() == above);
        beside
            .filter(|e| crate::names::named(e.key()).is_some_and(|n| n.role == Role::Engine))
            .map(|e| (e, (self.worth)(e)))
            .find(|(_, text)| matches!(engine_word(text.as_str()), Some(Means::Engine(_))))
    }

    fn renamed(&self, entry: &Entry, text: &Traced) -> Option<Defect> {
        let low = text.as_str().to_ascii_lowercase();
        let now = renamed(&low)?;
        Some(Defect {
            kind: DefectKind::SchemeUnknown,
            subject: Field::DRIVER,
            stops: false,
            text: format!(
                "the driver {} has another name now",
                shown::quoted("driver", text.as_str())
            ),
            expected: (*now).to_owned(),
            place: Some(self.places.mark(entry, text, false)),
            mended: self.places.mended(entry, text, now),
        })
    }

    fn driver_unknown(&self, entry: &Entry, text: &Traced, near: &str) -> Defect {
        Defect {
            kind: DefectKind::SchemeUnknown,
            subject: Field::DRIVER,
            stops: true,
            text: format!(
                "the driver {} is not known",
                shown::quoted("driver", text.as_str())
            ),
            expected: near.to_owned(),
            place: Some(self.places.mark(entry, text, false)),
            mended: self.places.mended(entry, text, near),
        }
    }
}

#[derive(Default)]
struct ToldEngine {
    engine: Option<EngineId>,
    driver: Option<String>,
    defects: Vec<Defect>,
}
