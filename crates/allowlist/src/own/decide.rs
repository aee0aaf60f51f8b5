//! What a list of our own format says of an attempt.

use std::net::{IpAddr, SocketAddr};

use jiff::civil::Date;

use super::{Action, Direction, List, Rule};
use crate::answer::{Answer, Barrier, Decision, Passed, Spot};
use crate::attempt::{Attempt, EPHEMERAL};
use crate::block::Block;

/// How far apart an address that is listed and the client's may be, to be the same network:
/// one of the usual sizes of an office's or a provider's (RFC 4632; RFC 6177, section 2).
const SAME_NETWORK: (u8, u8) = (24, 64);

/// One packet, as the rules see it.
#[derive(Clone, Copy, Debug)]
struct Packet {
    direction: Direction,
    peer: IpAddr,
    /// The ports that it may have: one, or the client's own range.
    ports: (u16, u16),
}

/// What stopped a rule from fitting.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Miss {
    Direction,
    Protocol,
    Family,
    Address,
    Port,
    /// It fits some of the ports that the packet may have.
    SomePorts,
    Off,
    Past(Date),
}

impl Miss {
    fn words(self, rule: &Rule, packet: &Packet) -> String {
        match self {
            Miss::Direction => "it is for the other direction".to_owned(),
            Miss::Protocol => format!("it is for {}, not for tcp", rule.protocol.as_str()),
            Miss::Family => {
                let (own, other) = match packet.peer {
                    IpAddr::V4(_) => ("IPv6", "IPv4"),
                    IpAddr::V6(_) => ("IPv4", "IPv6"),
                };
                format!("its ranges are {own}, and {} is {other}", packet.peer)
            }
            Miss::Address => format!("{} is not in its ranges", packet.peer),
            Miss::Port => match packet.ports.0 == packet.ports.1 {
                true => format!("it is for port {}, not {}", rule.ports, packet.ports.0),
                false => format!(
                    "it is for port {}, not {}-{}",
                    rule.ports, packet.ports.0, packet.ports.1
                ),
            },
            Miss::SomePorts => format!(
                "it is for port {}, which is a part of {}-{}",
                rule.ports, packet.ports.0, packet.ports.1
            ),
            Miss::Off => "it is switched off".to_owned(),
            Miss::Past(until) => format!("it ended on {until}"),
        }
    }
}

/// Why a rule does not fit a packet; none if it does. What it is for comes first, whether it
/// counts last: a rule that is switched off and would not fit anyway is no trouble.
fn miss(rule: &Rule, packet: &Packet, today: Date) -> Option<Miss> {
    if rule.direction != packet.direction {
        return Some(Miss::Direction);
    }
    if !rule.protocol.takes_tcp() {
        return Some(Miss::Protocol);
    }
    if !rule.peers.iter().any(|p| p.block.has(packet.peer)) {
        let family = rule
            .peers
            .iter()
            .all(|p| p.block.v6 != packet.peer.is_ipv6());
        return Some(if family { Miss::Family } else { Miss::Address });
    }
    if !rule.ports.meets(packet.ports) {
        return Some(Miss::Port);
    }
    if !rule.enabled {
        return Some(Miss::Off);
    }
    if !rule.counts(today) {
        return rule.until.map(Miss::Past);
    }
    match rule.ports.covers(packet.ports) {
        true => None,
        false => Some(Miss::SomePorts),
    }
}

/// What the rules make of one packet.
struct Judged {
    answer: Answer,
    /// The rule, by its place in the file; none where no rule fits.
    rule: Option<usize>,
    passed: Vec<(usize, Miss)>,
}

/// Asks the rules. `keep` where those that did not fit are wanted too.
fn judge(list: &List, packet: &Packet, today: Date, keep: bool) -> Judged {
    let mut passed = Vec::new();
    // Where rules fit a part of the ports only, what they say of that part must be what
    // decides the rest too.
    let mut partly: Option<(Answer, usize)> = None;
    let found = |action: Action| match action {
        Action::Allow => Answer::Allowed,
        Action::Deny => Answer::Denied,
    };
    let mut decided = (found(list.default), None);
    for index in list.asked() {
        let Some(rule) = list.rules.get(index) else {
            continue;
        };
        match miss(rule, packet, today) {
            None => {
                decided = (found(rule.action), Some(index));
                break;
            }
            Some(missed) => {
                if missed == Miss::SomePorts {
                    let said = found(rule.action);
                    partly = match partly {
                        Some((before, _)) if before != said => Some((Answer::Unknown, index)),
                        Some(before) => Some(before),
                        None => Some((said, index)),
                    };
                }
                if keep {
                    passed.push((index, missed));
                }
            }
        }
    }
    let (answer, rule) = match partly {
        Some((answer, index)) if answer != decided.0 => (Answer::Unknown, Some(index)),
        _ => decided,
    };
    Judged {
        answer,
        rule,
        passed,
    }
}

