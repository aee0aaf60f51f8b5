//! What belongs to one attempt, and what of it says how that stopped.

use chronaxis_model::fact::{Meaning, MessageRead, MessageRole, Signal};
use chronaxis_model::layer::Layer;
use chronaxis_model::redact::Redactor;
use chronaxis_model::shown;

use super::Failure;
use super::entries::FURTHEST_BACK;
use super::merging::keep;
use super::worth::Value;
use crate::moment;
use crate::parts::{self, Parts};
use crate::pattern::Says;
use crate::search::Found;
use crate::text::Flat;

/// What belongs to one attempt.
pub(super) struct Event {
    pub(super) begins: usize,
    pub(super) found: Vec<(Found, Parts, Value)>,
    parts: Parts,
}

impl Event {
    pub(super) fn at(begins: usize) -> Event {
        Event {
            begins,
            found: Vec::new(),
            parts: Parts::default(),
        }
    }

    /// Whether a message may be of this attempt: nothing in it speaks of another connection.
    pub(super) fn takes(&self, parts: &Parts, found: &Found) -> bool {
        // A client that tries one address after the other says so in one breath.
        let same_breath = |(other, _, _): &(Found, Parts, Value)| {
            other.component.id == found.component.id && found.line <= other.line + 4
        };
        let mut without_end = parts.clone();
        if self.found.iter().any(same_breath) {
            without_end.host = None;
            without_end.port = None;
        }
        self.parts.agrees(&without_end)
    }

    pub(super) fn add(&mut self, found: Found, parts: Parts, value: Value) {
        self.parts.add(&parts);
        self.found.push((found, parts, value));
    }

    /// The message that says how it stopped.
    pub(super) fn decides(&self) -> Option<usize> {
        let rank = |(index, (found, _, value)): (usize, &(Found, Parts, Value))| {
            let depth = match value {
                Value::Stopped(symptom) => depth_of(symptom),
                Value::Refused(meaning) => depth_of_meaning(*meaning),
                _ => return None,
            };
            let by_words = matches!(value, Value::Stopped(_));
            Some((
                !found.pattern.weak,
                depth,
                by_words,
                std::cmp::Reverse(index),
            ))
        };
        let best = self.found.iter().enumerate().filter_map(rank).max()?;
        Some(best.3.0)
    }
}

/// How far an attempt came.
fn depth_of(symptom: &str) -> Layer {
    let layer = symptom.split('/').next().unwrap_or_default();
    Layer::from_name(layer).unwrap_or(Layer::Settings)
}

fn depth_of_meaning(meaning: Meaning) -> Layer {
    meaning.layer(chronaxis_model::fact::Awaited::Admission)
}

pub(super) fn role_beside(value: Value) -> MessageRole {
    match value {
        Value::Follows(_) => MessageRole::FollowsOn,
        Value::Hides(_) => MessageRole::HidesTheCause,
        Value::Statement => MessageRole::NotTheConnection,
        Value::Stopped(_) | Value::Refused(_) | Value::Beside => MessageRole::Beside,
    }
}

