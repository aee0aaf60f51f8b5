//! Failures made of events: what is the same is counted, what follows is put where it belongs.

use chronaxis_model::fact::{MessageRead, MessageRole};
use chronaxis_model::redact::Redactor;

use super::Failure;
use super::events::{Event, failure, message, role_beside};
use crate::text::Flat;

/// Most messages of one failure that are kept.
const MOST_MESSAGES: usize = 12;

/// Makes failures of the events; what is the same is counted, what follows is put where it
/// belongs.
pub(super) fn merged(
    events: Vec<Event>,
    flat: &Flat,
    redactor: &Redactor,
    year: i16,
) -> Vec<Failure> {
    let mut out: Vec<Failure> = Vec::new();
    let mut loose: Vec<Event> = Vec::new();
    for event in events {
        if event.decides().is_none() {
            loose.push(event);
            continue;
        }
        let failure = failure(&event, flat, redactor, year);
        match out.iter_mut().find(|known| is_same(known, &failure)) {
            Some(known) => count(known, &failure),
            None => out.push(failure),
        }
    }
    follow_pools(&mut out);
    let said = !out.is_empty();
    for event in loose {
        if let Some(first) = out.first_mut().filter(|_| said) {
            attach(first, &event, flat, redactor, year);
            continue;
        }
        let failure = failure(&event, flat, redactor, year);
        match out
            .iter_mut()
            .find(|known| known.parts.agrees(&failure.parts))
        {
            Some(known) => join(known, failure),
            None => out.push(failure),
        }
    }
    out.retain(|failure| {
        failure
            .messages
            .iter()
            .any(|m| m.role != MessageRole::Beside)
    });
    out
}

/// A pool that runs out behind another failure follows from it.
fn follow_pools(failures: &mut Vec<Failure>) {
    let is_pool = |failure: &Failure| {
        let symptom = failure.messages.first().and_then(|m| m.symptom.as_deref());
        symptom.is_some_and(|symptom| symptom.starts_with("session/pool-"))
    };
    let first = failures.first().is_some_and(|first| !is_pool(first));
    if !first {
        return;
    }
    let (pools, rest): (Vec<Failure>, Vec<Failure>) =
        std::mem::take(failures).into_iter().partition(is_pool);
    *failures = rest;
    let Some(first) = failures.first_mut() else {
        return;
    };
    for mut message in pools.into_iter().flat_map(|pool| pool.messages) {
        if message.role == MessageRole::Decides {
            message.role = MessageRole::FollowsOn;
            message.symptom = None;
        }
        keep(first, message);
    }
}

fn is_same(known: &Failure, other: &Failure) -> bool {
    let (Some(a), Some(b)) = (known.messages.first(), other.messages.first()) else {
        return false;
    };
    a.symptom == b.symptom && a.meaning == b.meaning && known.parts.agrees(&other.parts)
}

fn count(known: &mut Failure, other: &Failure) {
    if let (Some(first), Some(again)) = (known.messages.first_mut(), other.messages.first()) {
        first.times += again.times;
        for signal in &again.signals {
            if first.signals.iter().all(|s| s.question != signal.question) {
                first.signals.push(signal.clone());
            }
        }
    }
    known.parts.add(&other.parts);
    for message in other.messages.iter().skip(1) {
        keep(known, message.clone());
    }
}

pub(super) fn keep(known: &mut Failure, message: MessageRead) {
    let same = |m: &&mut MessageRead| m.pattern == message.pattern;
    if let Some(same) = known.messages.iter_mut().find(same) {
        same.times += message.times;
    } else if known.messages.len() < MOST_MESSAGES {
        known.messages.push(message);
    }
}

/// Puts what says nothing by itself to the failure from which it follows.
fn attach(first: &mut Failure, event: &Event, flat: &Flat, redactor: &Redactor, year: i16) {
    for one in &event.found {
        let message = message(one, role_beside(one.2), flat, redactor, year);
        if message.role != MessageRole::Beside {
            keep(first, message);
        } else if first.parts.agrees(&one.1) {
            first.parts.add(&one.1);
        }
    }
}

fn join(known: &mut Failure, other: Failure) {
    known.parts.add(&other.parts);
    for message in other.messages {
        keep(known, message);
    }
}
