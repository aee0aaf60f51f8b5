//! Several targets at one time, on one thread: bounded by sockets, not by targets; sharing
//! look-ups, control ports, paths and the leave to sign in.

use std::rc::Rc;

use chronaxis_core::case::{Case, Vantage};
use chronaxis_core::judge::Scope;
use chronaxis_core::redact::Redactor;
use chronaxis_core::target::Target;
use chronaxis_core::walk::Walk;
use chronaxis_probe::{Clock, SharedLedger};
use nix::sys::resource::{Resource, getrlimit, setrlimit};
use tokio::runtime::Runtime;
use tokio::sync::{Semaphore, mpsc};
use tokio::task::LocalSet;

use crate::command::diagnose::case_of;
use crate::error::Failure;
use crate::surroundings;

/// Sockets that one target may need at one time: attempts, a control port, steps of the
/// way to both, questions to resolvers.
const SOCKETS_A_TARGET: u64 = 16;

/// Descriptors that the program needs for itself.
const OWN: u64 = 64;

/// More sockets than this are not asked for.
const MOST_SOCKETS: u64 = 32_768;

/// What holds for all targets of a run.
pub(crate) struct Run {
    /// What is asked of each.
    pub(crate) scope: Scope,
    /// What must not be shown.
    pub(crate) redactor: Redactor,
}

/// Walks all targets, and hands on each case as it ends, with its number in the list.
pub(crate) fn run(
    runtime: &Runtime,
    targets: Vec<Target>,
    plan: &Run,
    mut ended: impl FnMut(usize, Case) -> Result<(), Failure>,
) -> Result<(), Failure> {
    let room = usize::try_from(sockets() / SOCKETS_A_TARGET).unwrap_or(1);
    let gate = Rc::new(Semaphore::new(room.max(1)));
    let ledger = Rc::new(SharedLedger::default());
    let vantage = surroundings::vantage();
    let (tell, mut told) = mpsc::unbounded_channel();
    let local = LocalSet::new();
    for (index, target) in targets.into_iter().enumerate() {
        let (gate, ledger, tell) = (gate.clone(), ledger.clone(), tell.clone());
        let (scope, redactor) = (plan.scope.clone(), plan.redactor.clone());
        let vantage = vantage.clone();
        local.spawn_local(async move {
            let Ok(_place) = gate.acquire().await else {
                return;
            };
            let walked = one((index, target), scope, redactor, vantage, &ledger).await;
            // Nobody listens any more once the output is closed.
            let _ = tell.send((index, walked));
        });
    }
    drop(tell);
    local.block_on(runtime, async {
        while let Some((index, walked)) = told.recv().await {
            ended(index, walked?)?;
        }
        Ok(())
    })
}

async fn one(
    (index, target): (usize, Target),
    scope: Scope,
    redactor: Redactor,
    vantage: Vantage,
    ledger: &SharedLedger,
) -> Result<Case, Failure> {
    let vantage = Vantage {
        started: surroundings::now(),
        ..vantage
    };
    let clock = Clock::start();
    let seed = surroundings::seed()?;
    let mut walk = Walk::new(target, scope, seed, redactor, clock.now()).in_order(index);
    chronaxis_probe::run(&mut walk, ledger, clock, |_, _| {}).await;
    Ok(case_of(walk, vantage, clock))
}

/// How many sockets this process may have: as many as it is allowed to ask for.
fn sockets() -> u64 {
    let Ok((soft, hard)) = getrlimit(Resource::RLIMIT_NOFILE) else {
        return OWN;
    };
    let wanted = hard.min(MOST_SOCKETS).max(soft);
    let granted = match setrlimit(Resource::RLIMIT_NOFILE, wanted, hard) {
        Ok(()) => wanted,
        Err(_) => soft,
    };
    granted.saturating_sub(OWN)
}
