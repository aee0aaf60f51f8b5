//! What is asked beside the client's own line, on lines that carry neither user nor
//! secret: whether the server encrypts, what older encryption it takes, who answers if not
//! the engine, and whether the engine answers on its usual port.

use super::{Running, Walk};
use crate::endpoint::Endpoint;
use crate::engine::{Feeler, Manner, by_id, feeler};
use crate::fact::{Fact, Spoke};
use crate::judge::Symptom;
use crate::layer::{Layer, Micros};
use crate::order::{Ended, LineId, Order, Probe, ProbeId};

/// Longest wait for an answer to bytes that only ask who is there.
const SHORT: Micros = Micros::from_millis(600);

/// What a line beside the client's own is for.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Purpose {
    /// Whether the server encrypts.
    Offer,
    /// What older encryption it takes.
    OldHello,
    /// Who answers, by these bytes; the second of two.
    Feel(Feeler, bool),
    /// Whether the engine answers on its usual port.
    Elsewhere,
}

impl Walk {
    /// Asks what the end of the client's own line leaves open.
    pub(super) fn ask_beside(&mut self, now: Micros, server: &Endpoint, symptom: Symptom) {
        if server.ip().is_none() {
            return;
        }
        match symptom {
            Symptom::LoginHostRefused if !self.offer_is_known() => {
                self.begin_beside(now, server, Purpose::Offer);
            }
            Symptom::TlsAlert | Symptom::TlsNothingInCommon | Symptom::TlsClosed => {
                self.begin_beside(now, server, Purpose::OldHello);
            }
            Symptom::ListenerOther if self.service_is_known() => self.look_elsewhere(now, server),
            Symptom::ListenerOther | Symptom::ListenerMute | Symptom::ListenerClosed
                if !self.is_asleep() && !self.engine_spoke(server) =>
            {
                let port = server.port().unwrap_or_default();
                let first = Feeler::first_for(port, by_id(self.target.engine));
                self.begin_beside(now, server, Purpose::Feel(first, false));
            }
            _ => {}
        }
    }

    fn offer_is_known(&self) -> bool {
        let told = |fact: &Fact| matches!(fact, Fact::EncryptionAnswered { .. });
        self.log.iter().filter_map(|o| o.fact()).any(told)
    }

    fn service_is_known(&self) -> bool {
        let known = |fact: &Fact| match fact {
            Fact::OtherAnswer { service, .. } | Fact::ServiceAsked { service, .. } => {
                service.is_some()
            }
            _ => false,
        };
        self.log.iter().filter_map(|o| o.fact()).any(known)
    }

    /// Whether the engine answered its own client there, whatever came after.
    fn engine_spoke(&self, server: &Endpoint) -> bool {
        let about = server.subject();
        let spoke = |o: &crate::fact::Observation| {
            o.about == about && matches!(o.fact(), Some(Fact::SpokeProtocol { .. }))
        };
        self.log.iter().any(spoke)
    }

    /// A program of this machine that leaves connections in its queue answers nothing.
    fn is_asleep(&self) -> bool {
        let asleep =
            |fact: &Fact| matches!(fact, Fact::LocalListener { waiting, .. } if *waiting > 0);
        self.log.iter().filter_map(|o| o.fact()).any(asleep)
    }

    /// The engine's usual port of this host, unless it is the one that was dialled.
    fn look_elsewhere(&mut self, now: Micros, server: &Endpoint) {
        let usual = by_id(self.target.engine).usual_port();
        if let (Some(usual), Some(ip)) = (usual, server.ip())
            && server.port() != Some(usual)
            && !self.was_knocked_on(&Endpoint::Tcp((ip, usual).into()))
        {
            let there = Endpoint::Tcp((ip, usual).into());
            self.begin_beside(now, &there, Purpose::Elsewhere);
        }
    }

    fn was_knocked_on(&self, there: &Endpoint) -> bool {
        let about = there.subject();
        let on_it = |o: &crate::fact::Observation| {
            o.about == about && matches!(o.fact(), Some(Fact::ControlPort { .. }))
        };
        self.log.iter().any(on_it)
    }

