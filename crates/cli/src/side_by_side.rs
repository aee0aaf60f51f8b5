//! Several targets at one time, on one thread: bounded by sockets and by memory, not by
//! targets; sharing look-ups, attempts, control ports, paths and the leave to sign in.

use std::cell::OnceCell;
use std::collections::BTreeMap;
use std::rc::Rc;
use std::sync::Arc;
use std::sync::mpsc::{Sender, channel};

use chronaxis_allowlist::chain::Lists;
use chronaxis_diagnosis::case::{Case, Vantage};
use chronaxis_diagnosis::judge::Scope;
use chronaxis_diagnosis::run_state::RunState;
use chronaxis_diagnosis::walk::Walk;
use chronaxis_model::redact::Redactor;
use chronaxis_model::secret::Secret;
use chronaxis_model::target::Target;
use chronaxis_probe::{Clock, Together};
use nix::sys::resource::{Resource, getrlimit, setrlimit};
use tokio::runtime::Runtime;
use tokio::sync::{Semaphore, mpsc, oneshot};
use tokio::task::LocalSet;

use crate::client_environment;
use crate::command::diagnose::case_of;
use crate::error::Failure;
use crate::way_in::Wanted;

/// Sockets that one target may need at one time: attempts, a control port, steps of the
/// way to both, questions to resolvers.
const SOCKETS_A_TARGET: u64 = 16;

/// Descriptors that the program needs for itself.
const OWN: u64 = 64;

/// More sockets than this are not asked for.
const MOST_SOCKETS: u64 = 32_768;

/// Targets that are under way at one time, most of them waiting for what others learn.
const MOST_UNDER_WAY: usize = 1_800;

/// Walks all targets, and hands on each case as it ends, with its number in the list.
pub(crate) fn run(
    runtime: &Runtime,
    targets: Vec<Wanted>,
    scope: &Scope,
    lists: Option<Arc<dyn Lists>>,
    mut ended: impl FnMut(usize, Case) -> Result<(), Failure>,
) -> Result<(), Failure> {
    let room = usize::try_from(sockets() / SOCKETS_A_TARGET).unwrap_or(1);
    let gate = Arc::new(Semaphore::new(MOST_UNDER_WAY));
    let permits = Rc::new(Together::new(RunState::with_room_for(room)));
    let masks = Rc::new(Masks::of(&targets));
    let judging = Judging::begin();
    let vantage = client_environment::vantage();
    let watched = permits.clone();
    let (tell, mut told) = mpsc::unbounded_channel();
    let local = LocalSet::new();
    let begin = local.run_until(async move {
        for (index, Wanted { target, again }) in targets.into_iter().enumerate() {
            let Ok(place) = gate.clone().acquire_owned().await else {
                return;
            };
            let (permits, tell, lists) = (permits.clone(), tell.clone(), lists.clone());
            let scope = Scope {
                again,
                ..scope.clone()
            };
            let redactor = masks.for_target(&target);
            let (vantage, judging) = (vantage.clone(), judging.clone());
            tokio::task::spawn_local(async move {
                let walked =
                    one((index, target), (scope, lists), redactor, vantage, &permits).await;
                let walked = match walked {
                    Ok((walk, vantage)) => Ok(judging.case(walk, vantage).await),
                    Err(failed) => Err(failed),
                };
                // Nobody listens any more once the output is closed.
                let _ = tell.send((index, walked));
                drop(place);
            });
        }
    });
    let take = async {
        while let Some((index, walked)) = told.recv().await {
            ended(index, walked?)?;
        }
        Ok(())
    };
    runtime.block_on(async {
        let walked = async { tokio::join!(begin, local.run_until(take)).1 };
        tokio::select! {
            taken = walked => taken,
            () = watched.watch_load() => Ok(()),
        }
    })
}

async fn one(
    (index, target): (usize, Target),
    (scope, lists): (Scope, Option<Arc<dyn Lists>>),
    redactor: Redactor,
    vantage: Vantage,
    permits: &Together<RunState>,
) -> Result<(Walk, Vantage), Failure> {
    let vantage = Vantage {
        started: client_environment::now(),
        ..vantage
    };
    let clock = Clock::start();
    let seed = client_environment::seed()?;
    let mut walk = Walk::new(target, scope, seed, redactor, clock.now())
        .in_order(index)
        .behind(lists);
    chronaxis_probe::run(&mut walk, permits, clock, |_, _| {}).await;
    let vantage = Vantage {
        elapsed_us: clock.now(),
        ..vantage
    };
    Ok((walk, vantage))
}

type Judged = (Walk, Vantage, oneshot::Sender<Case>);

/// Where walks that are over are judged: on a thread of its own, so that the lines of the
/// others do not wait for it; here, where this machine gives none.
#[derive(Clone)]
struct Judging(Option<Sender<Judged>>);

impl Judging {
    fn begin() -> Judging {
        let (jobs, received) = channel::<Judged>();
        let thread = std::thread::Builder::new().name("judge".to_owned());
        let begun = thread.spawn(move || {
            for (walk, vantage, answer) in received {
                let _ = answer.send(case_of(walk, vantage));
            }
        });
        Judging(begun.is_ok().then_some(jobs))
    }

    async fn case(&self, walk: Walk, vantage: Vantage) -> Case {
        let Some(jobs) = &self.0 else {
            return case_of(walk, vantage);
        };
        let (answer, wait) = oneshot::channel();
        if let Err(unsent) = jobs.send((walk, vantage, answer)) {
            let (walk, vantage, _) = unsent.0;
            return case_of(walk, vantage);
        }
        match wait.await {
            Ok(case) => case,
            // It ends only with the program.
            Err(_) => std::future::pending().await,
        }
    }
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

/// Up to so many secrets, all are looked for in whatever any server says.
const MOST_FOR_ALL: usize = 256;

/// What must not be shown, for each target: of all, or, of many, of those that go to the
/// same place.
struct Masks(BTreeMap<String, Mask>);

#[derive(Default)]
struct Mask {
    secrets: Vec<Secret>,
    /// How many targets need it.
    targets: usize,
    made: OnceCell<Redactor>,
}

impl Masks {
    fn of(targets: &[Wanted]) -> Masks {
        let hidden: Vec<(String, Vec<Secret>)> = targets
            .iter()
            .map(|wanted| (place(&wanted.target), wanted.target.hidden()))
            .collect();
        let count: usize = hidden.iter().map(|(_, secrets)| secrets.len()).sum();
        let mut masks: BTreeMap<String, Mask> = BTreeMap::new();
        for (place, secrets) in hidden {
            let key = match count <= MOST_FOR_ALL {
                true => String::new(),
                false => place,
            };
            let mask = masks.entry(key).or_default();
            mask.targets += 1;
            for secret in secrets {
                if mask.secrets.last() != Some(&secret) {
                    mask.secrets.push(secret);
                }
            }
        }
        Masks(masks)
    }

    fn for_target(&self, target: &Target) -> Redactor {
        let mask = self.0.get("").or_else(|| self.0.get(&place(target)));
        let Some(mask) = mask else {
            return Redactor::default();
        };
        match mask.targets {
            // What one target alone needs goes with it.
            1 => Redactor::new(&mask.secrets),
            _ => mask
                .made
                .get_or_init(|| Redactor::new(&mask.secrets))
                .clone(),
        }
    }
}

/// Where a target goes, as far as its secret could be heard there again.
fn place(target: &Target) -> String {
    let ends: Vec<String> = target.ends.iter().map(ToString::to_string).collect();
    format!("at {}", ends.join(","))
}
