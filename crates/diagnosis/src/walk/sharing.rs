//! What a target's attempts share with those of the other targets of a run: what a port
//! comes to is tried once, room for sockets is taken in turn, and a server that counts
//! lines which end early sees few of them, whatever the engine of the target.

use std::net::SocketAddr;

use chronaxis_engines::{by_id, engines};
use chronaxis_model::endpoint::Endpoint;
use chronaxis_model::fact::{Awaited, Fact, Service};
use chronaxis_model::layer::{Layer, Micros};
use chronaxis_model::permit::Server;
use chronaxis_model::redact::Redacted;
use chronaxis_model::target::End;

use super::Walk;
use super::side_checks::Look;
use crate::run_cache::{Claim, Seen, Shared};
use crate::run_state::RunState;

/// How long others wait for a word from a place that connects, to learn whether it counts.
const FOR_A_WORD: Micros = Micros::from_millis(1_000);

/// How long others wait for what is looked at beside an attempt that did not connect: they
/// take it over, too.
const FOR_THE_LOOKS: Micros = Micros::from_millis(500);

/// A port that this target tries for all.
#[derive(Clone, Copy, Debug)]
struct Held {
    to: SocketAddr,
    /// Since when it connects.
    connects: Option<Micros>,
    /// Since when it is known that it does not.
    fails: Option<Micros>,
}

/// What this target owes the others, and what it waits for.
#[derive(Debug, Default)]
pub(super) struct Sharing {
    held: Vec<Held>,
    has_room: bool,
    /// Since when it waits for room, or for its turn to make lines or to sign in.
    waits_since: Option<Micros>,
    awaits_room: bool,
    /// Whether a path waits for what another target learns.
    awaits_port: bool,
}

impl Sharing {
    pub(super) fn awaits(&self) -> bool {
        self.awaits_port || self.awaits_room
    }

    /// Whether it waits for its turn, so that its time does not run.
    pub(super) fn awaits_turn(&self) -> bool {
        self.waits_since.is_some()
    }

    /// Whether it has room for sockets.
    pub(super) fn keeps_room(&self) -> bool {
        self.has_room
    }

    /// With room for sockets, or without, and nothing else.
    pub(super) fn with_room(has_room: bool) -> Sharing {
        Sharing {
            has_room,
            ..Sharing::default()
        }
    }

    /// When others need wait no longer.
    pub(super) fn next_due(&self) -> Option<Micros> {
        let due = self.held.iter().flat_map(|held| {
            [
                held.connects.map(|since| since.after(FOR_A_WORD)),
                held.fails.map(|since| since.after(FOR_THE_LOOKS)),
            ]
        });
        due.flatten().min()
    }
}

/// The look at this machine's own tables that a fact came of.
fn look_of(fact: &Fact, to: SocketAddr) -> Option<Look> {
    Some(match fact {
        Fact::LocalListener { .. } => Look::Queue(to),
        Fact::ListenerHere(_) => Look::Listeners(to),
        Fact::OwnFilter { .. } => Look::Firewall(to),
        Fact::ConnectionsOpen { .. } => Look::Connections(to),
        Fact::OwnSendFailures { .. } => Look::SendFailures(to),
        _ => return None,
    })
}

/// Whether servers of some engine that answer so count lines which end early.
pub(super) fn is_of_counting(service: Service) -> bool {
    let mut counting = engines().iter().filter(|e| e.spec.counts_lines);
    counting.any(|e| e.spec.serves(service))
}

/// What answers where servers are known to count lines that end early.
fn a_counting_server() -> Option<Service> {
    let counting = engines().iter().find(|e| e.spec.counts_lines)?;
    counting.spec.greetings.last().map(|g| g.service)
}

impl Walk {
    /// Lets every path begin that may: those that nobody has tried, those that connect. What
    /// others have learnt of a path that does not is taken over.
    pub(super) fn begin_due_paths(&mut self, run: &mut RunState, now: Micros) {
        self.sharing.awaits_port = false;
        for index in self.paths.unbegun() {
            let Some(endpoint) = self.paths.get(index).map(|p| p.endpoint().clone()) else {
                continue;
            };
            if self.may_begin(run, now, index, &endpoint) && self.has_room(run, now) {
                self.paths.begin(index, now, self.scope.patience_us);
            }
        }
    }

