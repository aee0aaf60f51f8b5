//! The list of our own format: rules by direction, protocol, ports and peers.

pub mod between;
pub mod change;
pub mod decide;
pub mod findings;
pub mod regions;

use std::fmt::Write as _;
use std::ops::Range;

use jiff::civil::Date;

use crate::answer::{self, Spot};
use crate::block::Block;

/// Which way a packet goes, seen from what the list guards.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Direction {
    /// Towards it.
    Inbound,
    /// Away from it.
    Outbound,
}

/// What a rule does with what fits it.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Action {
    /// It passes.
    Allow,
    /// It does not.
    Deny,
}

impl Action {
    /// The word for it in the format.
    pub fn as_str(self) -> &'static str {
        match self {
            Action::Allow => "allow",
            Action::Deny => "deny",
        }
    }
}

/// Of which protocol a rule speaks.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Protocol {
    /// Of all.
    Any,
    /// TCP, over which databases speak.
    Tcp,
    /// Another one.
    Other(&'static str),
}

impl Protocol {
    /// The words that the format has for protocols.
    pub const WORDS: [&'static str; 5] = ["tcp", "any", "udp", "icmp", "sctp"];

    /// The one with this name.
    pub fn from_word(word: &str) -> Option<Protocol> {
        Some(match word {
            "any" => Protocol::Any,
            "tcp" => Protocol::Tcp,
            "udp" => Protocol::Other("udp"),
            "icmp" => Protocol::Other("icmp"),
            "sctp" => Protocol::Other("sctp"),
            _ => return None,
        })
    }

    /// The word for it in the format.
    pub fn as_str(self) -> &'static str {
        match self {
            Protocol::Any => "any",
            Protocol::Tcp => "tcp",
            Protocol::Other(word) => word,
        }
    }

    /// Whether packets of TCP fit.
    pub fn takes_tcp(self) -> bool {
        !matches!(self, Protocol::Other(_))
    }
}

/// Ports, as ranges that neither touch nor overlap, in order.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub struct Ports(Vec<(u16, u16)>);

impl Ports {
    /// Every port.
    pub fn any() -> Ports {
        Ports(vec![(0, u16::MAX)])
    }

    /// Those in any of these ranges.
    pub fn of(mut ranges: Vec<(u16, u16)>) -> Ports {
        ranges.sort_unstable();
        let mut merged: Vec<(u16, u16)> = Vec::with_capacity(ranges.len());
        for (from, to) in ranges {
            match merged.last_mut() {
                Some(last) if u32::from(from) <= u32::from(last.1) + 1 => last.1 = last.1.max(to),
                _ => merged.push((from, to)),
            }
        }
        Ports(merged)
    }

    /// Their ranges.
    pub fn ranges(&self) -> &[(u16, u16)] {
        &self.0
    }

    /// Whether it is every port.
    pub fn is_any(&self) -> bool {
        matches!(self.0.as_slice(), [(0 | 1, u16::MAX)])
    }

    /// Whether a port is among them.
    pub fn has(&self, port: u16) -> bool {
        self.0
            .iter()
            .any(|(from, to)| (*from..=*to).contains(&port))
    }

    /// Whether all of a range is among them.
    pub fn covers(&self, range: (u16, u16)) -> bool {
        self.0
            .iter()
            .any(|(from, to)| *from <= range.0 && range.1 <= *to)
    }

    /// Whether some of a range is among them.
    pub fn meets(&self, range: (u16, u16)) -> bool {
        self.0
            .iter()
            .any(|(from, to)| *from <= range.1 && range.0 <= *to)
    }
}

impl std::fmt::Display for Ports {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        if self.is_any() {
            return f.write_str("any");
        }
        for (index, (from, to)) in self.0.iter().enumerate() {
            let comma = if index > 0 { ", " } else { "" };
            match from == to {
                true => write!(f, "{comma}{from}")?,
                false => write!(f, "{comma}{from}-{to}")?,
            }
        }
        Ok(())
    }
}

