//! One step of the way: the packet that begins a connection, sent to live for so many
//! devices only (RFC 791, section 3.2; RFC 8200, section 3). Where it ends, a device says
//! so (RFC 792, time exceeded; RFC 4443, section 3.3), and the socket's error queue says
//! which.

use std::net::SocketAddr;

use chronaxis_model::fact::{Fact, StepAnswer};
use socket2::Socket;

use crate::clock::Clock;
use crate::connect::{self, Came};
use crate::here::Here;
use crate::sockopt;

/// Sends it and waits for what comes.
pub(crate) async fn step(
    here: &Here,
    to: SocketAddr,
    ttl: u8,
    least: Option<u8>,
    clock: Clock,
) -> Fact {
    let to = here.goes_to(to);
    let limit = |socket: &Socket| {
        if let Some(least) = least {
            sockopt::hear_from(socket, to.is_ipv6(), least)?;
        }
        match to {
            SocketAddr::V4(_) => socket.set_ttl_v4(ttl.into()),
            SocketAddr::V6(_) => socket.set_unicast_hops_v6(ttl.into()),
        }
    };
    let (came, _, elapsed_us) = connect::attempt(here, to, clock, limit, |_| {}).await;
    let (answer, by) = match came {
        Came::Connected(stream) => {
            drop(stream);
            (StepAnswer::Connected, Some(to.ip()))
        }
        Came::Failed(_, Some(icmp)) if icmp.is_expired() => {
            (StepAnswer::Expired, Some(icmp.sender))
        }
        Came::Failed(_, Some(icmp)) => (StepAnswer::Unreachable, Some(icmp.sender)),
        Came::Failed(error, None) if connect::is_refusal(&error) => (StepAnswer::Refused, None),
        Came::Failed(..) => (StepAnswer::Unreachable, None),
    };
    Fact::PathStep {
        ttl,
        least,
        answer,
        by,
        elapsed_us,
    }
}
