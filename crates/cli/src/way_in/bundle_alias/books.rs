//! Files of aliases that lie beside each other: a name may lead from one to the next, or
//! mean two different places.

use std::path::{Path, PathBuf};

use chronaxis_bundle::alias;
use chronaxis_bundle::bounds::LARGEST_PART;
use chronaxis_bundle::manifest::Alias;
use chronaxis_engines::{Draft, recognise};
use chronaxis_model::settings::{Defect, DefectKind, Field};
use chronaxis_model::shown;
use chronaxis_readers::Connection;
use chronaxis_readers::bundle::manifest;

use crate::input;

/// Most files of a folder that are looked at.
const MOST_FILES: usize = 64;

/// A file of aliases.
pub(super) struct Book {
    /// Where it lies.
    pub(super) path: PathBuf,
    /// What it defines.
    pub(super) aliases: Vec<Alias>,
}

/// The other files of aliases that lie in the same folder, by their names.
pub(super) fn beside(path: &Path) -> Vec<Book> {
    let folder = match path.parent() {
        Some(parent) if !parent.as_os_str().is_empty() => parent,
        _ => Path::new("."),
    };
    let Ok(found) = std::fs::read_dir(folder) else {
        return Vec::new();
    };
    let own = path.file_name();
    let mut files: Vec<PathBuf> = found
        .filter_map(|entry| Some(entry.ok()?.path()))
        .filter(|file| file.extension().is_some_and(|e| e == "toml") && file.file_name() != own)
        .collect();
    files.sort();
    files.truncate(MOST_FILES);
    files.into_iter().filter_map(book).collect()
}

fn book(path: PathBuf) -> Option<Book> {
    let text = String::from_utf8(input::whole(&path, LARGEST_PART).ok()?).ok()?;
    let aliases = manifest(&text).ok()?.manifest.aliases;
    (!aliases.is_empty()).then_some(Book { path, aliases })
}

/// All names, those of the file that was asked first.
pub(super) fn joined(own: &[Alias], books: &[Book]) -> Vec<Alias> {
    let mut out = own.to_vec();
    for alias in books.iter().flat_map(|book| &book.aliases) {
        if !out.iter().any(|known| known.name == alias.name) {
            out.push(alias.clone());
        }
    }
    out
}

/// What another file says otherwise of the same name.
pub(super) fn differs(
    name: &str,
    draft: &Draft,
    top: &str,
    (books, others): (&[Book], &[Connection]),
) -> Option<Defect> {
    let of_books = books.iter().filter_map(|book| {
        let other = book.aliases.iter().find(|a| a.name == name)?;
        let read = recognise(&alias::string(other, top), Some(other.line), None).ok()?;
        let place = format!("{}, line {}", file(&book.path), other.line);
        difference(draft, &read.draft, &place)
    });
    let of_others = others.iter().filter(|c| c.name == name).filter_map(|c| {
        let place = format!("{}, line {}", file(Path::new(&c.file)), c.line);
        difference(draft, &c.draft, &place)
    });
    of_books.chain(of_others).next()
}

fn file(path: &Path) -> String {
    shown::path(&path.to_string_lossy())
}

/// The first of the values that say where to and as whom in which the two differ.
fn difference(own: &Draft, other: &Draft, place: &str) -> Option<Defect> {
    let value = |draft: &Draft, key: &str| draft.value(key).map(|told| told.value.clone());
    let fields = [
        ("host", Field::HOST),
        ("port", Field::PORT),
        ("dbname", Field::DATABASE),
        ("user", Field::USER),
    ];
    fields.into_iter().find_map(|(key, field)| {
        let there = value(other, key)?;
        if value(own, key).as_ref() == Some(&there) {
            return None;
        }
        let there = shown::value(field.as_str(), &there);
        Some(Defect {
            kind: DefectKind::SourcesDisagree,
            text: format!("{place}, describes the same alias with another {field}: {there}"),
            expected: "one description of each alias, or the same in both".to_owned(),
            subject: field,
            stops: false,
            place: None,
            mended: None,
        })
    })
}
