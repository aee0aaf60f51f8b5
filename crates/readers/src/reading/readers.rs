//! What the readers of a connection's environment files make of them: who gets something
//! else, who gives a file up, and whether anybody reads it.

use std::cell::OnceCell;

use chronaxis_model::settings::{Defect, DefectKind, Field};

use super::Reading;
use super::layers::Layers;
use crate::check;
use crate::connection::Connection;
use crate::entry::{Entry, Parsed, Trouble};
use crate::format::Format;
use crate::packages::Package;
use crate::project::{File, Kind, folder};
use crate::reader::{Reader, Surroundings, by_id};
use crate::traced::{FileId, Traced};

/// An environment file as its readers get it.
pub(super) struct Given<'a> {
    id: FileId,
    file: &'a File,
    /// What the others make of it, computed where a connection asks.
    others: OnceCell<Vec<check::Other>>,
}

impl<'a> Reading<'a> {
    /// The environment files that a connection of this file is read from.
    pub(super) fn given_to_readers(
        &self,
        id: FileId,
        file: &File,
        layers: &Layers,
    ) -> Vec<Given<'a>> {
        if file.format != Format::Environment || file.kind != Kind::Plain {
            return Vec::new();
        }
        let of = |id: &FileId| {
            let file = self.project.files.get(*id)?;
            Some(Given {
                id: *id,
                file,
                others: OnceCell::new(),
            })
        };
        layers.files(id).iter().filter_map(of).collect()
    }

    /// What can be said of the readers of a connection's environment files.
    pub(super) fn read_otherwise(
        &self,
        given: &[Given<'_>],
        connection: &Connection,
        near: &[&Package],
        worth: &dyn Fn(&Entry) -> Traced,
    ) -> Vec<Defect> {
        let mut out = Vec::new();
        for (at, one) in given.iter().enumerate() {
            let others = one.others.get_or_init(|| self.other_readings(one));
            let taken = one.file.readers.first().copied();
            out.extend(check::differing(
                &self.places,
                connection,
                (one.id, taken),
                others,
                worth,
            ));
            if at == 0 {
                out.extend(self.nobody_told(one, near));
            }
        }
        out
    }

    /// What other readers make of an environment file: those that the project gives it to
    /// as well, or, where nothing tells, those that could be meant.
    fn other_readings(&self, given: &Given<'_>) -> Vec<check::Other> {
        let file = given.file;
        let told = file.readers.iter().skip(1).map(|reader| (*reader, true));
        let around = Surroundings {
            folder: folder(&file.path),
            packages: &self.project.packages,
            handed: &[],
        };
        let possible = match file.readers.is_empty() {
            true => around.possible(),
            false => Vec::new(),
        };
        told.chain(possible.into_iter().map(|reader| (reader, false)))
            .map(|(reader, told)| check::Other {
                reader,
                parsed: self.read_by(reader, given.id, file),
                told,
            })
            .collect()
    }

    /// A file as a reader reads it.
    pub(super) fn read_by(&self, reader: &'static Reader, id: FileId, file: &File) -> Parsed {
        let mut parsed = (reader.read)(&file.text);
        parsed.in_file(id);
        parsed
    }

    /// A variables' file that a composition or a unit names, as the reader of that name
    /// reads it; another format as what it is.
    pub(super) fn named_file(&self, reader: &str, (id, file): (FileId, &File)) -> Parsed {
        match by_id(reader).filter(|_| file.format == Format::Environment) {
            Some(reader) => self.read_by(reader, id, file),
            None => file.parsed.clone(),
        }
    }

    /// That a project with dependency lists does not say who reads this file.
    fn nobody_told(&self, given: &Given<'_>, near: &[&Package]) -> Option<Defect> {
        if !given.file.readers.is_empty() || near.is_empty() {
            return None;
        }
        Some(Defect {
            kind: DefectKind::ReadersDiffer,
            subject: Field::FILE,
            stops: false,
            text: "no dependency list, script or service of this project says who reads this file; if nothing does, the program gets nothing of it".to_owned(),
            expected: "whoever starts the program loads it".to_owned(),
            place: Some(self.places.point(given.id, 0)),
            mended: None,
        })
    }

    /// That a file's reader gives it up: the program does not start.
    pub(super) fn refusal(&self, id: FileId, parsed: &Parsed) -> Option<Defect> {
        Some(self.gives_up(id, parsed.refused.as_ref()?))
    }

    /// That a reader gives up a file, or the part of it that counts.
    pub(super) fn gives_up(&self, id: FileId, trouble: &Trouble) -> Defect {
        Defect {
            kind: DefectKind::Unreadable,
            subject: Field::FILE,
            stops: true,
            text: trouble.what.clone(),
            expected: trouble.expected.to_owned(),
            place: Some(self.places.point(id, trouble.at)),
            mended: None,
        }
    }
}
