//! Credential bundles: what each file is, by what stands in it.

mod manifest;
mod moved;
mod pem;
mod recognise;

pub use manifest::{NAME as MANIFEST, read as manifest};
pub use moved::{Moved, moved};
pub use recognise::{Keyring, Source, file};

use chronaxis_bundle::item::{Bundle, File};

/// The largest file that is looked into, in bytes: a list of all public authorities has
/// under 1 MB.
pub const LARGEST_PART: u64 = 2 * 1024 * 1024;

/// Most bytes of all files that are looked into.
pub const MOST_BYTES: u64 = 24 * 1024 * 1024;

/// Most files of a bundle.
pub const MOST_FILES: usize = 10_000;

/// A bundle of files, in the order of their paths.
pub fn bundle(mut files: Vec<File>) -> Bundle {
    files.sort_by(|a, b| a.path.cmp(&b.path));
    Bundle {
        files,
        ..Bundle::default()
    }
}
