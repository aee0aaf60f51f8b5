//! From the arguments of `diagnose` to targets: strings, files, standard input, lists.

use std::path::Path;

use chronaxis_diagnosis::judge::Again;
use chronaxis_engines::{
    ClientEnvironment, Engine, NotATarget, by_id, completed, engines, recognise,
};
use chronaxis_model::fact::Fact;
use chronaxis_model::shown;
use chronaxis_model::target::{EngineId, Target};

use crate::again::{self, From};
use crate::args::Diagnose;
use crate::client_environment::{self, Environment};
use crate::echo;
use crate::error::Failure;
use crate::input;
use crate::reading;

/// Longest list of targets.
const LONGEST_LIST: u64 = 16 * 1024 * 1024;

/// The engine of this name: its own, or one of its schemes.
fn engine_named(name: &str) -> Option<EngineId> {
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

/// A target, and the words that diagnose it again.
pub(crate) struct Wanted {
    pub(crate) target: Target,
    pub(crate) again: Option<Again>,
}

/// Reads every target before anything is sent: one that cannot be read stops the run.
pub(crate) fn all(args: &Diagnose) -> Result<Vec<Wanted>, Failure> {
    let engine = match args.engine.as_deref() {
        None => None,
        Some(name) => match engine_named(name) {
            Some(id) => Some(id),
            None => return Err(Failure::Engine(shown::word(name))),
        },
    };
    let from_stdin = args.targets.iter().any(|t| t == "-");
    if from_stdin && args.password_stdin {
        return Err(Failure::StdinTwice);
    }
    let options = client_environment::from_options(args)?;
    let mut texts: Vec<(Option<u32>, String)> = Vec::new();
    for text in &args.targets {
        match text.as_str() {
            "-" => texts.extend(list_on_stdin()?),
            _ => texts.push((None, text.clone())),
        }
    }
    for path in &args.targets_file {
        texts.extend(list_in(path)?);
    }
    let reading = Reading {
        args,
        engine,
        options: &options,
    };
    let mut targets = reading.all(&texts)?;
    if let Some(name) = &args.environment {
        let read = reading::environment();
        let name = Some(name.as_str()).filter(|name| !name.is_empty());
        let (chosen, _) = reading::chosen(&read.report, "the environment", name)?;
        let chosen = (chosen, Environment::Counts);
        let target = walkable(&read, chosen, engine, &options, targets.len() + 1)?;
        let from = From::Environment(name.unwrap_or_default());
        let again = again::of(args, &from, &target);
        targets.push(Wanted { target, again });
    }
    Ok(targets)
}

/// So many targets are worth a thread of their own to read them.
const WORTH_A_THREAD: usize = 500;

/// What counts for every target of a run.
struct Reading<'a> {
    args: &'a Diagnose,
    engine: Option<EngineId>,
    options: &'a ClientEnvironment,
}

impl Reading<'_> {
    /// Reads them in their order, many on several threads: nothing is sent before the last
    /// one is read.
    fn all(&self, texts: &[(Option<u32>, String)]) -> Result<Vec<Wanted>, Failure> {
        let threads = std::thread::available_parallelism().map_or(1, usize::from);
        let share = texts.len().div_ceil(threads.max(1)).max(WORTH_A_THREAD);
        if texts.len() <= share {
            return self.some(texts, 0);
        }
        let parts: Vec<Result<Vec<Wanted>, Failure>> = std::thread::scope(|scope| {
            let begun: Vec<_> = texts
                .chunks(share)
                .enumerate()
                .map(|(part, chunk)| {
                    let work = move || self.some(chunk, part * share);
                    (
                        part,
                        chunk,
                        std::thread::Builder::new().spawn_scoped(scope, work),
                    )
                })
                .collect();
            let of_each = |(part, chunk, begun)| match begun {
                Ok(thread) => match std::thread::ScopedJoinHandle::join(thread) {
                    Ok(read) => read,
                    Err(panic) => std::panic::resume_unwind(panic),
                },
                // This machine gives no thread: read here.
                Err(_) => self.some(chunk, part * share),
            };
            begun.into_iter().map(of_each).collect()
        });
        let mut out = Vec::with_capacity(texts.len());
        for part in parts {
            out.extend(part?);
        }
        Ok(out)
    }

    /// Reads some, the first of which has this place in the list.
    fn some(&self, texts: &[(Option<u32>, String)], from: usize) -> Result<Vec<Wanted>, Failure> {
        let mut out = Vec::with_capacity(texts.len());
        for (number, (line, text)) in (from + 1..).zip(texts) {
            out.extend(self.one(number, *line, text)?);
        }
        Ok(out)
    }

    fn one(&self, number: usize, line: Option<u32>, text: &str) -> Result<Vec<Wanted>, Failure> {
        let (args, engine, options) = (self.args, self.engine, self.options);
        if Path::new(text).is_dir() {
            return of_folder(args, text, engine, options, number);
        }
        if reading::is_path(text) {
            let target = from_files(text, engine, options, number)?;
            let again = again::of(args, &From::File(text), &target);
            return Ok(vec![Wanted { target, again }]);
        }
        let (read, untold) = match recognise(text, line, engine) {
            // A place of which nothing says what it is: whoever answers there is asked.
            Err(NotATarget::EngineUnsaid(place)) if is_plainly_a_place(&place) => {
                (recognise(text, line, Some(chronaxis_engines::TCP)), true)
            }
            read => (read, false),
        };
        let read = read.map_err(|cause| Failure::Target { number, cause })?;
        let around = client_environment::of_machine(
            options.clone(),
            read.engine,
            &read.draft,
            Environment::Counts,
        )?;
        let shown = read.draft.shown.clone();
        let mut target = completed(read.engine, read.draft, &around)
            .map_err(|cause| Failure::NotFollowed { number, cause })?;
        target.remarks.extend(untold.then_some(Fact::EngineUntold));
        let from = From::Text {
            typed: text,
            shown: &shown,
        };
        let again = again::of(args, &from, &target);
        Ok(vec![Wanted { target, again }])
    }
}