/// Whose list it is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Side {
    /// It guards the server: requests come in.
    Server,
    /// It guards the client's network: requests go out.
    Client,
}

/// Whose list it must be: one with rules for outgoing packets alone cannot be the server's,
/// and one whose outgoing rules name the server, while no incoming one names the client, is
/// the client's.
pub fn side(list: &List, attempt: &Attempt) -> Side {
    let inbound = |r: &&Rule| r.direction == Direction::Inbound;
    if list.rules.is_empty() {
        return Side::Server;
    }
    if !list.rules.iter().any(|r| inbound(&r)) {
        return Side::Client;
    }
    let named = |rule: &Rule, ip: IpAddr| {
        let mut named = rule.peers.iter().map(|p| p.block);
        named.any(|block| !block.is_all() && block.has(ip))
    };
    let to_server = list.rules.iter().any(|r| {
        r.direction == Direction::Outbound
            && r.ports.has(attempt.to.port())
            && named(r, attempt.to.ip())
    });
    let mut inbound = list.rules.iter().filter(inbound);
    let from_client = inbound
        .any(|r| named(r, attempt.client) || (r.ports.has(attempt.to.port()) && !r.ports.is_any()));
    match to_server && !from_client {
        true => Side::Client,
        false => Side::Server,
    }
}

/// Whether the list is one of the client's network, whoever the client is.
pub fn guards_client(list: &List, to: SocketAddr) -> bool {
    let nobody = Attempt::new(std::net::Ipv4Addr::UNSPECIFIED.into(), to, Date::MIN);
    side(list, &nobody) == Side::Client
}

/// What the list says of an attempt; with every rule that was passed over if `keep`.
pub fn decide(list: &List, attempt: &Attempt, keep: bool) -> Decision {
    let port = attempt.to.port();
    let (there, back, peer) = ends(list, attempt);
    let request = Packet {
        direction: there,
        peer,
        ports: (port, port),
    };
    let judged = judge(list, &request, attempt.today, true);
    let mut decision = said(list, &judged, &request, "the request", keep);
    match judged.answer {
        Answer::Denied => {
            let barrier = barrier(list, &judged, &request, attempt, &mut decision);
            return decision.behind(barrier);
        }
        Answer::Allowed if !list.stateful => {}
        _ => return decision,
    }
    let reply = Packet {
        direction: back,
        peer,
        ports: EPHEMERAL,
    };
    let judged = judge(list, &reply, attempt.today, true);
    let mut answered = said(list, &judged, &reply, "the reply", keep);
    let request = std::mem::take(&mut decision.why);
    answered
        .passed
        .splice(0..0, std::mem::take(&mut decision.passed));
    let range = format!(
        "the list is stateless, so replies to the client's ports ({}-{} unless its system is set otherwise) need a rule of their own",
        EPHEMERAL.0, EPHEMERAL.1
    );
    answered.remarks.push((range, None));
    if answered.answer == Answer::Allowed {
        let why = format!("{request}; {}", answered.why);
        return Decision {
            answer: Answer::Allowed,
            why,
            rule: decision.rule,
            ..answered
        };
    }
    answered.why = format!("{request}; but {}", answered.why);
    match answered.answer {
        Answer::Denied => answered.behind(Barrier::WayBack),
        _ => answered,
    }
}

