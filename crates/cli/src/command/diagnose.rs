//! `chronaxis diagnose`.

use std::io::{Read as _, Write as _};
use std::path::Path;

use chronaxis_core::case::Case;
use chronaxis_core::engine::{ENGINES, Engine, Surroundings, by_id, recognise};
use chronaxis_core::judge::Scope;
use chronaxis_core::layer::{Layer, Micros};
use chronaxis_core::permit::Ledger;
use chronaxis_core::redact::Redactor;
use chronaxis_core::secret::Secret;
use chronaxis_core::target::{EngineId, Target};
use chronaxis_core::verdict::State;
use chronaxis_core::walk::{self, Walk};
use chronaxis_probe::Clock;

use crate::args::{Diagnose, Output};
use crate::error::Failure;
use crate::reading;
use crate::render::{self, markdown, plan, progress::Progress, text};
use crate::surroundings::{self, Environment};

/// Longest list of targets on standard input.
const LONGEST_STDIN: u64 = 16 * 1024 * 1024;

pub(crate) fn run(args: &Diagnose) -> Result<u8, Failure> {
    if let Some(path) = &args.save {
        may_replace(path)?;
    }
    let targets = targets(args)?;
    let scope = scope(args);
    if args.dry_run {
        return dry_run(args, &targets, &scope);
    }
    if args.verbose > 1 {
        trace();
    }
    let secrets = secrets(&targets);
    let redactor = Redactor::new(&secrets);
    let runtime = surroundings::runtime()?;
    let mut ledger = Ledger::default();
    let several = targets.len() > 1;
    let mut cases = Vec::new();
    for (number, target) in targets.into_iter().enumerate() {
        let view = View {
            args,
            several,
            first: number == 0,
        };
        let case = runtime.block_on(walk_one(target, scope, &redactor, &mut ledger, &view))?;
        view.finished(&case)?;
        cases.push(case);
    }
    // A look-up that still hangs must not hold up the end.
    runtime.shutdown_background();
    if let Some(path) = &args.save {
        save(path, &cases)?;
    }
    Ok(worst(&cases))
}

/// Every secret of the run, and every repaired form of one: none may be shown.
fn secrets(targets: &[Target]) -> Vec<Secret> {
    let given = targets
        .iter()
        .filter_map(|t| Some(&t.secret.as_ref()?.value));
    given
        .flat_map(|secret| {
            let repaired = secret.repairs().into_iter().map(|(_, repaired)| repaired);
            repaired.chain([secret.clone()])
        })
        .collect()
}

/// Says what would be done, and does none of it.
fn dry_run(args: &Diagnose, targets: &[Target], scope: &Scope) -> Result<u8, Failure> {
    if args.output != Output::Text {
        return Err(Failure::DryRunForm);
    }
    let mut out = render::out(args.plain);
    for (number, target) in targets.iter().enumerate() {
        if number > 0 {
            writeln!(out)?;
        }
        plan::steps(&mut out, &target.shown(), &walk::plan(target, scope))?;
    }
    out.flush()?;
    Ok(0)
}

/// From now on every order and event is written to standard error.
fn trace() {
    tracing_subscriber::fmt()
        .with_writer(std::io::stderr)
        .with_max_level(tracing_subscriber::filter::LevelFilter::TRACE)
        .with_ansi(false)
        .init();
}

/// How one case is shown while it grows and once it is there.
struct View<'a> {
    args: &'a Diagnose,
    several: bool,
    first: bool,
}

impl View<'_> {
    fn streams(&self) -> bool {
        self.args.output == Output::Text && !self.args.quiet
    }

    fn verbose(&self) -> bool {
        self.args.verbose > 0
    }

    fn finished(&self, case: &Case) -> Result<(), Failure> {
        let mut out = render::out(self.args.plain);
        match self.args.output {
            Output::Json => render::json::case(&mut out, case, self.several)?,
            Output::Text if self.args.quiet => text::quiet(&mut out, case)?,
            Output::Text => text::verdict(&mut out, case, self.verbose())?,
            Output::Markdown => markdown::case(&mut out, case, self.first)?,
        }
        out.flush()?;
        Ok(())
    }
}

