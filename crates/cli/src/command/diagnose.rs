//! `chronaxis diagnose`.

use std::sync::Arc;

use chronaxis_allowlist::chain::Lists;
use chronaxis_diagnosis::case::{Case, Vantage};
use chronaxis_diagnosis::judge::Scope;
use chronaxis_diagnosis::run_state::RunState;
use chronaxis_diagnosis::walk::{self, Walk};
use chronaxis_model::layer::{Layer, Micros};
use chronaxis_model::redact::Redactor;
use chronaxis_model::target::Target;
use chronaxis_probe::{Clock, Together};

use crate::args::{Diagnose, Output};
use crate::client_environment;
use crate::delivery::{self, Delivery};
use crate::error::Failure;
use crate::render::progress::Progress;
use crate::rules;
use crate::side_by_side;
use crate::way_in::{self, Wanted};

pub(crate) fn run(args: &Diagnose) -> Result<u8, Failure> {
    let mut delivery = Delivery::begin(args)?;
    let targets = way_in::targets(args)?;
    let scope = scope(args)?;
    let lists = rules::chain(&args.rules, args.client_address.as_deref())?;
    if args.dry_run {
        let names = lists.map_or_else(Vec::new, |lists| lists.names());
        return dry_run(args, &targets, &scope, &names);
    }
    if args.verbose > 1 {
        trace();
    }
    let runtime = client_environment::runtime()?;
    let clock = Clock::start();
    delivery.expect(targets.len());
    if targets.len() > 1 {
        side_by_side::run(&runtime, targets, &scope, lists, |index, case| {
            delivery.ended(index, &case)
        })?;
    } else if let Some(Wanted { target, again }) = targets.into_iter().next() {
        let scope = Scope { again, ..scope };
        runtime.block_on(walk_alone(target, scope, lists, &mut delivery))?;
    }
    let status = delivery.over(clock.now(), &runtime)?;
    // A look-up that still hangs must not hold up the end.
    runtime.shutdown_background();
    Ok(status)
}

/// Says what would be done, and does none of it.
fn dry_run(
    args: &Diagnose,
    targets: &[Wanted],
    scope: &Scope,
    names: &[String],
) -> Result<u8, Failure> {
    if args.output == Output::Markdown {
        return Err(Failure::DryRunForm);
    }
    for (index, Wanted { target, .. }) in targets.iter().enumerate() {
        let steps = walk::plan(target, scope, names);
        delivery::plan(args, index, targets.len(), &target.shown(), &steps)?;
    }
    Ok(delivery::NOTHING_WRONG)
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

/// Walks one target, and shows the layers as they settle.
async fn walk_alone(
    target: Target,
    scope: Scope,
    lists: Option<Arc<dyn Lists>>,
    delivery: &mut Delivery,
) -> Result<(), Failure> {
    let redactor = Redactor::new(&target.hidden());
    let vantage = client_environment::vantage();
    let clock = Clock::start();
    let seed = client_environment::seed()?;
    let mut walk = Walk::new(target, scope, seed, redactor, clock.now()).behind(lists);
    let progress = Progress::new(delivery.streams());
    delivery.head(walk.shown(), &vantage)?;
    let mut shown = Ok(());
    let permits = Together::<RunState>::default();
    let walked = chronaxis_probe::run(&mut walk, &permits, clock, |walk, layer| {
        if shown.is_ok() {
            shown = progress.aside(|| delivery.settled(walk.evidence(), layer));
        }
        progress.reached(layer);
    });
    tokio::select! {
        () = walked => {}
        () = permits.watch_load() => {}
    }
    progress.over();
    shown?;
    let vantage = Vantage {
        elapsed_us: clock.now(),
        ..vantage
    };
    delivery.ended(0, &case_of(walk, vantage))
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

pub(super) fn scope(args: &Diagnose) -> Result<Scope, Failure> {
    let mut resolvers = Vec::new();
    for told in &args.resolver {
        resolvers.push(rules::resolver(told)?);
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
