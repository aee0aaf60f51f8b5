//! Modules of settings in Python that take in all of another one and change some of it:
//! `from .base import *`.

use super::Reading;
use crate::format::Format;
use crate::project::{beside, folder};
use crate::traced::FileId;

/// Names of modules for the machine of a developer, the likeliest first.
const DEVELOPMENT: &[&str] = &["local", "development", "dev"];

/// A module that is taken in, and the byte at which that stands.
struct Import {
    module: FileId,
    at: usize,
}

impl Reading<'_> {
    /// The modules that the program's module of settings is made of, the weakest first, where
    /// this file is one of them; itself alone where it has nothing to do with others.
    pub(super) fn star_imports(&self, id: FileId) -> Vec<FileId> {
        if self.imports(id).is_empty() && !self.imported_by_any(id) {
            return Vec::new();
        }
        let mut heads: Vec<FileId> = self
            .modules()
            .filter(|head| self.taken_in(*head, 0).contains(&id))
            .filter(|head| !self.imported_by_any(*head))
            .collect();
        if let Some(told) = self.told_module() {
            // A module that another one was chosen over has no say.
            if let Some(at) = heads.iter().position(|head| *head == told) {
                heads = vec![heads.remove(at)];
            } else if self.modules().any(|m| m == told) {
                let all = self.taken_in(told, 0);
                let related = heads
                    .iter()
                    .any(|head| self.taken_in(*head, 0).iter().any(|m| all.contains(m)));
                if related {
                    return all;
                }
            }
        }
        let likely = |id: &FileId| {
            let stem = self.file(*id).map_or("", |f| stem(&f.path));
            DEVELOPMENT
                .iter()
                .position(|name| *name == stem)
                .unwrap_or(DEVELOPMENT.len())
        };
        heads.sort_by_key(likely);
        heads
            .first()
            .map_or_else(Vec::new, |head| self.taken_in(*head, 0))
    }

    fn modules(&self) -> impl Iterator<Item = FileId> {
        let files = self.project.files.iter().enumerate();
        files
            .filter(|(_, f)| f.format == Format::Python)
            .map(|(id, _)| id)
    }

    fn imported_by_any(&self, id: FileId) -> bool {
        self.modules()
            .any(|other| self.imports(other).iter().any(|i| i.module == id))
    }

    /// A module with all that it takes in, the weakest first.
    fn taken_in(&self, id: FileId, depth: usize) -> Vec<FileId> {
        let first = self.file(id).and_then(|f| f.parsed.entries.first());
        let own_from = first.map_or(usize::MAX, |e| e.key_at.start);
        let (mut before, mut behind) = (Vec::new(), Vec::new());
        for import in self.imports(id).into_iter().filter(|_| depth < 8) {
            let inner = self.taken_in(import.module, depth + 1);
            match import.at < own_from {
                true => before.extend(inner),
                false => behind.extend(inner),
            }
        }
        before.push(id);
        before.append(&mut behind);
        before
    }

    /// The modules of the project that a module takes in whole.
    fn imports(&self, id: FileId) -> Vec<Import> {
        let Some(file) = self.file(id) else {
            return Vec::new();
        };
        let mut out = Vec::new();
        for (at, line) in file.text.lines() {
            let told = line
                .trim()
                .strip_prefix("from ")
                .and_then(|l| l.split_once(" import "));
            let Some((module, _)) = told.filter(|(_, what)| what.trim_start().starts_with('*'))
            else {
                continue;
            };
            let found = self.module(module.trim(), folder(&file.path));
            out.extend(
                found
                    .filter(|m| *m != id)
                    .map(|module| Import { module, at }),
            );
        }
        out
    }

    /// The file of a module, as it is named in a file of this folder.
    fn module(&self, named: &str, home: &str) -> Option<FileId> {
        let up = named.len() - named.trim_start_matches('.').len();
        let path = named.trim_start_matches('.').replace('.', "/");
        let end = match up {
            0 => path,
            up => beside(home, &format!("{}{path}", "../".repeat(up - 1))),
        };
        let fits = |file: &str| {
            let file = beside("", file);
            let stem = file
                .strip_suffix(".py")
                .map(|s| s.strip_suffix("/__init__").unwrap_or(s));
            stem.is_some_and(|stem| {
                let below = up == 0 && stem.ends_with(&format!("/{end}"));
                stem == end || below
            })
        };
        self.modules()
            .find(|id| self.file(*id).is_some_and(|f| fits(&f.path)))
    }

    /// The module of settings that the program is started with (Django's documentation,
    /// "Designating the settings").
    fn told_module(&self) -> Option<FileId> {
        let variable = "DJANGO_SETTINGS_MODULE";
        let named = self.project.starts_with_module.as_deref();
        let mut entries = self.project.files.iter().flat_map(|f| &f.parsed.entries);
        let set = entries
            .find(|e| e.key() == variable)
            .and_then(|e| e.value.plain());
        let told = set.as_ref().map(|text| text.as_str()).or(named)?;
        self.module(told, "")
    }
}

fn stem(path: &str) -> &str {
    let name = path.rsplit('/').next().unwrap_or(path);
    name.strip_suffix(".py").unwrap_or(name)
}