pub(super) fn failure(event: &Event, flat: &Flat, redactor: &Redactor, year: i16) -> Failure {
    let decides = event.decides();
    // Where nothing else says it, a consequence does.
    let alone = || {
        event
            .found
            .iter()
            .position(|(_, _, value)| matches!(value, Value::Follows(Some(_))))
    };
    let hidden = event
        .found
        .iter()
        .any(|(_, _, value)| matches!(value, Value::Hides(_)));
    let first = decides.or_else(|| alone().filter(|_| !hidden));
    let mut messages = Vec::new();
    if let Some(one) = first.and_then(|index| event.found.get(index)) {
        let mut said = message(one, MessageRole::Decides, flat, redactor, year);
        said.signals = signals(event, one);
        messages.push(said);
    }
    let mut parts = Parts::default();
    if let Some((_, own, _)) = first.and_then(|index| event.found.get(index)) {
        parts.add(own);
    }
    parts.add(&event.parts);
    for from_url in urls_of(event, flat) {
        if parts.agrees(&from_url) {
            parts.add(&from_url);
        }
    }
    // A secret in the wrong place is nobody's name.
    let is_secret = |name: &String| redactor.text(name).as_str() != name;
    parts.user = parts.user.filter(|name| !is_secret(name));
    parts.database = parts.database.filter(|name| !is_secret(name));
    if parts.engine.is_none() {
        let first = first.and_then(|index| event.found.get(index));
        parts.engine = first.and_then(|(found, _, _)| parts::engine_of(found));
    }
    let at = (event.begins..=event.found.first().map_or(event.begins, |f| f.0.line))
        .find_map(|line| moment::in_line(flat.line(line), year));
    if let (Some(said), Some(at)) = (messages.first_mut(), &at)
        && said.said_at.is_none()
    {
        said.said_at = Some(redactor.text(&at.written));
    }
    let mut failure = Failure {
        messages,
        parts,
        at,
    };
    for (index, one) in event.found.iter().enumerate() {
        if Some(index) == first {
            continue;
        }
        let again = event
            .found
            .get(first.unwrap_or(usize::MAX))
            .is_some_and(|f| f.2 == one.2);
        if again {
            if let Some(said) = failure.messages.first_mut() {
                said.times += u32::from(one.0.pattern.id == said.pattern);
            }
            continue;
        }
        keep(
            &mut failure,
            message(one, role_beside(one.2), flat, redactor, year),
        );
    }
    failure
}

/// What the messages of one attempt answer that say the same of how it stopped.
fn signals(event: &Event, decides: &(Found, Parts, Value)) -> Vec<Signal> {
    let mut out: Vec<Signal> = Vec::new();
    let first = std::iter::once(decides);
    for (found, _, value) in first.chain(&event.found) {
        let Says::Stopped { signals, .. } = found.pattern.says else {
            continue;
        };
        if *value != decides.2 {
            continue;
        }
        for (question, answer) in signals {
            if out.iter().all(|known| known.question != *question) {
                out.push(Signal {
                    question: (*question).to_owned(),
                    answer: (*answer).to_owned(),
                });
            }
        }
    }
    out
}

fn urls_of(event: &Event, flat: &Flat) -> Vec<Parts> {
    let last = event
        .found
        .iter()
        .map(|f| f.0.line)
        .max()
        .unwrap_or(event.begins);
    let last = last.min(event.begins + FURTHEST_BACK) + 1;
    let (from, to) = (flat.span_of(event.begins).start, flat.span_of(last).end);
    parts::urls(flat.as_str().get(from..to).unwrap_or_default())
}

pub(super) fn message(
    (found, parts, value): &(Found, Parts, Value),
    role: MessageRole,
    flat: &Flat,
    redactor: &Redactor,
    year: i16,
) -> MessageRead {
    let words = flat.as_str().get(found.span.clone()).unwrap_or_default();
    let mut cut = words.to_owned();
    // What stood in a hole and is not what it should be may be a secret in the wrong place.
    for (hole, text) in &found.held {
        let subject = match hole {
            crate::shape::Hole::User => "user",
            crate::shape::Hole::Database => "database",
            crate::shape::Hole::Driver => "driver",
            _ => continue,
        };
        if !text.is_empty() && !shown::may_show(subject, text) {
            cut = cut.replace(text.as_str(), chronaxis_model::redact::MASK);
        }
    }
    let at = moment::in_line(flat.line(found.line), year);
    MessageRead {
        role,
        component: found.component.id.to_owned(),
        title: found.component.title.to_owned(),
        pattern: found.pattern.id.to_owned(),
        text: redactor.text(&cut),
        line: u32::try_from(found.line + 1).unwrap_or(u32::MAX),
        times: 1,
        said_at: at.map(|at| redactor.text(&at.written)),
        symptom: match value {
            Value::Stopped(symptom) => Some((*symptom).to_owned()),
            Value::Follows(alone) if role == MessageRole::Decides => alone.map(str::to_owned),
            _ => None,
        },
        meaning: match value {
            Value::Refused(meaning) => Some(*meaning),
            _ => None,
        },
        signals: Vec::new(),
        code: parts.code.as_deref().map(|code| redactor.text(code)),
        uncover: match value {
            Value::Hides(uncover) => Some((*uncover).to_owned()),
            _ => None,
        },
        besides: (!found.pattern.besides.is_empty()).then(|| found.pattern.besides.to_owned()),
        clients: None,
    }
}
