//! All files of a reading: what each describes, and what only all of them together show.

use std::collections::BTreeSet;

use chronaxis_core::settings::{Defect, DefectKind};
use chronaxis_core::told::Origin;

use crate::check::{self, Unread};
use crate::compare::{self, Disagreement};
use crate::compose::{self, Service};
use crate::connection::{Connection, Source};
use crate::entry::{Entry, Look, Parsed};
use crate::format::{self, Format};
use crate::gather;
use crate::machine::Machine;
use crate::manifest;
use crate::names::{Role, stage};
use crate::places::{Places, Sheet};
use crate::resolve::Variables;
use crate::text::Text;
use crate::traced::{FileId, Traced};

/// What a file turned out to be.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Taken {
    /// It was read.
    Read,
    /// Its bytes are no text.
    Binary,
}

/// What kind of file it is beside its format.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Kind {
    Plain,
    Compose,
    Manifest,
    Environment,
}

struct File {
    path: String,
    mode: Option<u32>,
    text: Text,
    format: Format,
    kind: Kind,
    parsed: Parsed,
    services: Vec<Service>,
}

/// The files of a reading.
#[derive(Default)]
pub struct Project {
    files: Vec<File>,
    environment: Option<FileId>,
}

/// What a reading gives.
#[derive(Clone, Debug, Default)]
pub struct Report {
    /// The connections, file by file.
    pub connections: Vec<Connection>,
    /// What could not be read, and where.
    pub troubles: Vec<Defect>,
    /// Where descriptions of the same connection differ.
    pub disagreements: Vec<Disagreement>,
}

impl Report {
    /// What disagreements say of one connection.
    pub fn disagreeing(&self, member: usize) -> Vec<Defect> {
        let of_it = self
            .disagreements
            .iter()
            .filter(|d| d.connections.contains(&member));
        of_it.flat_map(|d| compare::as_defects(d, member)).collect()
    }
}

impl Project {
    /// Takes a file; `mode` are its permission bits.
    pub fn add(&mut self, path: &str, bytes: &[u8], mode: Option<u32>) -> Taken {
        let Ok(text) = Text::decode(bytes) else {
            return Taken::Binary;
        };
        let format = Format::of(path);
        let mut parsed = format.read(&text);
        let mut kind = Kind::Plain;
        if format == Format::Yaml {
            let interpolated = parsed.entries.iter().map(|entry| Entry {
                value: format::with_interpolation(&entry.value),
                ..entry.clone()
            });
            let entries: Vec<Entry> = interpolated.collect();
            kind = match (compose::is_one(&entries), manifest::is_one(&entries)) {
                (true, _) => Kind::Compose,
                (_, true) => Kind::Manifest,
                _ => Kind::Plain,
            };
            if kind != Kind::Manifest {
                parsed.entries = entries;
            }
        }
        let id = self.files.len();
        parsed.in_file(id);
        let services = match kind {
            Kind::Compose => compose::services(&parsed.entries),
            _ => Vec::new(),
        };
        self.files.push(File {
            path: path.to_owned(),
            mode,
            text,
            format,
            kind,
            parsed,
            services,
        });
        Taken::Read
    }

    /// Takes the environment of a process.
    pub fn add_environment(&mut self, variables: impl IntoIterator<Item = (String, String)>) {
        let mut string = String::new();
        let mut parsed = Parsed::default();
        for (name, value) in variables {
            let key_at = string.len()..string.len() + name.len();
            let from = key_at.end + 1;
            let traced = Traced::verbatim(&value, from);
            let at = from..from + value.len();
            let value_told = crate::entry::Value::text(traced, at, crate::entry::Quotes::Literal);
            string.push_str(&format!("{name}={value}\n"));
            parsed
                .entries
                .push(Entry::new(vec![name], key_at, value_told));
        }
        let id = self.files.len();
        parsed.in_file(id);
        self.environment = Some(id);
        self.files.push(File {
            path: "the environment".to_owned(),
            mode: None,
            text: Text::new(string),
            format: Format::Environment,
            kind: Kind::Environment,
            parsed,
            services: Vec::new(),
        });
    }

    /// How many files were taken.
    pub fn len(&self) -> usize {
        self.files.len()
    }

    /// Whether none was.
    pub fn is_empty(&self) -> bool {
        self.files.is_empty()
    }

