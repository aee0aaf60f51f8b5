//! What a target's attempts share with those of the other targets of a run: what a port
//! comes to is tried once, room for sockets is taken in turn, and a server that counts
//! lines which end early sees few of them, whatever the engine of the target.

use std::net::SocketAddr;

use super::Walk;
use crate::board::{Claim, Seen, Shared};
use crate::endpoint::Endpoint;
use crate::engine::{ENGINES, by_id};
use crate::fact::{Awaited, Fact, Service};
use crate::layer::{Layer, Micros};
use crate::permit::{Ledger, Server};
use crate::redact::Redacted;
use crate::target::End;

/// How long others wait for a word from a place that connects, to learn whether it counts.
const FOR_A_WORD: Micros = Micros::from_millis(1_000);

/// What this target owes the others, and what it waits for.
#[derive(Debug, Default)]
pub(super) struct Sharing {
    /// Ports that it tries for all, and since when they connect.
    held: Vec<(SocketAddr, Option<Micros>)>,
    has_room: bool,
    /// Since when it waits for room.
    awaits_room: Option<Micros>,
    /// Whether a path waits for what another target learns.
    awaits_port: bool,
}

impl Sharing {
    pub(super) fn awaits(&self) -> bool {
        self.awaits_port || self.awaits_room.is_some()
    }

    /// When others need wait no longer.
    pub(super) fn next_due(&self) -> Option<Micros> {
        let connected = self.held.iter().filter_map(|(_, since)| *since);
        connected.map(|since| since.after(FOR_A_WORD)).min()
    }
}

/// Whether servers of some engine that answer so count lines which end early.
pub(super) fn is_of_counting(service: Service) -> bool {
    let all = ENGINES.iter().filter(|e| e.counts_lines());
    all.flat_map(|e| e.services()).any(|s| *s == service)
}

impl Walk {
    /// Lets every path begin that may: those that nobody has tried, those that connect. What
    /// others have learnt of a path that does not is taken over.
    pub(super) fn begin_due_paths(&mut self, ledger: &mut Ledger, now: Micros) {
        self.sharing.awaits_port = false;
        for index in self.paths.unbegun() {
            let Some(endpoint) = self.paths.get(index).map(|p| p.endpoint().clone()) else {
                continue;
            };
            if self.may_begin(ledger, now, index, &endpoint) && self.has_room(ledger, now) {
                self.paths.begin(index, now, self.scope.patience_us);
            }
        }
    }

    fn may_begin(
        &mut self,
        ledger: &mut Ledger,
        now: Micros,
        index: usize,
        endpoint: &Endpoint,
    ) -> bool {
        let Endpoint::Tcp(to) = endpoint else {
            return true;
        };
        if self.sharing.held.iter().any(|(held, _)| held == to) {
            return true;
        }
        match ledger.board.claim(&Shared::Port(*to), self.order) {
            Claim::Yours => {
                self.sharing.held.push((*to, None));
                true
            }
            Claim::Pending => {
                self.sharing.awaits_port = true;
                false
            }
            Claim::Known(seen) => {
                let connects = seen
                    .iter()
                    .any(|(.., f)| matches!(f, Fact::PortConnected { .. }));
                let own = by_id(self.target.engine).counts_lines();
                let spared = connects && ledger.board.is_counting(*to) && !own;
                if connects && self.scope.until > Layer::Port && !spared {
                    return true;
                }
                self.take_over(now, index, *to, seen, spared);
                false
            }
        }
    }

    /// Takes over what another target learnt of a port; where it is `spared`, that a server
    /// of another engine speaks there.
    fn take_over(
        &mut self,
        now: Micros,
        index: usize,
        to: SocketAddr,
        seen: Vec<Seen>,
        spared: bool,
    ) {
        let about = Endpoint::Tcp(to).subject();
        let (route_missing, silent) = seen.iter().fold((false, false), |(route, silent), s| {
            (
                route || matches!(s.2, Fact::RouteMissing { .. }),
                silent || matches!(s.2, Fact::PortSilent { .. }),
            )
        });
        let connects = seen
            .iter()
            .any(|(.., f)| matches!(f, Fact::PortConnected { .. }));
        let said = seen
            .iter()
            .any(|(.., f)| matches!(f, Fact::OtherAnswer { .. }));
        let port_only = self.scope.until <= Layer::Port;
        for (layer, about, fact) in seen {
            if layer <= Layer::Port || !port_only {
                self.note(now, layer, about, fact);
            }
        }
        if spared && !said {
            let fact = Fact::OtherAnswer {
                awaited: Awaited::Greeting,
                begins: Redacted::default(),
                service: Some(Service::Mysql),
            };
            self.note(now, Layer::Listener, about, fact);
        }
        self.paths.seen_route(index);
        if route_missing {
            self.paths.no_way(index);
            self.asides.forget(to.ip());
        }
        self.paths.took_over(index, now, connects, silent);
        if !connects && !route_missing && !silent {
            self.asides.at_once(to.ip());
        }
        if spared {
            self.paths.unspoken(index);
            self.paths.failed(index);
        }
        if self.paths.all_routes_seen() {
            self.settle_up_to(Layer::Route);
        }
    }

