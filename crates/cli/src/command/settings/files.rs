//! Files with certificates and keys that connections name, read for a look over settings.

use std::path::Path;

use chronaxis_bundle::item::File;
use chronaxis_diagnosis::survey::named::Seen;
use chronaxis_engines::Holds;
use chronaxis_model::shown;
use chronaxis_readers::Connection;
use chronaxis_tls::ByRing;

use crate::bundles;
use crate::way_in::named_files::{Named, beside, named, place};

/// The files that a connection names, as they are found.
pub(super) fn of(connection: &Connection) -> Vec<Seen> {
    // What lies in a program's class path is no file of this machine.
    let is_file = |one: &Named| !one.wanted.path.starts_with("classpath:");
    let found = named(connection).filter(is_file);
    found.map(|one| seen(connection, one)).collect()
}

fn seen(connection: &Connection, one: Named) -> Seen {
    let file = one.at.as_ref().and_then(|at| read(&one, at));
    let moved = one.at.is_none().then(|| moved(connection, &one)).flatten();
    let told = connection.draft.value(one.option);
    Seen {
        option: one.option,
        place: told.and_then(|told| place(&told.origin)),
        at: one.at.map(|at| shown::path(&at.to_string_lossy())),
        path: one.wanted.path,
        file,
        beside: moved,
    }
}

/// What stands in a file; what the client makes of a folder is said by its own rules.
fn read(one: &Named, at: &Path) -> Option<File> {
    let passphrase = match &one.wanted.holds {
        Holds::Certificates(passphrase) => passphrase.as_ref(),
        Holds::Words => None,
    };
    if at.is_dir() {
        return None;
    }
    let loaded = bundles::load(at, passphrase, &ByRing).ok()?;
    let mut file = loaded.bundle.files.into_iter().next()?;
    file.path = shown::path(&at.to_string_lossy());
    Some(file)
}

/// Where a file of that name lies below the folder of the settings.
fn moved(connection: &Connection, one: &Named) -> Option<String> {
    let folder = Path::new(&connection.file).parent()?;
    let folder = match folder.as_os_str().is_empty() {
        true => Path::new("."),
        false => folder,
    };
    beside(folder, &one.wanted.path)
}
