//! What else stands in a list of our own format: holes, typing errors, rules that do nothing.

use std::collections::BTreeMap;

use ipnet::{IpNet, Ipv4Net, Ipv4Subnets, Ipv6Net, Ipv6Subnets};
use jiff::civil::Date;
use prefix_trie::{Prefix, PrefixMap};

use chronaxis_model::found::{CauseId, FindingId, Warning};

use super::{Action, Direction, List, Order, Peer, Protocol, Rule};
use crate::answer::Spot;
use crate::block::{Block, address};

/// Prefixes up to this length are wider than any one network that is given to anybody: of
/// IPv4 the largest were of 8 bits, of IPv6 registries have 12 (RFC 4291; the registries'
/// own tables).
const TOO_WIDE: (u8, u8) = (7, 15);

/// Something in a list.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Finding {
    /// What it is.
    pub id: FindingId,
    /// What was seen, a sentence without its full stop.
    pub text: String,
    /// Where.
    pub spot: Option<Spot>,
}

impl Finding {
    /// One that is a caution.
    pub fn warning(id: Warning, text: String, spot: Spot) -> Finding {
        Finding {
            id: FindingId::Warning(id),
            text,
            spot: Some(spot),
        }
    }

    /// One that is a cause, for whom it meets.
    pub fn cause(id: CauseId, text: String, spot: Spot) -> Finding {
        Finding {
            id: FindingId::Cause(id),
            text,
            spot: Some(spot),
        }
    }
}

/// Everything that is found in a list, in the order of its rules.
pub fn findings(list: &List, today: Date) -> Vec<Finding> {
    let mut out: Vec<(usize, Finding)> = Vec::new();
    for (index, rule) in list.rules.iter().enumerate() {
        let mut found = Vec::new();
        of_rule(rule, index + 1, today, &mut found);
        out.extend(found.into_iter().map(|f| (index, f)));
    }
    out.extend(hidden(list, today));
    out.sort_by_key(|(index, _)| *index);
    out.into_iter().map(|(_, finding)| finding).collect()
}

/// What a range shows by itself, in whatever list it stands.
pub fn of_range(
    block: &Block,
    host_bits: bool,
    written: &str,
    spot: &Spot,
    out: &mut Vec<Finding>,
) {
    if host_bits {
        let text = format!(
            "{written} has bits set behind its prefix; it means {block}: check the prefix length"
        );
        out.push(Finding::warning(Warning::RangeHostBits, text, spot.clone()));
    }
    if let Some(ipv4) = block.mapped() {
        let text = format!(
            "{block} is IPv4 written as IPv6; packets carry the IPv4 address, so it never fits: write {ipv4}"
        );
        out.push(Finding::cause(
            CauseId::AllowListRuleOff,
            text,
            spot.clone(),
        ));
    }
    let widest = if block.v6 { TOO_WIDE.1 } else { TOO_WIDE.0 };
    if let Some(length) = block.length().filter(|l| (1..=widest).contains(l)) {
        let text = format!(
            "{block}: a prefix of {length} bits is wider than any one network; check the prefix length"
        );
        out.push(Finding::warning(Warning::RangeTooWide, text, spot.clone()));
    }
}

fn of_rule(rule: &Rule, number: usize, today: Date, out: &mut Vec<Finding>) {
    for peer in &rule.peers {
        let spot = Spot::own(peer.at.clone());
        if peer.host_bits || peer.block.v6 || peer.block.length().is_none_or(|l| l < 8) {
            let mut found = Vec::new();
            of_range(&peer.block, peer.host_bits, "a range", &spot, &mut found);
            for mut finding in found {
                finding.text = format!("rule {number}: {}", finding.text);
                out.push(finding);
            }
        }
        let open = rule.action == Action::Allow && rule.direction == Direction::Inbound;
        if open && peer.block.is_all() && rule.counts(today) && rule.protocol.takes_tcp() {
            let text = format!(
                "rule {number} lets the whole world ({}) reach port {}",
                peer.block, rule.ports
            );
            out.push(Finding::warning(Warning::AllowListOpenToAll, text, spot));
        }
    }
    let off = match rule.until {
        _ if rule.action == Action::Deny => None,
        _ if !rule.enabled => Some(format!("rule {number} is switched off")),
        Some(until) if until < today => Some(format!("rule {number} ended on {until}")),
        _ => None,
    };
    if let Some(text) = off {
        let spot = Spot::own(rule.at.clone());
        out.push(Finding::cause(CauseId::AllowListRuleOff, text, spot));
    }
}

/// Ports that are covered, and by which rule: ranges that do not overlap.
#[derive(Debug)]
enum Taken {
    /// One range: what most prefixes have, and a hundred thousand of them.
    One((u16, u16), usize),
    /// By their beginning.
    Several(Ranges),
}

impl Taken {
    /// The rule that covers a port, and up to which port.
    fn at(&self, port: u16) -> Option<(u16, usize)> {
        match self {
            Taken::One((from, to), by) => (*from..=*to).contains(&port).then_some((*to, *by)),
            Taken::Several(all) => at(all, port),
        }
    }

