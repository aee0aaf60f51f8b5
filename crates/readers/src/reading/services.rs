//! What services and workloads make of the files: variables of compositions and clusters, and
//! names that only containers know.

use chronaxis_model::settings::{Defect, DefectKind, Field};
use chronaxis_model::shown;

use super::Reading;
use crate::compose;
use crate::connection::{Connection, Unknown};
use crate::entry::Entry;
use crate::format::Format;
use crate::manifest;
use crate::project::{File, Kind, beside, folder};
use crate::traced::FileId;

impl Reading<'_> {
    /// A name that exists inside a composition alone cannot be looked up from here, where
    /// the program that uses it is one of its services.
    pub(super) fn name_inside(&self, id: FileId, file: &File, connection: &mut Connection) {
        let is_inside = connection.inside.as_ref().is_some_and(|(of, _)| *of == id);
        let host = connection.value("host").map(str::to_owned);
        let Some(host) = host.filter(|_| is_inside && self.project.as_program) else {
            return;
        };
        let of_it = file.services.iter().find(|s| s.is_called(&host));
        let reaches_out = file
            .services
            .iter()
            .any(|s| s.is_called(&connection.name) && s.on_host);
        if of_it.is_none() || reaches_out {
            return;
        }
        if let Some(told) = connection.draft.values.remove("host") {
            connection.unknown.push(Unknown {
                subject: Field::HOST,
                variables: Vec::new(),
                origin: told.origin,
                instead: Some(format!(
                    "{} is a name inside this composition, which only its containers can look up: run this inside the service {}",
                    shown::quoted("host", &host),
                    shown::quoted("name", &connection.name)
                )),
            });
        }
    }

    /// The variables of a compose file's services, those of their files among them. A
    /// database's own are no connection of anybody.
    pub(super) fn of_compose(&self, file: &File) -> Vec<Entry> {
        let mut out = compose::environment(&file.parsed.entries);
        if let Some(over) = self.override_of(file) {
            for entry in compose::environment(&over.parsed.entries) {
                out.retain(|known| known.path != entry.path);
                out.push(entry);
            }
        }
        let home = folder(&file.path);
        for service in &file.services {
            // Of several files the last one counts, and what stands in the composition itself
            // before all of them.
            for named in service.env_files.iter().rev() {
                let path = beside(home, named);
                let mut all = self.project.files.iter().enumerate();
                let found = all.find(|(_, f)| beside("", &f.path) == path);
                let read = found.map_or_else(Vec::new, |f| self.named_file("compose", f).entries);
                let mut of_file: Vec<Entry> = Vec::new();
                for entry in read.iter().rev().filter(|e| e.path.len() == 1) {
                    let path = vec![service.name.clone(), entry.key().to_owned()];
                    let known = |e: &Entry| e.path == path;
                    if !out.iter().chain(&of_file).any(known) {
                        of_file.push(Entry {
                            path: path.clone(),
                            ..entry.clone()
                        });
                    }
                }
                out.extend(of_file.into_iter().rev());
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

    /// Whether there is no file of this path, as far as a reading of a folder shows: an
    /// environment file in it would have been read.
    fn is_absent(&self, path: &str) -> bool {
        let mut all = self.project.files.iter();
        let inside = all.any(|f| path.starts_with(folder(&beside("", &f.path))));
        let of_environment = Format::of(path) == Format::Environment;
        self.project.as_program && inside && of_environment && !path.contains('$')
    }

    /// That a composition gives up a variables' file of this service.
    pub(super) fn refused_by_compose(
        &self,
        (composition, file): (FileId, &File),
        service: &str,
    ) -> Vec<Defect> {
        let home = folder(&file.path);
        let mut own = file.services.iter().filter(|s| s.name == service);
        let own = own.next();
        let named = own.map_or(&[][..], |s| &s.env_files);
        let optional = own.is_some_and(|s| s.optional_files);
        let mut out = Vec::new();
        for named in named {
            let path = beside(home, named);
            let mut all = self.project.files.iter().enumerate();
            match all.find(|(_, f)| beside("", &f.path) == path) {
                Some(found) => out.extend(self.refusal(found.0, &self.named_file("compose", found))),
                None if !optional && self.is_absent(&path) => out.push(Defect {
                    kind: DefectKind::FileMissing,
                    subject: Field::FILE,
                    stops: true,
                    text: format!(
                        "the service {} has the env_file {}, which is not there: the composition does not start",
                        shown::quoted("name", service),
                        shown::path(named)
                    ),
                    expected: "the file, or required: false beside its path".to_owned(),
                    place: Some(self.places.point(composition, 0)),
                    mended: None,
                }),
                None => {}
            }
        }
        out
    }

    /// What a container asks of secrets and maps that do not have it.
    pub(super) fn absent_in(&self, id: FileId, file: &File, container: &str) -> Vec<Defect> {
        let absent = manifest::absent(&file.parsed.entries, &self.named_of_cluster());
        let of_it = absent.into_iter().filter(|a| a.container == container);
        of_it
            .map(|a| Defect {
                kind: DefectKind::Missing,
                subject: Field::FILE,
                stops: true,
                text: format!(
                    "{} has no key {}, so the container does not start",
                    shown::quoted("name", &a.from),
                    shown::quoted("name", &a.key)
                ),
                expected: "a key that is there, or the key added to it".to_owned(),
                place: Some(self.places.point(id, a.at)),
                mended: None,
            })
            .collect()
    }

    /// What the cluster refuses of a manifest.
    pub(super) fn refused_in(&self, id: FileId, file: &File) -> Vec<Defect> {
        let all = manifest::refused(&file.parsed.entries);
        all.into_iter()
            .map(|(at, text)| Defect {
                kind: DefectKind::Unreadable,
                subject: Field::FILE,
                stops: true,
                text: text.to_owned(),
                expected: "a string in quotes; under data of a Secret its base64, or stringData"
                    .to_owned(),
                place: Some(self.places.point(id, at)),
                mended: None,
            })
            .collect()
    }

    /// The secrets and maps of all files, by their names.
    fn named_of_cluster(&self) -> manifest::Named {
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
        named
    }

    pub(super) fn of_manifest(&self, file: &File) -> Vec<Entry> {
        let named = self.named_of_cluster();
        let mut out = manifest::named(&file.parsed.entries);
        out.extend(manifest::containers(&file.parsed.entries, &named));
        out
    }
}
