//! Asking a host itself whether it is up, beside its ports: a UDP datagram to a port that
//! is hardly open, which it refuses by an ICMP message of its own (RFC 1122, section
//! 4.1.3.1), and echo requests (RFC 792; RFC 4443, section 4), where the system lets this
//! user send them. Neither needs a privilege, and neither opens a connection.

use std::io;
use std::net::SocketAddr;
use std::time::Duration;

use chronaxis_model::fact::{Fact, HostQuestion, Icmp};
use chronaxis_model::layer::Micros;
use chronaxis_model::order::ECHOES;
use socket2::{Domain, Protocol, Socket, Type};
use tokio::net::UdpSocket;
use tokio::time::{Instant, timeout_at};

use crate::clock::Clock;
use crate::error_queue;
use crate::here::Here;

/// The time between two requests.
const BETWEEN: Duration = Duration::from_millis(250);

/// How long an answer to the last is waited for.
const LAST: Duration = Duration::from_millis(1_000);

/// How much before its end a question is given up, so that what came of it is still told.
const BEFORE_THE_END: Duration = Duration::from_millis(20);

/// Asks; none where this system does not let it.
pub(crate) async fn ask(
    here: &Here,
    to: SocketAddr,
    with: HostQuestion,
    until: Micros,
    clock: Clock,
) -> Option<Fact> {
    let to = here.goes_to(to);
    let (socket, most, message) = match with {
        HostQuestion::Datagram => (open(to, Protocol::UDP).ok()?, 1, vec![0; 8]),
        HostQuestion::Echo => {
            let protocol = match to {
                SocketAddr::V4(_) => Protocol::ICMPV4,
                SocketAddr::V6(_) => Protocol::ICMPV6,
            };
            (open(to, protocol).ok()?, ECHOES, echo_request(to.is_ipv6()))
        }
    };
    let end = clock.instant(until) - BEFORE_THE_END;
    let began = clock.now();
    let (mut sent, mut received, mut icmp, mut first) = (0, 0, None, None);
    while sent < most && icmp.is_none() && Instant::now() < end {
        if socket.send(&message).await.is_ok() {
            sent += 1;
        } else if let Some(message) = error_queue::icmp(&socket) {
            icmp = Some(message);
            break;
        } else {
            return None;
        }
        let patience = if sent == most { LAST } else { BETWEEN };
        let wait = end.min(Instant::now() + patience);
        match timeout_at(wait, answer(&socket)).await {
            Ok(Ok(())) => received += 1,
            Ok(Err(came)) => icmp = came,
            Err(_) => continue,
        }
        first.get_or_insert(clock.now().since(began));
        if received > 0 && sent < most {
            tokio::time::sleep_until(wait).await;
        }
    }
    (sent > 0).then(|| Fact::HostAsked {
        with,
        sent,
        received,
        icmp,
        elapsed_us: first.unwrap_or_else(|| clock.now().since(began)),
    })
}

/// An answer in kind, or the message that came instead.
async fn answer(socket: &UdpSocket) -> Result<(), Option<Icmp>> {
    let mut buffer = [0u8; 256];
    match socket.recv(&mut buffer).await {
        Ok(_) => Ok(()),
        Err(_) => Err(error_queue::icmp(socket)),
    }
}

/// A socket that hears what is said of its packets.
fn open(to: SocketAddr, protocol: Protocol) -> io::Result<UdpSocket> {
    let socket = Socket::new(Domain::for_address(to), Type::DGRAM, Some(protocol))?;
    socket.set_nonblocking(true)?;
    error_queue::ask(&socket, to.is_ipv6());
    socket.connect(&to.into())?;
    UdpSocket::from_std(socket.into())
}

/// An echo request without data of its own. The system fills in identifier and checksum
/// (icmp(7), datagram sockets).
fn echo_request(v6: bool) -> Vec<u8> {
    let kind = if v6 { 128 } else { 8 };
    vec![kind, 0, 0, 0, 0, 0, 0, 1]
}
