//! One target by itself, shown as it goes on; and what else was asked about it: a second
//! target that looks it up, waiting until it works, sessions again and again, a long one.

mod lasting;
mod server_logs;

use std::path::PathBuf;
use std::rc::Rc;
use std::sync::Arc;

use chronaxis_allowlist::chain::Lists;
use chronaxis_diagnosis::administrator;
use chronaxis_diagnosis::case::Vantage;
use chronaxis_diagnosis::judge::{Scope, judge};
use chronaxis_diagnosis::run_state::RunState;
use chronaxis_diagnosis::verdict::{Occasion, assess};
use chronaxis_diagnosis::waiting::{Next, Waiting};
use chronaxis_diagnosis::walk::{Touched, Walk};
use chronaxis_engines::Errand;
use chronaxis_model::fact::{Observation, Subject};
use chronaxis_model::layer::{Layer, Micros};
use chronaxis_model::redact::Redactor;
use chronaxis_model::target::Target;
use chronaxis_probe::{Clock, Together};

pub(crate) use self::lasting::{Lasting, asked_for_one};
use crate::client_environment;
use crate::command::diagnose::case_of;
use crate::delivery::Delivery;
use crate::error::Failure;
use crate::render::progress::Progress;
use crate::way_in::Wanted;

/// What is asked of one target.
pub(crate) struct Asked {
    pub(crate) wanted: Wanted,
    /// A second target, which looks the first one up.
    pub(crate) administrator: Option<Wanted>,
    pub(crate) scope: Scope,
    pub(crate) lists: Option<Arc<dyn Lists>>,
    /// What takes more than one look.
    pub(crate) lasting: Lasting,
    /// Logs of the server.
    pub(crate) logs: Vec<PathBuf>,
}

/// What the walks of one target have in common.
struct Run {
    target: Target,
    scope: Scope,
    lists: Option<Arc<dyn Lists>>,
    redactor: Redactor,
    permits: Rc<Together<RunState>>,
    clock: Clock,
    occasion: Occasion,
}

impl Run {
    /// A walk of the target, from now on.
    fn begin(&self, number: usize, errand: Errand, scope: &Scope) -> Result<Walk, Failure> {
        let (target, scope) = (self.target.clone(), scope.clone());
        let seed = client_environment::seed()?;
        let walk = Walk::new(target, scope, seed, self.redactor.clone(), self.clock.now());
        Ok(walk
            .in_order(number)
            .behind(self.lists.clone())
            .on_errand(errand))
    }

    /// Walks it to its end, unseen.
    async fn walk(&self, walk: &mut Walk) {
        chronaxis_probe::run(walk, &self.permits, self.clock, |_, _| {}).await;
    }
}

/// Walks it, shows the layers as they settle, and delivers the case.
pub(crate) async fn walk(asked: Asked, delivery: &mut Delivery) -> Result<(), Failure> {
    let Wanted { target, again } = asked.wanted;
    let scope = Scope {
        again,
        ..asked.scope
    };
    let second = asked.administrator.map(|second| second.target);
    let mut hidden = target.hidden();
    hidden.extend(second.iter().flat_map(Target::hidden));
    let vantage = client_environment::vantage();
    let run = Run {
        target,
        scope,
        lists: asked.lists,
        redactor: Redactor::new(&hidden),
        permits: Rc::default(),
        clock: Clock::start(),
        occasion: Occasion {
            started: vantage.started.clone(),
            host: vantage.host.clone(),
        },
    };
    let progress = Progress::new(delivery.streams());
    let permits = run.permits.clone();
    let walked = async {
        let mut walk = first(&run, &asked.lasting, delivery, &vantage, &progress).await?;
        if let Some(second) = second {
            progress.reached(Layer::Login);
            look_up(&run, second, &mut walk).await?;
        }
        progress.reached(Layer::Login);
        asked.lasting.go_on(&run, &mut walk).await?;
        server_logs::read(&asked.logs, &run.occasion, &run.redactor, &mut walk).await;
        if asked.lasting.changes_the_session() {
            progress.aside(|| delivery.settled(walk.evidence(), Layer::Session))?;
        }
        Ok::<Walk, Failure>(walk)
    };
    let walk = tokio::select! {
        walk = walked => walk,
        // It watches without end.
        () = permits.watch_load() => return Ok(()),
    };
    progress.over();
    let vantage = Vantage {
        elapsed_us: run.clock.now(),
        ..vantage
    };
    delivery.ended(0, &case_of(walk?, vantage))
}

