//! The target without its secret, in a form that the program reads, quoted for a shell.

use crate::engine::by_id;
use crate::judge::Evidence;

pub(super) fn engine(evidence: Evidence<'_>) -> &'static str {
    evidence.target.engine.as_str()
}

/// The same diagnosis again.
pub(super) fn again(evidence: Evidence<'_>) -> String {
    format!("chronaxis diagnose {}", described(evidence))
}

/// The target, in the form that makes the same client's rules count.
pub(super) fn described(evidence: Evidence<'_>) -> String {
    if evidence.target.ends.is_empty() {
        return "-".to_owned();
    }
    by_id(evidence.target.engine).described(evidence.target)
}
