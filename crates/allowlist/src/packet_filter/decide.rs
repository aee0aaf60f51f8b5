//! What a packet filter says of an attempt: the packets of the beginning of a connection, one
//! after the other, each through all chains that it meets.

use super::packet::{Device, Packet, Turn, flags, state};
use super::through::{Ends, Walk, most_rules};
use super::{Base, Filter, Hook, Purpose};
use crate::answer::{self, Answer, Barrier, Decision, Spot};
use crate::attempt::{Attempt, EPHEMERAL};

/// Chains that are asked before this see a packet before connection tracking does
/// (`NF_IP_PRI_CONNTRACK` of Linux).
const CONNECTION_TRACKING: i64 = -200;

/// Whose filter it is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Place {
    /// That of the machine to which the connection goes.
    Target,
    /// That of a machine on the way.
    Between,
}

/// The chains of a packet's way.
fn hooks(place: Place, packet: &Packet) -> &'static [Hook] {
    match (place, packet.local, packet.reply) {
        (_, true, _) => &[
            Hook::Output,
            Hook::Postrouting,
            Hook::Prerouting,
            Hook::Input,
        ],
        (Place::Target, _, false) => &[Hook::Ingress, Hook::Prerouting, Hook::Input],
        (Place::Target, _, true) => &[Hook::Output, Hook::Postrouting],
        (Place::Between, _, _) => &[
            Hook::Ingress,
            Hook::Prerouting,
            Hook::Forward,
            Hook::Postrouting,
        ],
    }
}

/// How a packet ends in all chains of its way.
enum Fate {
    Passes(Option<answer::Rule>),
    Denied(Option<answer::Rule>, String),
    Open(answer::Rule, String),
}

/// Where the machine stands: one whose rules for what it sends on are the only ones it has
/// is on the way.
fn place(filter: &Filter) -> Place {
    let at = |hook: Hook| {
        filter.chains.iter().any(|c| {
            c.base.is_some_and(|b| {
                b.hook == hook && b.purpose == Purpose::Filter && (b.drops || !c.rules.is_empty())
            })
        })
    };
    match at(Hook::Forward) && !at(Hook::Input) {
        true => Place::Between,
        false => Place::Target,
    }
}

/// The packets of the beginning of a connection.
fn packets(attempt: &Attempt) -> Vec<Packet> {
    let client = attempt.client;
    let server = attempt.to.ip();
    let port = attempt.to.port();
    let local = client == server || client.is_loopback();
    let device = match (&attempt.interface, local) {
        (_, true) => Device::Loopback,
        (Some(name), _) if name == "lo" => Device::Loopback,
        (Some(name), _) => Device::Named(name.clone()),
        (None, _) => Device::Other,
    };
    let packet = |title, reply: bool, flags, state| {
        let (source, destination) = match reply {
            false => (client, server),
            true => (server, client),
        };
        let (from, to) = match reply {
            false => (EPHEMERAL, (port, port)),
            true => ((port, port), EPHEMERAL),
        };
        let (comes_by, leaves_by) = match reply {
            false => (device.clone(), Device::None),
            true => (Device::None, device.clone()),
        };
        Packet {
            title,
            source,
            destination,
            from,
            to,
            flags,
            state,
            reply,
            comes_by,
            leaves_by,
            mark: None,
            connection_mark: None,
            local,
            untracked: false,
            sent_on: false,
            turn: None,
            doubt: None,
            original: ((client, EPHEMERAL), (server, port)),
        }
    };
    vec![
        packet("the request (SYN)", false, flags::SYN, state::NEW),
        packet(
            "the answer (SYN-ACK)",
            true,
            flags::SYN | flags::ACK,
            state::ESTABLISHED,
        ),
        packet(
            "the client's acknowledgement (ACK)",
            false,
            flags::ACK,
            state::ESTABLISHED,
        ),
        packet(
            "the server's data",
            true,
            flags::PSH | flags::ACK,
            state::ESTABLISHED,
        ),
        packet(
            "the client's data",
            false,
            flags::PSH | flags::ACK,
            state::ESTABLISHED,
        ),
    ]
}

