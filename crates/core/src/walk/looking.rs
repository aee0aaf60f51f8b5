//! Looks beside the paths: when each is due, and what it asks of the edge.

use std::net::{IpAddr, SocketAddr};

use super::asides::Look;
use super::paths::SHORT_SILENCE;
use super::{Running, Walk};
use crate::board::{Claim, Shared};
use crate::endpoint::Endpoint;
use crate::engine::by_id;
use crate::fact::Fact;
use crate::layer::Micros;
use crate::order::Probe;
use crate::permit::Ledger;
use crate::settings::usual_port_meant;

/// After how long it is looked again whether another target of the run is done, should the
/// word that it is not come.
const A_MOMENT: Micros = Micros::from_millis(500);

/// Silence after which a device that does not answer was asked for its link-layer address
/// more than once: one second apart (arp(7), `retrans_time`; RFC 4861, section 10).
const ASKED_TWICE: Micros = Micros::from_millis(1_500);

impl Walk {
    /// For each host the port below, and, where the port looks like a slip, the port that
    /// was probably meant; for a host of this machine the queue of its own listener.
    pub(super) fn plan_asides(&mut self, now: Micros) {
        let (from, until) = (now.after(SHORT_SILENCE), now.after(self.scope.patience_us));
        let usual = by_id(self.target.engine).usual_port();
        for way in self.evidence().ways() {
            let Endpoint::Tcp(to) = way.endpoint else {
                continue;
            };
            if !self.asides.knows(to.ip()) {
                let below = if to.port() > 1 { to.port() - 1 } else { 2 };
                let look = Look::Knock((to.ip(), below).into());
                self.asides.plan(look, from, until);
            }
            // Where lines are counted, the port that was probably meant is asked in full, and
            // left politely, instead of being knocked on.
            let counts = by_id(self.target.engine).counts_lines();
            if let Some((meant, _)) = usual_port_meant(to.port(), usual).filter(|_| !counts) {
                let look = Look::Knock((to.ip(), meant).into());
                self.asides.plan(look, from, until);
            }
            self.asides.plan(Look::Queue(to), from, until);
            self.asides.plan(Look::Listeners(to), from, until);
            self.asides.plan(Look::Filter(to), from, until);
            self.asides.plan(Look::Connections(to), from, until);
            self.asides.plan(Look::SendFailures(to), from, until);
            let asked_twice = now.after(ASKED_TWICE).min(until.since(SHORT_SILENCE));
            self.asides.plan(Look::NextDevice(to), asked_twice, until);
        }
    }

    pub(super) fn due_aside(&mut self, now: Micros) -> Option<(Look, Micros)> {
        let (paths, log) = (&self.paths, &self.log);
        let here = |ip: IpAddr| {
            crate::special::is_here(ip) || log.iter().any(|o| {
                o.about.address == Some(ip)
                    && matches!(o.fact(), Some(Fact::RouteFound { source, .. }) if *source == ip)
            })
        };
        let usual = by_id(self.target.engine).usual_port();
        self.asides.take_due(now, |look| match look {
            // The port that was probably meant, where another service answers on the one given.
            Look::Knock(to) if Some(to.port()) == usual && paths.is_unspoken(to.ip()) => true,
            Look::Knock(to) => paths.in_doubt(to.ip()),
            Look::Hidden(_) => true,
            Look::Queue(to) => {
                here(to.ip()) && (paths.in_silence(to.ip()) || paths.failing(to.ip(), now))
            }
            Look::Listeners(to) => here(to.ip()) && paths.failing(to.ip(), now),
            Look::Filter(to) => !here(to.ip()) && paths.in_doubt(to.ip()),
            Look::Connections(to) => paths.unanswered_at(to.ip()),
            Look::SendFailures(to) | Look::NextDevice(to) => {
                !here(to.ip()) && paths.unanswered_at(to.ip())
            }
        })
    }

    pub(super) fn look_beside(
        &mut self,
        ledger: &mut Ledger,
        now: Micros,
        look: Look,
        until: Micros,
    ) {
        let until = until.max(now.after(SHORT_SILENCE));
        let about = Endpoint::Tcp(look.to()).subject();
        let redactor = self.redactor.clone();
        let what = match look {
            Look::Queue(to) => Probe::LocalListener { to },
            Look::Listeners(to) => Probe::ListenersHere {
                port: to.port(),
                engine: self.target.engine,
                redactor,
            },
            Look::Filter(to) => Probe::OwnFilter {
                to,
                from: self.tried_from(to),
                interface: self.interface_to(to.ip()),
                redactor,
            },
            Look::Connections(to) => Probe::ConnectionsOpen { to, redactor },
            Look::SendFailures(to) => Probe::OwnSendFailures { to },
            Look::NextDevice(to) => Probe::NextDevice { to },
            Look::Knock(to) | Look::Hidden(to) => {
                match self.claim_knock(ledger, now, look, until) {
                    true => Probe::Knock { to },
                    false => return,
                }
            }
        };
        let running = Running::Aside { look, began: now };
        self.start(now, until, about, running, what);
    }

    fn tried_from(&self, to: SocketAddr) -> Option<SocketAddr> {
        let about = Endpoint::Tcp(to).subject();
        self.log.iter().find_map(|o| match o.fact() {
            Some(Fact::PortTried { from })
                if o.about.address == about.address && o.about.port == about.port =>
            {
                Some(*from)
            }
            _ => None,
        })
    }

    fn interface_to(&self, host: IpAddr) -> Option<String> {
        self.log.iter().find_map(|o| match o.fact() {
            Some(Fact::RouteFound { interface, .. }) if o.about.address == Some(host) => {
                interface.clone()
            }
            _ => None,
        })
    }

    /// Whether a port is to be knocked on by this target: no other one of the run has, or
    /// is about to.
    fn claim_knock(&mut self, ledger: &mut Ledger, now: Micros, look: Look, until: Micros) -> bool {
        let to = look.to();
        let usual = by_id(self.target.engine).usual_port();
        let any = matches!(look, Look::Knock(_)) && Some(to.port()) != usual;
        match ledger.board.claim_knock(to, any, self.order) {
            Claim::Yours => {
                self.touched.lines.push(Endpoint::Tcp(to));
                true
            }
            Claim::Pending => {
                self.asides.postpone(look, now.after(A_MOMENT), until);
                false
            }
            Claim::Known(seen) => {
                self.asides.done(look);
                for (layer, about, fact) in seen {
                    self.note(now, layer, about, fact);
                }
                false
            }
        }
    }

    pub(super) fn publish_knock(&self, ledger: &mut Ledger, to: SocketAddr) {
        let about = Endpoint::Tcp(to).subject();
        let seen = self.seen_of(|o, fact| *o == about && matches!(fact, Fact::ControlPort { .. }));
        match seen.is_empty() {
            true => ledger.board.release(&Shared::Knock(to)),
            false => ledger.board.publish(Shared::Knock(to), seen),
        }
    }
}
