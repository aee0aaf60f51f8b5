//! Looks beside the paths: when each is due, and what it asks of the edge.

use std::net::{IpAddr, SocketAddr};

use chronaxis_engines::by_id;
use chronaxis_model::endpoint::Endpoint;
use chronaxis_model::fact::{Fact, HostQuestion};
use chronaxis_model::layer::Micros;
use chronaxis_model::order::{ECHOES, LocalLook, Probe};
use chronaxis_model::settings::usual_port_meant;

use super::paths::SHORT_SILENCE;
use super::side_checks::Look;
use super::{Running, Walk};
use crate::judge::Evidence;
use crate::run_cache::{Claim, Shared};
use crate::run_state::RunState;

/// After how long it is looked again whether another target of the run is done, should the
/// word that it is not come.
const A_MOMENT: Micros = Micros::from_millis(500);

/// Silence after which a device that does not answer was asked for its link-layer address
/// more than once: one second apart (arp(7), `retrans_time`; RFC 4861, section 10).
const ASKED_TWICE: Micros = Micros::from_millis(1_500);

/// Of how many addresses of a target the hosts themselves are asked.
const HOSTS_ASKED: usize = 2;

/// A port that is far from the one dialled, and hardly open: discard (RFC 863), or one of
/// those that are given out for the moment.
pub(super) fn far_port(port: u16) -> u16 {
    if port < 20_000 { 40_009 } else { 9 }
}

impl Walk {
    /// For each host the port below, and, where the port looks like a slip, the port that
    /// was probably meant; for a host of this machine the queue of its own listener.
    pub(super) fn plan_side_checks(&mut self, now: Micros) {
        if self.quiet {
            return;
        }
        let (from, until) = (now.after(SHORT_SILENCE), now.after(self.scope.patience_us));
        let usual = by_id(self.target.engine).spec.usual_port;
        let ways = self.evidence().ways();
        // More of them would say no more of the filter before them.
        let first: Vec<IpAddr> = (ways.iter().filter_map(|way| way.endpoint.ip()))
            .take(HOSTS_ASKED)
            .collect();
        for way in ways {
            let Endpoint::Tcp(to) = way.endpoint else {
                continue;
            };
            if !self.side_checks.knows(to.ip()) {
                let below = if to.port() > 1 { to.port() - 1 } else { 2 };
                let look = Look::Knock((to.ip(), below).into());
                self.side_checks.plan(look, from, until);
            }
            // Where lines are counted, the port that was probably meant is asked in full, and
            // left politely, instead of being knocked on.
            let counts = by_id(self.target.engine).spec.counts_lines;
            if let Some((meant, _)) = usual_port_meant(to.port(), usual).filter(|_| !counts) {
                let look = Look::Knock((to.ip(), meant).into());
                self.side_checks.plan(look, from, until);
            }
            if first.contains(&to.ip()) {
                self.plan_host_questions(to, now, until);
            }
            self.side_checks.plan(Look::Queue(to), from, until);
            self.side_checks.plan(Look::Listeners(to), from, until);
            self.side_checks.plan(Look::Firewall(to), from, until);
            self.side_checks.plan(Look::Connections(to), from, until);
            self.side_checks.plan(Look::SendFailures(to), from, until);
            let asked_twice = now.after(ASKED_TWICE).min(until.since(SHORT_SILENCE));
            self.side_checks.plan(Look::NextHop(to), asked_twice, until);
        }
    }

    /// What is asked of the host itself should its neighbouring port be silent too.
    fn plan_host_questions(&mut self, to: SocketAddr, now: Micros, until: Micros) {
        // This machine's own tables say more of it.
        if chronaxis_model::reserved_ranges::is_here(to.ip()) {
            return;
        }
        let from = now.after(SHORT_SILENCE).after(SHORT_SILENCE);
        if from < until {
            let far = SocketAddr::new(to.ip(), far_port(to.port()));
            self.side_checks.plan(Look::Far(far), from, until);
            for with in [HostQuestion::Datagram, HostQuestion::Echo] {
                self.side_checks.plan(Look::Host(far, with), from, until);
            }
        }
    }

    pub(super) fn due_side_check(&mut self, now: Micros) -> Option<(Look, Micros)> {
        let paths = &self.paths;
        let evidence = Evidence {
            target: &self.shown,
            scope: &self.scope,
            log: self.log.entries(),
        };
        let here = |ip: IpAddr| evidence.is_own_address(ip);
        let is_up = |ip: IpAddr| evidence.is_up(ip);
        let usual = by_id(self.target.engine).spec.usual_port;
        self.side_checks.take_due(now, |look| match look {
            // The port that was probably meant, where another service answers on the one given.
            Look::Knock(to) if Some(to.port()) == usual && paths.is_unspoken(to.ip()) => true,
            Look::Knock(to) => paths.in_doubt(to.ip()),
            Look::Hidden(_) => true,
            Look::Far(to) | Look::Host(to, _) => {
                !here(to.ip()) && paths.unanswered_at(to.ip()) && !is_up(to.ip())
            }
            Look::Queue(to) => {
                here(to.ip()) && (paths.in_silence(to.ip()) || paths.failing(to.ip(), now))
            }
            Look::Listeners(to) => here(to.ip()) && paths.failing(to.ip(), now),
            Look::Firewall(to) => !here(to.ip()) && paths.in_doubt(to.ip()),
            Look::Connections(to) => paths.unanswered_at(to.ip()),
            Look::SendFailures(to) | Look::NextHop(to) => {
                !here(to.ip()) && paths.unanswered_at(to.ip())
            }
        })
    }

