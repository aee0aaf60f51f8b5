//! What a list says of an attempt.

use std::ops::Range;

/// Whether an attempt gets through.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Answer {
    /// It does.
    Allowed,
    /// It does not.
    Denied,
    /// What decides is not in the list.
    Unknown,
}

impl Answer {
    /// The word for it in outputs.
    pub fn as_str(self) -> &'static str {
        match self {
            Answer::Allowed => "allowed",
            Answer::Denied => "denied",
            Answer::Unknown => "unknown",
        }
    }
}

/// Where something stands: in which of the texts of a list, and its bytes there.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Spot {
    /// Which text; the list's own file is 0, those it includes follow.
    pub sheet: usize,
    /// Its bytes.
    pub at: Range<usize>,
}

impl Spot {
    /// In the list's own file.
    pub fn own(at: Range<usize>) -> Spot {
        Spot { sheet: 0, at }
    }
}

/// A rule that was looked at.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Rule {
    /// Where it stands; none for what a list does when no rule fits.
    pub spot: Option<Spot>,
    /// What it says, on one line; nothing secret is in it.
    pub text: String,
}

/// A rule that did not decide.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Passed {
    /// The rule.
    pub rule: Rule,
    /// Why not.
    pub why: String,
}

/// What stands in the way of an attempt that is denied.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Barrier {
    /// Nothing in the list covers the client's address for it.
    NotCovered,
    /// The address is covered, for another port, protocol or direction.
    OtherPort,
    /// A rule would allow it, and does not count: switched off, past its date, or behind a
    /// rule that denies.
    RuleOff,
    /// It gets in, and the answer does not get out.
    WayBack,
    /// The rules of the server itself say no.
    HostRules,
}

/// What a list says.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Decision {
    /// Whether the attempt gets through.
    pub answer: Answer,
    /// The rule that decides.
    pub rule: Option<Rule>,
    /// Why, in a sentence without its full stop.
    pub why: String,
    /// What stands in the way, where it is denied.
    pub barrier: Option<Barrier>,
    /// The rules before that one, and why each did not decide.
    pub passed: Vec<Passed>,
    /// Whether the far side cannot see the client's address: NAT stands between.
    pub other_address: bool,
    /// What else is worth saying of this attempt, in sentences without a full stop, each with
    /// the place that it speaks of.
    pub remarks: Vec<(String, Option<Spot>)>,
}

impl Decision {
    /// One without remarks.
    pub fn new(answer: Answer, rule: Option<Rule>, why: impl Into<String>) -> Decision {
        Decision {
            answer,
            rule,
            why: why.into(),
            barrier: None,
            passed: Vec::new(),
            other_address: false,
            remarks: Vec::new(),
        }
    }

    /// The same, denied for this reason.
    #[must_use]
    pub fn behind(self, barrier: Barrier) -> Decision {
        Decision {
            barrier: Some(barrier),
            ..self
        }
    }
}
