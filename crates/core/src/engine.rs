//! The protocols: one folder each, and one line in the registry.

mod completed;
mod encryption;
mod feeler;
mod hello;
pub mod mysql;
mod papers;
pub mod postgresql;
mod recognise;
mod registry;
pub(crate) mod spec;
pub(crate) mod text;
pub mod tls;
mod unspoken;
mod who;
mod written;

pub use completed::completed;
pub use feeler::{Feeler, feeler};
pub use recognise::{NotATarget, Recognised, recognise};
pub use registry::{ENGINES, by_id};
pub use spec::{Draft, Engine, FileSeen, FileWanted, Manner, NotFollowed, Surroundings, TalkPlan};
pub(crate) use text::{is_key, is_near_key, is_scheme};
pub use who::answered as who_speaks;
pub use written::{Form, NotWritten, written};