/// Addresses that a rule speaks of.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Peer {
    /// The addresses.
    pub block: Block,
    /// Whether bits behind the prefix were set.
    pub host_bits: bool,
    /// Where it is written.
    pub at: Range<usize>,
}

/// A rule.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Rule {
    /// For packets of this direction.
    pub direction: Direction,
    /// What it does.
    pub action: Action,
    /// For this protocol.
    pub protocol: Protocol,
    /// For these ports: those of the server for a request, those of the client for a reply.
    pub ports: Ports,
    /// For these addresses at the other end.
    pub peers: Vec<Peer>,
    /// Its place in a list that is ordered by priority.
    pub priority: Option<i64>,
    /// Whether it counts at all.
    pub enabled: bool,
    /// The last day on which it counts.
    pub until: Option<Date>,
    /// What somebody noted.
    pub note: Option<String>,
    /// Where it is written.
    pub at: Range<usize>,
    /// Where its ports are written; empty where they are not.
    pub ports_at: Range<usize>,
    /// Where it is written whether it counts; empty where that is not written.
    pub enabled_at: Range<usize>,
}

impl Rule {
    /// Whether it counts on a day.
    pub fn counts(&self, today: Date) -> bool {
        self.enabled && self.until.is_none_or(|until| today <= until)
    }

    /// The rule as an outcome names it; `number` is its place in the file, from 1.
    pub fn shown(&self, number: usize) -> answer::Rule {
        answer::Rule {
            spot: Some(Spot::own(self.at.clone())),
            text: format!("rule {number}: {}", self.words()),
        }
    }

    /// What it says, on one line.
    pub fn words(&self) -> String {
        /// Most peers that are named.
        const MOST: usize = 4;
        let (from, way) = match self.direction {
            Direction::Inbound => ("from", "inbound"),
            Direction::Outbound => ("to", "outbound"),
        };
        let peers: Vec<String> = self
            .peers
            .iter()
            .take(MOST)
            .map(|p| p.block.to_string())
            .collect();
        let mut out = format!(
            "{} {way} {} port {} {from} {}",
            self.action.as_str(),
            self.protocol.as_str(),
            self.ports,
            peers.join(", ")
        );
        if let Some(more) = self.peers.len().checked_sub(MOST + 1) {
            let _ = write!(out, " and {} more", more + 1);
        }
        if !self.enabled {
            out.push_str(", switched off");
        }
        if let Some(until) = self.until {
            let _ = write!(out, ", until {until}");
        }
        if let Some(note) = &self.note {
            let _ = write!(out, " ({note})");
        }
        out
    }
}

/// In which order rules are asked.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Order {
    /// As they stand; the first that fits decides.
    FirstMatch,
    /// One that allows suffices, wherever it stands.
    AnyAllow,
    /// The lowest number first; those without a number come last, as they stand.
    Priority,
}

/// A list.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct List {
    /// What it is called.
    pub name: Option<String>,
    /// Whether replies pass by themselves.
    pub stateful: bool,
    /// What becomes of what no rule fits.
    pub default: Action,
    /// In which order its rules are asked.
    pub order: Order,
    /// Its rules, in the order of the file.
    pub rules: Vec<Rule>,
}

impl List {
    /// One without rules.
    pub fn empty() -> List {
        List {
            name: None,
            stateful: true,
            default: Action::Deny,
            order: Order::FirstMatch,
            rules: Vec::new(),
        }
    }

    /// The rules with their places, in the order in which they are asked.
    pub fn asked(&self) -> Vec<usize> {
        let mut order: Vec<usize> = (0..self.rules.len()).collect();
        let rule = |index: &usize| self.rules.get(*index);
        match self.order {
            Order::FirstMatch => {}
            Order::AnyAllow => order.sort_by_key(|i| rule(i).map(|r| r.action)),
            Order::Priority => order.sort_by_key(|i| {
                let number = rule(i).and_then(|r| r.priority);
                (number.is_none(), number)
            }),
        }
        order
    }
}
