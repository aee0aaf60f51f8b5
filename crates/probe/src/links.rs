//! On which link an address lies that is only good on one (RFC 4007): as it was told
//! together with the address, or the only link there is.

use std::collections::{BTreeMap, BTreeSet};
use std::net::{IpAddr, Ipv6Addr, SocketAddr, SocketAddrV6};
use std::sync::{Mutex, PoisonError};

use nix::ifaddrs::getifaddrs;
use nix::net::if_::{InterfaceFlags, if_nametoindex};

/// What the system's look-up of names and its list of resolvers told.
static TOLD: Mutex<BTreeMap<Ipv6Addr, u32>> = Mutex::new(BTreeMap::new());

/// Notes the link that was told with an address, if any was.
pub(crate) fn note(at: SocketAddr) {
    if let SocketAddr::V6(at) = at
        && at.scope_id() > 0
        && at.ip().is_unicast_link_local()
    {
        let mut told = TOLD.lock().unwrap_or_else(PoisonError::into_inner);
        told.insert(*at.ip(), at.scope_id());
    }
}

/// An address as it stands in a list of resolvers: `fe80::1%up0`.
pub(crate) fn note_by_name(ip: Ipv6Addr, link: &str) {
    let number = link.parse().ok().or_else(|| if_nametoindex(link).ok());
    note(SocketAddrV6::new(ip, 0, 0, number.unwrap_or_default()).into());
}

/// The number of the link on which an address lies; none where it is good anywhere, or where
/// nobody can tell.
pub(crate) fn of(ip: IpAddr) -> Option<u32> {
    let IpAddr::V6(ip) = ip else { return None };
    if !ip.is_unicast_link_local() {
        return None;
    }
    let told = TOLD.lock().unwrap_or_else(PoisonError::into_inner);
    told.get(&ip).copied().or_else(only_link)
}

fn only_link() -> Option<u32> {
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