/// The chains at a hook, in the order in which they are asked.
fn chains_at(filter: &Filter, hook: Hook, packet: &Packet, is_first: bool) -> Vec<(usize, Base)> {
    let mut out: Vec<(usize, Base)> = filter
        .chains
        .iter()
        .enumerate()
        .filter_map(|(index, chain)| Some((index, chain, chain.base?)))
        .filter(|(_, chain, base)| base.hook == hook && chain.family.sees(packet.is_v6()))
        .filter(|(.., base)| base.purpose == Purpose::Filter || is_first)
        .map(|(index, _, base)| (index, base))
        .collect();
    out.sort_by_key(|(_, base)| base.priority);
    out
}

/// A packet through everything that it meets.
fn fate(walk: &mut Walk<'_>, place: Place, packet: &mut Packet, is_first: bool) -> Fate {
    let mut last = None;
    let mut open: Option<(answer::Rule, String)> = None;
    for hook in hooks(place, packet) {
        let (comes, leaves) = (packet.comes_by.clone(), packet.leaves_by.clone());
        if packet.local {
            let out = matches!(hook, Hook::Output | Hook::Postrouting);
            packet.comes_by = if out { Device::None } else { Device::Loopback };
            packet.leaves_by = if out { Device::Loopback } else { Device::None };
        } else if place == Place::Between {
            packet.comes_by = match hook {
                Hook::Postrouting => Device::None,
                _ => device_between(&comes, packet.reply),
            };
            packet.leaves_by = match hook {
                Hook::Forward | Hook::Postrouting => device_between(&leaves, !packet.reply),
                _ => Device::None,
            };
        }
        for (index, base) in chains_at(walk.filter, *hook, packet, is_first) {
            let due = |t: &Turn| t.hook == *hook && base.priority >= t.priority;
            if packet.turn.as_ref().is_some_and(due) {
                packet.turn();
            }
            packet.untracked = base.priority < CONNECTION_TRACKING
                && matches!(hook, Hook::Ingress | Hook::Prerouting | Hook::Output);
            let ends = walk.chain(index, packet, 0);
            let chain = walk.filter.chains.get(index);
            let end = answer::Rule {
                spot: chain.map(|c| c.spot.clone()),
                text: chain.map_or_else(String::new, |c| format!("{}, its policy: drop", c.title)),
            };
            match of_chain(ends, base.drops, end) {
                Ended::Passes(rule) => {
                    if base.purpose == Purpose::Filter {
                        last = rule.or(last);
                    }
                }
                Ended::Denied(rule, why) => return Fate::Denied(Some(rule), why),
                Ended::Open(rule, why) => {
                    open.get_or_insert((rule, why));
                }
            }
        }
        if packet.turn.as_ref().is_some_and(|t| t.hook == *hook) {
            packet.turn();
        }
        packet.comes_by = comes;
        packet.leaves_by = leaves;
    }
    if let Some((rule, why)) = packet.doubt.take() {
        open.get_or_insert((rule, why));
    }
    match open {
        Some((rule, why)) => Fate::Open(rule, why),
        None => Fate::Passes(last),
    }
}

/// A later packet of a connection whose first one was sent on: requests change where
/// destinations are (`NF_IP_PRI_NAT_DST` of Linux), answers go out from there and change back
/// where sources are (`NF_IP_PRI_NAT_SRC`).
fn send_on(packet: &mut Packet, end: (std::net::IpAddr, (u16, u16))) {
    const DESTINATIONS: i64 = -100;
    const SOURCES: i64 = 100;
    let turn = match (packet.reply, packet.local) {
        (false, local) => Turn {
            hook: if local {
                Hook::Output
            } else {
                Hook::Prerouting
            },
            priority: DESTINATIONS,
            end,
            source: false,
        },
        (true, _) => {
            let own = (packet.source, packet.from);
            (packet.source, packet.from) = end;
            Turn {
                hook: Hook::Postrouting,
                priority: SOURCES,
                end: own,
                source: true,
            }
        }
    };
    packet.turn = Some(turn);
}

/// A device on a machine on the way: that of the client's side may be told.
fn device_between(told: &Device, other_side: bool) -> Device {
    match (told, other_side) {
        (Device::Named(name), false) => Device::Named(name.clone()),
        _ => Device::Other,
    }
}

enum Ended {
    Passes(Option<answer::Rule>),
    Denied(answer::Rule, String),
    Open(answer::Rule, String),
}

