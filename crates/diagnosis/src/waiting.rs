//! Waiting until a target works: what it waits for, how long until the next try, and when
//! waiting cannot help.

use chronaxis_engines::by_id;
use chronaxis_model::fact::{Fact, Meaning, WaitedFor};
use chronaxis_model::found::CauseId;
use chronaxis_model::layer::{Layer, Micros};

use crate::judge::Evidence;
use crate::knowledge::causes;
use crate::verdict::{Assessment, State};

/// The shortest time between two tries, and the longest.
const SHORTEST: Micros = Micros::from_millis(500);
const LONGEST: Micros = Micros::from_millis(5_000);

/// So many tries are made before the time between them doubles.
const AS_OFTEN: u32 = 10;

/// Where the causes that time may mend have together less than this, waiting is over.
const WORTH_WAITING: f64 = 0.05;

/// What was waited for so far.
#[derive(Debug, Default)]
pub struct Waiting {
    spells: Vec<WaitedFor>,
    tries: u32,
}

/// What follows from a try.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Next {
    /// It works, or time cannot mend it.
    Over,
    /// It is tried again after this time; the text says what for, where that is something new.
    Again {
        /// The time.
        after: Micros,
        /// What for.
        news: Option<String>,
    },
}

impl Waiting {
    /// What follows from a try that ended `now`, when the one before it had ended at `since`.
    pub fn next(
        &mut self,
        evidence: Evidence<'_>,
        assessment: &Assessment,
        (since, now): (Micros, Micros),
        until: Micros,
    ) -> Next {
        self.tries += 1;
        if let Some(last) = self.spells.last_mut() {
            last.for_us = last.for_us.after(now.since(since));
            last.tries += 1;
        }
        let Some(what) = mendable(assessment).filter(|_| !is_spent(evidence)) else {
            return Next::Over;
        };
        let counted = by_id(evidence.target.engine).spec.counts_lines
            && assessment.verdict.seen_at > Some(Layer::Port);
        // Often at first: most of what is waited for takes a few seconds.
        let doubled = SHORTEST
            .0
            .saturating_mul(1 << (self.tries / AS_OFTEN).min(4));
        let after = match counted {
            // A server that counts lines which end early sees few of them.
            true => LONGEST,
            false => Micros(doubled).min(LONGEST),
        };
        if now.after(after) >= until {
            return Next::Over;
        }
        let news = self.spells.last().is_none_or(|last| last.what != what);
        if news {
            self.spells.push(WaitedFor {
                what: what.clone(),
                for_us: Micros(0),
                tries: 0,
            });
        }
        if let Some(last) = self.spells.last_mut() {
            last.for_us = last.for_us.after(after);
        }
        Next::Again {
            after,
            news: news.then_some(what),
        }
    }

    /// It as a fact, where anything was waited for.
    pub fn fact(self) -> Option<Fact> {
        (!self.spells.is_empty()).then_some(Fact::Waited {
            spells: self.spells,
        })
    }
}

/// Whether a sign-in was tried and not let in, and the server did not say "not yet": it is not
/// tried again.
fn is_spent(evidence: Evidence<'_>) -> bool {
    let any = |fits: fn(&Fact) -> bool| evidence.facts().any(|(_, fact)| fits(fact));
    let not_yet = |fact: &Fact| match fact {
        Fact::ServerRefused { meaning, .. } => matches!(
            meaning,
            Meaning::NotReady | Meaning::Stopping | Meaning::ServerFull | Meaning::AccountLimit
        ),
        _ => false,
    };
    any(|fact| matches!(fact, Fact::ProofSent))
        && !any(|fact| matches!(fact, Fact::LoggedIn { .. }))
        && !any(not_yet)
}

/// What there is to wait for; none where it works, or where time cannot mend it.
fn mendable(assessment: &Assessment) -> Option<String> {
    let verdict = &assessment.verdict;
    if verdict.state == State::Working {
        return None;
    }
    let chances = assessment.causes.iter().filter_map(|cause| {
        let id = CauseId::from_id(&cause.id)?;
        let mends = causes::cause(id).is_none_or(|entry| entry.waiting_may_mend);
        mends.then_some(cause.probability)
    });
    let chance: f64 = chances.sum();
    (chance >= WORTH_WAITING).then(|| waits_for(assessment))
}

fn waits_for(assessment: &Assessment) -> String {
    let verdict = &assessment.verdict;
    let cause = verdict.cause.as_deref().and_then(CauseId::from_id);
    let words = match (cause, verdict.seen_at) {
        (Some(CauseId::ServerStarting), _) => "the server to finish starting",
        (Some(CauseId::ServerStopping), _) => "the server to come back",
        (Some(CauseId::ServiceNotReady), _) => "the service to be ready",
        (Some(CauseId::ServerFull | CauseId::PoolerFull), _) => "a free connection",
        (Some(CauseId::AccountLimitReached), _) => "a free connection of this account",
        (Some(CauseId::PoolerBackendDown), _) => "the server behind the pooler",
        (Some(CauseId::DatabaseMissing), _) => "the database to be created",
        (Some(CauseId::SchemaMissing), _) => "the schema to be created",
        (Some(CauseId::ReadOnlyInstance), _) => "a writable server",
        (_, Some(Layer::Name)) => "the name to exist",
        (_, Some(Layer::Route)) => "a route",
        (_, Some(Layer::Port)) => "the port to accept connections",
        (_, Some(Layer::Listener)) => "the server to answer",
        (_, Some(Layer::Login)) => "the server to answer the sign-in",
        _ => "the session to work",
    };
    words.to_owned()
}
