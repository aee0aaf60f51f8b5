//! How large a bundle may be.

/// The largest file that is looked into, in bytes: a list of all public authorities has
/// under 1 MB.
pub const LARGEST_PART: u64 = 2 * 1024 * 1024;

/// Most bytes of all files that are looked into.
pub const MOST_BYTES: u64 = 24 * 1024 * 1024;

/// Most files of a bundle.
pub const MOST_FILES: usize = 10_000;