async fn walk_one(
    target: Target,
    scope: Scope,
    redactor: &Redactor,
    ledger: &mut Ledger,
    view: &View<'_>,
) -> Result<Case, Failure> {
    let mut vantage = surroundings::vantage();
    let clock = Clock::start();
    let mut walk = Walk::new(
        target,
        scope,
        surroundings::seed()?,
        redactor.clone(),
        clock.now(),
    );
    let progress = Progress::new(view.streams());
    let mut shown = Ok(());
    if view.streams() {
        let mut out = render::out(view.args.plain);
        if !view.first {
            writeln!(out)?;
        }
        text::header(&mut out, walk.shown(), &vantage)?;
    }
    chronaxis_probe::run(&mut walk, ledger, clock, |walk, layer| {
        if view.streams() && shown.is_ok() {
            shown = progress.aside(|| {
                text::layer(
                    &mut render::out(view.args.plain),
                    walk,
                    layer,
                    view.verbose(),
                )
            });
        }
        progress.reached(layer);
    })
    .await;
    progress.over();
    shown?;
    vantage.elapsed_us = clock.now();
    vantage.addresses = own_addresses(&walk);
    let (target, scope, log, touched) = walk.into_log();
    let tool = env!("CARGO_PKG_VERSION");
    Ok(Case::new(target, scope, &log, &touched, vantage, tool))
}

fn own_addresses(walk: &Walk) -> Vec<String> {
    let mut out = Vec::new();
    for (_, fact) in walk.evidence().facts() {
        if let chronaxis_core::fact::Fact::RouteFound { source } = fact {
            let source = source.to_string();
            if !out.contains(&source) {
                out.push(source);
            }
        }
    }
    out
}

fn scope(args: &Diagnose) -> Scope {
    Scope {
        until: args.until.unwrap_or(Layer::Session),
        attempts: args.attempts,
        patience_us: Micros(args.patience),
        deadline_us: Micros(args.deadline),
        allow_plaintext: args.allow_plaintext,
        allow_server_key: args.allow_server_key,
        try_repairs: args.try_repairs,
    }
}

/// The engine of this name: its own, or one of its schemes.
fn engine_named(name: &str) -> Option<EngineId> {
    let of_it = |e: &&&'static dyn Engine| e.id().as_str() == name || e.schemes().contains(&name);
    ENGINES.iter().find(of_it).map(|e| e.id())
}

/// Reads every target before anything is sent: one that cannot be read stops the run.
fn targets(args: &Diagnose) -> Result<Vec<Target>, Failure> {
    let engine = match args.engine.as_deref() {
        None => None,
        Some(name) => match engine_named(name) {
            Some(id) => Some(id),
            None => return Err(Failure::Engine(chronaxis_core::redact::visible(name))),
        },
    };
    let from_stdin = args.targets.iter().any(|t| t == "-");
    if from_stdin && args.password_stdin {
        return Err(Failure::StdinTwice);
    }
    let options = surroundings::from_options(args)?;
    let stdin = if from_stdin {
        stdin_lines()?
    } else {
        Vec::new()
    };
    let texts = args.targets.iter().flat_map(|text| {
        if text == "-" {
            stdin.clone()
        } else {
            vec![(None, text.clone())]
        }
    });
    let mut targets = Vec::new();
    for (index, (line, text)) in texts.enumerate() {
        let number = index + 1;
        if reading::is_path(&text) {
            targets.push(from_files(&text, engine, &options, number)?);
            continue;
        }
        let read =
            recognise(&text, line, engine).map_err(|cause| Failure::Target { number, cause })?;
        let around = surroundings::of_machine(
            options.clone(),
            read.engine,
            &read.draft,
            Environment::Counts,
        )?;
        let target = read
            .engine
            .complete(read.draft, &around)
            .map_err(|cause| Failure::NotFollowed { number, cause })?;
        targets.push(target);
    }
    if let Some(name) = &args.environment {
        let read = reading::environment();
        let name = Some(name.as_str()).filter(|name| !name.is_empty());
        let (chosen, _) = reading::chosen(&read.report, "the environment", name)?;
        targets.push(walkable(
            &read,
            chosen,
            engine,
            &options,
            targets.len() + 1,
        )?);
    }
    Ok(targets)
}

