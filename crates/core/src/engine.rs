//! The protocols: one folder each, and one line in the registry.

mod encryption;
mod feeler;
mod hello;
pub mod mysql;
mod papers;
pub mod postgresql;
mod recognise;
mod registry;
pub(crate) mod spec;
mod text;
pub mod tls;
mod unspoken;
mod who;
mod written;

pub use feeler::{Feeler, feeler};
pub use recognise::{NotATarget, Recognised, recognise};
pub use registry::{ENGINES, by_id};
pub use spec::{Draft, Engine, FileSeen, FileWanted, Manner, NotFollowed, Surroundings, TalkPlan};
pub use who::answered as who_speaks;
pub use written::{Form, NotWritten, written};
