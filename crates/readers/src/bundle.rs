//! Credential bundles: what each file is, by what stands in it.

mod manifest;
mod moved;
mod pem;
mod recognise;

pub use manifest::{NAME as MANIFEST, read as manifest};
pub use moved::{Moved, moved};
pub use recognise::{Keyring, Source, file};

use chronaxis_bundle::item::{Bundle, File};

/// A bundle of files, in the order of their paths.
pub fn bundle(mut files: Vec<File>) -> Bundle {
    files.sort_by(|a, b| a.path.cmp(&b.path));
    Bundle {
        files,
        ..Bundle::default()
    }
}
