//! Links of this machine, for addresses that are only good on one (RFC 4007).

use std::collections::BTreeSet;
use std::net::{Ipv6Addr, SocketAddr, SocketAddrV6};

use nix::ifaddrs::getifaddrs;
use nix::net::if_::{InterfaceFlags, if_nametoindex};

/// An address as it stands in a list of resolvers, with the number of its link:
/// `fe80::1%up0`.
pub(crate) fn on_link(ip: Ipv6Addr, link: &str) -> SocketAddr {
    let number = link.parse().ok().or_else(|| if_nametoindex(link).ok());
    SocketAddrV6::new(ip, 0, 0, number.unwrap_or_default()).into()
}

/// The only link on which such addresses are good, if there is only one.
pub(crate) fn only_one() -> Option<u32> {
    let all = getifaddrs().ok()?;
    let names: BTreeSet<String> = all
        .filter(|i| {
            let address = i.address.as_ref().and_then(|a| a.as_sockaddr_in6());
            let up = i.flags.contains(InterfaceFlags::IFF_UP);
            up && address.is_some_and(|a| a.ip().is_unicast_link_local())
        })
        .map(|i| i.interface_name)
        .collect();
    match names.first() {
        Some(only) if names.len() == 1 => if_nametoindex(only.as_str()).ok(),
        _ => None,
    }
}
