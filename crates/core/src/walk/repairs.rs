//! Repaired forms of a refused secret: tried only where the user asks for it, each on a
//! line of its own.

use std::collections::VecDeque;

use super::{Running, Stage, Walk};
use crate::endpoint::Endpoint;
use crate::fact::{Awaited, Fact};
use crate::layer::{Layer, Micros};
use crate::order::{Ended, LineId, Probe, ProbeId};
use crate::permit::{Account, Ledger};
use crate::secret::{Repair, Secret};

/// The forms that are still to be tried, and the one under way.
pub(super) struct Repairs {
    server: Endpoint,
    left: VecDeque<(Repair, Secret)>,
    current: Option<(Repair, Secret)>,
    line: Option<LineId>,
}

impl Walk {
    /// Begins with the repaired forms, if there are any and they are asked for.
    pub(super) fn begin_repairs(&mut self, server: Endpoint) -> bool {
        if !self.scope.try_repairs {
            return false;
        }
        let secret = self.target.secret.as_ref();
        let left: VecDeque<_> = secret.map_or_else(Vec::new, |s| s.value.repairs()).into();
        if left.is_empty() {
            return false;
        }
        self.repairs = Some(Repairs {
            server,
            left,
            current: None,
            line: None,
        });
        self.stage = Stage::Repairing;
        true
    }

    /// Does the next step of the repairs; once there is none, the walk is over.
    pub(super) fn repair(&mut self, ledger: &mut Ledger, now: Micros) {
        let Some(mut repairs) = self.repairs.take() else {
            return self.finish();
        };
        if let (Some(line), Some((_, secret))) = (repairs.line.take(), &repairs.current) {
            let account = Account {
                server: repairs.server.clone(),
                user: self.target.user.clone().unwrap_or_default(),
            };
            match ledger.ask_repair(&account, secret) {
                Some(permit) => {
                    let what = Probe::Advance {
                        line,
                        stop: Layer::Login,
                        permit: Some(permit),
                        withheld: None,
                    };
                    let about = repairs.server.subject();
                    self.start(now, self.deadline, about, Running::Repair, what);
                    self.repairs = Some(repairs);
                }
                None => self.orders.push_back(crate::order::Order::Close(line)),
            }
            return;
        }
        let Some(next) = repairs.left.pop_front() else {
            return self.finish();
        };
        repairs.current = Some(next);
        let (line, what) = self.opening(&repairs.server);
        self.touched.lines.push(repairs.server.clone());
        let about = repairs.server.subject();
        let until = now.after(self.scope.patience_us);
        self.start(now, until, about, Running::RepairLine(line), what);
        self.repairs = Some(repairs);
    }

    /// Of what is seen on a line of a repair only this counts: whether it was let in.
    pub(super) fn repair_observed(&mut self, now: Micros, probe: ProbeId, fact: Fact) {
        let about = self.about(probe);
        let tried = |accepted| {
            let (repair, _) = self.repairs.as_ref()?.current.as_ref()?;
            Some(Fact::RepairTried {
                repair: *repair,
                accepted,
            })
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
        if let Some(repairs) = self.repairs.as_mut() {
            if connected {
                repairs.line = Some(line);
            } else {
                repairs.left.clear();
            }
        }
    }
}
