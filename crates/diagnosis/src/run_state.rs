//! What the targets of a run share: the leave to try a secret, what was asked of the world,
//! and how late the edge wakes.

use std::collections::BTreeSet;

use chronaxis_model::layer::Micros;
use chronaxis_model::order::Shared;
use chronaxis_model::permit::Permits;

use crate::meeting::Meeting;
use crate::run_cache::RunCache;

/// What the targets of a run share.
#[derive(Default)]
pub struct RunState {
    /// Who may try a secret where.
    pub permits: Permits,
    /// What was asked of the world.
    pub cache: RunCache,
    /// Sessions that are to be open at one time.
    pub meeting: Meeting,
    /// By how much the edge woke late, all in all.
    pub late: Micros,
}

impl RunState {
    /// The same run, some time later: what was asked of the world is asked anew, and who may
    /// try which secret is not forgotten.
    pub fn later(&mut self) {
        self.cache = RunCache::default();
    }

    /// For a run in which only so many targets have sockets at one time.
    pub fn with_room_for(targets: usize) -> RunState {
        RunState {
            permits: Permits::with_room_for(targets),
            ..RunState::default()
        }
    }
}

impl Shared for RunState {
    fn take_woken(&mut self) -> BTreeSet<usize> {
        let mut woken = self.permits.take_woken();
        woken.extend(self.cache.take_woken());
        woken.extend(self.meeting.take_woken());
        woken
    }

    fn woke_late(&mut self, by: Micros) {
        self.late = self.late.after(by);
    }
}
