//! `chronaxis diagnose`.

use chronaxis_diagnosis::case::{Case, Vantage};
use chronaxis_diagnosis::judge::Scope;
use chronaxis_diagnosis::walk::{self, Walk};
use chronaxis_model::layer::{Layer, Micros};
use chronaxis_probe::Clock;

use crate::args::{Diagnose, Output};
use crate::client_environment;
use crate::delivery::{self, Delivery};
use crate::error::Failure;
use crate::one_target::{self, Asked, Lasting};
use crate::rules;
use crate::side_by_side;
use crate::way_in::{self, Wanted};

pub(crate) fn run(args: &Diagnose) -> Result<u8, Failure> {
    let mut delivery = Delivery::begin(args)?;
    let mut targets = way_in::targets(args)?;
    way_in::other_targets::hold_against_reference(args, &mut targets)?;
    let administrator = way_in::other_targets::administrator(args)?;
    if targets.len() > 1
        && let Some(option) = one_target::asked_for_one(args)
    {
        return Err(Failure::ForOneTarget(option, targets.len()));
    }
    let scope = scope(args)?;
    let lists = rules::chain(&args.rules, args.client_address.as_deref())?;
    if args.dry_run {
        let names = lists.map_or_else(Vec::new, |lists| lists.names());
        return dry_run(args, &targets, administrator.as_ref(), &scope, &names);
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
    } else if let Some(wanted) = targets.into_iter().next() {
        let asked = Asked {
            wanted,
            administrator,
            scope,
            lists,
            lasting: Lasting::of(args),
            logs: args.server_log.clone(),
        };
        runtime.block_on(one_target::walk(asked, &mut delivery))?;
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
    administrator: Option<&Wanted>,
    scope: &Scope,
    names: &[String],
) -> Result<u8, Failure> {
    if args.output == Output::Markdown {
        return Err(Failure::DryRunForm);
    }
    for (index, Wanted { target, .. }) in targets.iter().enumerate() {
        let mut steps = walk::plan(target, scope, names);
        if let Some(second) = administrator {
            steps.extend(walk::plan_of_look_up(&second.target, scope));
        }
        steps.extend(Lasting::of(args).plan(scope));
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
        expect: args.expect.clone(),
        again: None,
    })
}
