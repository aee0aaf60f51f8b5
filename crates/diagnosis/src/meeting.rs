//! Sessions of one run that are to be open at one time: each that is in waits for the others,
//! and all leave once the last one is in, or one of them has not come in.

use std::collections::BTreeSet;

/// Who is expected, and who is in.
#[derive(Debug, Default)]
pub struct Meeting {
    expected: BTreeSet<usize>,
    waiting: BTreeSet<usize>,
    woken: BTreeSet<usize>,
    most: usize,
}

impl Meeting {
    /// Expects these, by their numbers.
    pub fn of(expected: impl IntoIterator<Item = usize>) -> Meeting {
        Meeting {
            expected: expected.into_iter().collect(),
            ..Meeting::default()
        }
    }

    /// One is in, and waits.
    pub fn arrived(&mut self, number: usize) {
        self.expected.remove(&number);
        self.waiting.insert(number);
        self.most = self.most.max(self.waiting.len());
        if self.expected.is_empty() {
            self.woken.extend(std::mem::take(&mut self.waiting));
        }
    }

    /// One is over. If it was expected, nobody else is.
    pub fn over(&mut self, number: usize) {
        self.waiting.remove(&number);
        if self.expected.contains(&number) {
            self.expected.clear();
            self.woken.extend(std::mem::take(&mut self.waiting));
        }
    }

    /// Whether one that is in must still wait.
    pub fn holds(&self, number: usize) -> bool {
        self.waiting.contains(&number)
    }

    /// How many were in at one time, at most.
    pub fn most(&self) -> usize {
        self.most
    }

    /// Those that may leave and do not know it yet.
    pub fn take_woken(&mut self) -> BTreeSet<usize> {
        std::mem::take(&mut self.woken)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn all_leave_with_the_last_that_comes_in() {
        let mut meeting = Meeting::of([1, 2, 3]);
        for number in [1, 2] {
            meeting.arrived(number);
            assert!(meeting.holds(number) && meeting.take_woken().is_empty());
        }
        meeting.arrived(3);
        assert_eq!(meeting.take_woken(), BTreeSet::from([1, 2, 3]));
        assert_eq!(meeting.most(), 3);
    }

    #[test]
    fn nobody_waits_for_one_that_was_refused() {
        let mut meeting = Meeting::of([1, 2, 3]);
        meeting.arrived(1);
        meeting.over(2);
        assert_eq!(meeting.take_woken(), BTreeSet::from([1]));
        meeting.arrived(3);
        assert_eq!(
            meeting.take_woken(),
            BTreeSet::from([3]),
            "late, and not held"
        );
    }
}
