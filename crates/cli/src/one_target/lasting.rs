//! What takes more than one look at a target: sessions again and again, and a long one.

use chronaxis_diagnosis::judge::{Scope, judge};
use chronaxis_diagnosis::lasting::{at_its_place, take_in_idle};
use chronaxis_diagnosis::meeting::Meeting;
use chronaxis_diagnosis::repeats::{Tally, may_differ, together};
use chronaxis_diagnosis::run_state::RunState;
use chronaxis_diagnosis::walk::{Step, Touched, Walk};
use chronaxis_engines::{Errand, time_for_idle};
use chronaxis_model::fact::Fact;
use chronaxis_model::layer::{Layer, Micros};

use super::Run;
use crate::args::Diagnose;
use crate::error::Failure;

/// What of it is asked for.
#[derive(Clone, Copy, Debug, Default)]
pub(crate) struct Lasting {
    /// For how long it is waited for.
    pub(crate) wait: Option<Micros>,
    /// How often it is tried.
    repeat: Option<u32>,
    /// The longest pause of a session that is kept idle.
    hold: Option<Micros>,
}

/// The option that only makes sense for a single target, if one was given.
pub(crate) fn asked_for_one(args: &Diagnose) -> Option<&'static str> {
    let given = [
        ("--admin", args.admin.is_some()),
        ("--wait", args.wait.is_some()),
        ("--repeat", args.repeat.is_some()),
        ("--hold", args.hold.is_some()),
        ("--server-log", !args.server_log.is_empty()),
    ];
    given.iter().find(|(_, is)| *is).map(|(option, _)| *option)
}

impl Lasting {
    pub(crate) fn of(args: &Diagnose) -> Lasting {
        Lasting {
            wait: args.wait.map(Micros),
            repeat: args.repeat.filter(|n| *n > 1),
            hold: args.hold.map(Micros),
        }
    }

    /// Whether more is to be learnt of the session once the first one was seen.
    pub(crate) fn changes_the_session(&self) -> bool {
        self.repeat.is_some() || self.hold.is_some()
    }

    /// What it would touch.
    pub(crate) fn plan(&self, scope: &Scope) -> Vec<Step> {
        let mut out = Vec::new();
        let mut add = |kind, when: String| {
            out.push(Step {
                kind,
                to: String::new(),
                when,
            });
        };
        if let Some(longest) = self.wait {
            add(
                "line",
                format!(
                    "--wait: all of this again, at most every 0.5 s and for {longest}, until it works or waiting cannot help; a refused sign-in is not repeated"
                ),
            );
        }
        if let Some(count) = self.repeat {
            add(
                "sign-in",
                format!(
                    "--repeat: {count} connections with a sign-in each, one after another, until one is refused"
                ),
            );
            add(
                "sign-in",
                "--repeat: then up to 10 sessions open together, and no more than a tenth of the server's free connections".to_owned(),
            );
        }
        if let Some(longest) = self.hold {
            let all = time_for_idle(longest, scope.patience_us);
            add(
                "sign-in",
                format!(
                    "--hold: one more session, kept idle and used after pauses of 1, 2, 4 s and so on up to {longest}; {all} at most"
                ),
            );
        }
        out
    }

    /// Does it, and adds to the walk what comes of it.
    pub(super) async fn go_on(&self, run: &Run, walk: &mut Walk) -> Result<(), Failure> {
        let works = judge(walk.evidence()).status.works();
        if let Some(count) = self.repeat.filter(|_| may_differ(walk.evidence())) {
            let fact = repeated(run, walk, count).await?;
            let told = at_its_place(walk.evidence(), run.clock.now(), fact);
            walk.learn(told.into_iter().collect(), &Touched::default());
        }
        let session = works && run.scope.until >= Layer::Session;
        if let Some(longest) = self.hold.filter(|_| session) {
            run.permits.change(RunState::later);
            let scope = Scope {
                deadline_us: run
                    .scope
                    .deadline_us
                    .after(time_for_idle(longest, run.scope.patience_us)),
                ..run.scope.clone()
            };
            let mut other = run.begin(0, Errand::Idle(longest), &scope)?;
            run.walk(&mut other).await;
            take_in_idle(walk, other, run.clock.now());
        }
        Ok(())
    }
}

/// Tries it so often, one after another, and then some sessions together.
async fn repeated(run: &Run, walk: &mut Walk, count: u32) -> Result<Fact, Failure> {
    let mut tally = Tally::default();
    let first = walk.evidence();
    let took = first.log.last().map_or(Micros(0), |seen| seen.at);
    tally.count(first, took, &run.occasion);
    let many = together(first, count);
    let mut all = Touched::default();
    while tally.runs() < count && !tally.is_refused() && !tally.is_hopeless() {
        run.permits.change(RunState::later);
        let began = run.clock.now();
        // What is asked beside would be tries of its own for a balancer.
        let mut other = run.begin(0, Errand::Nothing, &run.scope)?.quietly();
        run.walk(&mut other).await;
        let took = run.clock.now().since(began);
        tally.count(other.evidence(), took, &run.occasion);
        let (_, _, log, touched) = other.into_log();
        all.count_run(&touched, &log);
    }
    if many > 1 && !tally.is_refused() && !tally.is_hopeless() && run.scope.until >= Layer::Session
    {
        let numbers = 1..=many as usize;
        run.permits.change(|state| {
            state.later();
            state.meeting = Meeting::of(numbers.clone());
        });
        let mut walks = Vec::new();
        for number in numbers {
            walks.push(run.begin(number, Errand::Stay, &run.scope)?.quietly());
        }
        let began = run.clock.now();
        all_at_once(run, &mut walks).await;
        for other in walks {
            let took = other
                .evidence()
                .log
                .last()
                .map_or(Micros(0), |seen| seen.at);
            tally.count(other.evidence(), took.since(began), &run.occasion);
            let (_, _, log, touched) = other.into_log();
            all.count_run(&touched, &log);
        }
        let most = run.permits.change(|state| state.meeting.most());
        tally.were_together(u32::try_from(most).unwrap_or(u32::MAX));
    }
    walk.learn(Vec::new(), &all);
    Ok(tally.fact())
}

/// Walks them side by side on this thread.
async fn all_at_once(run: &Run, walks: &mut [Walk]) {
    let mut running: Vec<_> = walks
        .iter_mut()
        .map(|walk| Box::pin(run.walk(walk)))
        .collect();
    std::future::poll_fn(|context| {
        running.retain_mut(|one| one.as_mut().poll(context).is_pending());
        match running.is_empty() {
            true => std::task::Poll::Ready(()),
            false => std::task::Poll::Pending,
        }
    })
    .await;
}
