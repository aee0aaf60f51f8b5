//! What listens on this machine: the tables of sockets, joined with the process table
//! (proc(5), `/proc/net/tcp`, `/proc/net/unix`).

use std::net::SocketAddr;
use std::os::unix::fs::MetadataExt as _;
use std::path::Path;

use chronaxis_engines::{by_id, engines};
use chronaxis_model::fact::{Fact, Held, Listening};
use chronaxis_model::forwarders::is_forwarder;
use chronaxis_model::redact::Redactor;
use chronaxis_model::target::EngineId;
use procfs::net::{TcpState, UnixState};

use crate::here::Here;
use crate::processes::Owner;
use crate::tunnels;

/// Something that listens.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Listener {
    /// On which address and port; none for a socket file.
    pub on: Option<SocketAddr>,
    /// The socket file.
    pub socket: Option<String>,
    /// The account to which it belongs, by its number; none for a socket file that is not
    /// there any more.
    pub user: Option<u32>,
    /// The process, where this user may know it.
    pub owner: Option<Owner>,
    /// How many connections wait to be taken; none for a socket file.
    pub waiting: Option<u32>,
}

impl Listener {
    /// What kind of program it is.
    pub fn held(&self) -> Held {
        match &self.owner {
            None => Held::Unknown,
            Some(owner) if is_forwarder(&owner.name) => Held::Forwarder,
            Some(_) => Held::Server,
        }
    }
}

/// Everything that listens for TCP, and the socket files of databases; by port. None where
/// the system has no such table.
pub fn table(here: &Here) -> Option<Vec<Listener>> {
    let mut entries = procfs::net::tcp().ok()?;
    entries.extend(procfs::net::tcp6().unwrap_or_default());
    entries.retain(|e| e.state == TcpState::Listen);
    let mut files = procfs::net::unix().unwrap_or_default();
    files.retain(|f| f.state == UnixState::UNCONNECTED && f.socket_type == STREAM);
    files.retain(|f| f.path.as_ref().is_some_and(|path| is_database(path)));
    let processes = here.processes().unwrap_or_default();
    let owner = |inode| processes.owner(inode).map(|owner| Owner::clone(owner));
    let mut out: Vec<Listener> = entries
        .iter()
        .map(|e| Listener {
            on: Some(e.local_address),
            socket: None,
            user: Some(e.uid),
            owner: owner(e.inode),
            waiting: Some(e.rx_queue),
        })
        .collect();
    out.sort_by_key(|l| l.on.map(|on| (on.port(), on.is_ipv6(), on)));
    out.dedup_by(|a, b| a.on == b.on && a.owner == b.owner);
    let mut named: Vec<Listener> = files
        .iter()
        .map(|f| Listener {
            on: None,
            socket: f.path.as_ref().map(|path| path.display().to_string()),
            user: f.path.as_ref().and_then(|path| account_of(path)),
            owner: owner(f.inode),
            waiting: None,
        })
        .collect();
    named.sort_by(|a, b| a.socket.cmp(&b.socket));
    out.extend(named);
    Some(out)
}

/// `SOCK_STREAM` of linux/net.h. One that has a name and no peer listens.
const STREAM: u16 = 1;

/// The account to which a socket file belongs.
fn account_of(path: &Path) -> Option<u32> {
    std::fs::symlink_metadata(path).ok().map(|file| file.uid())
}

fn is_database(path: &Path) -> bool {
    engines().iter().any(|e| is_of(path, e.spec.socket_files))
}

/// Whether a socket file has one of these names.
fn is_of(path: &Path, names: &[(&str, &str)]) -> bool {
    let name = path.file_name().and_then(|name| name.to_str());
    name.is_some_and(|name| {
        let fits = |(begin, end): &(&str, &str)| name.starts_with(begin) && name.ends_with(end);
        names.iter().any(fits)
    })
}

/// Of what listens here, that which bears on a target on this machine: on its port, by a
/// program of its engine, on another port that is usual for it, or on a socket file of it.
pub(crate) fn bearing_on(
    here: &Here,
    port: u16,
    engine: EngineId,
    redactor: &Redactor,
) -> Vec<Fact> {
    let engine = by_id(engine);
    let (usual, programs) = (engine.spec.usual_ports, engine.spec.programs);
    let of_engine = |owner: &Owner| programs.iter().any(|p| owner.name.starts_with(p));
    let bears = |l: &&Listener| match (&l.on, &l.owner) {
        (Some(on), _) if on.port() == port || usual.contains(&on.port()) => true,
        (_, Some(owner)) => of_engine(owner),
        (None, None) => {
            let path = l.socket.as_deref().map(Path::new);
            path.is_some_and(|path| is_of(path, engine.spec.socket_files))
        }
        _ => false,
    };
    let table = here.listeners().unwrap_or_default();
    let mut out: Vec<Fact> = table
        .iter()
        .filter(bears)
        .map(|l| {
            Fact::ListenerHere(Listening {
                on: l.on,
                socket: l.socket.clone(),
                program: l.owner.as_ref().map(|o| redactor.text(&o.name)),
                held: l.held(),
                waiting: l.waiting.unwrap_or(0),
            })
        })
        .collect();
    let tunnel = tunnels::from_port(here, port, redactor);
    out.extend(tunnel.into_iter().map(Fact::TunnelTold));
    out
}