/// The first walk; where it is to be waited for, the last of those that were made.
async fn first(
    run: &Run,
    lasting: &Lasting,
    delivery: &mut Delivery,
    vantage: &Vantage,
    progress: &Progress,
) -> Result<Walk, Failure> {
    let mut walk = run.begin(0, Errand::Nothing, &run.scope)?;
    delivery.head(walk.shown(), vantage)?;
    let Some(longest) = lasting.wait else {
        let mut shown = Ok(());
        let later = lasting.changes_the_session();
        chronaxis_probe::run(&mut walk, &run.permits, run.clock, |walk, layer| {
            if shown.is_ok() && !(later && layer == Layer::Session) {
                shown = progress.aside(|| delivery.settled(walk.evidence(), layer));
            }
            progress.reached(layer);
        })
        .await;
        shown?;
        return Ok(walk);
    };
    let mut waiting = Waiting::default();
    let mut touched = Touched::default();
    let mut since = run.clock.now();
    let mut looked_around = true;
    loop {
        run.walk(&mut walk).await;
        let now = run.clock.now();
        let assessment = assess(walk.evidence(), &run.occasion);
        let next = waiting.next(walk.evidence(), &assessment, (since, now), longest);
        let works = judge(walk.evidence()).status.works();
        let after = match next {
            // What kept it from working is looked into at last.
            Next::Over if !looked_around && !works => Micros(0),
            Next::Over => break,
            Next::Again { after, news } => {
                if let Some(what) = news {
                    progress.aside(|| delivery.waits_for(now, &what))?;
                }
                after
            }
        };
        looked_around = after == Micros(0);
        let (_, _, log, before) = walk.into_log();
        touched.add_run(&before, &log);
        tokio::time::sleep(std::time::Duration::from_micros(after.0)).await;
        since = run.clock.now();
        run.permits.change(RunState::later);
        let left = longest.since(since);
        let scope = Scope {
            deadline_us: match looked_around {
                true => run.scope.deadline_us,
                false => run.scope.deadline_us.min(left),
            },
            ..run.scope.clone()
        };
        let again = run.begin(0, Errand::Nothing, &scope)?;
        walk = if looked_around {
            again
        } else {
            again.quietly()
        };
    }
    let at = run.clock.now();
    let told = waiting
        .fact()
        .map(|fact| Observation::new(Layer::Settings, at, Subject::default(), fact));
    walk.learn(told.into_iter().collect(), &touched);
    for layer in Layer::ALL {
        if !(lasting.changes_the_session() && layer == Layer::Session) {
            progress.aside(|| delivery.settled(walk.evidence(), layer))?;
        }
    }
    Ok(walk)
}

/// Has the second target look the first one up.
async fn look_up(run: &Run, second: Target, walk: &mut Walk) -> Result<(), Failure> {
    // Where no server was reached, there is none on which the account could be looked up.
    let status = judge(walk.evidence()).status;
    if status
        .symptom
        .is_some_and(|symptom| symptom.layer() < Layer::Listener)
    {
        return Ok(());
    }
    let Some(inquiry) = administrator::inquiry(walk.evidence()) else {
        return Ok(());
    };
    let scope = Scope {
        until: Layer::Session,
        expect: None,
        again: None,
        ..run.scope.clone()
    };
    let seed = client_environment::seed()?;
    let redactor = run.redactor.clone();
    let mut other = Walk::new(second, scope, seed, redactor, run.clock.now())
        .in_order(1)
        .on_errand(Errand::LookUp(inquiry));
    run.walk(&mut other).await;
    let touched = other.touched().clone();
    let (told, touched) =
        administrator::learnt(walk.evidence(), other.evidence(), touched, &run.occasion);
    walk.learn(vec![told], &touched);
    Ok(())
}
