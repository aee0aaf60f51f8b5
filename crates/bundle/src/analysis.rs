//! All that is concluded of a bundle by itself.

use crate::chain::{Together, together};
use crate::findings::{Finding, findings};
use crate::item::Bundle;
use crate::tools::Tools;
use crate::uses::{Use, uses};

/// What belongs together, for what it suffices, what is wrong.
#[derive(Clone, Debug)]
pub struct Analysis {
    /// What belongs together.
    pub together: Together,
    /// For what the parts suffice.
    pub uses: [Use; 2],
    /// What is wrong: what stops first comes first.
    pub findings: Vec<Finding>,
}

impl Analysis {
    /// Concludes; `now` in seconds of Unix time.
    pub fn of(bundle: &Bundle, tools: &dyn Tools, now: i64) -> Analysis {
        let together = together(bundle, tools);
        let uses = uses(bundle, &together, now);
        let findings = findings(bundle, &together, &uses, now);
        Analysis {
            together,
            uses,
            findings,
        }
    }
}
