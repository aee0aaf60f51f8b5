//! The last station: the rules of the engine's own client, and what stands around it on this
//! machine, fill in what a draft leaves open; what the files round it show is added.

use std::path::Path;

use chronaxis_engines::{ClientEnvironment, EngineBy, NotFollowed, by_id, completed};
use chronaxis_model::fact::Fact;
use chronaxis_model::settings::Defect;
use chronaxis_model::shown;
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
            let target = completed(chosen.engine, (**draft).clone(), &around);
            let mut target = target.map_err(not_followed)?;
            named_files::moved(&mut target, Path::new("."));
            target
        }
        DescribedBy::File { read, index, .. } | DescribedBy::Environment { read, index, .. } => {
            let nothing = || Failure::NoConnection {
                path: String::new(),
                why: String::new(),
            };
            let connection = described.connection().ok_or_else(nothing)?;
            let mut options = options;
            let inside = named_files::files(connection, options.passphrase.as_ref());
            options.files.extend(inside);
            let draft = &connection.draft;
            let around = client_environment::of_machine(options, chosen.engine, draft, counts)?;
            let walkable = read.report.walkable(*index, chosen.engine, &around);
            let mut target = walkable.map_err(not_followed)?.ok_or_else(nothing)?;
            named_files::placed(&mut target);
            named_files::unseen(connection, &mut target);
            if connection.inside.is_none() {
                let folder = Path::new(&connection.file).parent();
                named_files::moved(&mut target, folder.unwrap_or(Path::new(".")));
            }
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

/// The target that a connection of files is, for a look at the text alone: what is wrong with
/// files that lie here is told, and that another machine's are not here says nothing about it.
pub(crate) fn as_written(connection: &Connection) -> Result<Result<Target, NotFollowed>, Failure> {
    let whole = bare(connection)?;
    let Ok(mut whole) = whole else {
        return Ok(whole);
    };
    let of_files = |d: &Defect| d.kind.is_of_files();
    if whole.defects.iter().any(|d| d.stops && of_files(d)) {
        let mut without = connection.clone();
        let engine = by_id(connection.engine.unwrap_or(chronaxis_engines::TCP));
        let files = engine.spec.file_options;
        without
            .draft
            .values
            .retain(|key, _| !key.starts_with("ssl") && !files.contains(&key.as_str()));
        if let Ok(without) = bare(&without)? {
            whole.ends = without.ends;
        }
    }
    let lying: Vec<String> = named_files::named(connection)
        .filter(|one| one.at.is_some())
        .map(|one| shown::path(&one.wanted.path))
        .collect();
    let is_here = |d: &Defect| lying.iter().any(|path| d.text.contains(path));
    whole.defects.retain(|d| !of_files(d) || is_here(d));
    Ok(Ok(whole))
}

/// The target by the client's rules, without any option or variable.
fn bare(connection: &Connection) -> Result<Result<Target, NotFollowed>, Failure> {
    let engine = by_id(connection.engine.unwrap_or(chronaxis_engines::TCP));
    let options = ClientEnvironment {
        files: named_files::files(connection, None),
        ..ClientEnvironment::default()
    };
    let left_out = Environment::LeftOut;
    let around = client_environment::of_machine(options, engine, &connection.draft, left_out)?;
    let mut target = connection.target(engine, &around);
    if let Ok(target) = &mut target {
        named_files::placed(target);
    }
    Ok(target)
}
