//! Repaired forms of a refused secret: tried only where the user asks for it, each on a
//! line of its own.

use std::collections::VecDeque;

use chronaxis_engines::LinePurpose;
use chronaxis_model::endpoint::Endpoint;
use chronaxis_model::fact::{Awaited, Fact};
use chronaxis_model::layer::{Layer, Micros};
use chronaxis_model::order::{Ended, LineId, Probe, ProbeId};
use chronaxis_model::permit::{Permit, RepairLeave};
use chronaxis_model::secret::{Repair, Secret};

use super::{Running, Stage, Walk};
use crate::judge::PathView;
use crate::run_state::RunState;

/// The forms that are still to be tried, and the one under way.
pub(super) struct Repairs {
    server: Endpoint,
    left: VecDeque<(Repair, Secret)>,
    current: Option<Repair>,
    permit: Option<Permit>,
    line: Option<LineId>,
}

impl Walk {
    /// Begins with the repaired forms, if there are any and they are asked for.
    pub(super) fn begin_repairs(&mut self, server: Endpoint) {
        let secret = self.target.secret.as_ref();
        let left: VecDeque<_> = secret.map_or_else(Vec::new, |s| s.value.repairs()).into();
        if !self.scope.try_repairs || left.is_empty() {
            return;
        }
        self.repairs = Some(Repairs {
            server,
            left,
            current: None,
            permit: None,
            line: None,
        });
        self.stage = Stage::Repairing;
    }

    /// Does the next step of the repairs; once there is none, the walk is over.
    pub(super) fn repair(&mut self, run: &mut RunState, now: Micros) {
        let Some(mut repairs) = self.repairs.take() else {
            return self.finish(run, now);
        };
        let about = repairs.server.subject();
        if let Some(line) = repairs.line.take() {
            let what = Probe::Advance {
                line,
                stop: Layer::Login,
                permit: repairs.permit.take(),
                withheld: None,
            };
            self.start(now, self.deadline, about, Running::Repair, what);
            self.repairs = Some(repairs);
            return;
        }
        if let Some(unused) = repairs.permit.take() {
            // Its line did not come about.
            run.permits.settle(unused);
            return self.finish(run, now);
        }
        let account = self.account_at(&repairs.server);
        while let Some((repair, secret)) = repairs.left.pop_front() {
            match run.permits.ask_repair(&account, &secret) {
                RepairLeave::Refused => break,
                RepairLeave::Known(accepted) => {
                    let fact = Fact::RepairTried { repair, accepted };
                    self.note(now, Layer::Login, about.clone(), fact);
                    if accepted {
                        break;
                    }
                }
                RepairLeave::Try(permit) => {
                    repairs.current = Some(repair);
                    repairs.permit = Some(permit);
                    // On the kind of line on which the given one was refused.
                    let view = PathView::new(self.evidence(), &repairs.server);
                    let manner = match view.fell_back() {
                        true => LinePurpose::FallBack,
                        false => LinePurpose::First,
                    };
                    let (line, what) = self.opening_with(&repairs.server, manner);
                    self.touched.lines.push(repairs.server.clone());
                    let until = now.after(self.scope.patience_us);
                    self.start(now, until, about, Running::RepairLine(line), what);
                    self.repairs = Some(repairs);
                    return;
                }
            }
        }
        self.finish(run, now);
    }

    /// Of what is seen on a line of a repair only this counts: whether it was let in.
    pub(super) fn repair_observed(&mut self, now: Micros, probe: ProbeId, fact: Fact) {
        let about = self.probes.get(probe).map(|p| p.about.clone());
        let tried = |accepted| {
            let repair = self.repairs.as_ref()?.current?;
            Some(Fact::RepairTried { repair, accepted })
        };
        let noted = match fact {
            Fact::ProofSent => Some(Fact::ProofSent),
            Fact::LoggedIn { .. } => tried(true),
            Fact::ServerRefused { awaited, .. }
            | Fact::PeerSilent { awaited, .. }
            | Fact::PeerClosed { awaited, .. }
                if awaited == Awaited::Admission =>
            {
                tried(false)
            }
            _ => None,
        };
        if let (Some(noted), Some(about)) = (noted, about) {
            let accepted = matches!(noted, Fact::RepairTried { accepted: true, .. });
            self.note(now, Layer::Login, about, noted);
            if let Some(repairs) = self.repairs.as_mut().filter(|_| accepted) {
                repairs.left.clear();
            }
        }
    }

    /// The line of a repair is there, or not.
    pub(super) fn repair_line_ended(&mut self, line: LineId, how: &Ended) {
        let connected = matches!(how, Ended::Resting(_));
        if let Some(repairs) = self.repairs.as_mut().filter(|_| connected) {
            repairs.line = Some(line);
        }
    }
}
