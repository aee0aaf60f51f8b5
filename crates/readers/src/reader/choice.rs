//! Which reader a project gives an environment file to.

use super::{READERS, Reader, by_id};
use crate::packages::{self, Language, Package};

/// What tells who reads a file.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Because {
    /// A dependency list has its package.
    Package(String),
    /// Another file hands it to this reader.
    File(String),
    /// Nothing does: it is the likeliest of those that could be meant.
    Nothing,
}

/// A reader that counts for a file, and why.
#[derive(Clone)]
pub struct Counts {
    /// The reader.
    pub reader: &'static Reader,
    /// Why it counts.
    pub because: Because,
}

/// What is known of a file's surroundings.
pub(crate) struct Surroundings<'a> {
    /// The file's folder.
    pub(crate) folder: &'a str,
    /// The packages of the project.
    pub(crate) packages: &'a [Package],
    /// The readers to which other files hand it, and the names of these files.
    pub(crate) handed: &'a [(&'static str, String)],
}

impl Surroundings<'_> {
    /// The readers that count, the likeliest first. The first is the one by which values
    /// are taken, and all are told, or none is.
    pub(crate) fn readers(&self) -> Vec<Counts> {
        let near = packages::near(self.packages, self.folder);
        let mut out: Vec<Counts> = Vec::new();
        for reader in READERS {
            let of_it = |p: &&&Package| {
                reader.told_by.language == Some(p.language)
                    && reader.told_by.packages.contains(&p.name.as_str())
            };
            if let Some(package) = near.iter().find(of_it) {
                out.push(Counts {
                    reader,
                    because: Because::Package(package.name.clone()),
                });
            }
        }
        // Who expands reads first as the plain one does.
        if out.iter().any(|c| c.reader.id == "dotenv-expand") {
            out.retain(|c| c.reader.id != "node-dotenv");
        }
        for (id, file) in self.handed {
            let known = out.iter().any(|c| c.reader.id == *id);
            if let Some(reader) = by_id(id).filter(|_| !known) {
                out.push(Counts {
                    reader,
                    because: Because::File(file.clone()),
                });
            }
        }
        out
    }

    /// The readers that could be meant where none is told.
    pub(crate) fn possible(&self) -> Vec<&'static Reader> {
        let languages: Vec<Language> = packages::near(self.packages, self.folder)
            .iter()
            .map(|p| p.language)
            .collect();
        let speaks = |reader: &&Reader| match reader.told_by.language {
            Some(language) => languages.is_empty() || languages.contains(&language),
            None => reader.id == "bash",
        };
        READERS.iter().filter(speaks).collect()
    }
}
