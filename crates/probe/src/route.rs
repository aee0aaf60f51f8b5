//! By which way a packet would leave this machine: the system's own answer to that
//! question (rtnetlink(7), `RTM_GETROUTE`).

use std::net::IpAddr;

use netlink_packet_route::route::{
    RouteAddress, RouteAttribute, RouteFlags, RouteHeader, RouteMessage,
};
use netlink_packet_route::{AddressFamily, RouteNetlinkMessage};

use crate::here::Here;
use crate::netlink;

/// A way out.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub(crate) struct Way {
    /// The number of the interface.
    pub(crate) index: Option<u32>,
    /// Its name.
    pub(crate) interface: Option<String>,
    /// The next device.
    pub(crate) gateway: Option<IpAddr>,
    /// The length of the prefix of the route that fits.
    pub(crate) prefix: Option<u8>,
}

/// Asks for the way to an address; what cannot be learnt is none.
pub(crate) fn to(here: &Here, address: IpAddr) -> Way {
    match netlink::ask(RouteNetlinkMessage::GetRoute(question(here, address))) {
        Some(RouteNetlinkMessage::NewRoute(route)) => way(&route),
        _ => Way::default(),
    }
}

fn question(here: &Here, address: IpAddr) -> RouteMessage {
    let (family, bits, destination) = match address {
        IpAddr::V4(ip) => (AddressFamily::Inet, 32, RouteAddress::Inet(ip)),
        IpAddr::V6(ip) => (AddressFamily::Inet6, 128, RouteAddress::Inet6(ip)),
    };
    let mut route = RouteMessage::default();
    route.header = RouteHeader {
        address_family: family,
        destination_prefix_length: bits,
        flags: RouteFlags::FibMatch,
        ..RouteHeader::default()
    };
    route
        .attributes
        .push(RouteAttribute::Destination(destination));
    route
        .attributes
        .extend(here.link_of(address).map(RouteAttribute::Oif));
    route
}

fn way(route: &RouteMessage) -> Way {
    let mut way = Way {
        prefix: Some(route.header.destination_prefix_length),
        ..Way::default()
    };
    for attribute in &route.attributes {
        match attribute {
            RouteAttribute::Gateway(RouteAddress::Inet(ip)) => way.gateway = Some((*ip).into()),
            RouteAttribute::Gateway(RouteAddress::Inet6(ip)) => way.gateway = Some((*ip).into()),
            RouteAttribute::Oif(index) => {
                let name = nix::net::if_::if_indextoname(*index);
                way.index = Some(*index);
                way.interface = name.ok().and_then(|n| n.into_string().ok());
            }
            _ => {}
        }
    }
    way
}