    /// Where the next covered range behind a port begins.
    fn next(&self, port: u16) -> Option<u16> {
        match self {
            Taken::One((from, _), _) => (*from > port).then_some(*from),
            Taken::Several(all) => next(all, port),
        }
    }

    /// Covers what is not covered yet.
    fn take(&mut self, range: (u16, u16), by: usize) {
        match self {
            Taken::Several(all) => cover(all, range, by),
            Taken::One((from, to), first) => {
                let mut all = BTreeMap::from([(*from, (*to, *first))]);
                cover(&mut all, range, by);
                *self = Taken::Several(all);
            }
        }
    }
}

/// Ranges of ports by their beginning, with their end and their rule.
type Ranges = BTreeMap<u16, (u16, usize)>;

fn at(all: &Ranges, port: u16) -> Option<(u16, usize)> {
    let (_, (to, by)) = all.range(..=port).next_back()?;
    (port <= *to).then_some((*to, *by))
}

fn next(all: &Ranges, port: u16) -> Option<u16> {
    let behind = (std::ops::Bound::Excluded(port), std::ops::Bound::Unbounded);
    all.range(behind).next().map(|(from, _)| *from)
}

fn cover(all: &mut Ranges, range: (u16, u16), by: usize) {
    let mut port = range.0;
    loop {
        let end = match at(all, port) {
            Some((to, _)) => to,
            None => {
                let next = next(all, port).filter(|n| *n <= range.1);
                let to = next.map_or(range.1, |n| n - 1);
                all.insert(port, (to, by));
                to
            }
        };
        if end >= range.1 {
            return;
        }
        port = end + 1;
    }
}

/// A prefix that can be taken apart.
trait Halved: Prefix {
    /// Its two halves; none of a single address.
    fn halved(&self) -> Option<[Self; 2]>;
}

impl Halved for Ipv4Net {
    fn halved(&self) -> Option<[Self; 2]> {
        let mut halves = self.subnets(self.prefix_len() + 1).ok()?;
        Some([halves.next()?, halves.next()?])
    }
}

impl Halved for Ipv6Net {
    fn halved(&self) -> Option<[Self; 2]> {
        let mut halves = self.subnets(self.prefix_len() + 1).ok()?;
        Some([halves.next()?, halves.next()?])
    }
}

/// What earlier rules of one direction and protocol take.
struct Before<P: Prefix> {
    taken: PrefixMap<P, Taken>,
}

impl<P: Prefix> Default for Before<P> {
    fn default() -> Self {
        Before {
            taken: PrefixMap::default(),
        }
    }
}

impl<P: Halved> Before<P> {
    /// The earlier rules that take all of a range of ports from a prefix; none if one is left
    /// over. A prefix is taken by wider ones too, and by its halves together.
    fn whole(
        all: &[&Before<P>],
        prefix: &P,
        range: (u16, u16),
        left: &mut usize,
    ) -> Option<Vec<usize>> {
        *left = left.checked_sub(1)?;
        let wider: Vec<&Taken> = all
            .iter()
            .flat_map(|one| one.taken.cover(prefix).map(|(_, taken)| taken))
            .collect();
        let mut by = Vec::new();
        let mut at = range.0;
        loop {
            let longest = wider.iter().filter_map(|taken| taken.at(at));
            let to = match longest.max_by_key(|(to, _)| *to) {
                Some((to, rule)) => {
                    by.push(rule);
                    to
                }
                None => {
                    let next = wider.iter().filter_map(|taken| taken.next(at)).min();
                    let to = next.map_or(range.1, |n| range.1.min(n - 1));
                    by.extend(Before::halves(all, prefix, (at, to), left)?);
                    to
                }
            };
            if to >= range.1 {
                return Some(by);
            }
            at = to + 1;
        }
    }

    /// The same of both halves of a prefix, where there are rules for parts of it.
    fn halves(
        all: &[&Before<P>],
        prefix: &P,
        range: (u16, u16),
        left: &mut usize,
    ) -> Option<Vec<usize>> {
        let narrower = all.iter().any(|one| {
            let mut below = one.taken.children(prefix);
            below.any(|(child, _)| child.prefix_len() > prefix.prefix_len())
        });
        if !narrower {
            return None;
        }
        let [one, two] = prefix.halved()?;
        let mut by = Before::whole(all, &one, range, left)?;
        by.extend(Before::whole(all, &two, range, left)?);
        Some(by)
    }

    fn take(&mut self, prefix: P, range: (u16, u16), by: usize) {
        match self.taken.get_mut(&prefix) {
            Some(taken) => taken.take(range, by),
            None => {
                self.taken.insert(prefix, Taken::One(range, by));
            }
        }
    }
}

/// Earlier rules, by direction and protocol.
struct Earlier {
    v4: BTreeMap<(Direction, Protocol), Before<Ipv4Net>>,
    v6: BTreeMap<(Direction, Protocol), Before<Ipv6Net>>,
    /// How many prefixes may still be looked at: lists made to be slow to read are not.
    left: usize,
}

