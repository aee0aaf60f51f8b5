//! All files of a reading: what each describes, and what only all of them together show.

mod settling;

use chronaxis_model::settings::Defect;
use chronaxis_model::target::EngineId;

use crate::compare::{self, Disagreement};
use crate::compose::{self, Service};
use crate::connection::Connection;
use crate::entry::{Entry, Parsed};
use crate::format::{self, Format, IniReader};
use crate::manifest;
use crate::packages::{self, Package};
use crate::prefilter;
use crate::reader::{self, Reader};
use crate::text::Text;
use crate::traced::{FileId, Traced};

/// What a file turned out to be.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Taken {
    /// It was read.
    Read,
    /// It tells what the project is made of, or who reads what, and is no settings file.
    Context,
    /// Its bytes are no text.
    Binary,
}

/// What kind of file it is beside its format.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Kind {
    Plain,
    Compose,
    Manifest,
    Environment,
}

/// A file of a reading.
pub(crate) struct File {
    pub(crate) path: String,
    pub(crate) mode: Option<u32>,
    pub(crate) text: Text,
    pub(crate) format: Format,
    pub(crate) kind: Kind,
    pub(crate) parsed: Parsed,
    pub(crate) services: Vec<Service>,
    /// Who reads it, the likeliest first; empty where nothing tells.
    pub(crate) readers: Vec<&'static Reader>,
    /// The engine whose client program is started with its variables.
    pub(crate) client_of: Option<EngineId>,
}

/// A file that another one hands to a reader.
#[derive(Clone)]
struct Handed {
    path: String,
    reader: &'static str,
    /// The engine whose client program is started there.
    engine: Option<EngineId>,
    /// The file that says so, and which start of a program in it.
    start: Option<(String, usize)>,
}

/// The files of a reading.
#[derive(Default)]
pub struct Project {
    pub(crate) files: Vec<File>,
    pub(crate) environment: Option<FileId>,
    pub(crate) packages: Vec<Package>,
    /// Whether files that a program reads one over the other are read so, rather than each
    /// by its own words.
    pub(crate) as_program: bool,
    /// Files that are handed to a reader: the path, the reader, the file that says so.
    handed: Vec<Handed>,
    /// Who reads the project's INI files, as its programs say.
    ini_reader: Option<IniReader>,
    /// The module of settings that a program of the project is started with.
    pub(crate) starts_with_module: Option<String>,
}

/// The folder of a path.
pub(crate) fn folder(path: &str) -> &str {
    path.rsplit_once('/').map_or("", |(folder, _)| folder)
}

/// A path named in a file of this folder.
pub(crate) fn beside(folder: &str, named: &str) -> String {
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
    /// A project whose files are read as its program reads them: those that outrank others
    /// have the last word.
    pub fn of_program() -> Project {
        Project {
            as_program: true,
            ..Project::default()
        }
    }

    /// Takes a file; `mode` are its permission bits.
    pub fn add(&mut self, path: &str, bytes: &[u8], mode: Option<u32>) -> Taken {
        let Ok(text) = Text::decode(bytes) else {
            return Taken::Binary;
        };
        self.packages.extend(packages::of(path, &text));
        self.ini_reader = self.ini_reader.or_else(|| format::ini_reader(path, &text));
        if self.starts_with_module.is_none() && path.ends_with("manage.py") {
            let mut behind = text.string.split("DJANGO_SETTINGS_MODULE");
            let rest = behind
                .nth(1)
                .and_then(|rest| rest.split(['"', '\'']).nth(2));
            self.starts_with_module = rest.map(str::to_owned);
        }
        if reader::may_hand(path, bytes) {
            let home = folder(path);
            let all = reader::handed(path, &text).into_iter();
            self.handed.extend(all.map(|handing| {
                let named = beside(home, &handing.path);
                Handed {
                    path: named,
                    reader: handing.reader,
                    engine: handing.engine,
                    start: Some((path.to_owned(), handing.start)),
                }
            }));
        }
        if prefilter::is_context(path, bytes) && !prefilter::describes(path, bytes) {
            return Taken::Context;
        }
        let format = match Format::of(path) {
            Format::Ini if format::is_python(path, &text) => Format::Python,
            format => format,
        };
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
            match kind {
                Kind::Manifest => {}
                Kind::Compose => {
                    for entry in &mut parsed.entries {
                        entry.value = compose::interpolated(&entry.value);
                    }
                }
                _ => parsed.entries = entries,
            }
        }
        // What is filled in before a program reads it is not known from here.
        if format == Format::Ini {
            for entry in &mut parsed.entries {
                entry.value = format::with_interpolation(&entry.value);
            }
        }
        let id = self.files.len();
        parsed.in_file(id);
        let services = match kind {
            Kind::Compose => compose::services(&parsed.entries),
            _ => Vec::new(),
        };
        let client_of = match format {
            Format::Shell => reader::client_started(&text),
            _ => None,
        };
        self.files.push(File {
            path: path.to_owned(),
            mode,
            text,
            format,
            kind,
            parsed,
            services,
            readers: Vec::new(),
            client_of,
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
            readers: Vec::new(),
            client_of: None,
        });
    }

    /// The files that are handed to the same start of a program as this one, in their order.
    pub(crate) fn handed_with(&self, path: &str) -> Vec<String> {
        let own = beside("", path);
        let of_it = |h: &&Handed| beside("", &h.path) == own;
        let starts = self
            .handed
            .iter()
            .filter(of_it)
            .filter_map(|h| h.start.as_ref());
        let Some(start) = starts.into_iter().next() else {
            return Vec::new();
        };
        let same = self
            .handed
            .iter()
            .filter(|h| h.start.as_ref() == Some(start));
        same.map(|h| beside("", &h.path)).collect()
    }

    /// Whether a file holds variables of the program: an environment file, or what
    /// python-decouple reads where there is none (its documentation, "Ini file").
    pub(crate) fn holds_variables(&self, file: &File) -> bool {
        let decouple = || {
            let near = packages::near(&self.packages, folder(&file.path));
            near.iter().any(|p| p.name == "python-decouple")
        };
        let ini = file.path.rsplit('/').next() == Some("settings.ini");
        file.format.is_flat() || (ini && decouple())
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
}
