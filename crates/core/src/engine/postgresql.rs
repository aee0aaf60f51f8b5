//! PostgreSQL: its strings, its protocol (version 3.0), its codes.

pub mod codec;
pub mod codes;
mod complete;
mod password_file;
pub mod scram;
mod string;
mod talk;

use crate::conversation::Conversation;
use crate::target::{EngineId, Target};

use super::spec::{Draft, Engine, FileWanted, NotFollowed, Surroundings, TalkPlan};

/// The engine.
pub struct Postgresql;

impl Engine for Postgresql {
    fn id(&self) -> EngineId {
        EngineId::Postgresql
    }

    fn schemes(&self) -> &'static [&'static str] {
        &["postgresql", "postgres"]
    }

    fn usual_port(&self) -> u16 {
        5432
    }

    fn administrators(&self) -> &'static [&'static str] {
        &["postgres"]
    }

    fn variables(&self) -> &'static [&'static str] {
        complete::VARIABLES
    }

    fn read(&self, text: &str, line: Option<u32>) -> Draft {
        string::read(text, line)
    }

    fn files(&self, draft: &Draft, around: &Surroundings) -> Vec<FileWanted> {
        complete::files(draft, around)
    }

    fn complete(&self, draft: Draft, around: &Surroundings) -> Result<Target, NotFollowed> {
        complete::complete(draft, around)
    }

    fn open(&self, plan: TalkPlan<'_>) -> Box<dyn Conversation> {
        Box::new(talk::Talk::new(&plan))
    }
}
