//! By how much this program ran late while a target was walked.

use crate::fact::Fact;
use crate::layer::Micros;
use crate::permit::Ledger;

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
    pub(super) fn measure(&mut self, ledger: &Ledger) {
        let at_first = *self.at_first.get_or_insert(ledger.late);
        self.by = ledger.late.since(at_first);
    }

    /// What the log keeps of it.
    pub(super) fn fact(&self) -> Option<Fact> {
        (self.by >= WORTH_SAYING).then_some(Fact::RanLate { by_us: self.by })
    }
}
