//! The second line of a client that tries in another way where its first one failed: in
//! clear after an encrypted one, or the other way round. Never a second proof: the ledger
//! has no leave for it.

use chronaxis_engines::LinePurpose;
use chronaxis_model::layer::{Layer, Micros};
use chronaxis_model::order::{Ended, LineId, Probe};

use super::{Running, Stage, Walk};
use crate::judge::{PathView, falls_back};
use crate::run_state::RunState;

impl Walk {
    /// Begins with it, if this path's client does so and has not yet.
    pub(super) fn begin_fall_back(&mut self, now: Micros, path: usize) -> bool {
        let Some(server) = self.paths.get(path).map(|p| p.endpoint().clone()) else {
            return false;
        };
        let view = PathView::new(self.evidence(), &server);
        if self.fell_back.contains(&path) || !falls_back(&view) || self.scope.until <= Layer::Tls {
            return false;
        }
        self.fell_back.push(path);
        self.stage = Stage::Advancing;
        let (line, what) = self.opening_with(&server, LinePurpose::FallBack);
        self.touched.lines.push(server.clone());
        let mut about = server.subject();
        about.fall_back = true;
        let until = now.after(self.scope.patience_us);
        let running = Running::FallBackLine { path, line };
        self.start(now, until, about, running, what);
        true
    }

    /// The line is there, or not: then the first one's end is what the client is left with.
    pub(super) fn fall_back_line_ended(
        &mut self,
        run: &mut RunState,
        now: Micros,
        path: usize,
        line: LineId,
        how: &Ended,
    ) {
        let server = self.paths.get(path).map(|p| p.endpoint().clone());
        let Some(server) = server.filter(|_| matches!(how, Ended::Resting(_))) else {
            return self.advance_ended(now, path);
        };
        let (permit, withheld) = self.leave_to_prove(run, &server);
        let what = Probe::Advance {
            line,
            stop: self.scope.until,
            permit,
            withheld,
        };
        let mut about = server.subject();
        about.fall_back = true;
        self.start(
            now,
            self.deadline,
            about,
            Running::Advance { path, line },
            what,
        );
    }
}
