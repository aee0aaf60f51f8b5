//! Connecting: what came back, after how long, from whom.

use std::io;
use std::net::{SocketAddr, UdpSocket};

use chronaxis_model::endpoint::Endpoint;
use chronaxis_model::fact::{Fact, Knocked};
use chronaxis_model::layer::{Layer, Micros};
use nix::errno::Errno;
use socket2::{Domain, Protocol, Socket, Type};
use tokio::net::{TcpStream, UnixStream};

use crate::carrier::Carrier;
use crate::clock::Clock;
use crate::error_queue;
use crate::errors::{errno, name};
use crate::here::Here;
use crate::sockopt;

/// The address from which this machine would send to another. Connecting a datagram
/// socket asks the routing table and sends nothing.
///
/// A machine without descriptors or memory left says nothing about the way: that is a
/// failure of its own.
pub(crate) fn route(here: &Here, to: SocketAddr) -> Fact {
    let to = here.goes_to(to);
    let any: SocketAddr = if to.is_ipv4() {
        ([0, 0, 0, 0], 0).into()
    } else {
        ([0u16; 8], 0).into()
    };
    let socket = match UdpSocket::bind(any) {
        Ok(socket) => socket,
        Err(error) if is_local(&error) => {
            return Fact::LocalFailure {
                error: name(&error),
            };
        }
        // A family that the system does not know.
        Err(error) => {
            return Fact::RouteMissing {
                error: name(&error),
            };
        }
    };
    match socket.connect(to).and_then(|()| socket.local_addr()) {
        Ok(local) => {
            let way = crate::route::to(here, to.ip());
            Fact::RouteFound {
                source: local.ip(),
                interface: way.interface,
                gateway: way.gateway,
                prefix: way.prefix,
            }
        }
        Err(error) if is_local(&error) && !is_of_the_way(&error) => Fact::LocalFailure {
            error: name(&error),
        },
        Err(error) => Fact::RouteMissing {
            error: name(&error),
        },
    }
}

/// Whether an error of a socket that has its port is about the way after all: there is no
/// address of that family to send from, or a route prohibits it.
fn is_of_the_way(error: &io::Error) -> bool {
    matches!(errno(error), Errno::EADDRNOTAVAIL | Errno::EACCES)
}

/// Whether this machine lacks what it needs to try at all.
fn is_local(error: &io::Error) -> bool {
    matches!(
        errno(error),
        Errno::EMFILE
            | Errno::ENFILE
            | Errno::EADDRNOTAVAIL
            | Errno::ENOBUFS
            | Errno::ENOMEM
            | Errno::EPERM
            | Errno::EACCES
    )
}

/// A connection, or the fact that there is none. `segment` is the largest segment to ask
/// for, where it is not the system's own; `begun` is told once the attempt is under way.
pub(crate) async fn connect(
    here: &Here,
    to: &Endpoint,
    segment: Option<u16>,
    clock: Clock,
    begun: impl FnOnce(Fact),
) -> (Option<Box<dyn Carrier>>, Fact) {
    match to {
        Endpoint::Tcp(to) => connect_tcp(here, *to, segment, clock, begun).await,
        Endpoint::Socket(path) => connect_socket(path, clock).await,
    }
}

/// What came of an attempt.
pub(crate) enum Came {
    Connected(TcpStream),
    /// The error, and the ICMP message behind it.
    Failed(io::Error, Option<chronaxis_model::fact::Icmp>),
}

/// Connects once, with the socket set up in a further way. Gives this side of it too, and
/// the time that it took.
pub(crate) async fn attempt(
    here: &Here,
    to: SocketAddr,
    clock: Clock,
    set_up: impl Fn(&Socket) -> io::Result<()>,
    begun: impl FnOnce(Fact),
) -> (Came, Option<SocketAddr>, Micros) {
    let began = clock.now();
    let stream = match begin(here.goes_to(to), set_up) {
        Ok(stream) => stream,
        Err(error) => return (Came::Failed(error, None), None, Micros(0)),
    };
    let from = stream.local_addr().ok();
    if let Some(from) = from {
        begun(Fact::PortTried { from });
    }
    let waited = stream.writable().await;
    let elapsed_us = clock.now().since(began);
    // SO_ERROR first, then the queue: reading the queue would clear it. And a socket is
    // connected only if it has a peer.
    let failed = waited
        .err()
        .or_else(|| stream.take_error().unwrap_or_else(Some))
        .or_else(|| stream.peer_addr().err());
    let came = match failed {
        None => Came::Connected(stream),
        Some(error) => {
            let icmp = error_queue::icmp(&stream);
            Came::Failed(error, icmp)
        }
    };
    (came, from, elapsed_us)
}

