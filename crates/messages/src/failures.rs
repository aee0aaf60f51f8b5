//! From what was recognised in a text to the failures of which it tells: which messages
//! belong together, which of them says it, and what follows from it.

mod entries;
mod events;
mod merging;
mod worth;

use std::collections::BTreeSet;

use chronaxis_model::fact::MessageRead;
use chronaxis_model::redact::Redactor;

use self::entries::begins;
use self::events::Event;
use self::merging::merged;
use self::worth::worth;
use crate::moment;
use crate::parts::Parts;
use crate::search::{Found, Search};
use crate::secrets;
use crate::text::Flat;

/// Most failures that are told apart.
pub const MOST: usize = 20;

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
    let mut failures = merged(events, &flat, &redactor, year);
    if failures.iter().all(|f| f.at.is_some()) {
        failures.sort_by_key(|failure| failure.at.as_ref().map(|at| at.micros));
    }
    failures.truncate(MOST);
    Told {
        failures,
        lines: flat.lines(),
    }
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
