//! A session that is kept idle: used after gaps that double, up to a longest one.

use chronaxis_model::conversation::Input;
use chronaxis_model::fact::{Fact, IdleEnd, IdleSession};
use chronaxis_model::layer::Micros;
use chronaxis_model::redact::Redacted;

/// The first gap.
const FIRST: Micros = Micros::from_millis(1_000);

/// The gaps of one session.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Idle {
    longest: Micros,
    gap: Micros,
    since: Micros,
    survived: Micros,
    server_limit_s: Option<u64>,
}

impl Idle {
    /// Begins now; the server's own limit is what its settings say.
    pub(crate) fn begin(longest: Micros, now: Micros, server_limit_s: Option<u64>) -> Idle {
        Idle {
            longest,
            gap: FIRST.min(longest),
            since: now,
            survived: Micros(0),
            server_limit_s,
        }
    }

    /// How long nothing is sent now.
    pub(crate) fn gap(&self) -> Micros {
        self.gap
    }

    /// It was used after the gap, and is good: whether there is another gap.
    pub(crate) fn next(&mut self, now: Micros) -> bool {
        self.survived = self.gap;
        let more = self.gap < self.longest;
        self.gap = Micros(self.gap.0.saturating_mul(2)).min(self.longest);
        self.since = now;
        more
    }

    /// It ended, or did not.
    pub(crate) fn ended(&self, now: Micros, end: IdleEnd) -> Fact {
        let ended = match end {
            IdleEnd::Lived => None,
            // Found dead when it was used: it may have died at any time of the gap.
            IdleEnd::Silent => Some(self.gap),
            _ => Some(now.since(self.since).min(self.gap)),
        };
        Fact::KeptIdle(IdleSession {
            survived_us: self.survived,
            ended_us: ended,
            end,
            server_limit_s: self.server_limit_s,
        })
    }
}

/// How a line ended while its session was kept idle, or was used again.
pub(crate) fn line_end(input: &Input<'_>) -> IdleEnd {
    match input {
        Input::TimedOut => IdleEnd::Silent,
        Input::Closed { reset } => IdleEnd::Closed { reset: *reset },
        _ => IdleEnd::Closed { reset: false },
    }
}

/// As whom a session is, and after how many idle seconds the server ends it, as far as it says.
pub(crate) fn whose(fact: &Fact) -> (Redacted, Option<u64>) {
    let Fact::Instance(instance) = fact else {
        return (Redacted::default(), None);
    };
    let around = instance.surroundings.as_ref();
    let limit = around.and_then(|around| around.idle_limit_s);
    (instance.user.clone(), limit)
}

/// How long a session that is kept idle takes in all, at most: the gaps, and a wait for the
/// answer after each.
pub fn time_for(longest: Micros, patience: Micros) -> Micros {
    let mut gap = FIRST.min(longest);
    let mut all = Micros(0);
    loop {
        all = all.after(gap).after(patience);
        if gap >= longest {
            return all;
        }
        gap = Micros(gap.0.saturating_mul(2)).min(longest);
    }
}
