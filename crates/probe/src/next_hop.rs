//! What this machine's own tables say of the next device on a way: whether it answers to
//! its link-layer address (RFC 826; RFC 4861, section 7.3), and whether the link to it is
//! up (RFC 2863, section 3.1.14).

use std::net::IpAddr;

use chronaxis_model::fact::Fact;
use netlink_packet_route::link::{LinkAttribute, LinkMessage, State};
use netlink_packet_route::neighbour::{
    NeighbourAddress, NeighbourAttribute, NeighbourMessage, NeighbourState,
};
use netlink_packet_route::{AddressFamily, RouteNetlinkMessage};

use crate::here::Here;
use crate::{netlink, route};

/// Looks; none where nothing is said.
pub(crate) fn to(here: &Here, host: IpAddr) -> Option<Fact> {
    let host = host.to_canonical();
    let way = route::to(here, host);
    let address = way.gateway.unwrap_or(host);
    let index = way.index?;
    let answers = answers(address, index);
    let link_up = link_up(index);
    (answers.is_some() || link_up.is_some()).then_some(Fact::NextDevice {
        address,
        answers,
        link_up,
    })
}

/// Whether it answers. An entry that is only remembered, or that needs no answer, says
/// nothing.
fn answers(address: IpAddr, index: u32) -> Option<bool> {
    let (family, destination) = match address {
        IpAddr::V4(ip) => (AddressFamily::Inet, NeighbourAddress::Inet(ip)),
        IpAddr::V6(ip) => (AddressFamily::Inet6, NeighbourAddress::Inet6(ip)),
    };
    let mut question = NeighbourMessage::default();
    question.header.family = family;
    question.header.ifindex = index;
    question
        .attributes
        .push(NeighbourAttribute::Destination(destination));
    let RouteNetlinkMessage::NewNeighbour(entry) =
        netlink::ask(RouteNetlinkMessage::GetNeighbour(question))?
    else {
        return None;
    };
    match entry.header.state {
        NeighbourState::Reachable => Some(true),
        NeighbourState::Incomplete | NeighbourState::Failed => Some(false),
        _ => None,
    }
}

fn link_up(index: u32) -> Option<bool> {
    let mut question = LinkMessage::default();
    question.header.index = index;
    let RouteNetlinkMessage::NewLink(link) = netlink::ask(RouteNetlinkMessage::GetLink(question))?
    else {
        return None;
    };
    link.attributes.iter().find_map(|said| match said {
        LinkAttribute::OperState(State::Up) => Some(true),
        LinkAttribute::OperState(State::Down | State::LowerLayerDown | State::NotPresent) => {
            Some(false)
        }
        _ => None,
    })
}
