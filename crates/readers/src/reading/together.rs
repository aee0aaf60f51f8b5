//! What only all files together show: where a connection is used, what containers make of
//! its host, what nothing reads, and where descriptions differ.

use std::collections::BTreeSet;

use chronaxis_model::settings::{Defect, DefectKind, Field};

use super::Reading;
use crate::check::{self, Unread};
use crate::compare::{self, Disagreement};
use crate::connection::Connection;
use crate::entry::{Entry, Look};
use crate::format::Format;
use crate::names::Role;
use crate::project::{File, Kind, Report, beside, folder};

impl Reading<'_> {
    /// Passes over what another connection of the same files holds whole: a map whose keys
    /// a container gets beside others, a string that a constructor takes with an account.
    pub(super) fn parts_of_others(&self, connections: &mut [Connection]) {
        let places: Vec<BTreeSet<(usize, usize)>> = connections
            .iter()
            .map(|c| {
                let all = c.entries.iter().map(|(_, e)| (e.file, e.value.at.start));
                all.collect()
            })
            .collect();
        let same_ends = |a: &Connection, b: &Connection| {
            let keys = ["host", "port", "dbname", "socket"];
            keys.iter().all(|key| a.value(key) == b.value(key))
        };
        let without_account =
            |c: &Connection| c.value("user").is_none() && c.draft.secret.is_none();
        let parts: Vec<bool> = connections
            .iter()
            .enumerate()
            .map(|(at, own)| {
                let holds = |(other, c): (usize, &Connection)| {
                    let mine = places.get(at).zip(places.get(other));
                    let part = mine.is_some_and(|(a, b)| a.len() < b.len() && a.is_subset(b));
                    let bare = own.file_id == c.file_id
                        && without_account(own)
                        && !without_account(c)
                        && own.engine == c.engine
                        && same_ends(own, c);
                    other != at && (part || bare)
                };
                connections.iter().enumerate().any(holds)
            })
            .collect();
        let parts = connections.iter_mut().zip(parts);
        for (connection, _) in parts.filter(|(_, is_part)| *is_part) {
            connection.pass_over_as_part();
        }
    }

    /// Says of connections in files of a service that they are used inside it.
    pub(super) fn inside(&self, connections: &mut [Connection]) {
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
        for connection in connections.iter_mut() {
            connection.mounts = self.mounts(connection);
        }
    }

    /// What of the machine the service of a connection sees.
    fn mounts(&self, connection: &Connection) -> Vec<(String, String)> {
        let Some((id, name)) = &connection.inside else {
            return Vec::new();
        };
        let Some(file) = self.file(*id) else {
            return Vec::new();
        };
        let services = file.services.iter().filter(|s| s.name == *name);
        let mounts = services.flat_map(|s| &s.mounts);
        mounts
            .filter(|(_, inside)| inside.starts_with('/'))
            .map(|(source, inside)| {
                let here = match source.starts_with('/') {
                    true => source.clone(),
                    false => beside(folder(&file.path), source),
                };
                (here, inside.trim_end_matches('/').to_owned())
            })
            .collect()
    }

    pub(super) fn check(&self, connections: &mut [Connection]) {
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
            // What the program does not get needs no other line.
            if connection.outranked {
                continue;
            }
            let comments = check::comments(&file.text);
            let about =
                check::commented_out(&self.places, connection, connection.file_id, &comments);
            connection.findings.extend(about.findings);
            connection.alternatives = about.alternatives;
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
                        subject: Field::PASSWORD,
                        stops: false,
                        text: format!("{data} already contains a database that was created before {} last changed: a password changed since then has no effect there", file.path),
                        expected: "change the password in the database itself".to_owned(),
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

    pub(super) fn disagree(&self, report: &mut Report) {
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
