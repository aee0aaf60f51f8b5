//! What more than one look at a target brings, and where in the log of the first it belongs.

use chronaxis_model::fact::{Fact, Observation, Subject};
use chronaxis_model::layer::{Layer, Micros};

use crate::judge::Evidence;
use crate::walk::{Touched, Walk};

/// A fact about the place where a walk came in, or else where it tried to.
pub fn at_its_place(evidence: Evidence<'_>, at: Micros, fact: Fact) -> Option<Observation> {
    let place = |fits: fn(&Fact) -> bool| evidence.facts().find(|(_, known)| fits(known));
    let in_session = place(|known| matches!(known, Fact::Instance(_) | Fact::SessionReady));
    let connected = || place(|known| matches!(known, Fact::PortConnected { .. }));
    let tried =
        || place(|known| matches!(known, Fact::PortRefused { .. } | Fact::PortSilent { .. }));
    let about = Subject {
        attempt: None,
        ..in_session
            .or_else(connected)
            .or_else(tried)?
            .0
            .about
            .clone()
    };
    Some(Observation::new(Layer::Session, at, about, fact))
}

/// Takes in what the walk with a session that was kept idle brought, at this time.
pub fn take_in_idle(walk: &mut Walk, other: Walk, at: Micros) {
    let fact = other.evidence().facts().find_map(|(_, fact)| match fact {
        Fact::KeptIdle(_) => Some(fact.clone()),
        _ => None,
    });
    let told = fact.and_then(|fact| at_its_place(walk.evidence(), at, fact));
    let (_, _, log, touched) = other.into_log();
    let mut all = Touched::default();
    all.add_run(&touched, &log);
    walk.learn(told.into_iter().collect(), &all);
}
