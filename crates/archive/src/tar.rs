//! `.tar`.

use std::io::Read;

use super::{Budget, Entry, Header, Refused, Trouble, hand_on};

/// Reads it entry by entry.
pub(super) fn read(
    source: &mut dyn Read,
    budget: &mut Budget,
    take: &mut dyn FnMut(Entry),
) -> Result<(), Trouble> {
    const DAMAGED: Trouble = Trouble::Damaged("the tar archive is damaged, or cut off");
    let mut archive = ::tar::Archive::new(source);
    for entry in archive.entries().map_err(|_| DAMAGED)? {
        budget.entry()?;
        let mut entry = entry.map_err(|_| DAMAGED)?;
        let kind = entry.header().entry_type();
        if kind.is_dir() {
            continue;
        }
        let refused = if kind.is_symlink() || kind.is_hard_link() {
            Some(Refused::Link)
        } else if kind.is_file() || kind.is_contiguous() {
            None
        } else {
            Some(Refused::Special)
        };
        let path = entry.path_bytes().into_owned();
        let header = Header {
            path: &path,
            mode: entry.header().mode().ok().map(|m| m & 0o7777),
            refused,
        };
        hand_on(&header, &mut entry, budget, take)?;
    }
    Ok(())
}
