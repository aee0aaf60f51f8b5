//! All clients at one time: for one port, which addresses a list lets in, and by which rule.

use std::collections::BTreeMap;
use std::net::IpAddr;

use jiff::civil::Date;

use super::{Action, Direction, List, Rule};
use crate::block::{Block, bits};

/// A run of addresses for which the same rule decides.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Run {
    /// The last address.
    pub to: u128,
    /// Whether it is let in.
    pub allowed: bool,
    /// The rule, by its place in the file; none where the list's default decides.
    pub rule: Option<usize>,
}

/// The addresses of one family, as runs by their first address: all of them, none twice.
pub type Runs = BTreeMap<u128, Run>;

/// What a list says to every address of a family.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Regions {
    v4: Runs,
    v6: Runs,
}

/// Covers what is not covered yet.
fn take(runs: &mut Runs, block: &Block, allowed: bool, rule: usize) {
    let mut at = block.from;
    loop {
        let covering = runs.range(..=at).next_back().map(|(_, run)| run.to);
        let end = match covering.filter(|to| at <= *to) {
            Some(to) => to,
            None => {
                let next = runs.range(at..).next().map(|(from, _)| *from);
                let to = next
                    .filter(|from| *from <= block.to)
                    .map_or(block.to, |from| from - 1);
                let run = Run {
                    to,
                    allowed,
                    rule: Some(rule),
                };
                runs.insert(at, run);
                to
            }
        };
        if end >= block.to {
            return;
        }
        at = end + 1;
    }
}

/// The rest is the default's.
fn fill(runs: &mut Runs, v6: bool, allowed: bool) {
    let whole = Block::all(v6);
    let mut at = Some(whole.from);
    let mut gaps = Vec::new();
    for (from, run) in runs.iter() {
        if let Some(at) = at.filter(|at| at < from) {
            gaps.push((at, from - 1));
        }
        at = run.to.checked_add(1).filter(|next| *next <= whole.to);
    }
    if let Some(at) = at {
        gaps.push((at, whole.to));
    }
    for (from, to) in gaps {
        let run = Run {
            to,
            allowed,
            rule: None,
        };
        runs.insert(from, run);
    }
}

impl Regions {
    /// Of rules in the order in which they are asked.
    pub fn of<'a>(rules: impl Iterator<Item = (usize, &'a Rule)>, default: Action) -> Regions {
        let (mut v4, mut v6) = (Runs::new(), Runs::new());
        for (index, rule) in rules {
            for peer in &rule.peers {
                let runs = if peer.block.v6 { &mut v6 } else { &mut v4 };
                take(runs, &peer.block, rule.action == Action::Allow, index);
            }
        }
        fill(&mut v4, false, default == Action::Allow);
        fill(&mut v6, true, default == Action::Allow);
        Regions { v4, v6 }
    }

    pub(super) fn from_runs(v4: Runs, v6: Runs) -> Regions {
        Regions { v4, v6 }
    }

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
        Regions::of(rules, list.default)
    }

    /// What it says to an address, and by which rule.
    pub fn says(&self, ip: IpAddr) -> (bool, Option<usize>) {
        let (v6, at) = bits(ip);
        let found = self.runs(v6).range(..=at).next_back();
        found.map_or((false, None), |(_, run)| (run.allowed, run.rule))
    }

    /// The runs of a family.
    pub fn runs(&self, v6: bool) -> &Runs {
        if v6 { &self.v6 } else { &self.v4 }
    }
}
