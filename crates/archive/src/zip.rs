//! `.zip` (APPNOTE.TXT, version 6.3).

use std::collections::BTreeSet;
use std::io::{BufReader, Read as _, SeekFrom};

use chronaxis_bundle::bounds::MOST_FILES;

use super::{Budget, Entry, Header, Refused, Source, Trouble, hand_on};

/// Reads it entry by entry.
pub(super) fn read(
    source: &mut dyn Source,
    budget: &mut Budget,
    take: &mut dyn FnMut(Entry),
) -> Result<(), Trouble> {
    const DAMAGED: Trouble = Trouble::Damaged("the zip archive is damaged, or cut off");
    let begins = ::zip::ZipArchive::new(&mut *source)
        .map_err(|_| DAMAGED)?
        .central_directory_start();
    for path in twice(source, begins) {
        let shown = chronaxis_model::shown::path(&String::from_utf8_lossy(&path));
        take(Entry::Refused {
            path: shown,
            why: Refused::Twice,
        });
    }
    let mut archive = ::zip::ZipArchive::new(source).map_err(|_| DAMAGED)?;
    for index in 0..archive.len() {
        budget.entry()?;
        let raw = archive.by_index_raw(index).map_err(|_| DAMAGED)?;
        let path = raw.name_raw().to_vec();
        let mode = raw.unix_mode();
        let (folder, link, locked) = (raw.is_dir(), raw.is_symlink(), raw.encrypted());
        drop(raw);
        if folder {
            continue;
        }
        // The kind of a file in Unix modes: 8 is a regular one, 0 is not told.
        let special = mode.is_some_and(|m| !matches!(m >> 12, 0 | 8));
        let refused = match (link, special, locked) {
            (true, ..) => Some(Refused::Link),
            (_, true, _) => Some(Refused::Special),
            (.., true) => Some(Refused::Locked),
            _ => None,
        };
        let header = Header {
            path: &path,
            mode: mode.map(|m| m & 0o7777),
            refused,
        };
        match refused {
            Some(_) => hand_on(&header, &mut std::io::empty(), budget, take)?,
            None => {
                let mut body = archive.by_index(index).map_err(|_| DAMAGED)?;
                hand_on(&header, &mut body, budget, take)?;
            }
        }
    }
    Ok(())
}

/// The fixed part of an entry of the central directory (section 4.3.12).
const FIXED: usize = 46;

/// Paths that the central directory has more than once. The package gives one entry of each, and
/// other programs may take another one.
fn twice(source: &mut dyn Source, begins: u64) -> BTreeSet<Vec<u8>> {
    let mut seen = BTreeSet::new();
    let mut out = BTreeSet::new();
    if source.seek(SeekFrom::Start(begins)).is_err() {
        return out;
    }
    let mut source = BufReader::new(source);
    let mut fixed = [0u8; FIXED];
    while seen.len() <= MOST_FILES && source.read_exact(&mut fixed).is_ok() {
        if !fixed.starts_with(b"PK\x01\x02") {
            break;
        }
        let length = |at: usize| match fixed.get(at..at + 2) {
            Some([low, high]) => usize::from(u16::from_le_bytes([*low, *high])),
            _ => 0,
        };
        let (name, extra, comment) = (length(28), length(30), length(32));
        let mut path = vec![0u8; name];
        let mut rest = vec![0u8; extra + comment];
        if source.read_exact(&mut path).is_err() || source.read_exact(&mut rest).is_err() {
            break;
        }
        if !seen.insert(path.clone()) {
            out.insert(path);
        }
    }
    out
}
