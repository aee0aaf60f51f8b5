//! Files with certificates that settings name: as a container sees them, by its volumes they lie
//! elsewhere on this machine, or they are not seen here at all; and what was moved lies
//! somewhere beside the settings.

use std::path::{Path, PathBuf};

use chronaxis_engines::{FileSeen, FileWanted, by_id};
use chronaxis_model::settings::DefectKind;
use chronaxis_model::shown;
use chronaxis_model::target::Target;
use chronaxis_readers::Connection;

use crate::client_environment;

/// The paths that a connection names.
fn named(connection: &Connection) -> impl Iterator<Item = &str> {
    let options = connection
        .engine
        .map_or(&[][..], |id| by_id(id).spec.file_options);
    let values = options.iter().filter_map(|key| connection.draft.value(key));
    values.map(|told| told.value.as_str())
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

/// The files that the container sees under its own paths.
pub(super) fn files(connection: &Connection) -> Vec<FileSeen> {
    if connection.inside.is_none() {
        return Vec::new();
    }
    let found = named(connection).filter_map(|path| {
        let wanted = FileWanted {
            path: here(connection, path)?,
            private: false,
            folder: false,
        };
        let seen = client_environment::read_file(&wanted)?;
        Some(FileSeen {
            path: path.to_owned(),
            ..seen
        })
    });
    found.collect()
}

/// What the container has, and no volume shows, is not known here: that is no fault.
pub(super) fn unseen(connection: &Connection, target: &mut Target) {
    let missing = named(connection).filter(|path| path.starts_with('/'));
    let Some(path) = missing.into_iter().find(|path| !Path::new(path).exists()) else {
        return;
    };
    let shown_path = shown::path(path);
    let of_files = target
        .defects
        .iter_mut()
        .filter(|d| matches!(d.kind, DefectKind::FileElsewhere | DefectKind::FileMissing));
    for defect in of_files {
        match (&connection.inside, here(connection, path)) {
            (Some((_, service)), None) => {
                defect.kind = DefectKind::Unresolved;
                defect.text = format!(
                    "{shown_path} is a path inside the container of the service {}; no volume shows it here",
                    shown::word(service)
                );
                "the same command, run in that container".clone_into(&mut defect.expected);
            }
            (Some(_), Some(here)) if defect.text.contains(&shown_path) => {
                defect.text.push_str(&format!(
                    "; by its volume it would lie here at {}",
                    shown::path(&here)
                ));
            }
            (None, _) if defect.text.contains(&shown_path) => {
                if let Some(now) = beside(&connection.file, path) {
                    defect
                        .text
                        .push_str(&format!("; a file of that name lies at {now}"));
                    defect.expected = format!("write {now}, if it is the right one");
                }
            }
            _ => {}
        }
    }
}

/// Most entries that are looked at for a file that was moved, and how deep they lie.
const MOST: usize = 2_000;
const DEEPEST: usize = 4;

/// Where a file of the same name lies, in the folder of the settings or below; only if there is
/// one.
fn beside(settings: &str, path: &str) -> Option<String> {
    let name = Path::new(path).file_name()?;
    let folder = match Path::new(settings).parent() {
        Some(folder) if !folder.as_os_str().is_empty() => folder.to_owned(),
        _ => PathBuf::from("."),
    };
    let mut left = vec![(folder, 0usize)];
    let mut found = Vec::new();
    let mut count = 0usize;
    while let Some((folder, depth)) = left.pop() {
        for entry in std::fs::read_dir(&folder).ok()?.flatten() {
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
        [one] => Some(shown::path(&one.to_string_lossy())),
        _ => None,
    }
}
