//! Files with certificates that settings name: as a container sees them, by its volumes they lie
//! elsewhere on this machine, or they are not seen here at all; and what was moved lies
//! somewhere beside the settings.

use std::path::{Path, PathBuf};

use chronaxis_engines::{FileSeen, FileWanted, by_id};
use chronaxis_model::secret::Secret;
use chronaxis_model::settings::{Defect, DefectKind, Place};
use chronaxis_model::shown;
use chronaxis_model::sourced::Origin;
use chronaxis_model::target::Target;
use chronaxis_readers::Connection;

use crate::client_environment;

/// A file that a connection names.
pub(crate) struct Named {
    /// The option that names it.
    pub(crate) option: &'static str,
    /// Its path as the settings have it, and what opens it.
    pub(crate) wanted: FileWanted,
    /// Where it lies on this machine.
    pub(crate) at: Option<PathBuf>,
}

/// The files that a connection names.
pub(crate) fn named(connection: &Connection) -> impl Iterator<Item = Named> {
    let options = connection
        .engine
        .map_or(&[][..], |id| by_id(id).spec.file_options);
    let draft = &connection.draft;
    options.iter().filter_map(|option| {
        let path = &draft.value(option)?.value;
        let passphrase = draft.passphrases.get(*option).cloned();
        let at = match &connection.inside {
            Some(_) => here(connection, path).map(PathBuf::from),
            None => from_folder(&connection.file, path),
        };
        Some(Named {
            option,
            wanted: FileWanted::certificates(path.clone(), passphrase),
            at: at.filter(|at| at.exists()),
        })
    })
}

/// How many folders above that of the settings a path may begin in.
const HIGHEST: usize = 6;

/// Where a path leads: from the folder in which this program is started, else from that of the
/// settings or one above it, for which one the program is started in is not told.
fn from_folder(settings: &str, path: &str) -> Option<PathBuf> {
    let plain = PathBuf::from(path);
    if plain.is_absolute() || plain.exists() {
        return Some(plain);
    }
    let above = Path::new(settings).ancestors().skip(1).take(HIGHEST);
    let bare = path.strip_prefix("./").unwrap_or(path);
    let mut tried = above.map(|folder| folder.join(bare));
    tried.find(|one| one.exists())
}

/// Where a path of the container lies on this machine.
fn here(connection: &Connection, path: &str) -> Option<String> {
    let mounts = connection.mounts.iter().filter_map(|(here, inside)| {
        let rest = path.strip_prefix(inside.as_str())?;
        (rest.is_empty() || rest.starts_with('/')).then(|| (inside.len(), format!("{here}{rest}")))
    });
    // The longest one counts, where one lies in another.
    mounts
        .max_by_key(|(length, _)| *length)
        .map(|(_, path)| path)
}

/// The files that lie elsewhere than their paths say: what a container sees under its own, and
/// what lies in the folder of the settings.
pub(super) fn files(connection: &Connection, spare: Option<&Secret>) -> Vec<FileSeen> {
    let found = named(connection).filter_map(|one| {
        let path = one.wanted.path.clone();
        let wanted = FileWanted {
            path: one.at?.to_str()?.to_owned(),
            ..one.wanted
        };
        let seen = client_environment::read_file(&wanted, spare)?;
        Some(FileSeen { path, ..seen })
    });
    found.collect()
}

/// What the container has, and no volume shows, is not known here: that is no fault.
pub(super) fn unseen(connection: &Connection, target: &mut Target) {
    let Some((_, service)) = &connection.inside else {
        return;
    };
    let paths = named(connection).map(|one| one.wanted.path);
    for path in paths.filter(|path| path.starts_with('/')) {
        let shown_path = shown::path(&path);
        let of_file = |d: &&mut Defect| is_absent(d) && d.text.contains(&shown_path);
        for defect in target.defects.iter_mut().filter(of_file) {
            match here(connection, &path) {
                None => {
                    defect.kind = DefectKind::Unresolved;
                    defect.text = format!(
                        "{shown_path} is a path inside the container of the service {}; no volume shows it here",
                        shown::word(service)
                    );
                    "the same command, run in that container".clone_into(&mut defect.expected);
                }
                Some(here) => defect.text.push_str(&format!(
                    "; by its volume it would lie here at {}",
                    shown::path(&here)
                )),
            }
        }
    }
}

fn is_absent(defect: &Defect) -> bool {
    matches!(
        defect.kind,
        DefectKind::FileElsewhere | DefectKind::FileMissing
    )
}

/// Says of what is wrong with a file that the settings name where they name it.
pub(super) fn placed(target: &mut Target) {
    for key in by_id(target.engine).spec.file_options {
        let Some(path) = target.options.get(*key) else {
            continue;
        };
        let Some(place) = target.origins.get(*key).and_then(place) else {
            continue;
        };
        let shown_path = shown::path(path);
        let of_file = |d: &&mut Defect| d.kind.is_of_files() && d.text.contains(&shown_path);
        for defect in target.defects.iter_mut().filter(of_file) {
            defect.place.get_or_insert_with(|| place.clone());
        }
    }
}

/// The place of a value in a file.
pub(crate) fn place(origin: &Origin) -> Option<Place> {
    match origin {
        Origin::File {
            file, line, column, ..
        } => Some(Place::of_file(file, Some(*line), Some(*column))),
        _ => None,
    }
}

/// Where the files that are not where the settings have them lie now: below the folder of the
/// settings, or the one in which the program is started.
pub(super) fn moved(target: &mut Target, folder: &Path) {
    for key in by_id(target.engine).spec.file_options {
        let Some(path) = target.options.get(*key) else {
            continue;
        };
        let shown_path = shown::path(path);
        let of_file = |d: &&mut Defect| is_absent(d) && d.text.contains(&shown_path);
        for defect in target.defects.iter_mut().filter(of_file) {
            let started = Path::new(".");
            let there = beside(folder, path);
            let now = there.or_else(|| beside(started, path).filter(|_| folder != started));
            if let Some(now) = now {
                let text = format!("; a file of that name lies at {now}");
                defect.text.push_str(&text);
                defect.expected = format!("write {now}, if it is the right one");
            }
        }
    }
}

/// Most entries that are looked at for a file that was moved, and how deep they lie.
const MOST: usize = 2_000;
const DEEPEST: usize = 4;

/// Where a file of the same name lies in a folder or below; only if there is one.
pub(crate) fn beside(folder: &Path, path: &str) -> Option<String> {
    let name = Path::new(path).file_name()?;
    let mut left = vec![(folder.to_owned(), 0usize)];
    let mut found = Vec::new();
    let mut count = 0usize;
    while let Some((folder, depth)) = left.pop() {
        for entry in std::fs::read_dir(&folder).into_iter().flatten().flatten() {
            count += 1;
            if count > MOST {
                return None;
            }
            let is_folder = entry.file_type().is_ok_and(|t| t.is_dir());
            let hidden = entry.file_name().to_string_lossy().starts_with('.');
            if is_folder && !hidden && depth < DEEPEST && entry.file_name() != "node_modules" {
                left.push((entry.path(), depth + 1));
            } else if entry.file_name() == name && entry.path().is_file() {
                found.push(entry.path());
            }
        }
    }
    match found.as_slice() {
        [one] => {
            let bare = one.strip_prefix(".").unwrap_or(one);
            Some(shown::path(&bare.to_string_lossy()))
        }
        _ => None,
    }
}