/// Whether an error is a refusal.
pub(crate) fn is_refusal(error: &io::Error) -> bool {
    errno(error) == Errno::ECONNREFUSED
}

async fn connect_tcp(
    here: &Here,
    to: SocketAddr,
    segment: Option<u16>,
    clock: Clock,
    begun: impl FnOnce(Fact),
) -> (Option<Box<dyn Carrier>>, Fact) {
    let small = |socket: &Socket| match segment {
        Some(bytes) => socket.set_tcp_mss(bytes.into()),
        None => Ok(()),
    };
    let (came, from, elapsed_us) = attempt(here, to, clock, small, begun).await;
    match came {
        Came::Connected(stream) => {
            let fact = Fact::PortConnected {
                elapsed_us,
                from,
                retransmits: sockopt::tcp_info(&stream).map(|i| i.retransmits),
            };
            (Some(Box::new(stream)), fact)
        }
        Came::Failed(error, icmp) => (None, refusal(&error, elapsed_us, from, icmp)),
    }
}

fn begin(to: SocketAddr, set_up: impl Fn(&Socket) -> io::Result<()>) -> io::Result<TcpStream> {
    let socket = Socket::new(Domain::for_address(to), Type::STREAM, Some(Protocol::TCP))?;
    socket.set_nonblocking(true)?;
    socket.set_tcp_nodelay(true)?;
    set_up(&socket)?;
    error_queue::ask(&socket, to.is_ipv6());
    match socket.connect(&to.into()) {
        Err(error) if errno(&error) != Errno::EINPROGRESS => return Err(error),
        _ => {}
    }
    TcpStream::from_std(socket.into())
}

pub(crate) fn refusal(
    error: &io::Error,
    elapsed_us: Micros,
    from: Option<SocketAddr>,
    icmp: Option<chronaxis_model::fact::Icmp>,
) -> Fact {
    match errno(error) {
        Errno::ECONNREFUSED => Fact::PortRefused {
            elapsed_us,
            from,
            icmp,
        },
        _ if icmp.is_none() && is_local(error) => Fact::LocalFailure { error: name(error) },
        _ => Fact::PortUnreachable {
            error: name(error),
            elapsed_us,
            from,
            icmp,
        },
    }
}

async fn connect_socket(path: &str, clock: Clock) -> (Option<Box<dyn Carrier>>, Fact) {
    let began = clock.now();
    let result = UnixStream::connect(path).await;
    let elapsed_us = clock.now().since(began);
    let error = match result {
        Ok(stream) => {
            let fact = Fact::PortConnected {
                elapsed_us,
                from: None,
                retransmits: None,
            };
            return (Some(Box::new(stream)), fact);
        }
        Err(error) => error,
    };
    let fact = match errno(&error) {
        Errno::ENOENT | Errno::ENOTDIR | Errno::UnknownErrno => Fact::SocketMissing {
            error: name(&error),
        },
        Errno::EACCES | Errno::EPERM => Fact::SocketNotPermitted {
            error: name(&error),
        },
        // The queue of a socket file is full: nobody takes the connections out.
        Errno::EAGAIN => Fact::PortSilent {
            waited_us: elapsed_us,
            attempts: 1,
        },
        _ => refusal(&error, elapsed_us, None, None),
    };
    (None, fact)
}

/// Connects once and closes, for a control port.
pub(crate) async fn knock(here: &Here, to: SocketAddr, clock: Clock) -> (Layer, Fact) {
    let (stream, fact) = connect_tcp(here, to, None, clock, |_| {}).await;
    drop(stream);
    let (answer, elapsed_us) = match fact {
        Fact::PortConnected { elapsed_us, .. } => (Knocked::Connected, elapsed_us),
        Fact::PortRefused {
            elapsed_us,
            icmp: None,
            ..
        } => (Knocked::Refused, elapsed_us),
        Fact::PortRefused { elapsed_us, .. } | Fact::PortUnreachable { elapsed_us, .. } => {
            (Knocked::Unreachable, elapsed_us)
        }
        _ => (Knocked::Unreachable, Micros(0)),
    };
    (Layer::Port, Fact::ControlPort { answer, elapsed_us })
}

/// The address of an endpoint on the network.
pub(crate) fn address(to: &Endpoint) -> Option<SocketAddr> {
    match to {
        Endpoint::Tcp(to) => Some(*to),
        Endpoint::Socket(_) => None,
    }
}