/// How a packet ends in a base chain; `end` is what its policy would be called.
fn of_chain(ends: Ends, drops: bool, end: answer::Rule) -> Ended {
    let mut passes = ends.passes;
    let mut denies = ends.denies.map(|rule| (rule, "this rule stops"));
    let mut by_policy = false;
    if ends.falls {
        match drops {
            true => {
                denies
                    .get_or_insert((end.clone(), "no rule lets it through, and the policy stops"));
            }
            false => by_policy = true,
        }
    }
    let may_pass = passes.is_some() || by_policy;
    match (may_pass, denies) {
        (_, None) => Ended::Passes(passes.take()),
        (false, Some((rule, why))) => Ended::Denied(rule, why.to_owned()),
        (true, Some((rule, _))) => match ends.doubt {
            Some((rule, why)) => Ended::Open(rule, why),
            None => Ended::Open(rule, "what decides is not in the file".to_owned()),
        },
    }
}

/// What the filter says of an attempt; with every rule that was passed over if `keep`.
pub fn decide(filter: &Filter, attempt: &Attempt, keep: bool) -> Decision {
    let v6 = attempt.client.is_ipv6();
    if v6 != attempt.to.is_ipv6() {
        let why = "the client's address and the one it wants to reach are of different families";
        return Decision::new(Answer::Unknown, None, why);
    }
    if filter.only.is_some_and(|family| !family.sees(v6)) {
        let (own, other) = if v6 {
            ("IPv4", "IPv6")
        } else {
            ("IPv6", "IPv4")
        };
        let why = format!(
            "the file has rules for {own} only, and the connection is {other}: its rules stand in another file"
        );
        return Decision::new(Answer::Unknown, None, why);
    }
    let place = place(filter);
    let mut walk = Walk {
        filter,
        passed: keep.then(Vec::new),
        seen: std::collections::BTreeSet::new(),
        left: most_rules(filter),
    };
    let mut decided: Option<answer::Rule> = None;
    let mut open: Option<(answer::Rule, String)> = None;
    let mut translated: Option<(std::net::IpAddr, (u16, u16))> = None;
    let mut connection_mark: Option<u32> = None;
    let mut untracked = false;
    for (number, mut packet) in packets(attempt).into_iter().enumerate() {
        packet.connection_mark = connection_mark.filter(|_| number > 0);
        if let Some(end) = translated {
            send_on(&mut packet, end);
        }
        if untracked {
            packet.state = state::UNTRACKED;
        }
        let title = packet.title;
        let before = (packet.destination, packet.to);
        let fate = fate(&mut walk, place, &mut packet, number == 0);
        connection_mark = packet.connection_mark;
        if number == 0 {
            if (packet.destination, packet.to) != before {
                translated = Some((packet.destination, packet.to));
            }
            untracked = packet.state == state::UNTRACKED;
        }
        match fate {
            Fate::Passes(rule) => {
                if number == 0 {
                    decided = rule;
                }
            }
            Fate::Denied(rule, why) => {
                let mut decision = Decision::new(Answer::Denied, rule, format!("{why} {title}"));
                decision.passed = walk.passed.take().unwrap_or_default();
                let barrier = match number {
                    0 => super::findings::barrier(filter, attempt, &mut decision),
                    1 | 3 => Barrier::WayBack,
                    _ => Barrier::NotCovered,
                };
                say_place(place, &mut decision);
                return decision.behind(barrier);
            }
            Fate::Open(rule, why) => {
                open.get_or_insert((rule, format!("{why}: {title}")));
            }
        }
    }
    let mut decision = match open {
        Some((rule, why)) => Decision::new(Answer::Unknown, Some(rule), why),
        None => {
            let why = match &decided {
                Some(_) => "this rule lets the request through, and nothing stops what follows",
                None => "no rule stops the request, nor what follows",
            };
            Decision::new(Answer::Allowed, decided, why)
        }
    };
    decision.passed = walk.passed.take().unwrap_or_default();
    say_place(place, &mut decision);
    decision
}

fn say_place(place: Place, decision: &mut Decision) {
    if place == Place::Between {
        let text =
            "the rules are read as those of a machine on the way: they are about what it sends on"
                .to_owned();
        decision.remarks.push((text, None::<Spot>));
    }
}