    fn begin_beside(&mut self, now: Micros, server: &Endpoint, purpose: Purpose) {
        let (line, what) = match purpose {
            Purpose::Offer | Purpose::Elsewhere => self.opening_with(server, Manner::AskOffer),
            Purpose::OldHello => self.opening_with(server, Manner::OldHello),
            Purpose::Feel(kind, _) => {
                let line = LineId(self.next_id);
                let engine = by_id(self.target.engine);
                let wait = SHORT.min(self.scope.patience_us);
                let talk = feeler(kind, engine, wait);
                let to = server.clone();
                (line, Probe::Open { line, to, talk })
            }
        };
        self.touched.lines.push(server.clone());
        let until = now.after(self.scope.patience_us);
        let running = Running::BesideLine(line, server.clone(), purpose);
        self.start(now, until, server.subject(), running, what);
    }

    /// The line is there, or not; it goes on to the answer and no further.
    pub(super) fn beside_line_ended(
        &mut self,
        now: Micros,
        line: LineId,
        server: &Endpoint,
        purpose: Purpose,
        how: &Ended,
    ) {
        if !matches!(how, Ended::Resting(_)) {
            return self.beside_over(now, server, purpose);
        }
        let stop = match purpose {
            Purpose::OldHello => Layer::Tls,
            _ => Layer::Listener,
        };
        let what = Probe::Advance {
            line,
            stop,
            permit: None,
            withheld: None,
        };
        let running = Running::Beside(line, server.clone(), purpose);
        self.start(now, self.deadline, server.subject(), running, what);
    }

    /// The answer came; the line is left.
    pub(super) fn beside_ended(
        &mut self,
        now: Micros,
        line: LineId,
        server: &Endpoint,
        purpose: Purpose,
        how: &Ended,
    ) {
        if matches!(how, Ended::Resting(_)) {
            self.orders.push_back(Order::Close(line));
        }
        self.beside_over(now, server, purpose);
    }

    fn beside_over(&mut self, now: Micros, server: &Endpoint, purpose: Purpose) {
        match purpose {
            Purpose::Feel(first, false) if !self.service_is_known() => {
                let closed = |fact: &Fact| match fact {
                    Fact::ServiceAsked { spoke, .. } => *spoke == Spoke::Closed,
                    _ => false,
                };
                let closed = self.log.iter().filter_map(|o| o.fact()).any(closed);
                let second = Purpose::Feel(first.second_for(closed), true);
                self.begin_beside(now, server, second);
            }
            Purpose::Feel(..) if self.service_is_known() => self.look_elsewhere(now, server),
            Purpose::Elsewhere => {
                let about = server.subject();
                let answered = self.log.iter().any(|o| {
                    o.about == about && matches!(o.fact(), Some(Fact::EngineElsewhere { .. }))
                });
                if !answered {
                    let fact = Fact::EngineElsewhere { speaks: false };
                    self.note(now, Layer::Listener, about, fact);
                }
            }
            _ => {}
        }
    }

    /// Of what is seen on such a line only what it was for counts.
    pub(super) fn beside_observed(
        &mut self,
        now: Micros,
        probe: ProbeId,
        purpose: Purpose,
        fact: Fact,
    ) {
        let Some(about) = self.about(probe) else {
            return;
        };
        let noted = match (purpose, fact) {
            (_, fact @ (Fact::LeftNamingNobody { .. } | Fact::LeftCounted)) => {
                Some((Layer::Listener, fact))
            }
            (Purpose::Offer, Fact::EncryptionAnswered { offered, .. }) => {
                Some((Layer::Tls, Fact::EncryptionOffer { offered }))
            }
            (Purpose::OldHello, fact @ Fact::HelloAnswered { .. }) => Some((Layer::Tls, fact)),
            (Purpose::Feel(..), fact @ Fact::ServiceAsked { .. }) => Some((Layer::Listener, fact)),
            (Purpose::Elsewhere, Fact::SpokeProtocol { .. }) => {
                Some((Layer::Listener, Fact::EngineElsewhere { speaks: true }))
            }
            _ => None,
        };
        if let Some((layer, fact)) = noted {
            self.note(now, layer, about, fact);
        }
    }
}
