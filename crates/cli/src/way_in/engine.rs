//! Which engine is meant, and what says so.

use chronaxis_engines::{Engine, EngineBy, by_id, engines};
use chronaxis_model::shown;
use chronaxis_model::target::EngineId;

use super::draft::{Described, DescribedBy};
use crate::error::Failure;

/// The engine of a draft.
#[derive(Clone, Copy)]
pub(crate) struct Chosen {
    pub(crate) engine: &'static Engine,
    pub(crate) by: EngineBy,
}

/// What the option says.
pub(crate) fn asked_for(name: Option<&str>) -> Result<Option<EngineId>, Failure> {
    let Some(name) = name else {
        return Ok(None);
    };
    match named(name) {
        Some(id) => Ok(Some(id)),
        None => Err(Failure::Engine(shown::word(name))),
    }
}

/// The engine of this name: its own, or one of its schemes.
fn named(name: &str) -> Option<EngineId> {
    // As people call them for short.
    let name = match name {
        "sql-server" => "mssql",
        "mongo" => "mongodb",
        other => other,
    };
    let of_it = |e: &&&'static Engine| {
        e.spec.id.as_str() == name
            || e.spec.schemes.contains(&name)
            || e.spec.adapters.contains(&name)
    };
    engines().iter().find(of_it).map(|e| e.spec.id)
}

/// The engine of what was described: a string is read as its engine's already; for what files
/// describe the option wins over the file.
pub(crate) fn choose(
    asked_for: Option<EngineId>,
    described: &Described,
) -> Result<Chosen, Failure> {
    if let DescribedBy::Text {
        engine, engine_by, ..
    } = &described.by
    {
        return Ok(Chosen {
            engine,
            by: *engine_by,
        });
    }
    let connection = described.connection();
    let by = match asked_for {
        Some(_) => EngineBy::Option,
        None => EngineBy::Text,
    };
    match asked_for.or(connection.and_then(|c| c.engine)) {
        Some(id) => Ok(Chosen {
            engine: by_id(id),
            by,
        }),
        None => Err(Failure::EngineUntold {
            path: connection.map_or_else(String::new, |c| c.file.clone()),
            name: connection.map_or_else(String::new, |c| c.name.clone()),
        }),
    }
}