/// The target that a file or folder describes, with what it and its neighbours show.
fn from_files(
    text: &str,
    engine: Option<EngineId>,
    options: &Surroundings,
    number: usize,
) -> Result<Target, Failure> {
    let (path, name) = reading::split(text);
    let read = reading::read_with_neighbours(Path::new(path))?;
    let (chosen, _) = reading::chosen(&read.report, path, name)?;
    walkable(&read, chosen, engine, options, number)
}

/// The target of one of the connections that were read, with all that was seen of it.
fn walkable(
    read: &reading::Read,
    chosen: usize,
    engine: Option<EngineId>,
    options: &Surroundings,
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
    let around = surroundings::of_machine(options, engine, &connection.draft, Environment::Counts)?;
    let walkable = read.report.walkable(chosen, engine, &around);
    walkable
        .map_err(|cause| Failure::NotFollowed { number, cause })?
        .ok_or_else(|| Failure::NoConnection {
            path: connection.file.clone(),
            why: String::new(),
        })
}

/// The lines of standard input that hold something, with their numbers. The line end goes;
/// a blank before it is the target's own.
fn stdin_lines() -> Result<Vec<(Option<u32>, String)>, Failure> {
    let mut bytes = Vec::new();
    std::io::stdin()
        .take(LONGEST_STDIN)
        .read_to_end(&mut bytes)
        .map_err(Failure::Stdin)?;
    let text =
        String::from_utf8(bytes).map_err(|_| Failure::NotUtf8("standard input".to_owned()))?;
    let lines: Vec<_> = (1u32..)
        .zip(text.lines())
        .filter(|(_, line)| !line.trim().is_empty())
        .map(|(number, line)| (Some(number), line.to_owned()))
        .collect();
    if lines.is_empty() {
        return Err(Failure::StdinEmpty);
    }
    Ok(lines)
}

/// The first that occurs of broken, undecided, working.
fn worst(cases: &[Case]) -> u8 {
    let any = |state: State| cases.iter().any(|c| c.verdict.state == state);
    if any(State::Broken) {
        1
    } else if any(State::Undecided) {
        3
    } else {
        0
    }
}

fn may_replace(path: &Path) -> Result<(), Failure> {
    let text = match std::fs::read_to_string(path) {
        Ok(text) => text,
        Err(error) if error.kind() == std::io::ErrorKind::NotFound => return Ok(()),
        Err(error) if error.kind() == std::io::ErrorKind::InvalidData => {
            return Err(Failure::WouldOverwrite(path.to_owned()));
        }
        Err(cause) => {
            return Err(Failure::File {
                path: path.to_owned(),
                cause,
            });
        }
    };
    let first = text.lines().next().unwrap_or_default();
    let holds_case = Case::read(&text).is_ok() || Case::read(first).is_ok();
    if holds_case {
        Ok(())
    } else {
        Err(Failure::WouldOverwrite(path.to_owned()))
    }
}

/// Writes beside the file, then renames: nobody ever sees half a case.
fn save(path: &Path, cases: &[Case]) -> Result<(), Failure> {
    let failed = |cause| Failure::File {
        path: path.to_owned(),
        cause,
    };
    let folder = match path.parent() {
        Some(folder) if !folder.as_os_str().is_empty() => folder,
        _ => Path::new("."),
    };
    let mut beside = tempfile::NamedTempFile::new_in(folder).map_err(failed)?;
    for case in cases {
        let line = serde_json::to_string(case).map_err(|e| failed(e.into()))?;
        writeln!(beside, "{line}").map_err(failed)?;
    }
    beside.persist(path).map_err(|e| failed(e.error))?;
    Ok(())
}
