//! Which reader a project gives an environment file to.

use super::{READERS, Reader, by_id};
use crate::packages::{self, Language, Package};

/// What is known of a file's surroundings.
pub(crate) struct Surroundings<'a> {
    /// The file's folder.
    pub(crate) folder: &'a str,
    /// The packages of the project.
    pub(crate) packages: &'a [Package],
    /// The readers to which other files hand it.
    pub(crate) handed: &'a [&'static str],
}

impl Surroundings<'_> {
    /// The readers that count, the likeliest first. The first is the one by which values
    /// are taken, and all are told, or none is.
    pub(crate) fn readers(&self) -> Vec<&'static Reader> {
        let near = packages::near(self.packages, self.folder);
        let told = |reader: &&Reader| {
            let of_it = |p: &&Package| {
                reader.told_by.language == Some(p.language)
                    && reader.told_by.packages.contains(&p.name.as_str())
            };
            near.iter().any(of_it)
        };
        let mut out: Vec<&'static Reader> = READERS.iter().filter(told).collect();
        // Who expands reads first as the plain one does.
        if out.iter().any(|r| r.id == "dotenv-expand") {
            out.retain(|r| r.id != "node-dotenv");
        }
        for id in self.handed {
            let known = out.iter().any(|r| r.id == *id);
            out.extend(by_id(id).filter(|_| !known));
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
