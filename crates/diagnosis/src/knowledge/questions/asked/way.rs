//! Questions about the way: name to line.

use chronaxis_model::endpoint::Endpoint;
use chronaxis_model::fact::{Fact, HostQuestion, Icmp, Knocked, Unreach};
use chronaxis_model::layer::{Layer, Micros};

use super::super::{Answer, answers};
use super::answer;
use super::port::{knock, meant};
use crate::judge::{After, PathView, Symptom, after, policy};

/// A connection that took longer than this was not made by its first packet: the system
/// sends it again after one second (RFC 6298, section 2).
const ONE_LOST: Micros = Micros::from_millis(900);

pub(in crate::knowledge::questions) fn own_queue(
    view: &PathView<'_>,
    symptom: Symptom,
) -> Option<Answer> {
    if !matches!(
        symptom,
        Symptom::PortSilent | Symptom::PortRefused | Symptom::ListenerMute
    ) {
        return None;
    }
    let (listening, waiting) = view.find(|fact| match fact {
        Fact::LocalListener { listening, waiting } => Some((*listening, *waiting)),
        _ => None,
    })?;
    match (listening, waiting) {
        (false, _) => answer(
            answers::OwnQueue::Nobody,
            "no program of this machine listens on that port",
        ),
        (true, 0) => answer(
            answers::OwnQueue::Empty,
            "a program listens there, and its queue is empty",
        ),
        (true, n) => {
            let what = if n == 1 { "connection" } else { "connections" };
            answer(
                answers::OwnQueue::Waiting,
                format!("a program listens there and leaves {n} {what} waiting in its queue"),
            )
        }
    }
}

pub(in crate::knowledge::questions) fn packet_loss(
    view: &PathView<'_>,
    _: Symptom,
) -> Option<Answer> {
    let counted: u32 = view.count(|fact| match fact {
        Fact::PortConnected {
            retransmits: Some(n),
            ..
        } => Some(*n),
        Fact::LineMeasured { retransmits, .. } => Some(*retransmits),
        _ => None,
    })?;
    let late = knock(view, |_| true).filter(|(_, knocked, elapsed)| {
        matches!(knocked, Knocked::Connected | Knocked::Refused) && *elapsed >= ONE_LOST
    });
    if let Some(attempt) = view.connected_attempt().filter(|n| *n > 1) {
        return answer(
            answers::PacketLoss::Some,
            format!("attempt {attempt} was answered, and none before it"),
        );
    }
    match (counted, late) {
        (0, None) => answer(
            answers::PacketLoss::None,
            "no packet had to be retransmitted",
        ),
        (0, Some((port, _, elapsed))) => answer(
            answers::PacketLoss::Some,
            format!("port {port} of the same host answered after {elapsed}: packets were lost"),
        ),
        (n, _) => answer(
            answers::PacketLoss::Some,
            format!("retransmitted packets on this connection: {n}"),
        ),
    }
}

pub(in crate::knowledge::questions) fn request_confirmed(
    view: &PathView<'_>,
    _: Symptom,
) -> Option<Answer> {
    view.find(|fact| matches!(fact, Fact::PeerSilent { .. }).then_some(()))?;
    let unconfirmed = view.find(|fact| match fact {
        Fact::LineMeasured { unconfirmed, .. } => Some(*unconfirmed),
        _ => None,
    })?;
    if unconfirmed == 0 {
        answer(
            answers::RequestConfirmed::Confirmed,
            "the other system acknowledged our request",
        )
    } else {
        answer(
            answers::RequestConfirmed::Unconfirmed,
            "our request was never acknowledged: it was lost, or the acknowledgement was",
        )
    }
}

pub(in crate::knowledge::questions) fn control_port(
    view: &PathView<'_>,
    _: Symptom,
) -> Option<Answer> {
    let meant = meant(view).map(|(port, _)| port);
    let (port, knocked, elapsed) = knock(view, |port| Some(port) != meant)?;
    // Then it is another machine's port.
    if view.passed_on_by().is_some() {
        return None;
    }
    let near = |p: u16| p != port && Some(p) != meant;
    if let (Knocked::Connected | Knocked::Refused, Some((near, Knocked::Silent, _))) =
        (knocked, knock(view, near))
    {
        let text = format!(
            "port {near} of the same host is silent too, but port {port} answers in {elapsed}: the host is up, and a range of ports is silent"
        );
        return answer(answers::ControlPort::FarOnly, text);
    }
    match knocked {
        Knocked::Connected => answer(
            answers::ControlPort::Connected,
            format!("port {port} of the same host connects in {elapsed}: the host is up"),
        ),
        Knocked::Refused => answer(
            answers::ControlPort::Refused,
            format!("port {port} of the same host refuses in {elapsed}: the host is up"),
        ),
        Knocked::Silent => answer(
            answers::ControlPort::Silent,
            format!("port {port} of the same host is silent too"),
        ),
        Knocked::Unreachable => answer(
            answers::ControlPort::Unreachable,
            format!("port {port} of the same host cannot be reached either"),
        ),
    }
}

