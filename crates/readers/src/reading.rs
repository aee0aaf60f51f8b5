//! One reading: each file by itself, then all of them together.

mod apart;
mod data_sources;
mod layers;
mod named_files;
mod of_program;
mod profiles;
mod readers;
mod services;
mod star_imports;
mod together;

use chronaxis_model::settings::{Defect, DefectKind, Field};
use chronaxis_model::shown;

use self::apart::{join_constants, name_apart, pass_over, told_by_shape};
use self::layers::Layers;
use crate::check;
use crate::connection::Source;
use crate::entry::{Entry, Rewrite};
use crate::format::Format;
use crate::grouping;
use crate::machine::Machine;
use crate::names::{stage, stage_of_file};
use crate::packages;
use crate::places::{Places, Sheet};
use crate::project::{File, Kind, Project, Report, beside, folder};
use crate::resolve::Variables;
use crate::traced::FileId;

impl Project {
    /// Reads all files together. The variables of a process are a connection of their own
    /// only where no file was taken.
    pub fn report(&mut self, machine: &dyn Machine) -> Report {
        self.settle();
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
            .filter(|(_, f)| self.holds_variables(f))
        {
            let depth = if file.format == Format::Ini { 2 } else { 1 };
            for entry in file.parsed.entries.iter().filter(|e| e.path.len() == depth) {
                // An INI file's keys are the same in any case.
                let name = match depth {
                    2 => entry.key().to_ascii_uppercase(),
                    _ => entry.key().to_owned(),
                };
                variables.note(&name, id, &entry.value);
            }
        }
        let programs = |f: &File| matches!(f.format, Format::Python | Format::Php);
        for (id, file) in self.files.iter().enumerate().filter(|(_, f)| programs(f)) {
            variables.note_language(id, file.format);
            for entry in &file.parsed.entries {
                variables.note_name(entry.path.join("."), id, &entry.value);
            }
        }
        variables
    }
}

/// Whether a file holds the values of a chart (Helm's documentation, "Values Files").
fn is_chart(file: &File) -> bool {
    let name = file.path.rsplit('/').next().unwrap_or_default();
    file.format == Format::Yaml && name.starts_with("values")
}