    /// The files that option files include, as written, with the file that says so.
    pub fn included(&self) -> Vec<(String, String, bool)> {
        let files = self.files.iter().filter(|f| f.format == Format::OptionFile);
        files
            .flat_map(|f| {
                let named = format::includes(&f.text.string);
                named
                    .into_iter()
                    .map(|(path, folder)| (f.path.clone(), path, folder))
            })
            .collect()
    }

    /// The variables of the process alone are listed: for a target from the environment.
    pub fn report(&self, machine: &dyn Machine) -> Report {
        let places = Places {
            sheets: self
                .files
                .iter()
                .map(|f| Sheet {
                    path: &f.path,
                    text: &f.text,
                    is_environment: f.kind == Kind::Environment,
                })
                .collect(),
        };
        Reading {
            project: self,
            places,
            variables: self.variables(),
            machine,
        }
        .report()
    }

    fn variables(&self) -> Variables {
        let mut variables = Variables::default();
        for (id, file) in self
            .files
            .iter()
            .enumerate()
            .filter(|(_, f)| f.format.is_flat())
        {
            for entry in file.parsed.entries.iter().filter(|e| e.path.len() == 1) {
                variables.note(entry.key(), id, &entry.value);
            }
        }
        variables
    }
}

/// A reading under way.
struct Reading<'a> {
    project: &'a Project,
    places: Places<'a>,
    variables: Variables,
    machine: &'a dyn Machine,
}

/// The folder of a path.
fn folder(path: &str) -> &str {
    path.rsplit_once('/').map_or("", |(folder, _)| folder)
}

/// A path named in a file of this folder.
fn beside(folder: &str, named: &str) -> String {
    let mut parts: Vec<&str> = match named.starts_with('/') {
        true => Vec::new(),
        false => folder.split('/').filter(|p| !p.is_empty()).collect(),
    };
    let absolute = named.starts_with('/') || folder.starts_with('/');
    for part in named.split('/') {
        match part {
            "" | "." => {}
            ".." => {
                parts.pop();
            }
            part => parts.push(part),
        }
    }
    let joined = parts.join("/");
    if absolute {
        format!("/{joined}")
    } else {
        joined
    }
}

