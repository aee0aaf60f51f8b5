//! By how much this program ran late while a target was walked.

use chronaxis_model::fact::Fact;
use chronaxis_model::layer::Micros;

use crate::run_state::RunState;

/// Less than this changes no verdict: clients count their waits in seconds.
const WORTH_SAYING: Micros = Micros::from_millis(250);

/// The delay of the edge, as the run counts it.
#[derive(Debug, Default)]
pub(super) struct Late {
    at_first: Option<Micros>,
    by: Micros,
}

impl Late {
    /// Looks at the run's count; the first look is the beginning.
    pub(super) fn measure(&mut self, run: &RunState) {
        let at_first = *self.at_first.get_or_insert(run.late);
        self.by = run.late.since(at_first);
    }

    /// What the log keeps of it.
    pub(super) fn fact(&self) -> Option<Fact> {
        (self.by >= WORTH_SAYING).then_some(Fact::RanLate { by_us: self.by })
    }
}
