//! Connecting: what came back, after how long, from whom.

use std::io;
use std::net::{SocketAddr, UdpSocket};

use chronaxis_core::endpoint::Endpoint;
use chronaxis_core::fact::{Fact, Knocked};
use chronaxis_core::layer::{Layer, Micros};
use nix::errno::Errno;
use socket2::{Domain, Protocol, Socket, Type};
use tokio::net::{TcpStream, UnixStream};

use crate::clock::Clock;
use crate::error_queue;
use crate::errors::{errno, name};
use crate::line::Stream;
use crate::sockopt;

/// The address from which this machine would send to another. Connecting a datagram
/// socket asks the routing table and sends nothing.
///
/// A machine without descriptors or memory left says nothing about the way: that is a
/// failure of its own.
pub(crate) fn route(to: SocketAddr) -> Fact {
    let any: SocketAddr = if to.is_ipv4() {
        ([0, 0, 0, 0], 0).into()
    } else {
        ([0u16; 8], 0).into()
    };
    let source = UdpSocket::bind(any)
        .and_then(|socket| socket.connect(to).map(|()| socket))
        .and_then(|socket| socket.local_addr());
    match source {
        Ok(local) => Fact::RouteFound { source: local.ip() },
        Err(error) if is_local(&error) => Fact::LocalFailure {
            error: name(&error),
        },
        Err(error) => Fact::RouteMissing {
            error: name(&error),
        },
    }
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

/// A connection, or the fact that there is none.
pub(crate) async fn connect(to: &Endpoint, clock: Clock) -> (Option<Stream>, Fact) {
    match to {
        Endpoint::Tcp(to) => connect_tcp(*to, clock).await,
        Endpoint::Socket(path) => connect_socket(path, clock).await,
    }
}

async fn connect_tcp(to: SocketAddr, clock: Clock) -> (Option<Stream>, Fact) {
    let began = clock.now();
    let stream = match begin(to) {
        Ok(stream) => stream,
        Err(error) => return (None, refusal(&error, Micros(0), None, None)),
    };
    let from = stream.local_addr().ok();
    let waited = stream.writable().await;
    let elapsed_us = clock.now().since(began);
    // SO_ERROR first, then the queue: reading the queue would clear it. And a socket is
    // connected only if it has a peer.
    let failed = waited
        .err()
        .or_else(|| stream.take_error().unwrap_or_else(Some))
        .or_else(|| stream.peer_addr().err());
    match failed {
        None => {
            let fact = Fact::PortConnected {
                elapsed_us,
                from,
                retransmits: sockopt::tcp_info(&stream).map(|i| i.retransmits),
            };
            (Some(Stream::Tcp(stream)), fact)
        }
        Some(error) => {
            let icmp = error_queue::icmp(&stream);
            (None, refusal(&error, elapsed_us, from, icmp))
        }
    }
}

fn begin(to: SocketAddr) -> io::Result<TcpStream> {
    let socket = Socket::new(Domain::for_address(to), Type::STREAM, Some(Protocol::TCP))?;
    socket.set_nonblocking(true)?;
    socket.set_tcp_nodelay(true)?;
    error_queue::ask(&socket, to.is_ipv6());
    match socket.connect(&to.into()) {
        Err(error) if errno(&error) != Errno::EINPROGRESS => return Err(error),
        _ => {}
    }
    TcpStream::from_std(socket.into())
}

fn refusal(
    error: &io::Error,
    elapsed_us: Micros,
    from: Option<SocketAddr>,
    icmp: Option<chronaxis_core::fact::Icmp>,
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

async fn connect_socket(path: &str, clock: Clock) -> (Option<Stream>, Fact) {
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
            return (Some(Stream::Socket(stream)), fact);
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
pub(crate) async fn knock(to: SocketAddr, clock: Clock) -> (Layer, Fact) {
    let (stream, fact) = connect_tcp(to, clock).await;
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
