//! The run's own clock.

use std::time::{Duration, Instant, SystemTime};

use chronaxis_model::layer::Micros;

/// Counts from the beginning of the run.
#[derive(Clone, Copy, Debug)]
pub struct Clock {
    start: Instant,
}

impl Clock {
    /// Begins now.
    pub fn start() -> Clock {
        Clock {
            start: Instant::now(),
        }
    }

    /// The time since then.
    pub fn now(&self) -> Micros {
        Micros(u64::try_from(self.start.elapsed().as_micros()).unwrap_or(u64::MAX))
    }

    /// What the wall clock shows: Unix time, in seconds.
    pub(crate) fn wall(&self) -> i64 {
        let since = SystemTime::now().duration_since(SystemTime::UNIX_EPOCH);
        since.map_or(0, |span| i64::try_from(span.as_secs()).unwrap_or(i64::MAX))
    }

    /// A moment of the run as the runtime's timers want it.
    pub(crate) fn instant(&self, at: Micros) -> tokio::time::Instant {
        tokio::time::Instant::from_std(self.start + Duration::from_micros(at.0))
    }
}

/// A moment of the wall clock as people and programs exchange it: RFC 3339, UTC.
pub(crate) fn rfc3339(seconds: i64) -> String {
    match jiff::Timestamp::from_second(seconds) {
        Ok(at) => at.to_string(),
        Err(_) => String::new(),
    }
}
