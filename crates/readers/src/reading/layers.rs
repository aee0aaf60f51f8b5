//! Files that a program reads one over the other: which of them have the last word.

use chronaxis_model::settings::{Defect, DefectKind, Field};
use chronaxis_model::shown;

use super::Reading;
use crate::connection::{Connection, Unknown};
use crate::entry::Entry;
use crate::format::Format;
use crate::packages;
use crate::project::{File, Kind, beside, folder};
use crate::traced::FileId;

/// Who reads several environment files, and in which order: what stands behind `.env`, the
/// weakest first. `{mode}` is the mode that the program runs in.
struct Order {
    packages: &'static [&'static str],
    endings: &'static [&'static str],
}

const ORDERS: &[Order] = &[
    Order {
        packages: &["next"],
        endings: &["", ".{mode}", ".local", ".{mode}.local"],
    },
    Order {
        packages: &["vite", "dotenv-flow", "@nuxt/kit", "astro"],
        endings: &["", ".local", ".{mode}", ".{mode}.local"],
    },
    Order {
        packages: &["dotenv-rails"],
        endings: &["", ".{mode}", ".local", ".{mode}.local"],
    },
    Order {
        packages: &[
            "symfony/dotenv",
            "symfony/framework-bundle",
            "symfony/runtime",
        ],
        endings: &[".dist", "", ".local", ".{mode}", ".{mode}.local"],
    },
];

/// The settings of a program for .NET where it is developed (its documentation,
/// "Configuration in ASP.NET Core").
const APPSETTINGS: &[&str] = &["appsettings.json", "appsettings.Development.json"];

/// The modes that programs know, the one in which they are developed first.
const MODES: &[(&str, &[&str])] = &[
    ("development", &["development", "dev"]),
    ("production", &["production", "prod"]),
];

/// A file name without folder.
fn name(path: &str) -> &str {
    path.rsplit('/').next().unwrap_or(path)
}

