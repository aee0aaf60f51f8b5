//! `chronaxis diagnose`.

use std::collections::BTreeMap;
use std::io::Write as _;
use std::net::SocketAddr;

use chronaxis_diagnosis::case::{Case, Vantage};
use chronaxis_diagnosis::judge::Scope;
use chronaxis_diagnosis::run_state::RunState;
use chronaxis_diagnosis::verdict::State;
use chronaxis_diagnosis::walk::{self, Walk};
use chronaxis_model::layer::{Layer, Micros};
use chronaxis_model::redact::Redactor;
use chronaxis_model::shown;
use chronaxis_model::target::Target;
use chronaxis_probe::{Clock, Together};

use crate::args::{Diagnose, Output};
use crate::client_environment;
use crate::error::Failure;
use crate::render::{self, markdown, plan, progress::Progress, several, text};
use crate::saved::Saved;
use crate::side_by_side;
use crate::targets::{self, Wanted};

/// The port of name service, where a resolver is given without one (RFC 1035, section 4.2).
const NAME_SERVICE: u16 = 53;

pub(crate) fn run(args: &Diagnose) -> Result<u8, Failure> {
    let mut saved = match &args.save {
        Some(path) => Some(Saved::at(path)?),
        None => None,
    };
    let targets = targets::all(args)?;
    let scope = scope(args)?;
    if args.dry_run {
        return dry_run(args, &targets, &scope);
    }
    if args.verbose > 1 {
        trace();
    }
    let runtime = client_environment::runtime()?;
    let mut states = Vec::new();
    let mut keep = |case: &Case| -> Result<(), Failure> {
        states.push(case.verdict.state);
        match &mut saved {
            Some(saved) => saved.add(case),
            None => Ok(()),
        }
    };
    let several = targets.len() > 1;
    if several {
        let mut list = List::new(args, targets.len());
        let ended = |index: usize, case: Case| {
            keep(&case)?;
            list.ended(index, case)
        };
        side_by_side::run(&runtime, targets, &scope, ended)?;
        list.over()?;
    } else if let Some(Wanted { target, again }) = targets.into_iter().next() {
        let scope = Scope { again, ..scope };
        let redactor = Redactor::new(&target.hidden());
        let case = runtime.block_on(walk_alone(target, scope, &redactor, args))?;
        keep(&case)?;
    }
    if let Some(saved) = saved {
        saved.keep(&runtime)?;
    }
    // A look-up that still hangs must not hold up the end.
    runtime.shutdown_background();
    Ok(worst(&states))
}

/// Says what would be done, and does none of it.
fn dry_run(args: &Diagnose, targets: &[Wanted], scope: &Scope) -> Result<u8, Failure> {
    if args.output == Output::Markdown {
        return Err(Failure::DryRunForm);
    }
    let mut out = render::out(args.plain);
    for (number, Wanted { target, .. }) in targets.iter().enumerate() {
        let steps = walk::plan(target, scope);
        if args.output == Output::Json {
            render::json::plan(&mut out, &target.shown(), &steps, targets.len() > 1)?;
            continue;
        }
        if number > 0 {
            writeln!(out)?;
        }
        plan::steps(&mut out, &target.shown(), &steps)?;
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
        .log_internal_errors(false)
        .init();
}

/// What is kept of a case until those before it are there: no more than is shown of it.
enum Early {
    Row(several::Row),
    Text(Vec<u8>),
}

/// How the cases of several targets are shown: JSON as each ends, all else in the order of
/// the list, each as soon as it and all before it are there.
struct List<'a> {
    args: &'a Diagnose,
    next: usize,
    early: BTreeMap<usize, Early>,
    table: several::Table,
    clock: Clock,
}

impl List<'_> {
    fn new(args: &Diagnose, count: usize) -> List<'_> {
        List {
            args,
            next: 0,
            early: BTreeMap::new(),
            table: several::Table::new(count),
            clock: Clock::start(),
        }
    }

    fn ended(&mut self, index: usize, case: Case) -> Result<(), Failure> {
        let mut out = render::out(self.args.plain);
        if self.args.output == Output::Json {
            render::json::case(&mut out, &case, true)?;
            out.flush()?;
            return Ok(());
        }
        let early = self.kept(index, &case)?;
        self.early.insert(index, early);
        while let Some(early) = self.early.remove(&self.next) {
            self.next += 1;
            match early {
                Early::Row(row) => self.table.line(&mut out, row)?,
                Early::Text(text) => out.write_all(&text)?,
            }
        }
        out.flush()?;
        Ok(())
    }

    fn kept(&self, index: usize, case: &Case) -> Result<Early, Failure> {
        let first = index == 0;
        let mut text = Vec::new();
        match self.args.output {
            Output::Markdown => markdown::case(&mut text, case, first)?,
            _ if self.args.quiet => text::quiet(&mut text, case)?,
            _ if self.args.verbose > 0 => {
                if !first {
                    writeln!(text)?;
                }
                text::whole(&mut text, case, true)?;
            }
            _ => return Ok(Early::Row(several::Row::of(case))),
        }
        Ok(Early::Text(text))
    }

    fn over(self) -> Result<(), Failure> {
        let in_table = self.args.output == Output::Text && !self.args.quiet;
        if in_table && self.args.verbose == 0 {
            let mut out = render::out(self.args.plain);
            self.table.summary(&mut out, self.clock.now())?;
            out.flush()?;
        }
        Ok(())
    }
}

