//! Who wants to get where.

use std::collections::BTreeMap;
use std::net::{IpAddr, SocketAddr};

use jiff::civil::Date;

/// The ports from which a client connects where nothing else is told: the range that Linux
/// has by default (`net.ipv4.ip_local_port_range`).
pub const EPHEMERAL: (u16, u16) = (32768, 60999);

/// Labels of a workload, as `k=v,…` gives them.
pub type Labels = BTreeMap<String, String>;

/// One attempt to connect, as far as lists can tell attempts apart.
#[derive(Clone, Debug)]
pub struct Attempt {
    /// The client's address, as the far side sees it.
    pub client: IpAddr,
    /// Where it wants to go.
    pub to: SocketAddr,
    /// The account, where it is told.
    pub user: Option<String>,
    /// The database, where it is told.
    pub database: Option<String>,
    /// Whether the connection is encrypted, where that is told.
    pub encrypted: Option<bool>,
    /// The interface by which it comes in, where it is told.
    pub interface: Option<String>,
    /// The client's labels, where it is a workload of a cluster.
    pub client_labels: Option<Labels>,
    /// The labels of what it wants to reach.
    pub to_labels: Option<Labels>,
    /// The addresses of names that stand in lists, in lower case, where they were looked up.
    pub names: BTreeMap<String, Vec<IpAddr>>,
    /// The day: rules may end.
    pub today: Date,
}

impl Attempt {
    /// From here to there today, and nothing more is told. An IPv4 address written as an IPv6
    /// one (RFC 4291, section 2.5.5.2) is that IPv4 address: packets carry no other.
    pub fn new(client: IpAddr, to: SocketAddr, today: Date) -> Attempt {
        Attempt {
            client: client.to_canonical(),
            to: SocketAddr::new(to.ip().to_canonical(), to.port()),
            user: None,
            database: None,
            encrypted: None,
            interface: None,
            client_labels: None,
            to_labels: None,
            names: BTreeMap::new(),
            today,
        }
    }
}