fn said(list: &List, judged: &Judged, packet: &Packet, what: &str, keep: bool) -> Decision {
    let rule = judged
        .rule
        .and_then(|i| Some(list.rules.get(i)?.shown(i + 1)));
    let ends = match judged.answer {
        Answer::Allowed => "lets",
        Answer::Denied | Answer::Unknown => "stops",
    };
    let why = match (judged.rule, judged.answer) {
        (Some(i), Answer::Allowed) => format!("rule {} {ends} {what} through", i + 1),
        (Some(i), Answer::Denied) => format!("rule {} {ends} {what}", i + 1),
        (Some(i), Answer::Unknown) => format!(
            "rule {} is for some of the ports {}-{} only, so it depends on the port that the client happens to use",
            i + 1,
            packet.ports.0,
            packet.ports.1
        ),
        (None, Answer::Allowed) => {
            format!("no rule fits {what}, and the list allows by default")
        }
        (None, _) => format!("no rule fits {what}, and the list denies by default"),
    };
    let mut decision = Decision::new(judged.answer, rule, why);
    if keep {
        let passed = judged.passed.iter().filter_map(|(index, missed)| {
            let rule = list.rules.get(*index)?;
            Some(Passed {
                rule: rule.shown(index + 1),
                why: missed.words(rule, packet),
            })
        });
        decision.passed = passed.collect();
    }
    decision
}

/// What stands in the way of a request that is denied, and what else is to be said of it.
fn barrier(
    list: &List,
    judged: &Judged,
    request: &Packet,
    attempt: &Attempt,
    decision: &mut Decision,
) -> Barrier {
    let allows = |(index, missed): &(usize, Miss)| {
        let rule = list.rules.get(*index)?;
        (rule.action == Action::Allow).then_some((*index, rule, *missed))
    };
    let remark = |decision: &mut Decision, text: String, rule: &Rule| {
        let spot = Some(Spot::own(rule.at.clone()));
        decision.remarks.push((text, spot));
    };
    // A rule that would let it in, and does not count.
    let off = judged.passed.iter().filter_map(allows).find(|(_, _, m)| {
        let off = matches!(m, Miss::Off | Miss::Past(_));
        off && judged.rule.is_none()
    });
    if let Some((index, rule, missed)) = off {
        let words = missed.words(rule, request);
        remark(
            decision,
            format!("rule {} would allow it, but {words}", index + 1),
            rule,
        );
        return Barrier::RuleOff;
    }
    if let Some(by) = judged.rule {
        let order = list.asked();
        let behind = order.iter().skip_while(|i| **i != by).skip(1);
        let hidden = behind.copied().find(|i| {
            let rule = list.rules.get(*i);
            rule.is_some_and(|r| {
                r.action == Action::Allow && miss(r, request, attempt.today).is_none()
            })
        });
        if let Some((index, rule)) = hidden.and_then(|i| Some((i, list.rules.get(i)?))) {
            let text = format!(
                "rule {} would allow it, but rule {} comes before it",
                index + 1,
                by + 1
            );
            remark(decision, text, rule);
            return Barrier::RuleOff;
        }
        return Barrier::NotCovered;
    }
    // A rule for everybody and another port says nothing of this client, where there are
    // rules for this port.
    let for_port = list.rules.iter().any(|r| {
        r.action == Action::Allow
            && r.direction == request.direction
            && r.protocol.takes_tcp()
            && r.ports.has(request.ports.0)
    });
    let names = |rule: &Rule| {
        let mut blocks = rule.peers.iter().map(|p| p.block);
        blocks.any(|b| !b.is_all() && b.has(request.peer))
    };
    let other = judged
        .passed
        .iter()
        .filter_map(allows)
        .find(|(_, r, m)| *m == Miss::Port && (names(r) || !for_port));
    let other = other.or_else(|| {
        judged.passed.iter().filter_map(allows).find(|(_, r, m)| {
            let here = r.peers.iter().any(|p| p.block.has(request.peer));
            here && match m {
                Miss::Protocol => r.ports.has(request.ports.0),
                // A rule for what goes out again says nothing of what may come in, unless it
                // names the very port.
                Miss::Direction => r.ports.has(request.ports.0) && !r.ports.is_any(),
                _ => false,
            }
        })
    });
    if let Some((index, rule, missed)) = other {
        let text = format!(
            "rule {} covers {}, but {}",
            index + 1,
            request.peer,
            missed.words(rule, request)
        );
        remark(decision, text, rule);
        return Barrier::OtherPort;
    }
    nearest(list, request, attempt, decision);
    Barrier::NotCovered
}

