//! The socket's error queue: which ICMP message came, and who sent it (ip(7), `IP_RECVERR`).
//!
//! To be asked for before connecting, and drained only after `SO_ERROR` was read.

use std::io::IoSliceMut;
use std::net::{IpAddr, Ipv4Addr, Ipv6Addr};
use std::os::fd::{AsFd, AsRawFd};

use chronaxis_model::fact::Icmp;
use nix::sys::socket::{
    ControlMessageOwned, MsgFlags, SockaddrStorage, recvmsg, setsockopt, sockopt,
};

/// `SO_EE_ORIGIN_ICMP` and `SO_EE_ORIGIN_ICMP6` of linux/errqueue.h.
const ORIGIN_ICMP: u8 = 2;
const ORIGIN_ICMP6: u8 = 3;

/// Asks the system to keep ICMP errors for this socket. Without it a refusal is still
/// seen, only not by whom; so a failure to set it is no failure.
pub(crate) fn ask(socket: &impl AsFd, v6: bool) {
    let _ = if v6 {
        setsockopt(socket, sockopt::Ipv6RecvErr, &true)
    } else {
        setsockopt(socket, sockopt::Ipv4RecvErr, &true)
    };
}

/// The first ICMP message in the queue.
pub(crate) fn icmp(socket: &impl AsRawFd) -> Option<Icmp> {
    let mut payload = [0u8; 128];
    let mut slices = [IoSliceMut::new(&mut payload)];
    let mut space = nix::cmsg_space!([u8; 256]);
    let flags = MsgFlags::MSG_ERRQUEUE | MsgFlags::MSG_DONTWAIT;
    let message =
        recvmsg::<SockaddrStorage>(socket.as_raw_fd(), &mut slices, Some(&mut space), flags)
            .ok()?;
    message.cmsgs().ok()?.find_map(|control| match control {
        ControlMessageOwned::Ipv4RecvErr(error, Some(from)) if error.ee_origin == ORIGIN_ICMP => {
            Some(Icmp {
                kind: error.ee_type,
                code: error.ee_code,
                sender: IpAddr::V4(Ipv4Addr::from(u32::from_be(from.sin_addr.s_addr))),
            })
        }
        ControlMessageOwned::Ipv6RecvErr(error, Some(from)) if error.ee_origin == ORIGIN_ICMP6 => {
            Some(Icmp {
                kind: error.ee_type,
                code: error.ee_code,
                sender: IpAddr::V6(Ipv6Addr::from(from.sin6_addr.s6_addr)),
            })
        }
        _ => None,
    })
}