    fn may_begin(
        &mut self,
        run: &mut RunState,
        now: Micros,
        index: usize,
        endpoint: &Endpoint,
    ) -> bool {
        let Endpoint::Tcp(to) = endpoint else {
            return true;
        };
        if self.sharing.held.iter().any(|held| held.to == *to) {
            return true;
        }
        match run.cache.claim(&Shared::Port(*to), self.turns.number) {
            Claim::Yours => {
                self.sharing.held.push(Held {
                    to: *to,
                    connects: None,
                    fails: None,
                });
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
                let own = by_id(self.target.engine).spec.counts_lines;
                let spared = connects && run.cache.is_counting(*to) && !own;
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
        let looks: Vec<Look> = seen.iter().filter_map(|(.., f)| look_of(f, to)).collect();
        for (layer, about, fact) in seen {
            if layer <= Layer::Port || !port_only {
                self.note(now, layer, about, fact);
            }
        }
        if spared && !said {
            let fact = Fact::OtherAnswer {
                awaited: Awaited::Greeting,
                begins: Redacted::default(),
                service: a_counting_server(),
            };
            self.note(now, Layer::Listener, about, fact);
        }
        self.paths.seen_route(index);
        self.side_checks.known(to, &looks);
        if route_missing {
            self.paths.no_way(index);
            self.side_checks.forget(to.ip());
        }
        self.paths.took_over(index, now, connects, silent);
        if !connects && !route_missing && !silent {
            self.side_checks.at_once(to.ip());
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
    fn has_room(&mut self, run: &mut RunState, now: Micros) -> bool {
        if !self.sharing.has_room {
            self.sharing.has_room = run.permits.take_room(self.turns.number);
            self.sharing.awaits_room = !self.sharing.has_room;
            self.wait_for_turn(now, self.sharing.awaits_room);
        }
        self.sharing.has_room
    }

    /// Notes that it waits for its turn, or no longer does: what it waited is added to its
    /// time.
    pub(super) fn wait_for_turn(&mut self, now: Micros, waits: bool) {
        if waits {
            self.sharing.waits_since.get_or_insert(now);
        } else if let Some(since) = self.sharing.waits_since.take() {
            self.deadline = self.deadline.after(now.since(since));
        }
    }

    /// Tells the others what the ports came to that this target tries for them.
    pub(super) fn share_ports(&mut self, run: &mut RunState, now: Micros, over: bool) {
        let held = std::mem::take(&mut self.sharing.held);
        for mut held in held {
            let to = held.to;
            let connects = self.paths.connects_at(to);
            let fails = self.paths.is_settled(to) && self.is_told(to);
            held.connects = held.connects.or(connects.then_some(now));
            held.fails = held.fails.or(fails.then_some(now));
            let waited = |since: Option<Micros>, long: Micros| {
                over || since.is_some_and(|since| since.after(long) <= now)
            };
            let spoke = connects && (self.has_spoken(to) || waited(held.connects, FOR_A_WORD));
            if spoke || (fails && waited(held.fails, FOR_THE_LOOKS)) {
                let seen = self.seen_of_port(to);
                let ours =
                    |fact: &Fact| matches!(fact, Fact::LocalFailure { .. } | Fact::BeyondUs { .. });
                match seen.is_empty() || seen.iter().any(|(.., fact)| ours(fact)) {
                    // What failed here may not fail for others.
                    true => run.cache.release(&Shared::Port(to)),
                    false => run.cache.publish(Shared::Port(to), seen),
                }
            } else if over {
                run.cache.release(&Shared::Port(to));
            } else {
                self.sharing.held.push(held);
            }
        }
    }

    /// Gives back the room for sockets.
    pub(super) fn leave_room(&mut self, run: &mut RunState) {
        run.permits.forget(self.turns.number);
        if std::mem::take(&mut self.sharing.has_room) {
            run.permits.leave_room();
        }
    }

    /// Whether anything was heard there, or the line ended.
    fn has_spoken(&self, to: SocketAddr) -> bool {
        let there = Endpoint::Tcp(to);
        let mut seen = self.evidence().at(&there).all();
        seen.any(|(o, _)| o.layer >= Layer::Listener) || self.paths.is_walked(to)
    }

    /// Whether the log says what an attempt that did not connect came to.
    fn is_told(&self, to: SocketAddr) -> bool {
        self.evidence().at(&Endpoint::Tcp(to)).any(|fact| {
            matches!(
                fact,
                Fact::PortSilent { .. }
                    | Fact::PortRefused { .. }
                    | Fact::PortUnreachable { .. }
                    | Fact::RouteMissing { .. }
                    | Fact::LocalFailure { .. }
                    | Fact::BeyondUs { .. }
            )
        })
    }

    fn seen_of_port(&self, to: SocketAddr) -> Vec<Seen> {
        let there = Endpoint::Tcp(to);
        let found = self.evidence().at(&there).all().filter_map(|(o, fact)| {
            let shared = match fact {
                Fact::ControlPort { .. } | Fact::PathStep { .. } | Fact::LineMeasured { .. } => {
                    false
                }
                Fact::OtherAnswer { service, .. } => service.is_some_and(is_of_counting),
                _ => matches!(o.layer, Layer::Route | Layer::Port),
            };
            (shared && !o.about.fall_back).then(|| (o.layer, o.about.clone(), fact.clone()))
        });
        found.collect()
    }

    /// What a fact says of a server that counts lines.
    pub(super) fn note_counting(&self, run: &mut RunState, server: &Endpoint, fact: &Fact) {
        let own = by_id(self.target.engine).spec.counts_lines;
        let counts = match fact {
            Fact::SpokeProtocol { .. } => own,
            Fact::OtherAnswer { service, .. } | Fact::ServiceAsked { service, .. } => {
                let counts = service.is_some_and(is_of_counting);
                if counts {
                    // This line ended without the sign-in for which it waits.
                    run.permits.count_given_up(server.clone());
                }
                counts
            }
            _ => false,
        };
        if let (true, Endpoint::Tcp(to)) = (counts, server) {
            run.cache.counts(*to);
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
        let own_address = |ip: std::net::IpAddr| self.evidence().is_own_address(ip);
        let here = endpoint.ip().is_none_or(own_address);
        Server {
            endpoint: endpoint.clone(),
            name,
            here: here.then_some(self.target.engine),
        }
    }
}
