//! By which way a packet would leave this machine: the system's own answer to that
//! question (rtnetlink(7), `RTM_GETROUTE`), which needs no privileges and sends nothing.

use std::net::IpAddr;

use netlink_packet_core::{
    NLM_F_REQUEST, NetlinkBuffer, NetlinkHeader, NetlinkMessage, NetlinkPayload,
};
use netlink_packet_route::route::{
    RouteAddress, RouteAttribute, RouteFlags, RouteHeader, RouteMessage,
};
use netlink_packet_route::{AddressFamily, RouteNetlinkMessage};
use netlink_sys::{Socket, SocketAddr, protocols::NETLINK_ROUTE};

/// A way out.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub(crate) struct Way {
    /// The interface.
    pub(crate) interface: Option<String>,
    /// The next device.
    pub(crate) gateway: Option<IpAddr>,
    /// The length of the prefix of the route that fits.
    pub(crate) prefix: Option<u8>,
}

/// Asks for the way to an address; what cannot be learnt is none.
pub(crate) fn to(address: IpAddr) -> Way {
    asked(address).unwrap_or_default()
}

fn asked(address: IpAddr) -> Option<Way> {
    let mut socket = Socket::new(NETLINK_ROUTE).ok()?;
    socket.bind_auto().ok()?;
    socket.connect(&SocketAddr::new(0, 0)).ok()?;
    socket.set_non_blocking(true).ok()?;
    let request = request(address);
    socket.send(&request, 0).ok()?;
    // The kernel answers before it returns from the sending.
    let (bytes, _) = socket.recv_from_full().ok()?;
    let buffer = NetlinkBuffer::new_checked(&bytes).ok()?;
    let message = NetlinkMessage::<RouteNetlinkMessage>::deserialize(buffer.into_inner()).ok()?;
    match message.payload {
        NetlinkPayload::InnerMessage(RouteNetlinkMessage::NewRoute(route)) => Some(way(&route)),
        _ => None,
    }
}

fn request(address: IpAddr) -> Vec<u8> {
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
    let mut header = NetlinkHeader::default();
    header.flags = NLM_F_REQUEST;
    let mut message = NetlinkMessage::new(
        header,
        NetlinkPayload::from(RouteNetlinkMessage::GetRoute(route)),
    );
    message.finalize();
    let mut bytes = vec![0; message.buffer_len()];
    message.serialize(&mut bytes);
    bytes
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
                way.interface = name.ok().and_then(|n| n.into_string().ok());
            }
            _ => {}
        }
    }
    way
}
