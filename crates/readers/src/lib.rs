//! File formats: bytes in, connections out, each value with its file, line and column.
//!
//! Nothing is opened and nothing is run here. A file is read into entries ([`entry`]) by its
//! format ([`mod@format`]); entries that belong together make a connection; checks look at how
//! it is written, and at what the other files of the reading say.

#![forbid(unsafe_code)]

pub mod allowlist;
pub mod bundle;
mod check;
mod clients;
mod compare;
mod compose;
mod connection;
pub mod driver;
pub mod entry;
pub mod format;
mod grouping;
mod letters;
pub mod machine;
mod manifest;
mod names;
mod node;
pub mod packages;
mod places;
pub mod prefilter;
mod project;
pub mod reader;
mod reading;
mod references;
mod resolve;
mod target;
pub mod text;
pub mod traced;
pub mod url_reader;

pub use compare::{Difference, Disagreement, Likeness, Said};
pub use connection::{Connection, Unknown};
pub use machine::{Machine, Nowhere};
pub use project::{Project, Report, Taken};
