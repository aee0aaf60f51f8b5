//! From what was recognised in a text to the failures of which it tells: which messages
//! belong together, which of them says it, and what follows from it.

use std::collections::BTreeSet;

use chronaxis_engines::engines;
use chronaxis_model::fact::{Meaning, MessageRead, MessageRole, Signal};
use chronaxis_model::layer::Layer;
use chronaxis_model::redact::Redactor;
use chronaxis_model::shown;

use crate::codes::{self, Worth};
use crate::moment;
use crate::parts::{self, Parts};
use crate::pattern::Says;
use crate::search::{Found, Search};
use crate::secrets;
use crate::text::Flat;

/// Most failures that are told apart.
pub const MOST: usize = 20;

/// Most messages of one failure that are kept.
const MOST_MESSAGES: usize = 12;

/// So far a line is looked back for the beginning of its entry.
const FURTHEST_BACK: usize = 400;

/// A text up to this size is searched for secrets in whole; of longer ones the lines in
/// which something was recognised.
const WHOLE: usize = 256 * 1024;

/// One failure of which a text tells.
#[derive(Clone, Debug)]
pub struct Failure {
    /// The messages: first the one that says it, where one does.
    pub messages: Vec<MessageRead>,
    /// Where to, as whom.
    pub parts: Parts,
    /// When, as the text says it.
    pub at: Option<moment::Moment>,
}

impl Failure {
    /// One of which nothing is said.
    pub fn of_nothing() -> Failure {
        Failure {
            messages: Vec::new(),
            parts: Parts::default(),
            at: None,
        }
    }
}

/// What a text tells.
#[derive(Clone, Debug, Default)]
pub struct Told {
    /// The failures, the first in time first.
    pub failures: Vec<Failure>,
    /// How many lines were read.
    pub lines: usize,
    /// How many failures there were beyond those that are kept.
    pub more: usize,
}

/// Reads a text. `year` is for times that leave it out.
pub fn read(raw: &str, year: i16) -> Told {
    let Some((flat, found)) = Search::all(raw) else {
        return Told::default();
    };
    let redactor = redactor(raw, &flat, &found);
    let mut events: Vec<Event> = Vec::new();
    for one in found {
        let begins = begins(&flat, one.line, year);
        let parts = Parts::of(&one);
        let worth = worth(&one, &parts, &flat, begins);
        let fits = |event: &&mut Event| event.begins == begins && event.takes(&parts, &one);
        match events.iter_mut().rev().take(6).find(fits) {
            Some(event) => event.add(one, parts, worth),
            None => {
                let mut event = Event::at(begins);
                event.add(one, parts, worth);
                events.push(event);
            }
        }
    }
    let lines = flat.lines();
    let mut told = Told {
        lines,
        ..Told::default()
    };
    let mut failures = merged(events, &flat, &redactor, year);
    if failures.iter().all(|f| f.at.is_some()) {
        failures.sort_by_key(|failure| failure.at.as_ref().map(|at| at.micros));
    }
    told.more = failures.len().saturating_sub(MOST);
    failures.truncate(MOST);
    told.failures = failures;
    told
}

fn redactor(raw: &str, flat: &Flat, found: &[Found]) -> Redactor {
    if raw.len() <= WHOLE {
        let mut all = secrets::in_text(raw);
        all.extend(secrets::in_text(flat.as_str()));
        return Redactor::new(&all);
    }
    let lines: BTreeSet<usize> = found.iter().take(2000).map(|f| f.line).collect();
    let mut near = String::new();
    for line in lines {
        for line in line.saturating_sub(2)..=line + 2 {
            near.push_str(flat.line(line));
            near.push('\n');
        }
    }
    Redactor::new(&secrets::in_text(&near))
}

