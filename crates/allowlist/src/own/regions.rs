//! All clients at one time: for one port, which addresses a list lets in, and by which rule.

use std::cmp::Reverse;
use std::collections::{BTreeSet, BinaryHeap};
use std::net::IpAddr;

use jiff::civil::Date;

use super::{Action, Direction, List, Rule};
use crate::block::{Block, bits};

/// A run of addresses for which the same rule decides.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Run {
    /// The first address.
    pub from: u128,
    /// The last address.
    pub to: u128,
    /// Whether it is let in.
    pub allowed: bool,
    /// The rule, by its place in the file; none where the list's default decides.
    pub rule: Option<usize>,
}

/// What a list says to every address of both families: runs in order, without a gap.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Regions {
    v4: Vec<Run>,
    v6: Vec<Run>,
}

/// A block of a rule; `place` is where the rule comes in the order in which they are asked.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
struct Entry {
    from: u128,
    place: usize,
    to: u128,
}

/// Rules in the order in which they are asked.
pub(super) struct Asked<'a> {
    rules: Vec<(usize, &'a Rule)>,
    default: Action,
}

/// The blocks of those rules that count, in the order of addresses.
#[derive(Default)]
pub(super) struct Blocks {
    v4: BTreeSet<Entry>,
    v6: BTreeSet<Entry>,
}

impl Blocks {
    /// Lets the rule of a place count, or no longer.
    pub(super) fn put(&mut self, rule: &Rule, place: usize, counts: bool) {
        for peer in &rule.peers {
            let Block { v6, from, to } = peer.block;
            let entries = if v6 { &mut self.v6 } else { &mut self.v4 };
            let entry = Entry { from, place, to };
            match counts {
                true => entries.insert(entry),
                false => entries.remove(&entry),
            };
        }
    }
}

impl<'a> Asked<'a> {
    /// Of rules in the order in which they are asked.
    pub(super) fn of(rules: Vec<(usize, &'a Rule)>, default: Action) -> Asked<'a> {
        Asked { rules, default }
    }

    /// The rules, in the order in which they are asked.
    pub(super) fn rules(&self) -> &[(usize, &'a Rule)] {
        &self.rules
    }

    /// The partition by all of them.
    pub(super) fn regions(&self) -> Regions {
        let mut blocks = Blocks::default();
        for (place, (_, rule)) in self.rules.iter().enumerate() {
            blocks.put(rule, place, true);
        }
        self.regions_of(&blocks)
    }

    /// The partition by those rules that count.
    pub(super) fn regions_of(&self, blocks: &Blocks) -> Regions {
        Regions {
            v4: self.runs(&blocks.v4, Block::all(false).to),
            v6: self.runs(&blocks.v6, Block::all(true).to),
        }
    }

    fn runs(&self, entries: &BTreeSet<Entry>, last: u128) -> Vec<Run> {
        let mut out: Vec<Run> = Vec::new();
        let mut open: BinaryHeap<Reverse<(usize, u128)>> = BinaryHeap::new();
        let mut entries = entries.iter().peekable();
        let mut at = 0u128;
        loop {
            while let Some(entry) = entries.next_if(|e| e.from <= at) {
                open.push(Reverse((entry.place, entry.to)));
            }
            while open.peek().is_some_and(|Reverse((_, to))| *to < at) {
                open.pop();
            }
            let before_next = entries.peek().map_or(last, |e| e.from - 1);
            let (place, to) = match open.peek() {
                Some(Reverse((place, to))) => (Some(*place), (*to).min(before_next)),
                None => (None, before_next),
            };
            let rule = place.and_then(|p| self.rules.get(p));
            let run = Run {
                from: at,
                to,
                allowed: rule.map_or(self.default, |(_, r)| r.action) == Action::Allow,
                rule: rule.map(|(index, _)| *index),
            };
            match out.last_mut() {
                Some(last) if last.rule == run.rule => last.to = to,
                _ => out.push(run),
            }
            if to >= last {
                return out;
            }
            at = to + 1;
        }
    }
}

impl Regions {
    /// Of the rules of a list that are for packets of TCP in this direction to this port.
    pub fn at_port(list: &List, direction: Direction, port: u16, today: Date) -> Regions {
        let order = list.asked();
        let rules = order.into_iter().filter_map(|index| {
            let rule = list.rules.get(index)?;
            let counts = rule.direction == direction
                && rule.protocol.takes_tcp()
                && rule.ports.has(port)
                && rule.counts(today);
            counts.then_some((index, rule))
        });
        Asked::of(rules.collect(), list.default).regions()
    }

    /// What it says to an address, and by which rule.
    pub fn says(&self, ip: IpAddr) -> (bool, Option<usize>) {
        let (v6, at) = bits(ip);
        let runs = self.runs(v6);
        let found = runs.get(runs.partition_point(|run| run.to < at));
        found.map_or((false, None), |run| (run.allowed, run.rule))
    }

    /// The runs of a family.
    pub fn runs(&self, v6: bool) -> &[Run] {
        if v6 { &self.v6 } else { &self.v4 }
    }

    /// Where both let in; the rule is that of the one that does not, or of the first.
    pub(super) fn and(&self, other: &Regions) -> Regions {
        let family = |v6: bool| {
            together(self.runs(v6), other.runs(v6))
                .map(|(from, to, a, b)| Run {
                    from,
                    to,
                    allowed: a.allowed && b.allowed,
                    rule: if a.allowed { b.rule } else { a.rule },
                })
                .collect()
        };
        Regions {
            v4: family(false),
            v6: family(true),
        }
    }
}

/// The pieces of two partitions of the same addresses.
pub(super) fn together<'a>(
    a: &'a [Run],
    b: &'a [Run],
) -> impl Iterator<Item = (u128, u128, &'a Run, &'a Run)> {
    let mut left = a.iter().peekable();
    let mut right = b.iter().peekable();
    let mut at = 0u128;
    std::iter::from_fn(move || {
        let one = *left.peek()?;
        let two = *right.peek()?;
        let to = one.to.min(two.to);
        let from = at;
        if one.to == to {
            left.next();
        }
        if two.to == to {
            right.next();
        }
        at = to.saturating_add(1);
        Some((from, to, one, two))
    })
}