/// Whether the host says by itself that it is up, where its ports are silent.
pub(in crate::knowledge::questions) fn host_answers(
    view: &PathView<'_>,
    symptom: Symptom,
) -> Option<Answer> {
    let host = view.endpoint.ip()?;
    if symptom != Symptom::PortSilent || view.passed_on_by().is_some() {
        return None;
    }
    // A port that answers has said it already.
    if let Some((_, Knocked::Connected | Knocked::Refused, _)) = knock(view, |_| true) {
        return None;
    }
    let asked: Vec<(HostQuestion, u32, u32, Option<Icmp>, Micros)> = view
        .evidence
        .facts()
        .filter_map(|(o, fact)| match fact {
            Fact::HostAsked {
                with,
                sent,
                received,
                icmp,
                elapsed_us,
            } if o.about.address == Some(host) => {
                Some((*with, *sent, *received, *icmp, *elapsed_us))
            }
            _ => None,
        })
        .collect();
    let by_itself = |icmp: &Option<Icmp>| {
        icmp.is_some_and(|icmp| icmp.sender == host && icmp.says() == Unreach::Port)
    };
    let answered = asked
        .iter()
        .filter(|(_, _, received, icmp, _)| *received > 0 || by_itself(icmp))
        .min_by_key(|(with, ..)| *with);
    match answered {
        Some((HostQuestion::Echo, sent, received, _, elapsed)) => answer(
            answers::HostAnswers::Answers,
            format!(
                "the host is up: {sent} echo requests sent, {received} answered, the first in {elapsed}"
            ),
        ),
        Some((HostQuestion::Datagram, .., elapsed)) => answer(
            answers::HostAnswers::Answers,
            format!("the host is up: it answers a UDP datagram in {elapsed}"),
        ),
        // A device that says something instead speaks of another question.
        None if asked.is_empty() || asked.iter().any(|(.., icmp, _)| icmp.is_some()) => None,
        None => {
            let sent: u32 = asked.iter().map(|(_, sent, ..)| sent).sum();
            let what = match asked.iter().any(|(with, ..)| *with == HostQuestion::Echo) {
                true => "a UDP datagram and echo requests",
                false => "a UDP datagram",
            };
            let text = format!("the host does not answer {what} either: {sent} sent, {sent} lost");
            answer(answers::HostAnswers::Silent, text)
        }
    }
}

pub(in crate::knowledge::questions) fn target_place(
    view: &PathView<'_>,
    _: Symptom,
) -> Option<Answer> {
    let ip = view.endpoint.ip()?;
    let own = view.source().map(|source| source == ip);
    let itself = || format!("{ip} is this machine itself");
    if chronaxis_model::reserved_ranges::is_here(ip) {
        return answer(answers::TargetPlace::Loopback, itself());
    }
    if own == Some(true) {
        return answer(answers::TargetPlace::OwnAddress, itself());
    }
    own.and_then(|_| {
        answer(
            answers::TargetPlace::Elsewhere,
            format!("{ip} is another machine"),
        )
    })
}

/// Another address matters where this one holds the client: it waits there, or takes no
/// other.
pub(in crate::knowledge::questions) fn other_address(
    view: &PathView<'_>,
    symptom: Symptom,
) -> Option<Answer> {
    let target = view.evidence.target;
    let goes_on = after(target, symptom) != After::Stops;
    if symptom.layer() > Layer::Port {
        return None;
    }
    if goes_on && !policy(target).first_address_only {
        return answer(
            answers::OtherAddress::PassedOver,
            "this client moves on from such an address",
        );
    }
    let others: Vec<Endpoint> = view
        .evidence
        .endpoints()
        .into_iter()
        .filter(|e| *e != view.endpoint)
        .collect();
    let works = |e: &&Endpoint| {
        let about = e.subject();
        let mut facts = view.evidence.facts();
        facts.any(|(o, fact)| {
            matches!(fact, Fact::PortConnected { .. })
                && (o.about.address, o.about.port) == (about.address, about.port)
                && o.about.socket == about.socket
        })
    };
    match others.iter().find(works) {
        Some(other) => answer(
            answers::OtherAddress::Works,
            format!("{other}, of the same target, connects"),
        ),
        None if others.is_empty() => answer(
            answers::OtherAddress::OnlyOne,
            "the target has no other address",
        ),
        None => answer(
            answers::OtherAddress::Fails,
            "no other address of the target connects",
        ),
    }
}

/// The message that refuses it. That this machine itself gave up on the next device is
/// another question's.
fn icmp(view: &PathView<'_>) -> Option<Icmp> {
    view.icmp().filter(|_| !view.gave_up())
}

pub(in crate::knowledge::questions) fn refusal_sender(
    view: &PathView<'_>,
    _: Symptom,
) -> Option<Answer> {
    let icmp = icmp(view)?;
    let sender = icmp.sender;
    if view.endpoint.ip() == Some(sender) {
        // A device that passes the port on speaks in the host's name.
        if view.passed_on_by().is_some() {
            return None;
        }
        return answer(
            answers::RefusalSender::TheHost,
            format!("{sender}, the host itself, sent the refusal"),
        );
    }
    if view.is_own(icmp) {
        return answer(
            answers::RefusalSender::ThisMachine,
            format!("{sender}, this machine itself, gave up on it"),
        );
    }
    answer(
        answers::RefusalSender::ADevice,
        format!("{sender}, a device on the way, sent the refusal"),
    )
}

pub(in crate::knowledge::questions) fn refusal_says(
    view: &PathView<'_>,
    _: Symptom,
) -> Option<Answer> {
    // The system found no way only when it was to connect by TCP.
    let no_way = view.find(|fact| match fact {
        Fact::PortUnreachable {
            error, icmp: None, ..
        } => (error == "ENETUNREACH").then_some(()),
        _ => None,
    });
    if no_way.is_some() {
        return answer(
            answers::RefusalSays::Network,
            "this system has no way to connect there",
        );
    }
    let icmp = icmp(view)?;
    let text = format!(
        "ICMP type {} code {}: {}",
        icmp.kind,
        icmp.code,
        icmp.title()
    );
    let word = match icmp.says() {
        Unreach::Port => answers::RefusalSays::Port,
        Unreach::Prohibited => answers::RefusalSays::Prohibited,
        Unreach::Host => answers::RefusalSays::Host,
        Unreach::Network => answers::RefusalSays::Network,
        Unreach::Other => return None,
    };
    answer(word, text)
}