/// What one found message is worth.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Value {
    /// It says how the attempt stopped.
    Stopped(&'static str),
    /// The server's code does.
    Refused(Meaning),
    /// It follows from another; alone it says this.
    Follows(Option<&'static str>),
    /// It hides another.
    Hides(&'static str),
    /// The connection stood.
    Statement,
    /// It only says where.
    Beside,
}

fn worth(found: &Found, parts: &Parts, flat: &Flat, begins: usize) -> Value {
    match found.pattern.says {
        Says::Stopped { symptom, .. } => Value::Stopped(symptom),
        Says::FollowsOn { alone } => Value::Follows(alone),
        Says::Hides { uncover } => Value::Hides(uncover),
        Says::NotTheConnection => Value::Statement,
        Says::Beside => Value::Beside,
        Says::Driver => Value::Stopped(of_driver(parts.driver.as_deref().unwrap_or_default())),
        Says::Code => {
            let code = parts.code.as_deref().unwrap_or_default();
            match codes::worth(parts.engine, code) {
                Worth::Refused(Meaning::IdentityRefused) if names_rules(flat, found, begins) => {
                    Value::Refused(Meaning::HostNotPermitted)
                }
                Worth::Refused(Meaning::ProtocolRefused) => Value::Beside,
                Worth::Refused(meaning) => Value::Refused(meaning),
                Worth::Statement => Value::Statement,
                Worth::Nothing => Value::Beside,
            }
        }
    }
}

/// The file of host rules is called so in every language.
fn names_rules(flat: &Flat, found: &Found, begins: usize) -> bool {
    (begins..=found.line + 2).any(|line| flat.line(line).contains("pg_hba.conf"))
}

/// Whether a driver is known by this name: then it is not there; else its name is misspelt.
fn of_driver(name: &str) -> &'static str {
    let name = name
        .trim_start_matches("jdbc:")
        .trim_matches(['\'', '"', '/', ' ']);
    let word = name.split("://").next().unwrap_or(name).to_lowercase();
    let word = word.split('/').next().unwrap_or(&word);
    let bare = word.split(['+', ':']).next().unwrap_or(word);
    let known = engines().iter().any(|engine| {
        let spec = engine.spec;
        let same = |all: &[&str]| {
            all.iter()
                .any(|one| one.eq_ignore_ascii_case(bare) || one.eq_ignore_ascii_case(word))
        };
        same(spec.schemes)
            || same(spec.adapters)
            || same(spec.drivers)
            || same(spec.jdbc_names)
            || same(spec.driver_words)
            || spec.odbc_words.iter().any(|w| word.contains(w))
    });
    match known {
        true => "settings/library-missing",
        false if name.is_empty() || name.eq_ignore_ascii_case("null") => "settings/value-missing",
        false => "settings/scheme-unknown",
    }
}

/// The line with which the entry begins in which a line stands.
fn begins(flat: &Flat, line: usize, year: i16) -> usize {
    let least = line.saturating_sub(FURTHEST_BACK);
    let mut at = line;
    while at > least {
        let text = flat.line(at);
        if moment::in_line(text, year).is_some() || text.starts_with('{') {
            return at;
        }
        if after_a_gap(flat, at, year) {
            return at;
        }
        at -= 1;
    }
    at
}

/// Whether a line is the first behind an empty one, and no link of a chain of causes.
fn after_a_gap(flat: &Flat, line: usize, year: i16) -> bool {
    let Some(before) = line.checked_sub(1) else {
        return false;
    };
    if !flat.line(before).is_empty() || goes_on(flat.line(line)) {
        return false;
    }
    let last = (0..before)
        .rev()
        .take(3)
        .map(|l| flat.line(l))
        .find(|l| !l.is_empty());
    // What stands under the line of a log belongs to it.
    !last.is_some_and(|last| chains(last) || moment::in_line(last, year).is_some())
}

/// Lines that say that what follows was caused by what stood before, or the other way.
fn chains(line: &str) -> bool {
    [
        "During handling of the above exception",
        "The above exception was the direct cause",
        "Caused by:",
        "caused by:",
        "Causes:",
    ]
    .iter()
    .any(|words| line.contains(words))
}

fn goes_on(line: &str) -> bool {
    chains(line)
        || [
            "at ",
            "...",
            "DETAIL:",
            "HINT:",
            "The last packet",
            "File \"",
            "from ",
            "#",
            "Suppressed:",
            "(Background on",
        ]
        .iter()
        .any(|lead| line.starts_with(lead))
}

/// What belongs to one attempt.
struct Event {
    begins: usize,
    found: Vec<(Found, Parts, Value)>,
    parts: Parts,
}

impl Event {
    fn at(begins: usize) -> Event {
        Event {
            begins,
            found: Vec::new(),
            parts: Parts::default(),
        }
    }

    /// Whether a message may be of this attempt: nothing in it speaks of another connection.
    fn takes(&self, parts: &Parts, found: &Found) -> bool {
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

    fn add(&mut self, found: Found, parts: Parts, value: Value) {
        self.parts.add(&parts);
        self.found.push((found, parts, value));
    }

    /// The message that says how it stopped.
    fn decides(&self) -> Option<usize> {
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

/// Makes failures of the events; what is the same is counted, what follows is put where it
/// belongs.
fn merged(events: Vec<Event>, flat: &Flat, redactor: &Redactor, year: i16) -> Vec<Failure> {
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

fn keep(known: &mut Failure, message: MessageRead) {
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

fn role_beside(value: Value) -> MessageRole {
    match value {
        Value::Follows(_) => MessageRole::FollowsOn,
        Value::Hides(_) => MessageRole::HidesTheCause,
        Value::Statement => MessageRole::NotTheConnection,
        Value::Stopped(_) | Value::Refused(_) | Value::Beside => MessageRole::Beside,
    }
}

fn failure(event: &Event, flat: &Flat, redactor: &Redactor, year: i16) -> Failure {
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

fn message(
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