/// Most prefixes that are looked at for one list.
const MOST_PREFIXES: usize = 4_000_000;

/// The prefixes of a block: mostly one.
fn prefixes(block: &Block) -> impl Iterator<Item = IpNet> {
    let (from, to) = (address(block.v6, block.from), address(block.v6, block.to));
    let whole = block
        .length()
        .and_then(|length| IpNet::new(from, length).ok());
    let several = match (whole, from, to) {
        (None, std::net::IpAddr::V4(from), std::net::IpAddr::V4(to)) => {
            Ipv4Subnets::new(from, to, 0).map(IpNet::V4).collect()
        }
        (None, std::net::IpAddr::V6(from), std::net::IpAddr::V6(to)) => {
            Ipv6Subnets::new(from, to, 0).map(IpNet::V6).collect()
        }
        _ => Vec::new(),
    };
    whole.into_iter().chain(several)
}

impl Earlier {
    /// The earlier rules that together take all that a rule is for.
    fn hides(&mut self, rule: &Rule) -> Option<Vec<usize>> {
        let keys = [
            (rule.direction, Protocol::Any),
            (rule.direction, rule.protocol),
        ];
        let keys = match rule.protocol {
            Protocol::Any => keys.get(..1).unwrap_or_default(),
            _ => keys.as_slice(),
        };
        let v4: Vec<&Before<Ipv4Net>> = keys.iter().filter_map(|k| self.v4.get(k)).collect();
        let v6: Vec<&Before<Ipv6Net>> = keys.iter().filter_map(|k| self.v6.get(k)).collect();
        let mut by = Vec::new();
        for peer in &rule.peers {
            for prefix in prefixes(&peer.block) {
                for range in rule.ports.ranges() {
                    by.extend(match prefix {
                        IpNet::V4(prefix) => Before::whole(&v4, &prefix, *range, &mut self.left)?,
                        IpNet::V6(prefix) => Before::whole(&v6, &prefix, *range, &mut self.left)?,
                    });
                }
            }
        }
        by.sort_unstable();
        by.dedup();
        Some(by)
    }

    fn take(&mut self, rule: &Rule, index: usize) {
        let key = (rule.direction, rule.protocol);
        for Peer { block, .. } in &rule.peers {
            for prefix in prefixes(block) {
                for range in rule.ports.ranges() {
                    match prefix {
                        IpNet::V4(p) => self.v4.entry(key).or_default().take(p, *range, index),
                        IpNet::V6(p) => self.v6.entry(key).or_default().take(p, *range, index),
                    }
                }
            }
        }
    }
}

/// Rules that no packet ever reaches, since earlier ones take everything they are for.
fn hidden(list: &List, today: Date) -> Vec<(usize, Finding)> {
    let mut earlier = Earlier {
        v4: BTreeMap::new(),
        v6: BTreeMap::new(),
        left: MOST_PREFIXES,
    };
    let mut out = Vec::new();
    for index in list.asked() {
        let Some(rule) = list.rules.get(index).filter(|r| r.counts(today)) else {
            continue;
        };
        if rule.peers.is_empty() {
            continue;
        }
        if let Some(by) = earlier.hides(rule) {
            out.push((index, finding(list, index, rule, &by)));
            continue;
        }
        earlier.take(rule, index);
    }
    out
}

fn finding(list: &List, index: usize, rule: &Rule, by: &[usize]) -> Finding {
    let names: Vec<String> = by.iter().take(4).map(|i| (i + 1).to_string()).collect();
    let more = if by.len() > 4 { " and others" } else { "" };
    let which = match by.len() {
        1 => format!("rule {}", names.join("")),
        _ => format!("rules {}{more}", names.join(", ")),
    };
    let number = index + 1;
    let other = by
        .iter()
        .filter_map(|i| list.rules.get(*i))
        .any(|r| r.action != rule.action);
    let spot = Spot::own(rule.at.clone());
    let same = |earlier: &Rule| {
        let blocks = |r: &Rule| {
            let mut all: Vec<Block> = r.peers.iter().map(|p| p.block).collect();
            all.sort_unstable();
            all
        };
        earlier.ports == rule.ports
            && earlier.protocol == rule.protocol
            && blocks(earlier) == blocks(rule)
    };
    if !other {
        let twin = match by {
            [one] => list.rules.get(*one).is_some_and(same),
            _ => false,
        };
        let text = match twin {
            true => format!("rule {number} says the same as {which}"),
            false => format!("rule {number} adds nothing: {which} covers all of it"),
        };
        return Finding::warning(Warning::RuleDuplicate, text, spot);
    }
    let text = match list.order {
        Order::AnyAllow => format!(
            "rule {number} never counts: {which} allows all of it, and one rule that allows suffices"
        ),
        _ => format!(
            "rule {number} never counts: {which} comes first and decides for everything that it is for"
        ),
    };
    Finding::cause(CauseId::AllowListRuleOff, text, spot)
}