    pub(super) fn look_beside(
        &mut self,
        run: &mut RunState,
        now: Micros,
        look: Look,
        until: Micros,
    ) {
        let until = until.max(now.after(SHORT_SILENCE));
        let about = Endpoint::Tcp(look.to()).subject();
        let redactor = self.redactor.clone();
        let here = |what| Probe::LookHere { what, redactor };
        let what = match look {
            Look::Queue(to) => here(LocalLook::Queue { to }),
            Look::Listeners(to) => here(LocalLook::Listeners {
                port: to.port(),
                engine: self.target.engine,
            }),
            Look::Firewall(to) => here(LocalLook::Firewall {
                to,
                from: self.tried_from(to),
                interface: self.interface_to(to.ip()),
            }),
            Look::Connections(to) => here(LocalLook::Connections { to }),
            Look::SendFailures(to) => here(LocalLook::SendFailures { to }),
            Look::NextHop(to) => here(LocalLook::NextHop { to }),
            Look::Host(to, with) => match self.claim_host(run, now, look, until) {
                true => Probe::AskHost { to, with },
                false => return,
            },
            Look::Knock(to) | Look::Far(to) | Look::Hidden(to) => {
                match self.claim_knock(run, now, look, until) {
                    true => Probe::Knock { to },
                    false => return,
                }
            }
        };
        let running = Running::SideCheck { look, began: now };
        self.start(now, until, about, running, what);
    }

    fn tried_from(&self, to: SocketAddr) -> Option<SocketAddr> {
        self.evidence()
            .at(&Endpoint::Tcp(to))
            .find(|fact| match fact {
                Fact::PortTried { from } => Some(*from),
                _ => None,
            })
    }

    fn interface_to(&self, host: IpAddr) -> Option<String> {
        self.evidence().interface_to(host).map(str::to_owned)
    }

    /// Whether a port is to be knocked on by this target: no other one of the run has, or
    /// is about to.
    fn claim_knock(&mut self, run: &mut RunState, now: Micros, look: Look, until: Micros) -> bool {
        let to = look.to();
        let usual = by_id(self.target.engine).spec.usual_port;
        let any = matches!(look, Look::Knock(_)) && Some(to.port()) != usual;
        let claim = run.cache.claim_knock(to, any, self.turns.number);
        let ours = self.claimed(claim, now, look, until);
        if ours {
            self.touched.lines.push(Endpoint::Tcp(to));
        }
        ours
    }

    /// The same for what a host says of itself.
    fn claim_host(&mut self, run: &mut RunState, now: Micros, look: Look, until: Micros) -> bool {
        let Look::Host(to, with) = look else {
            return false;
        };
        let claim = run
            .cache
            .claim(&Shared::Host(to.ip(), with), self.turns.number);
        let ours = self.claimed(claim, now, look, until);
        if ours {
            self.touched.steps += match with {
                HostQuestion::Datagram => 1,
                HostQuestion::Echo => ECHOES,
            };
        }
        ours
    }

    /// Whether a look is this target's to make; else what came of it is noted, or waited
    /// for.
    fn claimed(&mut self, claim: Claim, now: Micros, look: Look, until: Micros) -> bool {
        match claim {
            Claim::Yours => true,
            Claim::Pending => {
                self.side_checks.postpone(look, now.after(A_MOMENT), until);
                false
            }
            Claim::Known(seen) => {
                self.side_checks.done(look);
                for (layer, about, fact) in seen {
                    self.note(now, layer, about, fact);
                }
                false
            }
        }
    }

    /// Hands on what came of a look that the targets of the run share.
    pub(super) fn publish_look(&self, run: &mut RunState, look: Look) {
        let about = Endpoint::Tcp(look.to()).subject();
        let shared = match look {
            Look::Host(to, with) => Shared::Host(to.ip(), with),
            Look::Knock(to) | Look::Far(to) | Look::Hidden(to) => Shared::Knock(to),
            _ => return,
        };
        let seen = self.seen_of(|o, fact| {
            *o == about
                && match (look, fact) {
                    (Look::Host(_, of), Fact::HostAsked { with, .. }) => *with == of,
                    (Look::Host(..), _) => false,
                    (_, fact) => matches!(fact, Fact::ControlPort { .. }),
                }
        });
        match seen.is_empty() {
            true => run.cache.release(&shared),
            false => run.cache.publish(shared, seen),
        }
    }
}