impl Reading<'_> {
    fn file(&self, id: FileId) -> Option<&File> {
        self.project.files.get(id)
    }

    /// The files whose variables count in a file, the nearest first: its own, those of its
    /// folder and of the folders above, no sample and of the same stage before others.
    fn seen(&self, id: FileId) -> Vec<FileId> {
        let Some(own) = self.file(id) else {
            return Vec::new();
        };
        let mut out = Vec::new();
        out.extend(self.project.environment.filter(|_| !own.format.is_flat()));
        out.push(id);
        let home = folder(&own.path);
        let own_stage = stage(&own.path);
        let mut others: Vec<(usize, bool, FileId)> = Vec::new();
        for (other, file) in self.project.files.iter().enumerate() {
            let above = folder(&file.path);
            let reaches =
                home == above || above.is_empty() || home.starts_with(&format!("{above}/"));
            let its_stage = stage(file.path.rsplit('/').next().unwrap_or_default());
            if other == id || !file.format.is_flat() || !reaches || its_stage == Some("sample") {
                continue;
            }
            let distance = home.len().saturating_sub(above.len());
            others.push((
                distance,
                its_stage.is_some() && its_stage != own_stage,
                other,
            ));
        }
        others.sort();
        out.extend(others.into_iter().map(|(.., other)| other));
        out.extend(self.project.environment);
        out
    }

    fn report(&self) -> Report {
        let mut report = Report::default();
        for (id, file) in self.project.files.iter().enumerate() {
            let only_environment = self.project.files.len() == 1;
            if file.kind == Kind::Environment && !only_environment {
                continue;
            }
            self.read_file(id, file, &mut report);
        }
        self.inside(&mut report.connections);
        self.check(&mut report.connections);
        self.disagree(&mut report);
        for connection in report.connections.iter_mut().filter(|c| c.is_sample()) {
            let meant =
                |d: &Defect| matches!(d.kind, DefectKind::Placeholder | DefectKind::Unresolved);
            connection.draft.defects.retain(|d| !meant(d));
            connection.findings.retain(|d| !meant(d));
        }
        report
    }

    fn read_file(&self, id: FileId, file: &File, report: &mut Report) {
        for trouble in &file.parsed.troubles {
            report.troubles.push(Defect {
                kind: DefectKind::Unreadable,
                subject: "file".to_owned(),
                stops: false,
                text: trouble.what.clone(),
                expected: trouble.expected.to_owned(),
                place: Some(self.places.point(id, trouble.at)),
                mended: None,
            });
        }
        let seen = self.seen(id);
        let of_services = matches!(file.kind, Kind::Compose | Kind::Manifest);
        let entries = match file.kind {
            Kind::Compose => self.of_compose(file),
            Kind::Manifest => self.of_manifest(file),
            Kind::Plain | Kind::Environment => file.parsed.entries.clone(),
        };
        let worth = |entry: &Entry| self.variables.resolve(entry, &seen);
        // Gathering looks at values too: it must see what they are worth.
        let worded: Vec<Entry> = entries
            .iter()
            .map(|entry| match entry.value.plain() {
                Some(_) => entry.clone(),
                None => {
                    let mut known = entry.clone();
                    known.value.parts = vec![crate::entry::Part::Text(worth(entry))];
                    known
                }
            })
            .collect();
        let source = Source {
            id,
            format: file.format,
            of_services,
            places: &self.places,
            entries: &entries,
            worth: &worth,
        };
        let first = report.connections.len();
        for group in gather::groups(&worded, file.format) {
            let Some(mut connection) = source.connection(&group) else {
                continue;
            };
            if of_services {
                if connection.entries.iter().all(|(_, e)| e.file != id) {
                    continue;
                }
                connection.name = group.holder.first().cloned().unwrap_or_default();
                connection.inside = match file.kind {
                    Kind::Compose => Some((id, connection.name.clone())),
                    _ => None,
                };
            }
            connection.stage = stage(&file.path).or_else(|| stage(&connection.name));
            if file.format == Format::PasswordFile {
                let value = |key: &str| connection.value(key).unwrap_or("any").to_owned();
                connection.name = format!("{}@{}", value("dbname"), value("host"));
            }
            connection.findings.extend(check::writing(
                &self.places,
                &connection,
                file.format,
                &worth,
            ));
            // Elsewhere the environment of the program is expected to set them.
            let by_itself = file.kind == Kind::Compose || file.format.is_flat();
            connection.findings.extend(
                by_itself
                    .then(|| check::unresolved(&self.places, &connection, &worth))
                    .into_iter()
                    .flatten(),
            );
            let mode_of = |path: &str| self.project.files.iter().find(|f| f.path == path)?.mode;
            let found = check::whole(&self.places, &connection, file.format, &mode_of);
            connection.findings.extend(found);
            report.connections.push(connection);
        }
        let mut own = report.connections.split_off(first);
        if file.format == Format::Php {
            own = join_constants(own);
        }
        name_apart(&mut own);
        report.connections.append(&mut own);
    }

    /// The variables of a compose file's services, those of their files among them. A
    /// database's own are no connection of anybody.
    fn of_compose(&self, file: &File) -> Vec<Entry> {
        let mut out = compose::environment(&file.parsed.entries);
        let home = folder(&file.path);
        for service in &file.services {
            for named in &service.env_files {
                let path = beside(home, named);
                let found = self
                    .project
                    .files
                    .iter()
                    .find(|f| beside("", &f.path) == path);
                for entry in found.map_or(&[][..], |f| &f.parsed.entries) {
                    let said =
                        |e: &Entry| e.path.first() == Some(&service.name) && e.key() == entry.key();
                    if entry.path.len() == 1 && !out.iter().any(said) {
                        out.push(Entry {
                            path: vec![service.name.clone(), entry.key().to_owned()],
                            ..entry.clone()
                        });
                    }
                }
            }
        }
        let is_database = |e: &Entry| {
            let of = file
                .services
                .iter()
                .find(|s| e.path.first() == Some(&s.name));
            of.is_some_and(|s| s.engine.is_some())
        };
        out.retain(|e| !is_database(e));
        out
    }

    fn of_manifest(&self, file: &File) -> Vec<Entry> {
        let mut named: manifest::Named = manifest::Named::new();
        for other in self
            .project
            .files
            .iter()
            .filter(|f| f.kind == Kind::Manifest)
        {
            for entry in manifest::named(&other.parsed.entries) {
                let name = entry.path.first().cloned().unwrap_or_default();
                named.entry(name).or_default().push(entry);
            }
        }
        let mut out = manifest::named(&file.parsed.entries);
        out.extend(manifest::containers(&file.parsed.entries, &named));
        out
    }

    /// Says of connections in files of a service that they are used inside it.
    fn inside(&self, connections: &mut [Connection]) {
        for connection in connections.iter_mut().filter(|c| c.inside.is_none()) {
            let own = self.file(connection.file_id);
            let Some(path) = own
                .filter(|f| f.kind == Kind::Plain)
                .map(|f| beside("", &f.path))
            else {
                continue;
            };
            for (id, file) in self.project.files.iter().enumerate() {
                let home = folder(&file.path);
                let of_it = file.services.iter().find(|s| {
                    let holds = |named: &String| {
                        let named = beside(home, named);
                        path == named
                            || (named != beside("", home) && path.starts_with(&format!("{named}/")))
                    };
                    s.env_files.iter().any(|f| beside(home, f) == path)
                        || (s.engine.is_none() && s.folders.iter().any(holds))
                });
                if let Some(service) = of_it {
                    connection.inside = Some((id, service.name.clone()));
                    break;
                }
            }
        }
    }

    fn check(&self, connections: &mut [Connection]) {
        let read = self.variables_read();
        let set: Vec<Unread<'_>> = self
            .project
            .files
            .iter()
            .filter(|f| f.format.is_flat() && f.kind == Kind::Plain)
            .flat_map(|f| &f.parsed.entries)
            .map(|entry| Unread {
                entry,
                text: entry.value.plain().unwrap_or_default(),
            })
            .collect();
        let drivers: Vec<&Entry> = self
            .project
            .files
            .iter()
            .filter(|f| f.format == Format::OdbcDrivers)
            .flat_map(|f| &f.parsed.entries)
            .collect();
        for connection in connections {
            let Some(file) = self.file(connection.file_id) else {
                continue;
            };
            let seen = self.seen(connection.file_id);
            let worth = |entry: &Entry| self.variables.resolve(entry, &seen);
            let mut found = Vec::new();
            for (id, other) in self
                .project
                .files
                .iter()
                .enumerate()
                .filter(|(_, f)| f.kind == Kind::Compose)
            {
                let inside = connection.inside.as_ref().filter(|(of, _)| *of == id);
                // Where it is used inside another composition this one says nothing.
                if connection.inside.is_some() && inside.is_none() {
                    continue;
                }
                // A file far from the composition has nothing to do with it.
                let home = folder(&other.path);
                if inside.is_none()
                    && !home.is_empty()
                    && !file.path.starts_with(&format!("{home}/"))
                {
                    continue;
                }
                let with = check::Composition {
                    services: &other.services,
                    inside: inside.map(|(_, service)| service.as_str()),
                    file: other.path.rsplit('/').next().unwrap_or_default(),
                };
                found.extend(check::containers(
                    &self.places,
                    connection,
                    &with,
                    &worth,
                    self.machine,
                ));
            }
            if file.format == Format::Odbc {
                found.extend(check::drivers(
                    &self.places,
                    connection,
                    &drivers,
                    self.machine,
                ));
            }
            found.extend(self.kept_by_volume(connection));
            found.extend(check::unread(&self.places, connection, &set, &read));
            connection.findings.extend(found);
            let comments = check::comments(&file.text);
            let inactive =
                check::commented_out(&self.places, connection, connection.file_id, &comments);
            connection.findings.extend(inactive);
            connection
                .findings
                .dedup_by(|a, b| a.kind == b.kind && a.place == b.place);
        }
    }

    /// A database's data folder that is older than the file which sets its password: the
    /// image reads the variable once, when it makes the database.
    fn kept_by_volume(&self, connection: &Connection) -> Vec<Defect> {
        let Some((id, _)) = &connection.inside else {
            return Vec::new();
        };
        let Some(file) = self.file(*id).filter(|_| connection.file_id == *id) else {
            return Vec::new();
        };
        let mut out = Vec::new();
        for service in file
            .services
            .iter()
            .filter(|s| s.engine == connection.engine)
        {
            let called = connection
                .value("host")
                .is_some_and(|h| service.is_called(h));
            for data in service.data.iter().filter(|_| called) {
                let path = beside(folder(&file.path), data);
                let (made, changed) = (
                    self.machine.database_since(&path),
                    self.machine.changed(&file.path),
                );
                if let (Some(made), Some(changed)) = (made, changed)
                    && made < changed
                {
                    let entry = connection
                        .entries
                        .iter()
                        .find(|(r, _)| matches!(r, Role::Password | Role::Url));
                    let place = entry.map(|(_, e)| self.places.point(e.file, e.value.at.start));
                    out.push(Defect {
                        kind: DefectKind::Ineffective,
                        subject: "password".to_owned(),
                        stops: false,
                        text: format!("{data} already holds a database, made before {} last changed: a password changed since then does not count there", file.path),
                        expected: "the password changed in the database itself".to_owned(),
                        place,
                        mended: None,
                    });
                }
            }
        }
        out
    }

    /// All variables that anything reads.
    fn variables_read(&self) -> BTreeSet<String> {
        let looks = |f: &File| -> Vec<Look> {
            let inside = f
                .parsed
                .entries
                .iter()
                .flat_map(|e| e.value.looks().cloned());
            inside.chain(f.parsed.looks.iter().cloned()).collect()
        };
        self.project
            .files
            .iter()
            .flat_map(looks)
            .map(|look| look.name)
            .collect()
    }

    fn disagree(&self, report: &mut Report) {
        let published = |connection: &Connection, host: &str, port: u16| -> Option<String> {
            for (id, file) in self.project.files.iter().enumerate() {
                let inside = connection.inside.as_ref().is_some_and(|(of, _)| *of == id);
                for service in file.services.iter().filter(|s| s.engine.is_some()) {
                    let own =
                        inside && service.is_called(host) && service.inner_port() == Some(port);
                    let loopback = matches!(host, "localhost" | "127.0.0.1" | "::1");
                    let outside = connection.inside.is_none()
                        && loopback
                        && service.ports.iter().any(|p| {
                            p.outside == Some(port) && Some(p.inside) == service.inner_port()
                        });
                    if own || outside {
                        return Some(service.name.clone());
                    }
                }
            }
            None
        };
        let ends: Vec<compare::Ends> = report
            .connections
            .iter()
            .map(|c| compare::ends(c, &published))
            .collect();
        for members in compare::alike(&report.connections, &ends) {
            let fields = compare::differences(&report.connections, &ends, &members);
            if fields.is_empty() {
                continue;
            }
            let first = members.first().and_then(|m| report.connections.get(*m));
            let about = first.and_then(|c| {
                c.value("dbname")
                    .map(str::to_owned)
                    .or(Some(c.name.clone()))
            });
            report.disagreements.push(Disagreement {
                about: about.unwrap_or_default(),
                connections: members,
                fields,
            });
        }
    }
}

