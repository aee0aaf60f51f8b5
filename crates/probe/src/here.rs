//! What this machine says of itself, read at most so often: the targets of a run that fail
//! together would else read the same table a thousand times. One value for a run, handed to
//! whoever looks.

use std::collections::BTreeMap;
use std::net::{IpAddr, Ipv4Addr, Ipv6Addr, SocketAddr, SocketAddrV6};
use std::sync::{Arc, Mutex, PoisonError};
use std::time::{Duration, Instant};

use procfs::net::TcpNetEntry;

use crate::links;
use crate::listeners::{self, Listener};
use crate::processes::Processes;

/// How old the table of sockets may be: a run that fails together asks within this.
const SOCKETS_FOR: Duration = Duration::from_millis(100);

/// How old what is known of processes may be. It is dear: every one is looked at.
const PROCESSES_FOR: Duration = Duration::from_secs(2);

/// Programs whose arguments tell of tunnels.
const SSH_CLIENTS: [&str; 2] = ["ssh", "autossh"];

/// A machine with many sockets takes long to show them: its table is kept for so many times
/// as long as it took to read.
const TIMES_AS_LONG: u32 = 12;

/// A table, until when it is good.
struct Kept<T>(Mutex<Option<(Instant, Option<Arc<T>>)>>);

impl<T> Default for Kept<T> {
    fn default() -> Kept<T> {
        Kept(Mutex::new(None))
    }
}

impl<T> Kept<T> {
    /// Whether it is there and still good: reading it takes no time.
    fn is_fresh(&self) -> bool {
        let kept = self.0.try_lock();
        let good = |until: &Instant| Instant::now() < *until;
        kept.is_ok_and(|kept| kept.as_ref().is_some_and(|(until, _)| good(until)))
    }

    /// The table, read anew where it is too old. Those who ask meanwhile wait for it.
    fn get(&self, at_most: Duration, read: impl FnOnce() -> Option<T>) -> Option<Arc<T>> {
        let mut place = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        let began = Instant::now();
        if let Some((until, table)) = &*place
            && began < *until
        {
            return table.clone();
        }
        let table = read().map(Arc::new);
        let took = began.elapsed();
        let good_for = at_most.max((took * TIMES_AS_LONG).min(PROCESSES_FOR));
        *place = Some((Instant::now() + good_for, table.clone()));
        table
    }
}

/// This machine's tables, as a run knows them.
#[derive(Default)]
pub struct Here {
    sockets: Kept<Vec<TcpNetEntry>>,
    listeners: Kept<Vec<Listener>>,
    processes: Kept<Processes>,
    /// On which link addresses lie that are only good on one, as their sources told it.
    links: Mutex<BTreeMap<Ipv6Addr, u32>>,
}

impl Here {
    /// The sockets of both families; none where the system shows no table.
    pub(crate) fn sockets(&self) -> Option<Arc<Vec<TcpNetEntry>>> {
        self.sockets.get(SOCKETS_FOR, || {
            let mut table = procfs::net::tcp().ok()?;
            table.extend(procfs::net::tcp6().unwrap_or_default());
            Some(table)
        })
    }

    /// What listens, with its programs.
    pub(crate) fn listeners(&self) -> Option<Arc<Vec<Listener>>> {
        let read = || listeners::table(self);
        self.listeners.get(PROCESSES_FOR, read)
    }

    /// The processes of this machine, with their sockets.
    pub(crate) fn processes(&self) -> Option<Arc<Processes>> {
        let read = || Some(Processes::read(&SSH_CLIENTS));
        self.processes.get(PROCESSES_FOR, read)
    }

    /// Whether the table of sockets takes no time to read.
    pub(crate) fn knows_sockets(&self) -> bool {
        self.sockets.is_fresh()
    }

    /// Whether what is known of processes takes no time to read.
    pub(crate) fn knows_processes(&self) -> bool {
        self.processes.is_fresh()
    }

    /// Notes the link that was told with an address, if any was.
    pub(crate) fn note_link(&self, at: SocketAddr) {
        if let SocketAddr::V6(at) = at
            && at.scope_id() > 0
            && at.ip().is_unicast_link_local()
        {
            let mut told = self.links.lock().unwrap_or_else(PoisonError::into_inner);
            told.insert(*at.ip(), at.scope_id());
        }
    }

    /// The number of the link on which an address lies; none where it is good anywhere, or
    /// where nobody can tell.
    pub(crate) fn link_of(&self, ip: IpAddr) -> Option<u32> {
        let IpAddr::V6(ip) = ip else { return None };
        if !ip.is_unicast_link_local() {
            return None;
        }
        let told = self.links.lock().unwrap_or_else(PoisonError::into_inner);
        told.get(&ip).copied().or_else(links::only_one)
    }

    /// Where packets to an address go: those to an IPv4 address that is written as an IPv6
    /// one go by IPv4 (RFC 4291, section 2.5.5.2), those to the unspecified one to this
    /// machine itself, and those to a link-local one over its link.
    pub(crate) fn goes_to(&self, to: SocketAddr) -> SocketAddr {
        let ip = match to.ip().to_canonical() {
            IpAddr::V4(ip) if ip.is_unspecified() => Ipv4Addr::LOCALHOST.into(),
            IpAddr::V6(ip) if ip.is_unspecified() => Ipv6Addr::LOCALHOST.into(),
            ip => ip,
        };
        match (ip, self.link_of(ip)) {
            (IpAddr::V6(ip), Some(link)) => SocketAddrV6::new(ip, to.port(), 0, link).into(),
            (ip, _) => SocketAddr::new(ip, to.port()),
        }
    }
}
