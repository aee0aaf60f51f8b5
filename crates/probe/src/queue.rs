//! What this machine's own table of sockets says of a port (proc(5), `/proc/net/tcp`).

use std::net::SocketAddr;

use chronaxis_model::fact::Fact;
use procfs::net::{TcpNetEntry, TcpState};

use crate::here::Here;

/// Whether anything listens on a port of this machine, and how many connections wait in
/// its queue; none where the table cannot be read.
pub(crate) fn of(here: &Here, to: SocketAddr) -> Option<Fact> {
    let to = here.goes_to(to);
    let table = here.sockets()?;
    let of_it: Vec<&TcpNetEntry> = table
        .iter()
        .filter(|e| e.state == TcpState::Listen && e.local_address.port() == to.port())
        .filter(|e| {
            let bound = e.local_address.ip().to_canonical();
            bound.is_unspecified() || bound == to.ip()
        })
        .collect();
    Some(Fact::LocalListener {
        listening: !of_it.is_empty(),
        waiting: of_it.iter().map(|e| e.rx_queue).sum(),
    })
}
