//! The protocols: one folder each, and one line in the registry.

pub mod postgresql;
mod recognise;
mod registry;
pub(crate) mod spec;

pub use recognise::{NotATarget, Recognised, recognise};
pub use registry::{ENGINES, NOT_YET, by_id};
pub use spec::{Draft, Engine, FileSeen, FileWanted, NotFollowed, Surroundings, TalkPlan};
