//! What the system counts on a TCP connection (tcp(7), `TCP_INFO`), and how far an answer
//! may have come to be heard (ip(7), `IP_MINTTL`; RFC 5082).
//!
//! The one file with unsafe code: no crate in use here gives these safely. They are one
//! call each with a buffer and its length; the kernel reads or writes at most that much.

#![allow(unsafe_code, reason = "TCP_INFO and IP_MINTTL have no safe wrapper")]

use std::io;
use std::mem::{MaybeUninit, size_of};
use std::os::fd::AsRawFd;

use nix::libc;

/// What of it matters here.
#[derive(Clone, Copy, Debug, Default)]
pub(crate) struct TcpInfo {
    /// Smoothed round trip, in microseconds.
    pub(crate) round_trip_us: u32,
    /// Packets sent again since the beginning, the very first among them.
    pub(crate) retransmits: u32,
    /// Packets of ours that are not confirmed yet.
    pub(crate) unconfirmed: u32,
}

/// `IPV6_MINHOPCOUNT` of linux/in6.h.
const IPV6_MINHOPCOUNT: libc::c_int = 73;

/// Only packets that still have so many devices to live are heard on this socket.
///
/// # Errors
/// Passes on what the system says.
pub(crate) fn hear_from(socket: &impl AsRawFd, v6: bool, least: u8) -> io::Result<()> {
    let (level, name) = match v6 {
        true => (libc::IPPROTO_IPV6, IPV6_MINHOPCOUNT),
        false => (libc::IPPROTO_IP, libc::IP_MINTTL),
    };
    let value = libc::c_int::from(least);
    let length = libc::socklen_t::try_from(size_of::<libc::c_int>()).unwrap_or_default();
    // SAFETY: the descriptor is open for as long as the borrow lives; the pointer and the
    // length are those of one integer, which the kernel only reads.
    let done = unsafe {
        libc::setsockopt(
            socket.as_raw_fd(),
            level,
            name,
            (&raw const value).cast(),
            length,
        )
    };
    match done {
        0 => Ok(()),
        _ => Err(io::Error::last_os_error()),
    }
}

/// Asks the system; none where it does not tell all of it.
pub(crate) fn tcp_info(socket: &impl AsRawFd) -> Option<TcpInfo> {
    let mut info = MaybeUninit::<libc::tcp_info>::zeroed();
    let mut length = libc::socklen_t::try_from(size_of::<libc::tcp_info>()).ok()?;
    // SAFETY: the descriptor is open for as long as the borrow lives; the pointer and the
    // length are those of one zeroed structure, of which the kernel writes a prefix. Every
    // pattern of bits is a value of its integer fields.
    let info = unsafe {
        let done = libc::getsockopt(
            socket.as_raw_fd(),
            libc::IPPROTO_TCP,
            libc::TCP_INFO,
            info.as_mut_ptr().cast(),
            &raw mut length,
        );
        if done != 0 {
            return None;
        }
        info.assume_init()
    };
    let told =
        usize::try_from(length).ok()? > std::mem::offset_of!(libc::tcp_info, tcpi_total_retrans);
    told.then_some(TcpInfo {
        round_trip_us: info.tcpi_rtt,
        retransmits: info.tcpi_total_retrans,
        unconfirmed: info.tcpi_unacked,
    })
}