/// Constants and the constructor that takes them are one connection: it is called by what
/// the constants' names begin with, and its engine is the constructor's.
fn join_constants(connections: Vec<Connection>) -> Vec<Connection> {
    let host = |c: &Connection| match &c.draft.values.get("host")?.origin {
        Origin::File { line, column, .. } => Some((*line, *column)),
        _ => None,
    };
    let mut out: Vec<Connection> = Vec::new();
    for mut connection in connections {
        let place = host(&connection);
        let constants = out
            .iter_mut()
            .find(|c| c.engine.is_none() && place.is_some() && host(c) == place);
        match constants {
            Some(constants) => {
                connection.name.clone_from(&constants.name);
                connection.line = constants.line;
                connection.entries.append(&mut constants.entries);
                *constants = connection;
            }
            None => out.push(connection),
        }
    }
    out
}

/// Gives connections of one file names of their own, where the short ones are the same.
fn name_apart(connections: &mut [Connection]) {
    let names: Vec<String> = connections.iter().map(|c| c.name.clone()).collect();
    let twice = |name: &String| names.iter().filter(|n| *n == name).count() > 1;
    for (connection, name) in connections.iter_mut().zip(&names) {
        if !twice(name) {
            continue;
        }
        let path = connection
            .entries
            .first()
            .map(|(_, e)| e.path.clone())
            .unwrap_or_default();
        let is_url = connection.entries.iter().any(|(r, _)| *r == Role::Url);
        let mut keys = path.clone();
        if let Some(last) = keys.pop() {
            let prefix = crate::names::named(&last)
                .map(|n| n.prefix)
                .unwrap_or_default();
            match (prefix.is_empty(), is_url) {
                (false, false) => keys.push(prefix),
                (_, true) => keys.push(last),
                _ => {}
            }
        }
        connection.name = keys.join(".");
    }
    let mut seen: Vec<String> = Vec::new();
    for connection in connections {
        let base = connection.name.clone();
        let mut number = 2;
        while seen.contains(&connection.name) {
            connection.name = format!("{base}-{number}");
            number += 1;
        }
        seen.push(connection.name.clone());
    }
}
