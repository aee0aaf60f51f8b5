//! Whose turn it is: what a target waits for that others of the run do first.

use chronaxis_model::endpoint::Endpoint;
use chronaxis_model::permit::Permits;
use chronaxis_model::target::Target;

/// The place of a target among those of a run.
#[derive(Debug)]
pub(super) struct Turns {
    /// Its number: of those that would sign in alike, the earlier one does first.
    pub(super) number: usize,
    /// What was told of where and as whom, before any name was looked up.
    told: String,
    /// Servers to which it has the leave to make lines that they count.
    walking: Vec<Endpoint>,
    /// It waits for that leave.
    awaits_walk: bool,
    /// Another target of the run is trying a secret that this one would try too.
    awaits_permit: bool,
}

impl Turns {
    pub(super) fn of(target: &Target) -> Turns {
        let ends: Vec<String> = target.ends.iter().map(ToString::to_string).collect();
        let user = target.user.as_deref().unwrap_or_default();
        Turns {
            number: 0,
            told: format!("{} {user} {}", target.engine.as_str(), ends.join(",")),
            walking: Vec::new(),
            awaits_walk: false,
            awaits_permit: false,
        }
    }

    /// Whether it waits for its turn.
    pub(super) fn awaits(&self) -> bool {
        self.awaits_permit || self.awaits_walk
    }

    /// Joins those that were told the same.
    pub(super) fn line_up(&self, permits: &mut Permits) {
        permits.line_up(&self.told, self.number);
    }

    /// Leaves them: it has its turn, or needs none.
    pub(super) fn leave_line(&self, permits: &mut Permits) {
        permits.leave_line(&self.told, self.number);
    }

    /// Whether one of them is before it.
    pub(super) fn is_behind(&self, permits: &mut Permits) -> bool {
        permits.is_behind(&self.told, self.number)
    }

    /// Waits for the leave to sign in, or no more.
    pub(super) fn await_permit(&mut self, awaits: bool) -> bool {
        self.awaits_permit = awaits;
        awaits
    }

    /// Asks for the leave to make lines to servers that count them; whether it has it.
    pub(super) fn may_walk(&mut self, permits: &mut Permits, servers: Vec<Endpoint>) -> bool {
        self.awaits_walk = !permits.may_walk(&servers, self.number);
        if !self.awaits_walk {
            self.walking = servers;
        }
        !self.awaits_walk
    }

    /// Gives back whatever others wait for.
    pub(super) fn give_back(&mut self, permits: &mut Permits) {
        permits.walked(&std::mem::take(&mut self.walking));
        self.leave_line(permits);
    }
}
