//! What a walk touched, and what all walks of one target did together.

use std::collections::BTreeMap;

use chronaxis_model::endpoint::Endpoint;
use chronaxis_model::fact::{Fact, Observation};

/// What a run touched, as far as the walk ordered it.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Touched {
    /// Questions to name service.
    pub lookups: u32,
    /// Every line that was opened, control ports included, with its end.
    pub lines: Vec<Endpoint>,
    /// Packets that were sent to live for so many devices only.
    pub steps: u32,
    /// Where secrets of other accounts were tried.
    pub other_sign_ins: Vec<Endpoint>,
    /// How many other sessions were let in: of other accounts, of tries before and after.
    pub other_sessions: u32,
    /// Lines that many tries made, by their ends.
    pub many_lines: BTreeMap<Endpoint, u32>,
    /// Sign-ins that many tries made, by their ends.
    pub many_sign_ins: BTreeMap<Endpoint, u32>,
}

impl Touched {
    /// Adds what another walk of the same target touched, each place by itself.
    pub fn add_run(&mut self, other: &Touched, log: &[Observation]) {
        self.add(other);
        for one in log {
            match one.fact() {
                Some(Fact::ProofSent) => self.other_sign_ins.extend(Endpoint::of(&one.about)),
                Some(Fact::SessionReady) => self.other_sessions += 1,
                _ => {}
            }
        }
    }

    /// The same, of one of many: no more is kept than how often each place was touched.
    pub fn count_run(&mut self, other: &Touched, log: &[Observation]) {
        let mut run = Touched::default();
        run.add_run(other, log);
        self.lookups += run.lookups;
        self.steps += run.steps;
        self.other_sessions += run.other_sessions;
        for (many, once) in [
            (&mut self.many_lines, run.lines),
            (&mut self.many_sign_ins, run.other_sign_ins),
        ] {
            for place in once {
                *many.entry(place).or_default() += 1;
            }
        }
    }

    pub(super) fn add(&mut self, other: &Touched) {
        self.lookups += other.lookups;
        self.lines.extend(other.lines.iter().cloned());
        self.steps += other.steps;
        self.other_sign_ins
            .extend(other.other_sign_ins.iter().cloned());
        self.other_sessions += other.other_sessions;
        for (own, more) in [
            (&mut self.many_lines, &other.many_lines),
            (&mut self.many_sign_ins, &other.many_sign_ins),
        ] {
            for (place, count) in more {
                *own.entry(place.clone()).or_default() += count;
            }
        }
    }
}
