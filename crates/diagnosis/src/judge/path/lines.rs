//! The two lines of a client that tries an address again in another way: which of them
//! says why it was not let in.

use chronaxis_model::fact::{Fact, Meaning, Observation};
use chronaxis_model::layer::Layer;

pub(super) type Facts<'a> = Vec<(&'a Observation, &'a Fact)>;

/// The line that does not count.
#[derive(Clone, Debug)]
pub(super) struct Other<'a> {
    /// What it brought.
    pub(super) facts: Facts<'a>,
    /// Whether it is the first of the two.
    pub(super) is_first: bool,
}

/// Takes the facts of the two lines apart: those that count, with all that is of neither
/// line, and the others.
pub(super) fn apart(found: Facts<'_>) -> (Facts<'_>, Option<Other<'_>>) {
    let is_second = |(o, _): &&(&Observation, &Fact)| o.about.fall_back;
    let Some(again) = found.iter().find(is_second).map(|(o, _)| o.at) else {
        return (found, None);
    };
    // What was asked beside the two came after both.
    let on_first = |one: &&(&Observation, &Fact)| {
        one.0.layer >= Layer::Listener && one.0.at <= again && !is_second(one)
    };
    let second: Facts<'_> = found.iter().filter(is_second).copied().collect();
    let first: Facts<'_> = found.iter().filter(on_first).copied().collect();
    let is_first = !first_counts(&first, &second);
    let facts = if is_first { first } else { second };
    let stays = |one: &&(&Observation, &Fact)| !facts.iter().any(|d| std::ptr::eq(d.0, one.0));
    let kept = found.iter().filter(stays).copied().collect();
    (kept, Some(Other { facts, is_first }))
}

/// Whether the first line says more: that the second was let in is all that counts;
/// otherwise a host rule that is for the other kind of line, or a password that is not sent
/// again, hides what the server said at first.
fn first_counts(first: &Facts<'_>, second: &Facts<'_>) -> bool {
    let any = |facts: &Facts<'_>, wanted: fn(&Fact) -> bool| facts.iter().any(|(_, f)| wanted(f));
    if any(second, |f| matches!(f, Fact::LoggedIn { .. })) {
        return false;
    }
    let no_rule = any(second, |f| refused(f) == Some(Meaning::HostNotPermitted));
    let beyond_rules = any(first, |f| {
        refused(f).is_some_and(|meaning| meaning != Meaning::HostNotPermitted)
    });
    no_rule || beyond_rules
}

fn refused(fact: &Fact) -> Option<Meaning> {
    match fact {
        Fact::ServerRefused { meaning, .. } => Some(*meaning),
        _ => None,
    }
}
