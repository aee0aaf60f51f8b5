//! The smallest change of a list of our own format: what lets exactly one client in, and what
//! closes a hole. As edits of rules; whoever read the file knows how they are written.

use std::net::IpAddr;

use super::decide::{answers, ends, request_answers};
use super::{Action, Direction, List, Order, Peer, Ports, Protocol, Rule};
use crate::answer::Answer;
use crate::attempt::{Attempt, EPHEMERAL};
use crate::block::Block;

/// A rule that is to be written.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct NewRule {
    /// For packets of this direction.
    pub direction: Direction,
    /// From or to this address alone.
    pub peer: IpAddr,
    /// For these ports, of TCP.
    pub ports: (u16, u16),
    /// Its number, where the list is ordered by numbers.
    pub priority: Option<i64>,
}

/// An edit of a list; rules by their place in the file, from 0.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Edit {
    /// A rule that is switched off counts.
    SwitchOn(usize),
    /// A rule is for one port more.
    AddPort(usize, u16),
    /// A new rule stands before another one, or at the end.
    Insert(Option<usize>, NewRule),
    /// A rule counts no longer.
    SwitchOff(usize),
    /// Some peers of a rule, by their places in it, give way to an address, or go.
    Replace(usize, Vec<(usize, Option<IpAddr>)>),
}

impl List {
    /// The list after an edit.
    #[must_use]
    pub fn after(&self, edit: &Edit) -> List {
        let mut list = self.clone();
        match edit {
            Edit::SwitchOn(index) | Edit::SwitchOff(index) => {
                if let Some(rule) = list.rules.get_mut(*index) {
                    rule.enabled = matches!(edit, Edit::SwitchOn(_));
                }
            }
            Edit::AddPort(index, port) => {
                if let Some(rule) = list.rules.get_mut(*index) {
                    let mut ranges = rule.ports.ranges().to_vec();
                    ranges.push((*port, *port));
                    rule.ports = Ports::of(ranges);
                }
            }
            Edit::Insert(before, new) => {
                let at = before.unwrap_or(list.rules.len()).min(list.rules.len());
                list.rules.insert(at, rule(new));
            }
            Edit::Replace(index, peers) => {
                if let Some(rule) = list.rules.get_mut(*index) {
                    let kept = rule.peers.iter().enumerate().filter_map(|(i, peer)| {
                        match peers.iter().find(|(which, _)| *which == i) {
                            None => Some(peer.clone()),
                            Some((_, None)) => None,
                            Some((_, Some(ip))) => Some(Peer {
                                block: Block::one(*ip),
                                ..peer.clone()
                            }),
                        }
                    });
                    rule.peers = kept.collect();
                }
            }
        }
        list
    }
}

fn rule(new: &NewRule) -> Rule {
    Rule {
        direction: new.direction,
        action: Action::Allow,
        protocol: Protocol::Tcp,
        ports: Ports::of(vec![new.ports]),
        peers: vec![Peer {
            block: Block::one(new.peer),
            host_bits: false,
            at: 0..0,
        }],
        priority: new.priority,
        enabled: true,
        until: None,
        note: None,
        at: 0..0,
        ports_at: 0..0,
        enabled_at: 0..0,
    }
}

/// The edits that let exactly this client in; none where it is let in already, or what
/// decides is unknown. The first is for its requests, a second for the replies.
pub fn let_in(list: &List, attempt: &Attempt) -> Vec<Edit> {
    let (there, back, peer) = ends(list, attempt);
    let mut edits = Vec::new();
    let mut changed: Option<List> = None;
    let (answer, by) = request_answers(list, attempt);
    if answer == Answer::Denied {
        let port = attempt.to.port();
        let edit = by_itself(list, there, peer, attempt).unwrap_or_else(|| {
            Edit::Insert(place(list, by), new(list, there, peer, port, port, by))
        });
        changed = Some(list.after(&edit));
        edits.push(edit);
    }
    let now = changed.as_ref().unwrap_or(list);
    let (answer, by) = answers(now, attempt);
    if answer == Answer::Allowed {
        return edits;
    }
    let (from, to) = EPHEMERAL;
    let edit = Edit::Insert(place(now, by), new(now, back, peer, from, to, by));
    let allowed = answers(&now.after(&edit), attempt).0 == Answer::Allowed;
    edits.push(edit);
    match allowed {
        true => edits,
        false => Vec::new(),
    }
}

/// A rule for this client alone that needs no more than to be switched on, or one port more.
fn by_itself(list: &List, way: Direction, peer: IpAddr, attempt: &Attempt) -> Option<Edit> {
    let alone = [Block::one(peer)];
    let mine = list.rules.iter().enumerate().filter(|(_, r)| {
        let peers = r.peers.iter().map(|p| p.block);
        r.action == Action::Allow
            && r.direction == way
            && r.protocol == Protocol::Tcp
            && r.until.is_none_or(|until| attempt.today <= until)
            && peers.eq(alone)
    });
    let port = attempt.to.port();
    let edits = mine.filter_map(|(index, rule)| match rule.enabled {
        true => Some(Edit::AddPort(index, port)),
        false if rule.ports == Ports::of(vec![(port, port)]) => Some(Edit::SwitchOn(index)),
        false => None,
    });
    let mut edits = edits;
    edits.find(|edit| request_answers(&list.after(edit), attempt).0 == Answer::Allowed)
}

/// Before which rule a new one must stand, to come before the one that decides.
fn place(list: &List, by: Option<usize>) -> Option<usize> {
    match list.order {
        Order::AnyAllow => None,
        Order::FirstMatch | Order::Priority => by,
    }
}

fn new(
    list: &List,
    direction: Direction,
    peer: IpAddr,
    from: u16,
    to: u16,
    by: Option<usize>,
) -> NewRule {
    let number = |index: usize| list.rules.get(index).and_then(|r| r.priority);
    let priority = match (list.order, by) {
        (Order::Priority, Some(index)) => number(index).map(|n| if n > 1 { n - 1 } else { n }),
        (Order::Priority, None) => {
            let most = list.rules.iter().filter_map(|r| r.priority).max();
            most.map(|n| n.saturating_add(10))
        }
        _ => None,
    };
    NewRule {
        direction,
        peer,
        ports: (from, to),
        priority,
    }
}

/// The edits that close the hole through which the whole world reaches a port: this client
/// takes the world's place, where it needs that rule.
pub fn close(list: &List, attempt: &Attempt) -> Vec<Edit> {
    let open = list.rules.iter().enumerate().filter(|(_, r)| {
        r.action == Action::Allow
            && r.direction == Direction::Inbound
            && r.counts(attempt.today)
            && r.protocol.takes_tcp()
            && r.ports.has(attempt.to.port())
    });
    open.filter_map(|(index, rule)| {
        let mut placed = rule
            .peers
            .iter()
            .any(|p| !p.block.is_all() && p.block.has(attempt.client));
        let peers: Vec<(usize, Option<IpAddr>)> = rule
            .peers
            .iter()
            .enumerate()
            .filter(|(_, p)| p.block.is_all())
            .map(|(i, p)| {
                let fits = !placed && p.block.v6 == attempt.client.is_ipv6();
                placed |= fits;
                (i, fits.then_some(attempt.client))
            })
            .collect();
        let left = rule.peers.len() > peers.len() || peers.iter().any(|(_, ip)| ip.is_some());
        (!peers.is_empty()).then_some(match left {
            true => Edit::Replace(index, peers),
            false => Edit::SwitchOff(index),
        })
    })
    .collect()
}