    /// Whether this target may have sockets now. The time that it waits for its turn is not
    /// taken from its deadline.
    fn has_room(&mut self, ledger: &mut Ledger, now: Micros) -> bool {
        if !self.sharing.has_room && ledger.take_room(self.order) {
            self.sharing.has_room = true;
            if let Some(since) = self.sharing.awaits_room.take() {
                self.deadline = self.deadline.after(now.since(since));
            }
        }
        if !self.sharing.has_room {
            self.sharing.awaits_room.get_or_insert(now);
        }
        self.sharing.has_room
    }

    /// Tells the others what the ports came to that this target tries for them.
    pub(super) fn share_ports(&mut self, ledger: &mut Ledger, now: Micros, over: bool) {
        let held = std::mem::take(&mut self.sharing.held);
        for (to, since) in held {
            let connects = self.paths.connects_at(to);
            let since = since.or(connects.then_some(now));
            let spoke = connects && self.has_spoken(to);
            let waited = since.is_some_and(|since| since.after(FOR_A_WORD) <= now);
            let settled = self.paths.is_settled(to);
            if spoke || (connects && (waited || over)) || settled {
                let seen = self.seen_of_port(to);
                let ours = |fact: &Fact| matches!(fact, Fact::LocalFailure { .. });
                match seen.is_empty() || seen.iter().any(|(.., fact)| ours(fact)) {
                    // What failed here may not fail for others.
                    true => ledger.board.release(&Shared::Port(to)),
                    false => ledger.board.publish(Shared::Port(to), seen),
                }
            } else if over {
                ledger.board.release(&Shared::Port(to));
            } else {
                self.sharing.held.push((to, since));
            }
        }
    }

    /// Gives back the room for sockets.
    pub(super) fn leave_room(&mut self, ledger: &mut Ledger) {
        if std::mem::take(&mut self.sharing.has_room) {
            ledger.leave_room();
        }
    }

    /// Whether anything was heard there, or the line ended.
    fn has_spoken(&self, to: SocketAddr) -> bool {
        let of_it = |layer: Layer, about: &crate::fact::Subject| {
            layer >= Layer::Listener
                && about.address == Some(to.ip())
                && about.port == Some(to.port())
        };
        self.log.iter().any(|o| of_it(o.layer, &o.about)) || self.paths.is_walked(to)
    }

    fn seen_of_port(&self, to: SocketAddr) -> Vec<Seen> {
        let found = self.log.iter().filter_map(|o| {
            let fact = o.fact()?;
            let its = o.about.address == Some(to.ip()) && o.about.port == Some(to.port());
            let shared = match fact {
                Fact::ControlPort { .. } | Fact::PathStep { .. } | Fact::LineMeasured { .. } => {
                    false
                }
                Fact::OtherAnswer { service, .. } => service.is_some_and(is_of_counting),
                _ => matches!(o.layer, Layer::Route | Layer::Port),
            };
            (its && shared && !o.about.fall_back).then(|| (o.layer, o.about.clone(), fact.clone()))
        });
        found.collect()
    }

    /// What a fact says of a server that counts lines.
    pub(super) fn note_counting(&self, ledger: &mut Ledger, server: &Endpoint, fact: &Fact) {
        let own = by_id(self.target.engine).counts_lines();
        let counts = match fact {
            Fact::SpokeProtocol { .. } => own,
            Fact::OtherAnswer { service, .. } | Fact::ServiceAsked { service, .. } => {
                let counts = service.is_some_and(is_of_counting);
                if counts {
                    // This line ended without the sign-in for which it waits.
                    ledger.count_given_up(server.clone());
                }
                counts
            }
            _ => false,
        };
        if let (true, Endpoint::Tcp(to)) = (counts, server) {
            ledger.board.counts(*to);
        }
    }

    /// The server at the end of a line, by all that is known of it before a proof.
    pub(super) fn server_at(&self, endpoint: &Endpoint) -> Server {
        let ways = self.evidence().ways();
        let way = ways.iter().find(|w| w.endpoint == *endpoint);
        let end = way.and_then(|w| self.target.ends.get(w.host));
        let name = match end {
            Some(End::Host { host, port, .. }) if host.parse::<std::net::IpAddr>().is_err() => {
                Some((host.clone(), *port))
            }
            _ => None,
        };
        let own_address = |ip: std::net::IpAddr| {
            crate::special::is_here(ip) || self.log.iter().any(|o| {
                o.about.address == Some(ip)
                    && matches!(o.fact(), Some(Fact::RouteFound { source, .. }) if *source == ip)
            })
        };
        let here = endpoint.ip().is_none_or(own_address);
        Server {
            endpoint: endpoint.clone(),
            name,
            here: here.then_some(self.target.engine),
        }
    }
}
