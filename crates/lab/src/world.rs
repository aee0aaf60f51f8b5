//! A simulated network: names, hosts, routers, rules, servers, and a made-up clock. It
//! carries out a walk's orders in memory, and counts what it was asked.

mod play;

use std::collections::BTreeMap;
use std::net::{IpAddr, SocketAddr};
use std::sync::Arc;

use chronaxis_core::fact::{Fact, Icmp, NameTrouble};
use chronaxis_core::layer::Micros;

use crate::stand_in::{Counted, Service};

/// What name service says of a name.
#[derive(Clone, Debug)]
pub enum NameAnswer {
    /// These addresses, in this order.
    Addresses(Vec<IpAddr>),
    /// A failure of this kind, with the resolver's code.
    Fails(NameTrouble, &'static str),
    /// Nothing.
    Silent,
}

/// What a rule does with a packet.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Action {
    /// Throws it away.
    Drop,
    /// Throws away the first so many packets of each connection.
    Lose(u32),
    /// Refuses it by an ICMP message of this type and code.
    RejectIcmp(u8, u8),
    /// Refuses it by a reset, as if it came from the host.
    RejectReset,
}

/// A rule of a router or a host. The first that fits acts.
#[derive(Clone, Copy, Debug)]
pub struct Rule {
    /// The ports that it fits, both ends included.
    pub ports: (u16, u16),
    /// What it does.
    pub action: Action,
}

impl Rule {
    /// A rule for one port.
    pub fn on(port: u16, action: Action) -> Rule {
        Rule {
            ports: (port, port),
            action,
        }
    }

    /// A rule for all ports.
    pub fn on_all(action: Action) -> Rule {
        Rule {
            ports: (0, u16::MAX),
            action,
        }
    }
}

/// A router, in the order of the way.
#[derive(Clone, Debug)]
pub struct Router {
    /// Its address.
    pub address: IpAddr,
    /// Its rules.
    pub rules: Vec<Rule>,
}

/// A host that is up.
#[derive(Clone, Debug)]
pub struct Host {
    /// Its address.
    pub address: IpAddr,
    /// Its own filter.
    pub rules: Vec<Rule>,
    /// What listens, by port.
    pub ports: BTreeMap<u16, Service>,
}

/// A world.
#[derive(Clone, Debug)]
pub struct World {
    /// The machine from which one looks.
    pub client: IpAddr,
    /// What name service knows; every other name does not exist.
    pub names: BTreeMap<String, NameAnswer>,
    /// The routers between.
    pub routers: Vec<Router>,
    /// The hosts that are up; any other address is absent.
    pub hosts: Vec<Host>,
    /// Whether the client has no way to anything but itself.
    pub cut_off: bool,
    /// What the client's clock shows: Unix time, in seconds.
    pub wall: i64,
    /// The socket files of the client's machine.
    pub sockets: BTreeMap<String, Service>,
    /// What was asked of it.
    pub counted: Arc<Counted>,
}

/// What every clock of the simulated world shows, unless one is wrong: noon of 23 November
/// 2026, UTC.
const WALL: i64 = 1_795_435_200;

/// Time of a round trip to a host.
const ROUND_TRIP: Micros = Micros(1_200);

/// When the last router gives up on an absent host: within the span measured on a real
/// kernel, 3.05 to 3.65 s.
const ABSENT_AFTER: Micros = Micros(3_120_000);

/// What comes of a connection attempt.
enum Attempt<'a> {
    /// To this service, after so many packets were lost.
    Connected(&'a Service, u32),
    Refused(Option<Icmp>),
    Unreachable(Icmp, Micros),
    Silent,
}

impl World {
    /// A world with nothing but the client.
    pub fn around(client: IpAddr) -> World {
        World {
            client,
            names: BTreeMap::new(),
            routers: Vec::new(),
            hosts: Vec::new(),
            cut_off: false,
            wall: WALL,
            sockets: BTreeMap::new(),
            counted: Arc::new(Counted::default()),
        }
    }

    /// Adds a name.
    pub fn name(mut self, name: &str, answer: NameAnswer) -> World {
        self.names.insert(name.to_owned(), answer);
        self
    }

    /// Adds a router to the end of the way.
    pub fn router(mut self, address: IpAddr, rules: &[Rule]) -> World {
        self.routers.push(Router {
            address,
            rules: rules.to_vec(),
        });
        self
    }

    /// Adds a host.
    pub fn host(mut self, address: IpAddr, rules: &[Rule], ports: &[(u16, Service)]) -> World {
        self.hosts.push(Host {
            address,
            rules: rules.to_vec(),
            ports: ports.iter().cloned().collect(),
        });
        self
    }

    /// The same world with fresh counters.
    pub fn fresh(&self) -> World {
        World {
            counted: Arc::new(Counted::default()),
            ..self.clone()
        }
    }

    /// What the client's own table of sockets says of a port of its own.
    fn local_listener(&self, to: SocketAddr) -> Fact {
        let host = self.hosts.iter().find(|h| h.address == to.ip());
        let service = host.and_then(|h| h.ports.get(&to.port()));
        let waiting = match service {
            Some(Service::Hung) => 2,
            Some(Service::Asleep) => 1,
            _ => 0,
        };
        Fact::LocalListener {
            listening: service.is_some(),
            waiting,
        }
    }

    fn attempt(&self, to: IpAddr, port: u16) -> Attempt<'_> {
        let acts = |rules: &[Rule]| {
            rules
                .iter()
                .find(|r| (r.ports.0..=r.ports.1).contains(&port))
                .map(|r| r.action)
        };
        let by = |action: Action, sender: IpAddr| match action {
            Action::Drop | Action::Lose(_) => Attempt::Silent,
            Action::RejectReset => Attempt::Refused(None),
            Action::RejectIcmp(kind, code) => {
                let icmp = Icmp { kind, code, sender };
                match (kind, code) {
                    (3, 2 | 3) | (1, 4) => Attempt::Refused(Some(icmp)),
                    _ => Attempt::Unreachable(icmp, ROUND_TRIP),
                }
            }
        };
        let mut lost = 0;
        if !to.is_loopback() {
            for router in &self.routers {
                match acts(&router.rules) {
                    None => {}
                    Some(Action::Lose(packets)) => lost += packets,
                    Some(action) => return by(action, router.address),
                }
            }
        }
        let Some(host) = self.hosts.iter().find(|h| h.address == to) else {
            return match self.routers.last() {
                Some(last) => Attempt::Unreachable(
                    Icmp {
                        kind: 3,
                        code: 1,
                        sender: last.address,
                    },
                    ABSENT_AFTER,
                ),
                None => Attempt::Refused(None),
            };
        };
        if let Some(action) = acts(&host.rules) {
            return by(action, host.address);
        }
        match host.ports.get(&port) {
            Some(Service::Hung) => Attempt::Silent,
            Some(service) => Attempt::Connected(service, lost),
            None => Attempt::Refused(None),
        }
    }
}
