//! Where the entry of a log begins, or the trace, in which a line stands.

use crate::moment;
use crate::text::Flat;

/// So far a line is looked back for the beginning of its entry.
pub(super) const FURTHEST_BACK: usize = 400;

/// The line with which the entry begins in which a line stands.
pub(super) fn begins(flat: &Flat, line: usize, year: i16) -> usize {
    let least = line.saturating_sub(FURTHEST_BACK);
    let mut at = line;
    while at > least {
        let text = flat.line(at);
        if moment::in_line(text, year).is_some() || text.starts_with('{') {
            return at;
        }
        if after_a_gap(flat, at, year) {
            return at;
        }
        at -= 1;
    }
    at
}

/// Whether a line is the first behind an empty one, and no link of a chain of causes.
fn after_a_gap(flat: &Flat, line: usize, year: i16) -> bool {
    let Some(before) = line.checked_sub(1) else {
        return false;
    };
    if !flat.line(before).is_empty() || goes_on(flat.line(line)) {
        return false;
    }
    let last = (0..before)
        .rev()
        .take(3)
        .map(|l| flat.line(l))
        .find(|l| !l.is_empty());
    // What stands under the line of a log belongs to it.
    !last.is_some_and(|last| chains(last) || moment::in_line(last, year).is_some())
}

/// Lines that say that what follows was caused by what stood before, or the other way.
fn chains(line: &str) -> bool {
    [
        "During handling of the above exception",
        "The above exception was the direct cause",
        "Caused by:",
        "caused by:",
        "Causes:",
    ]
    .iter()
    .any(|words| line.contains(words))
}

fn goes_on(line: &str) -> bool {
    chains(line)
        || [
            "at ",
            "...",
            "DETAIL:",
            "HINT:",
            "The last packet",
            "File \"",
            "from ",
            "#",
            "Suppressed:",
            "(Background on",
        ]
        .iter()
        .any(|lead| line.starts_with(lead))
}
