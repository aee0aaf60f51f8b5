//! A simulated network: names, hosts, routers, rules, servers, and a made-up clock. It
//! carries out a walk's orders in memory, and counts what it was asked.

mod names;
mod play;
mod way;

pub use names::{NameAnswer, Resolver};

use std::collections::BTreeMap;
use std::net::{IpAddr, SocketAddr};
use std::sync::Arc;

use chronaxis_model::fact::{Icmp, Listening, Tunnel};
use chronaxis_model::layer::Micros;

use crate::stand_in::{Counted, Service};

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
    /// Throws away packets of more bytes than this, and says nothing of it.
    DropLarge(usize),
    /// Passes it on to the same port of another machine, in whose place it answers (RFC 3022).
    PassOn(IpAddr),
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
    /// What it says of packets that end at it.
    pub speech: Speech,
}

/// How much a router says of what it throws away because it has lived long enough.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Speech {
    /// Of every packet.
    Freely,
    /// Of so many at one time, and of one more each second.
    Sparingly(u32),
    /// Never a word.
    Never,
}

/// The first stretch of every way: from the client to the next device.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum FirstStretch {
    /// Packets are taken.
    Sound,
    /// The next device does not answer.
    NobodyThere,
    /// The client's link is down; it still remembers the next device.
    LinkDown,
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
    /// After how many idle milliseconds the way forgets a connection: what is sent on it from
    /// then on is thrown away.
    pub forgets_after_ms: Option<u64>,
    /// The error by which the client's routes lead to nothing but itself, if they do.
    pub cut_off: Option<&'static str>,
    /// How packets leave the client.
    pub first_stretch: FirstStretch,
    /// What the client's clock shows: Unix time, in seconds.
    pub wall: i64,
    /// The socket files of the client's machine.
    pub sockets: BTreeMap<String, Service>,
    /// The resolvers that the client is set up to ask.
    pub resolvers: Vec<Resolver>,
    /// The suffixes that the client tries.
    pub search: Vec<&'static str>,
    /// The client's hosts file.
    pub hosts_file: Vec<(&'static str, Vec<IpAddr>)>,
    /// What the client's own store of names still holds, whatever name service says.
    pub remembered: Vec<(&'static str, IpAddr)>,
    /// The client's own filter, for what it sends.
    pub own_rules: Vec<Rule>,
    /// Whether this user may read that filter.
    pub may_read_rules: bool,
    /// Connections of the client that stand open: where to, whose, since when.
    pub open: Vec<(SocketAddr, &'static str, &'static str)>,
    /// What listens on the client's machine, as its tables say it.
    pub listening: Vec<Listening>,
    /// Tunnels of which the client's machine tells.
    pub tunnels: Vec<Tunnel>,
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
            forgets_after_ms: None,
            cut_off: None,
            first_stretch: FirstStretch::Sound,
            wall: WALL,
            sockets: BTreeMap::new(),
            resolvers: vec![Resolver::Knows],
            search: Vec::new(),
            hosts_file: Vec::new(),
            remembered: Vec::new(),
            own_rules: Vec::new(),
            may_read_rules: false,
            open: Vec::new(),
            listening: Vec::new(),
            tunnels: Vec::new(),
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
            speech: Speech::Freely,
        });
        self
    }

    /// Sets the resolvers.
    pub fn asking(mut self, resolvers: &[Resolver]) -> World {
        self.resolvers = resolvers.to_vec();
        self
    }

    /// Adds a line to the client's hosts file.
    pub fn hosts(mut self, name: &'static str, addresses: &[IpAddr]) -> World {
        self.hosts_file.push((name, addresses.to_vec()));
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
}
