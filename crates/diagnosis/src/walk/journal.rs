//! The log of a walk while it grows: what repeats itself without end is counted, no more.

use chronaxis_model::fact::{Fact, Observation, Subject};
use chronaxis_model::layer::{Layer, Micros};

/// Most facts of one kind about one thing that are kept.
const MOST_ALIKE: usize = 64;

/// What was seen, in order.
#[derive(Debug, Default)]
pub(super) struct Journal {
    entries: Vec<Observation>,
    /// Facts that were not kept, for others like them were.
    left_out: usize,
}

impl Journal {
    /// All entries.
    pub(super) fn entries(&self) -> &[Observation] {
        &self.entries
    }

    /// Writes a fact down, unless enough of its kind is there.
    pub(super) fn note(&mut self, layer: Layer, now: Micros, about: Subject, fact: Fact) {
        if self.has_room_for(&about, &fact) {
            self.entries.push(Observation::new(layer, now, about, fact));
        }
    }

    fn has_room_for(&mut self, about: &Subject, fact: &Fact) -> bool {
        if self.entries.len() < MOST_ALIKE {
            return true;
        }
        let kind = std::mem::discriminant(fact);
        let alike = self
            .entries
            .iter()
            .filter(|o| o.about == *about)
            .filter_map(Observation::fact)
            .filter(|known| std::mem::discriminant(*known) == kind)
            .count();
        if alike >= MOST_ALIKE {
            self.left_out = self.left_out.saturating_add(1);
        }
        alike < MOST_ALIKE
    }

    /// Takes back what another fact stands in place of.
    pub(super) fn take_back(&mut self, replaced: impl Fn(&Fact) -> bool) {
        self.entries.retain(|o| !o.fact().is_some_and(&replaced));
    }

    /// Writes into every entry from this one on to which place of a chain it belongs.
    pub(super) fn mark(&mut self, from: usize, place: u32) {
        for one in self.entries.iter_mut().skip(from) {
            one.about.redirect = Some(place);
        }
    }

    /// Closes it with what is known of the walk itself.
    pub(super) fn close(&mut self, last_words: Option<Fact>) {
        let count = std::mem::take(&mut self.left_out);
        let left_out = (count > 0).then_some(Fact::LeftOut { count });
        let last = self.entries.last().map_or(Micros(0), |o| o.at);
        for fact in left_out.into_iter().chain(last_words) {
            let about = Subject::default();
            self.entries
                .push(Observation::new(Layer::Session, last, about, fact));
        }
    }

    pub(super) fn into_entries(self) -> Vec<Observation> {
        self.entries
    }
}