/// The range that comes nearest to the client, or an old address of its network.
fn nearest(list: &List, request: &Packet, attempt: &Attempt, decision: &mut Decision) {
    let v6 = request.peer.is_ipv6();
    let length = if v6 { SAME_NETWORK.1 } else { SAME_NETWORK.0 };
    let network = Block::prefix(request.peer, length);
    let fitting = list.rules.iter().enumerate().filter(|(_, r)| {
        r.action == Action::Allow
            && r.direction == request.direction
            && r.protocol.takes_tcp()
            && r.ports.has(request.ports.0)
    });
    let near = fitting
        .flat_map(|(i, r)| r.peers.iter().map(move |p| (i, r, p)))
        .filter_map(|(i, r, p)| Some((p.block.distance(request.peer)?, i, r, p)))
        .min_by_key(|(distance, ..)| *distance);
    if let Some((_, index, rule, peer)) = near {
        let counts = match rule.counts(attempt.today) {
            true => "",
            false => ", which does not count",
        };
        let text = match network.covers(&peer.block) && request.direction == Direction::Inbound {
            true => format!(
                "{} in rule {}{counts} is of the same network as {}: it may be the address that this client had before",
                peer.block,
                index + 1,
                request.peer
            ),
            false => format!(
                "the nearest range for this port is {} in rule {}{counts}",
                peer.block,
                index + 1
            ),
        };
        let spot = Some(Spot::own(peer.at.clone()));
        decision.remarks.push((text, spot));
    } else {
        let other = match v6 {
            true => "IPv4",
            false => "IPv6",
        };
        let text = match list.rules.iter().flat_map(|r| &r.peers).next() {
            None => "the list has no rules".to_owned(),
            Some(_) => format!("for this port the list has ranges of {other} only, or none"),
        };
        decision.remarks.push((text, None));
    }
    if request.direction == Direction::Inbound && is_inside(attempt.client) {
        let listed = list.rules.iter().flat_map(|r| &r.peers);
        let listed: Vec<&Block> = listed
            .map(|p| &p.block)
            .filter(|b| !b.is_all() && b.v6 == attempt.client.is_ipv6())
            .collect();
        let public = !is_inside(attempt.to.ip());
        // A list that has inside addresses sees them.
        if public && !listed.is_empty() && !listed.iter().any(|b| inside_block(b)) {
            let text = format!(
                "{} is a private address and {} a public one: the far side sees the address that NAT puts in its place, so give that one",
                attempt.client,
                attempt.to.ip()
            );
            decision.remarks.push((text, None));
            decision.other_address = true;
        }
    }
}

/// Whether an address has no meaning beyond its own network (RFC 1918, section 3; RFC 4193).
pub(crate) fn is_inside(ip: IpAddr) -> bool {
    match ip {
        IpAddr::V4(ip) => ip.is_private() || ip.is_loopback() || ip.is_link_local(),
        IpAddr::V6(ip) => ip.is_unique_local() || ip.is_loopback() || ip.is_unicast_link_local(),
    }
}

fn inside_block(block: &Block) -> bool {
    is_inside(crate::block::address(block.v6, block.from))
        && is_inside(crate::block::address(block.v6, block.to))
}

/// Whether the list allows an attempt at all: the answer alone, for many at one time.
pub fn answers(list: &List, attempt: &Attempt) -> (Answer, Option<usize>) {
    let request = request_answers(list, attempt);
    if request.0 != Answer::Allowed || list.stateful {
        return request;
    }
    let (_, back, peer) = ends(list, attempt);
    let reply = Packet {
        direction: back,
        peer,
        ports: EPHEMERAL,
    };
    let reply = judge(list, &reply, attempt.today, false);
    match reply.answer {
        Answer::Allowed => request,
        answer => (answer, reply.rule),
    }
}

/// The same for the request alone.
pub fn request_answers(list: &List, attempt: &Attempt) -> (Answer, Option<usize>) {
    let port = attempt.to.port();
    let (there, _, peer) = ends(list, attempt);
    let request = Packet {
        direction: there,
        peer,
        ports: (port, port),
    };
    let request = judge(list, &request, attempt.today, false);
    (request.answer, request.rule)
}

/// The direction of requests, that of replies, and the far end, as the list has them.
pub(super) fn ends(list: &List, attempt: &Attempt) -> (Direction, Direction, IpAddr) {
    match side(list, attempt) {
        Side::Server => (Direction::Inbound, Direction::Outbound, attempt.client),
        Side::Client => (Direction::Outbound, Direction::Inbound, attempt.to.ip()),
    }
}
