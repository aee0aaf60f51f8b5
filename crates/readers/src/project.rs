//! All files of a reading: what each describes, and what only all of them together show.

use chronaxis_model::settings::Defect;

use crate::compare::{self, Disagreement};
use crate::compose::{self, Service};
use crate::connection::Connection;
use crate::entry::{Entry, Parsed};
use crate::format::{self, Format};
use crate::manifest;
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
}

/// The files of a reading.
#[derive(Default)]
pub struct Project {
    pub(crate) files: Vec<File>,
    pub(crate) environment: Option<FileId>,
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
}