/// Whether a place cannot be a user and a number that is the password: its host has a dot,
/// is an address, or is this machine.
fn is_plainly_a_place(place: &str) -> bool {
    let host = place.rsplit_once(':').map_or("", |(host, _)| host);
    host.contains(['.', ':']) || host == "localhost"
}

/// All connections of a folder; a single one too. One that is not followed here does not
/// keep the others from being walked.
fn of_folder(
    args: &Diagnose,
    folder: &str,
    engine: Option<EngineId>,
    options: &ClientEnvironment,
    number: usize,
) -> Result<Vec<Wanted>, Failure> {
    let read = reading::read_folder(Path::new(folder))?;
    let mut chosen = reading::all_of(&read.report);
    if chosen.is_empty() {
        chosen = vec![reading::chosen(&read.report, folder, None)?.0];
    }
    let several = chosen.len() > 1;
    let mut out = Vec::new();
    let mut refused = None;
    for index in chosen {
        let target = walkable(
            &read,
            (index, Environment::LeftOut),
            engine,
            options,
            number,
        );
        match target {
            Ok(mut target) => {
                let connection = read.report.connections.get(index);
                let name =
                    connection.map_or_else(String::new, |c| format!("{}#{}", c.file, c.name));
                let again = again::of(args, &From::File(&name), &target);
                // By what tells them apart, and can be given back.
                if several && !name.is_empty() {
                    target.label.clone_from(&name);
                }
                out.push(Wanted { target, again });
            }
            Err(failure) => refused = refused.or(Some(failure)),
        }
    }
    match refused {
        Some(failure) if out.is_empty() => Err(failure),
        _ => Ok(out),
    }
}

/// The target that a file or folder describes, with what it and its neighbours show.
fn from_files(
    text: &str,
    engine: Option<EngineId>,
    options: &ClientEnvironment,
    number: usize,
) -> Result<Target, Failure> {
    let (path, name) = reading::split(text);
    let read = reading::read_with_neighbours(Path::new(path))?;
    let (chosen, _) = reading::chosen(&read.report, path, name)?;
    let chosen = (chosen, Environment::Counts);
    walkable(&read, chosen, engine, options, number)
}

/// The target of one of the connections that were read, with all that was seen of it.
fn walkable(
    read: &reading::Read,
    (chosen, environment): (usize, Environment),
    engine: Option<EngineId>,
    options: &ClientEnvironment,
    number: usize,
) -> Result<Target, Failure> {
    let connection = read.report.connections.get(chosen);
    let id = engine.or(connection.and_then(|c| c.engine));
    let (Some(connection), Some(id)) = (connection, id) else {
        return Err(Failure::EngineUntold {
            path: connection.map_or_else(String::new, |c| c.file.clone()),
            name: connection.map_or_else(String::new, |c| c.name.clone()),
        });
    };
    let engine = by_id(id);
    let options = options.clone();
    let around = client_environment::of_machine(options, engine, &connection.draft, environment)?;
    let walkable = read.report.walkable(chosen, engine, &around);
    walkable
        .map_err(|cause| Failure::NotFollowed { number, cause })?
        .ok_or_else(|| Failure::NoConnection {
            path: connection.file.clone(),
            why: String::new(),
        })
}

/// The targets that a file lists.
fn list_in(path: &Path) -> Result<Vec<(Option<u32>, String)>, Failure> {
    let read = input::whole(path, LONGEST_LIST);
    let bytes = read.map_err(|cause| Failure::File {
        path: path.to_owned(),
        cause,
    })?;
    list(&echo::path(path), bytes)
}

/// The targets that standard input lists.
fn list_on_stdin() -> Result<Vec<(Option<u32>, String)>, Failure> {
    let bytes = input::bounded(std::io::stdin(), LONGEST_LIST).map_err(Failure::Stdin)?;
    list("standard input", bytes)
}

/// The lines of a list that hold something, with their numbers. The line end goes; a blank
/// before it is the target's own. A line that begins with `#` is a remark.
fn list(name: &str, bytes: Vec<u8>) -> Result<Vec<(Option<u32>, String)>, Failure> {
    let text = String::from_utf8(bytes).map_err(|_| Failure::NotUtf8(name.to_owned()))?;
    let lines: Vec<_> = (1u32..)
        .zip(text.lines())
        .filter(|(_, line)| !line.trim().is_empty() && !line.trim_start().starts_with('#'))
        .map(|(number, line)| (Some(number), line.to_owned()))
        .collect();
    if lines.is_empty() {
        return Err(Failure::ListEmpty(name.to_owned()));
    }
    Ok(lines)
}