/// A reading under way.
struct Reading<'a> {
    project: &'a Project,
    places: Places<'a>,
    variables: Variables,
    machine: &'a dyn Machine,
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
        let own_stage = stage_of_file(&own.path);
        let mut others: Vec<(usize, bool, FileId)> = Vec::new();
        for (other, file) in self.project.files.iter().enumerate() {
            let above = folder(&file.path);
            let reaches =
                home == above || above.is_empty() || home.starts_with(&format!("{above}/"));
            let its_stage = stage(file.path.rsplit('/').next().unwrap_or_default());
            let holds = self.project.holds_variables(file);
            if other == id || !holds || !reaches || its_stage == Some("sample") {
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
        self.parts_of_others(&mut report.connections);
        self.as_the_program_takes(&mut report.connections);
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

    fn troubles(&self, id: FileId, file: &File, report: &mut Report) {
        for trouble in &file.parsed.troubles {
            report.troubles.push(Defect {
                kind: DefectKind::Unreadable,
                subject: Field::FILE,
                stops: false,
                text: trouble.what.clone(),
                expected: trouble.expected.to_owned(),
                place: Some(self.places.point(id, trouble.at)),
                mended: None,
            });
        }
    }

    fn read_file(&self, id: FileId, file: &File, report: &mut Report) {
        let seen = self.seen(id);
        let layers = self.layers(id, file);
        if matches!(layers, Layers::SpokenFor) {
            return;
        }
        let of_services = matches!(file.kind, Kind::Compose | Kind::Manifest);
        let entries = match file.kind {
            Kind::Compose => self.of_compose(file),
            Kind::Manifest => self.of_manifest(file),
            Kind::Plain if file.format == Format::OptionFile => {
                if self.is_included(id) {
                    return;
                }
                self.with_included(id, 0)
            }
            Kind::Plain | Kind::Environment => {
                let own = match &layers {
                    Layers::Several(all) => self.laid_over(all),
                    _ => file.parsed.entries.clone(),
                };
                match file.format {
                    Format::Unit => self.with_environment_files(file, own),
                    Format::Odbc => data_sources::as_drivers_do(&own),
                    Format::Yaml if self.project.as_program => profiles::laid_over(file, own),
                    _ => own,
                }
            }
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
        let near = packages::near(&self.project.packages, folder(&file.path));
        let configurations = self.project.files.iter();
        let laravel: Vec<String> = configurations
            .filter(|f| f.path.ends_with("config/database.php"))
            .flat_map(|f| &f.parsed.entries)
            .filter_map(|e| {
                let at = e.path.iter().position(|key| key == "connections")?;
                e.path.get(at + 1).cloned()
            })
            .collect();
        let all = self.project.files.iter();
        let rewrites: Vec<&Rewrite> = all.flat_map(|f| &f.parsed.rewrites).collect();
        let source = Source {
            id,
            format: file.format,
            of_services,
            places: &self.places,
            entries: &entries,
            worth: &worth,
            packages: &near,
            rewrites: &rewrites,
            laravel: &laravel,
            client_of: file.client_of,
            container: &|host| {
                let mut services = self.project.files.iter().flat_map(|f| &f.services);
                services.find(|s| s.is_called(host))?.engine
            },
        };
        let first = report.connections.len();
        let given = self.given_to_readers(id, file, &layers);
        for group in grouping::groups(&worded, file.format, is_chart(file)) {
            let Some(mut connection) = source.connection(&group) else {
                continue;
            };
            if file.kind == Kind::Manifest {
                for unknown in connection
                    .unknown
                    .iter_mut()
                    .filter(|u| u.variables.is_empty())
                {
                    let elsewhere =
                        "the manifest names a secret or map for it that is not among these files";
                    unknown.instead.get_or_insert(elsewhere.to_owned());
                }
                connection.findings.extend(self.refused_in(id, file));
                let container = group.holder.first().cloned().unwrap_or_default();
                connection
                    .findings
                    .extend(self.absent_in(id, file, &container));
            }
            for of in layers.files(id) {
                let parsed = self.file(of).map(|f| &f.parsed);
                let refused = parsed.and_then(|parsed| self.refusal(of, parsed));
                connection.findings.extend(refused);
            }
            if file.format == Format::Odbc {
                let all = &file.parsed.entries;
                let passed = self.passed_over_by_driver(all, &connection);
                connection.findings.extend(passed);
            }
            let section = group.holder.first();
            let given_up = file.parsed.refused_in.iter();
            connection.findings.extend(
                given_up
                    .filter(|(of, _)| Some(of) == section)
                    .map(|(_, trouble)| self.gives_up(id, trouble)),
            );
            if file.kind == Kind::Compose {
                let service = group.holder.first().cloned().unwrap_or_default();
                let refused = self.refused_by_compose((id, file), &service);
                connection.findings.extend(refused);
            }
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
            self.name_inside(id, file, &mut connection);
            self.file_elsewhere(file, &entries, &mut connection);
            connection.stage = stage_of_file(&file.path).or_else(|| stage(&connection.name));
            if file.format == Format::PasswordFile {
                let value = |key: &str| connection.value(key).unwrap_or("any").to_owned();
                let of = |key: &str| shown::value(key, &value(key));
                connection.name = format!("{}@{}", of("dbname"), of("host"));
            }
            let reader = file.readers.first().copied();
            connection.findings.extend(check::writing(
                &self.places,
                &connection,
                file.format,
                &|file| self.file(file)?.readers.first().copied(),
                &worth,
            ));
            let outranked = self.outranked(id, file, &connection);
            connection.outranked = outranked.is_some();
            connection.findings.extend(outranked);
            connection.reader = reader;
            let by = reader.map(|reader| reader.title.to_owned());
            connection.draft.read_by.splice(0..0, by);
            connection.draft.read_by.dedup();
            connection
                .findings
                .extend(self.read_otherwise(&given, &connection, &near, &worth));
            connection.findings.extend(check::misspelt(
                &self.places,
                &connection,
                &entries,
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
        if file.format == Format::Php {
            told_by_shape(&mut own);
        }
        // What a file of PHP calls its default is the one of its list that counts.
        let of_default = |e: &&Entry| file.format == Format::Php && e.key() == "default";
        let default = entries.iter().find(of_default).map(worth);
        pass_over(
            &mut own,
            default.as_ref().map(crate::traced::Traced::as_str),
        );
        if self.project.as_program {
            profiles::pass_over(file, &mut own);
        }
        name_apart(&mut own);
        // A program that describes no connection may be written for another version of its
        // language: what cannot be read of it is nobody's matter here.
        let program = matches!(file.format, Format::Python | Format::Php);
        if !program || !own.is_empty() {
            self.troubles(id, file, report);
        }
        report.connections.append(&mut own);
    }

    /// The files that an option file includes.
    fn included(&self, id: FileId) -> Vec<FileId> {
        let Some(file) = self.file(id) else {
            return Vec::new();
        };
        let home = folder(&file.path);
        let named = crate::format::includes(&file.text.string);
        let mut out = Vec::new();
        for (path, is_folder) in named {
            let path = beside(home, &path);
            let all = self.project.files.iter().enumerate();
            out.extend(all.filter_map(|(other, f)| {
                let whole = beside("", &f.path);
                let fits = match is_folder {
                    true => folder(&whole) == path && whole.ends_with(".cnf"),
                    false => whole == path,
                };
                (fits && other != id).then_some(other)
            }));
        }
        out
    }

    /// Whether another option file speaks for this one.
    fn is_included(&self, id: FileId) -> bool {
        let all = self.project.files.iter().enumerate();
        let lists = all.filter(|(other, f)| f.format == Format::OptionFile && *other != id);
        lists.into_iter().any(|(other, _)| {
            self.included(other).contains(&id) && !self.included(id).contains(&other)
        })
    }

    /// An option file's entries with those of the files that it includes: they count as if
    /// they stood there.
    fn with_included(&self, id: FileId, depth: usize) -> Vec<Entry> {
        let mut out = self
            .file(id)
            .map_or_else(Vec::new, |f| f.parsed.entries.clone());
        if depth < 8 {
            for other in self.included(id) {
                out.extend(self.with_included(other, depth + 1));
            }
        }
        out
    }
}