impl Reading<'_> {
    /// The files that speak of the same settings as this one, the weakest first and itself
    /// among them, where the program reads several one over the other; none where it reads
    /// this one alone, or a stronger one speaks for it.
    pub(super) fn layers(&self, id: FileId, file: &File) -> Layers {
        let alone = Layers::Alone;
        if !self.project.as_program || file.kind == Kind::Environment {
            return alone;
        }
        if file.kind == Kind::Compose && name(&file.path).contains(".override.") {
            let mut others = self.project.files.iter();
            let spoken = others.any(|f| self.override_of(f).is_some_and(|o| o.path == file.path));
            return if spoken { Layers::SpokenFor } else { alone };
        }
        let all = match (file.format, file.kind) {
            (Format::Environment, Kind::Plain) if self.is_of_unit(id) => {
                return Layers::SpokenFor;
            }
            (Format::Environment, Kind::Plain) => match self.of_one_start(file) {
                all if all.len() > 1 => all,
                _ => self.environment_layers(file),
            },
            (Format::Json | Format::Yaml | Format::Toml, Kind::Plain)
                if self.of_node_config(file) =>
            {
                let all = self.node_config(file);
                // What is for another mode, or names variables, is laid over nothing here.
                if !all.is_empty() && !all.contains(&id) {
                    return Layers::SpokenFor;
                }
                all
            }
            (Format::Json, Kind::Plain) if name(&file.path).starts_with("appsettings.") => {
                let named = |file_name: &&str| self.beside(file, file_name);
                APPSETTINGS.iter().filter_map(named).collect()
            }
            (Format::Python, _) => self.star_imports(id),
            (Format::Unit, _) => self.drop_ins(file),
            (Format::Properties | Format::Yaml, Kind::Plain) => self.profiles(file),
            _ => Vec::new(),
        };
        match all.first() {
            Some(_) if all.len() < 2 => alone,
            Some(first) if *first == id => Layers::Several(all),
            Some(_) => Layers::SpokenFor,
            None => alone,
        }
    }

    fn beside(&self, file: &File, wanted: &str) -> Option<FileId> {
        let home = folder(&file.path);
        let mut all = self.project.files.iter();
        all.position(|f| folder(&f.path) == home && name(&f.path) == wanted)
    }

    /// The environment files that a script or a start command hands over together, the
    /// last of which has the last word.
    fn of_one_start(&self, file: &File) -> Vec<FileId> {
        let mut all = Vec::new();
        for path in self.project.handed_with(&file.path) {
            let mut files = self.project.files.iter();
            let found = files.position(|f| beside("", &f.path) == path);
            all.extend(found.filter(|id| !all.contains(id)));
        }
        all
    }

    /// Whether a file is one that node's `config` reads.
    fn of_node_config(&self, file: &File) -> bool {
        let near = packages::near(&self.project.packages, folder(&file.path));
        let used = near
            .iter()
            .any(|p| p.language == packages::Language::Javascript && p.name == "config");
        used && name(folder(&file.path)) == "config"
    }

    /// The files of node's `config` in their order (its documentation, "Configuration
    /// Files").
    fn node_config(&self, file: &File) -> Vec<FileId> {
        let stems = ["default", "development", "local", "local-development"];
        let named = |stem: &&str| {
            let endings = ["json", "json5", "yaml", "yml", "toml"];
            endings
                .iter()
                .find_map(|ending| self.beside(file, &format!("{stem}.{ending}")))
        };
        stems.iter().filter_map(named).collect()
    }

    fn environment_layers(&self, file: &File) -> Vec<FileId> {
        let near = packages::near(&self.project.packages, folder(&file.path));
        let used = |order: &&Order| {
            let named = |p: &packages::Package| order.packages.contains(&p.name.as_str());
            near.iter().copied().any(named)
        };
        let Some(order) = ORDERS.iter().find(used) else {
            return Vec::new();
        };
        let own = name(&file.path);
        for (_, words) in MODES {
            let mut all = Vec::new();
            let mut is_in = false;
            for ending in order.endings {
                for word in *words {
                    let wanted = format!(".env{}", ending.replace("{mode}", word));
                    if let Some(id) = self.beside(file, &wanted)
                        && !all.contains(&id)
                    {
                        is_in |= wanted == own;
                        all.push(id);
                    }
                }
            }
            if is_in {
                return all;
            }
        }
        Vec::new()
    }

    /// A unit and its drop-ins, in the order of their names (systemd.unit(5)).
    fn drop_ins(&self, file: &File) -> Vec<FileId> {
        let (home, unit) = match file.path.rsplit_once(".service.d/") {
            Some((unit, _)) => (folder(unit), format!("{}.service", name(unit))),
            None => (folder(&file.path), name(&file.path).to_owned()),
        };
        let whole = match home.is_empty() {
            true => unit,
            false => format!("{home}/{unit}"),
        };
        let drop_in = format!("{whole}.d/");
        let files = self.project.files.iter().enumerate();
        let mut all: Vec<(&str, FileId)> = files
            .filter(|(_, f)| f.format == Format::Unit)
            .filter(|(_, f)| f.path == whole || f.path.starts_with(&drop_in))
            .map(|(id, f)| (f.path.as_str(), id))
            .collect();
        all.sort_by_key(|(path, _)| (*path != whole, *path));
        all.into_iter().map(|(_, id)| id).collect()
    }

    /// Spring's `application` file and that of the profile it names as active.
    fn profiles(&self, file: &File) -> Vec<FileId> {
        let own = name(&file.path);
        let (stem, ending) = own.rsplit_once('.').unwrap_or((own, ""));
        if !stem.starts_with("application") {
            return Vec::new();
        }
        let Some(base) = self.beside(file, &format!("application.{ending}")) else {
            return Vec::new();
        };
        let entries = self.file(base).map_or(&[][..], |f| &f.parsed.entries);
        let active = entries
            .iter()
            .find(|e| e.path.join(".") == "spring.profiles.active");
        let mut all = vec![base];
        let told = active.and_then(|e| e.value.plain());
        for profile in told.iter().flat_map(|t| t.as_str().split(',')) {
            let wanted = format!("application-{}.{ending}", profile.trim());
            all.extend(self.beside(file, &wanted));
        }
        // A profile that is not active has no say: `all` is the base and others then.
        let own_is_in = |id: &FileId| self.file(*id).is_some_and(|f| name(&f.path) == own);
        if !all.iter().any(own_is_in) {
            // Where those that count describe none, it is one to choose.
            let told = |e: &Entry| e.key() == "url" || e.key() == "jdbc-url";
            let mut files = all.iter().filter_map(|id| self.file(*id));
            if !files.any(|f| f.parsed.entries.iter().any(told)) {
                return Vec::new();
            }
            all.push(base);
        }
        all
    }

    /// That another file has the last word on a value of this connection, where each file is
    /// read by its own words.
    pub(super) fn outranked(
        &self,
        id: FileId,
        file: &File,
        connection: &Connection,
    ) -> Option<Defect> {
        let of_program = file.format == Format::Environment && file.kind == Kind::Plain;
        if self.project.as_program || !of_program {
            return None;
        }
        let all = self.environment_layers(file);
        let own = all.iter().position(|layer| *layer == id)?;
        let stronger = all.get(own + 1..).unwrap_or_default();
        for (_, entry) in &connection.entries {
            let sets = |layer: &&FileId| {
                let entries = self.file(**layer).map_or(&[][..], |f| &f.parsed.entries);
                entries.iter().any(|e| e.key() == entry.key())
            };
            if let Some(layer) = stronger.iter().rev().find(sets) {
                let other = self.file(*layer).map_or("", |f| name(&f.path));
                return Some(Defect {
                    kind: DefectKind::ReadersDiffer,
                    subject: Field::FILE,
                    stops: false,
                    text: format!(
                        "the program does not get this {}: {other} sets it too, and is read over this file",
                        shown::quoted("name", entry.key())
                    ),
                    expected: format!("the value of {other}, or the folder in place of the file"),
                    place: Some(self.places.point(entry.file, entry.key_at.start)),
                    mended: None,
                });
            }
        }
        None
    }

    /// A unit's own variables with those of the files that it names, which outrank them
    /// (systemd.exec(5), "EnvironmentFile=").
    pub(super) fn with_environment_files(&self, unit: &File, own: Vec<Entry>) -> Vec<Entry> {
        let (named, mut out): (Vec<Entry>, Vec<Entry>) =
            own.into_iter().partition(|e| e.key() == "EnvironmentFile");
        for entry in named {
            let Some(path) = entry.value.plain() else {
                continue;
            };
            let Some((id, file)) = self.of_unit(unit, path.as_str()) else {
                continue;
            };
            let entries = self.named_file("systemd", (id, file)).entries;
            for entry in entries {
                out.retain(|known| known.key() != entry.key());
                out.push(entry);
            }
        }
        out
    }

    /// Says of what a unit's connection lacks that it may stand in a file that is not here.
    pub(super) fn file_elsewhere(
        &self,
        unit: &File,
        entries: &[Entry],
        connection: &mut Connection,
    ) {
        if unit.format != Format::Unit {
            return;
        }
        let mut named = entries.iter().chain(&unit.parsed.entries);
        let elsewhere = named.find_map(|entry| {
            let path = entry
                .value
                .plain()
                .filter(|_| entry.key() == "EnvironmentFile")?;
            let here = self.of_unit(unit, path.as_str()).is_some();
            (!here).then(|| (path, entry.clone()))
        });
        let Some((path, entry)) = elsewhere else {
            return;
        };
        let lacks = |subject: &str| match subject {
            "password" => connection.draft.secret.is_none(),
            "database" => connection.value("dbname").is_none(),
            subject => connection.value(subject).is_none(),
        };
        let known = |subject: &str| {
            connection
                .unknown
                .iter()
                .any(|u| u.subject.as_str() == subject)
        };
        let absent: Vec<&str> = ["host", "user", "password", "database"]
            .into_iter()
            .filter(|subject| lacks(subject) && !known(subject))
            .collect();
        for subject in absent {
            connection.unknown.push(Unknown {
                subject: Field::of(subject),
                variables: Vec::new(),
                origin: self.places.origin(&entry, &path, 0),
                instead: Some(format!(
                    "it may stand in {}, which the unit names and which is not here",
                    shown::path(path.as_str())
                )),
            });
        }
    }

    /// The file that is laid over a composition without anybody's asking (the Compose
    /// Specification, "Merge").
    pub(super) fn override_of(&self, file: &File) -> Option<&File> {
        let (stem, _) = name(&file.path).rsplit_once('.')?;
        if !self.project.as_program || !matches!(stem, "compose" | "docker-compose") {
            return None;
        }
        let named = |ending: &&str| self.beside(file, &format!("{stem}.override.{ending}"));
        let found = ["yaml", "yml"].iter().find_map(named);
        self.file(found?)
    }

    /// The file of the project that a unit names by the path that it has where the service
    /// runs.
    pub(super) fn of_unit(&self, unit: &File, path: &str) -> Option<(FileId, &File)> {
        let home = folder(&unit.path);
        let all = self.project.files.iter().enumerate();
        let same = |f: &File| f.format == Format::Environment && name(&f.path) == name(path);
        let mut fits: Vec<(FileId, &File)> = all.filter(|(_, f)| same(f)).collect();
        fits.sort_by_key(|(_, f)| (f.path != path, folder(&f.path) != home));
        fits.into_iter().next()
    }

    /// Whether a unit hands this file to its service: there it is read, nowhere else.
    pub(super) fn is_of_unit(&self, id: FileId) -> bool {
        let units = self
            .project
            .files
            .iter()
            .filter(|f| f.format == Format::Unit);
        let mut named = units.flat_map(|unit| {
            let all = unit
                .parsed
                .entries
                .iter()
                .filter(|e| e.key() == "EnvironmentFile");
            all.filter_map(move |e| self.of_unit(unit, e.value.plain()?.as_str()))
        });
        named.any(|(of_it, _)| of_it == id)
    }

    /// The entries of several files, the last word of each key kept.
    pub(super) fn laid_over(&self, layers: &[FileId]) -> Vec<Entry> {
        let mut out: Vec<Entry> = Vec::new();
        for id in layers {
            for entry in self.file(*id).map_or(&[][..], |f| &f.parsed.entries) {
                let same = |e: &&mut Entry| e.path == entry.path && e.document == entry.document;
                match out.iter_mut().find(same) {
                    Some(known) => *known = entry.clone(),
                    None => out.push(entry.clone()),
                }
            }
        }
        out
    }
}

/// How a file stands to others of the same settings.
pub(super) enum Layers {
    /// It is read alone.
    Alone,
    /// It is the weakest of these.
    Several(Vec<FileId>),
    /// A weaker one speaks for it.
    SpokenFor,
}

impl Layers {
    /// The files that a file's connections are read from, the weakest first.
    pub(super) fn files(&self, own: FileId) -> Vec<FileId> {
        match self {
            Layers::Several(all) => all.clone(),
            Layers::Alone | Layers::SpokenFor => vec![own],
        }
    }
}
