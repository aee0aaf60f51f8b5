//! One packet of a connection, as far as rules can see it.

use std::net::IpAddr;

use crate::answer::Rule;
use crate::block::bits;

/// States that connection tracking gives (nft(8), "CONNTRACK EXPRESSIONS"), as bits.
pub(super) mod state {
    pub(crate) const INVALID: u32 = 1;
    pub(crate) const ESTABLISHED: u32 = 2;
    pub(crate) const NEW: u32 = 8;
    pub(crate) const UNTRACKED: u32 = 64;
}

/// Control bits of TCP (RFC 9293, section 3.1).
pub(super) mod flags {
    pub(crate) const SYN: u8 = 2;
    pub(crate) const PSH: u8 = 8;
    pub(crate) const ACK: u8 = 16;
}

/// A device, as far as it is known.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) enum Device {
    /// There is none at this place of the way.
    None,
    /// The loopback device.
    Loopback,
    /// One that was told.
    Named(String),
    /// One of which nothing is known but that it is no loopback device.
    Other,
}

/// An end of a later packet that changes on its way, as that of the first one did: at a place
/// of its own, whatever the order of the chains that sent the first one on.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) struct Turn {
    /// The hook.
    pub(super) hook: super::Hook,
    /// Chains of lower numbers see the packet as it came.
    pub(super) priority: i64,
    /// The end, behind that.
    pub(super) end: (IpAddr, (u16, u16)),
    /// Whether it is the source, else the destination.
    pub(super) source: bool,
}

/// A packet.
#[derive(Clone, Debug)]
pub(super) struct Packet {
    /// What it is in the order of a connection, for people.
    pub(super) title: &'static str,
    pub(super) source: IpAddr,
    pub(super) destination: IpAddr,
    /// The ports that it may come from.
    pub(super) from: (u16, u16),
    /// The ports that it may go to.
    pub(super) to: (u16, u16),
    pub(super) flags: u8,
    /// What connection tracking says of it; several bits for several that it may be.
    pub(super) state: u32,
    /// Whether it is an answer.
    pub(super) reply: bool,
    pub(super) comes_by: Device,
    pub(super) leaves_by: Device,
    /// Its mark; none where something outside may have set it.
    pub(super) mark: Option<u32>,
    /// The mark of its connection.
    pub(super) connection_mark: Option<u32>,
    /// Whether both ends are this machine.
    pub(super) local: bool,
    /// Whether the place of the way is before connection tracking.
    pub(super) untracked: bool,
    /// Where its first packet was sent on to: the client's address stays.
    pub(super) sent_on: bool,
    /// Where on its way it is sent on as the first packet was.
    pub(super) turn: Option<Turn>,
    /// The rule by which something became unknown, and why.
    pub(super) doubt: Option<(Rule, String)>,
    /// The ends of the connection as its first packet had them.
    pub(super) original: ((IpAddr, (u16, u16)), (IpAddr, u16)),
}

impl Packet {
    /// Changes its end, where a turn is due.
    pub(super) fn turn(&mut self) {
        if let Some(turn) = self.turn.take() {
            match turn.source {
                true => (self.source, self.from) = turn.end,
                false => (self.destination, self.to) = turn.end,
            }
        }
    }

    pub(super) fn is_v6(&self) -> bool {
        self.source.is_ipv6()
    }

    pub(super) fn source_bits(&self) -> u128 {
        bits(self.source).1
    }

    pub(super) fn destination_bits(&self) -> u128 {
        bits(self.destination).1
    }
}
