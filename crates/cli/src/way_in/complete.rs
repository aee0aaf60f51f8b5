//! The last station: the rules of the engine's own client, and what stands around it on this
//! machine, fill in what a draft leaves open; what the files round it show is added.

use chronaxis_engines::{ClientEnvironment, EngineBy, NotFollowed, by_id, completed};
use chronaxis_model::fact::Fact;
use chronaxis_model::settings::Defect;
use chronaxis_model::target::Target;
use chronaxis_readers::Connection;

use super::draft::{Described, DescribedBy};
use super::engine::Chosen;
use super::named_files;
use crate::client_environment::{self, Environment};
use crate::error::Failure;

/// The target that was described; `options` are those of the command.
pub(crate) fn target(
    described: &Described,
    chosen: Chosen,
    options: ClientEnvironment,
    number: usize,
) -> Result<Target, Failure> {
    let not_followed = |cause| Failure::NotFollowed { number, cause };
    let counts = described.environment;
    let mut target = match &described.by {
        DescribedBy::Text { draft, .. } => {
            let around = client_environment::of_machine(options, chosen.engine, draft, counts)?;
            completed(chosen.engine, (**draft).clone(), &around).map_err(not_followed)?
        }
        DescribedBy::File { read, index, .. } | DescribedBy::Environment { read, index, .. } => {
            let nothing = || Failure::NoConnection {
                path: String::new(),
                why: String::new(),
            };
            let connection = described.connection().ok_or_else(nothing)?;
            let mut options = options;
            options.files.extend(named_files::files(connection));
            let draft = &connection.draft;
            let around = client_environment::of_machine(options, chosen.engine, draft, counts)?;
            let walkable = read.report.walkable(*index, chosen.engine, &around);
            let mut target = walkable.map_err(not_followed)?.ok_or_else(nothing)?;
            named_files::unseen(connection, &mut target);
            target
        }
    };
    if chosen.by == EngineBy::Nothing {
        target.remarks.push(Fact::EngineUntold);
    }
    if let Some(label) = &described.label {
        target.label.clone_from(label);
    }
    Ok(target)
}

/// The target that a connection of files is, for a look at the text alone: whether this
/// machine has the files with certificates that another one needs says nothing about it.
pub(crate) fn as_written(connection: &Connection) -> Result<Result<Target, NotFollowed>, Failure> {
    let whole = bare(connection)?;
    let Ok(mut whole) = whole else {
        return Ok(whole);
    };
    let of_files = |d: &Defect| d.kind.is_of_files();
    if whole.defects.iter().any(|d| d.stops && of_files(d)) {
        let mut without = connection.clone();
        without
            .draft
            .values
            .retain(|key, _| !key.starts_with("ssl"));
        if let Ok(without) = bare(&without)? {
            whole.ends = without.ends;
        }
    }
    whole.defects.retain(|d| !of_files(d));
    Ok(Ok(whole))
}

/// The target by the client's rules, without any option or variable.
fn bare(connection: &Connection) -> Result<Result<Target, NotFollowed>, Failure> {
    let engine = by_id(connection.engine.unwrap_or(chronaxis_engines::TCP));
    let around = client_environment::of_machine(
        ClientEnvironment::default(),
        engine,
        &connection.draft,
        Environment::LeftOut,
    )?;
    Ok(connection.target(engine, &around))
}