/// Walks one target, and shows the layers as they settle.
async fn walk_alone(
    target: Target,
    scope: Scope,
    redactor: &Redactor,
    args: &Diagnose,
) -> Result<Case, Failure> {
    let vantage = client_environment::vantage();
    let clock = Clock::start();
    let seed = client_environment::seed()?;
    let mut walk = Walk::new(target, scope, seed, redactor.clone(), clock.now());
    let streams = args.output == Output::Text && !args.quiet;
    let verbose = args.verbose > 0;
    let progress = Progress::new(streams);
    let mut shown = Ok(());
    if streams {
        let mut out = render::out(args.plain);
        text::header(&mut out, walk.shown(), &vantage)?;
    }
    let ledger = Together::<RunState>::default();
    let walked = chronaxis_probe::run(&mut walk, &ledger, clock, |walk, layer| {
        if streams && shown.is_ok() {
            let mut out = render::out(args.plain);
            shown = progress.aside(|| text::layer(&mut out, walk, layer, verbose));
        }
        progress.reached(layer);
    });
    tokio::select! {
        () = walked => {}
        () = ledger.watch_load() => {}
    }
    progress.over();
    shown?;
    let vantage = Vantage {
        elapsed_us: clock.now(),
        ..vantage
    };
    let case = case_of(walk, vantage);
    let mut out = render::out(args.plain);
    match args.output {
        Output::Json => render::json::case(&mut out, &case, false)?,
        Output::Text if args.quiet => text::quiet(&mut out, &case)?,
        Output::Text => text::verdict(&mut out, &case, verbose)?,
        Output::Markdown => markdown::case(&mut out, &case, true)?,
    }
    out.flush()?;
    Ok(case)
}

/// The case of a walk that is over.
pub(crate) fn case_of(walk: Walk, vantage: Vantage) -> Case {
    let vantage = Vantage {
        addresses: own_addresses(&walk),
        ..vantage
    };
    let (target, scope, log, touched) = walk.into_log();
    let tool = env!("CARGO_PKG_VERSION");
    Case::new(target, scope, &log, &touched, vantage, tool)
}

fn own_addresses(walk: &Walk) -> Vec<String> {
    let mut out = Vec::new();
    for (_, fact) in walk.evidence().facts() {
        if let chronaxis_model::fact::Fact::RouteFound { source, .. } = fact {
            let source = source.to_string();
            if !out.contains(&source) {
                out.push(source);
            }
        }
    }
    out
}

fn scope(args: &Diagnose) -> Result<Scope, Failure> {
    let mut resolvers = Vec::new();
    for told in &args.resolver {
        resolvers.push(resolver(told)?);
    }
    Ok(Scope {
        until: args.until.unwrap_or(Layer::Session),
        attempts: args.attempts,
        patience_us: Micros(args.patience),
        deadline_us: Micros(args.deadline),
        allow_plaintext: args.allow_plaintext,
        allow_server_key: args.allow_server_key,
        try_repairs: args.try_repairs,
        resolvers,
        again: None,
    })
}

/// `ADDR`, `ADDR:PORT`, `[ADDR]:PORT`.
fn resolver(told: &str) -> Result<SocketAddr, Failure> {
    let bare = told.trim_start_matches('[').trim_end_matches(']').parse();
    told.parse()
        .or_else(|_| bare.map(|ip| SocketAddr::new(ip, NAME_SERVICE)))
        .map_err(|_| Failure::Resolver(shown::value("host", told)))
}

/// The first that occurs of broken, undecided, working.
fn worst(states: &[State]) -> u8 {
    if states.contains(&State::Broken) {
        1
    } else if states.contains(&State::Undecided) {
        3
    } else {
        0
    }
}
