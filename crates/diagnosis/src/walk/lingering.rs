//! A target that works by one address, and may not by another: the outage that comes and
//! goes. The attempts on the others are waited for, not for long.

use chronaxis_model::fact::Fact;
use chronaxis_model::layer::{Layer, Micros};

use super::{Running, Stage, Walk};

/// Longest time that a target which works waits for its other addresses: a lost packet is
/// sent again after one second (RFC 6298, section 2).
const LONGEST: Micros = Micros::from_millis(1_200);

impl Walk {
    /// Waits for the other addresses, if any of them has not answered.
    pub(super) fn begin_to_linger(&mut self, now: Micros) {
        let began = self.attempts().map(|(_, began)| began).min();
        match began {
            Some(began) => self.stage = Stage::Lingering(began.after(LONGEST).max(now)),
            None => self.leave(),
        }
    }

    /// Leaves once all have answered, or that time is over: then they were silent for it.
    pub(super) fn linger(&mut self, now: Micros, until: Micros) {
        let open: Vec<(usize, Micros)> = self.attempts().collect();
        if !open.is_empty() && now < until {
            return;
        }
        for (index, began) in open {
            let Some(path) = self.paths.get(index) else {
                continue;
            };
            let (attempts, there) = (path.attempts(), path.endpoint().clone());
            let known = |fact: &Fact| {
                matches!(
                    fact,
                    Fact::PortRefused { .. }
                        | Fact::PortConnected { .. }
                        | Fact::PortUnreachable { .. }
                        | Fact::RouteMissing { .. }
                        | Fact::LocalFailure { .. }
                )
            };
            // An earlier one is waited for in full: it could change the verdict.
            if path.is_earlier() {
                continue;
            }
            self.paths.give_up(index);
            if self.evidence().at(&there).any(known) {
                continue;
            }
            let waited_us = now.since(began);
            let fact = Fact::PortSilent {
                waited_us,
                attempts,
            };
            self.note(now, Layer::Port, there.subject(), fact);
        }
        self.leave();
    }

    /// The paths on which attempts run, and when those began.
    fn attempts(&self) -> impl Iterator<Item = (usize, Micros)> {
        self.probes.all().filter_map(|(_, running)| match running {
            Running::Attempt { path, began, .. } => Some((*path, *began)),
            _ => None,
        })
    }
}
