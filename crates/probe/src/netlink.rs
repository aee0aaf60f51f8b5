//! Asking the system about its own network (rtnetlink(7)): one question, one answer; needs
//! no privileges and sends nothing.

use netlink_packet_core::{
    NLM_F_REQUEST, NetlinkBuffer, NetlinkHeader, NetlinkMessage, NetlinkPayload,
};
use netlink_packet_route::RouteNetlinkMessage;
use netlink_sys::{Socket, SocketAddr, protocols::NETLINK_ROUTE};

/// The answer; none where the system has none, or cannot be asked.
pub(crate) fn ask(question: RouteNetlinkMessage) -> Option<RouteNetlinkMessage> {
    let mut socket = Socket::new(NETLINK_ROUTE).ok()?;
    socket.bind_auto().ok()?;
    socket.connect(&SocketAddr::new(0, 0)).ok()?;
    socket.set_non_blocking(true).ok()?;
    socket.send(&packed(question), 0).ok()?;
    // The kernel answers before it returns from the sending.
    let (bytes, _) = socket.recv_from_full().ok()?;
    let buffer = NetlinkBuffer::new_checked(&bytes).ok()?;
    let message = NetlinkMessage::<RouteNetlinkMessage>::deserialize(buffer.into_inner()).ok()?;
    match message.payload {
        NetlinkPayload::InnerMessage(answer) => Some(answer),
        _ => None,
    }
}

fn packed(question: RouteNetlinkMessage) -> Vec<u8> {
    let mut header = NetlinkHeader::default();
    header.flags = NLM_F_REQUEST;
    let mut message = NetlinkMessage::new(header, NetlinkPayload::from(question));
    message.finalize();
    let mut bytes = vec![0; message.buffer_len()];
    message.serialize(&mut bytes);
    bytes
}
