//! Two versions of a list: exactly who gains access to which ports, and who loses it.

use std::borrow::Cow;
use std::collections::{BTreeMap, BTreeSet};

use jiff::civil::Date;

use super::regions::{Asked, Blocks, Regions, together};
use super::{Action, Direction, List, Ports, Rule};
use crate::attempt::EPHEMERAL;
use crate::block::Block;

/// Clients whose access to some ports differs between two lists.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Difference {
    /// Whether they gain it; else they lose it.
    pub gained: bool,
    /// The clients.
    pub clients: Block,
    /// The ports.
    pub ports: Ports,
    /// The rule of the older list that decided, by its place; none for its default.
    pub old: Option<usize>,
    /// The rule of the newer list that decides.
    pub new: Option<usize>,
}

/// The rules of a list that can let requests pass, in the order in which they are asked.
fn of_requests(list: &List, way: Direction, today: Date) -> Vec<(usize, &Rule)> {
    let order = list.asked();
    let rules = order
        .into_iter()
        .filter_map(|index| Some((index, list.rules.get(index)?)));
    rules
        .filter(|(_, rule)| {
            rule.direction == way && rule.protocol.takes_tcp() && rule.counts(today)
        })
        .collect()
}

/// Where ranges of ports begin, in any of some rules, and where they have ended.
fn edges<'a>(rules: impl Iterator<Item = &'a Rule>) -> Vec<u32> {
    let mut out = vec![0, 65_536];
    for rule in rules {
        for (from, to) in rule.ports.ranges() {
            out.push(u32::from(*from));
            out.push(u32::from(*to) + 1);
        }
    }
    out.sort_unstable();
    out.dedup();
    out
}

/// What a rule says, but for its ports: rules that are alike have the same number.
type Known = BTreeMap<(Action, Vec<Block>), u32>;

/// The rules that are for a port, as they begin and end on the way through the ports.
struct Active<'a> {
    asked: Asked<'a>,
    /// What the rule of each place says.
    content: Vec<u32>,
    /// The places of the rules that are for the port, in the order in which they are asked.
    now: BTreeSet<usize>,
    /// Their blocks.
    blocks: Blocks,
    /// The partition by them, where it is known: mostly one of two lists changes at a port.
    known: Option<Regions>,
    begins: BTreeMap<u32, Vec<usize>>,
    ends: BTreeMap<u32, Vec<usize>>,
}

impl<'a> Active<'a> {
    fn of(asked: Asked<'a>, known: &mut Known) -> Active<'a> {
        let mut active = Active {
            content: Vec::with_capacity(asked.rules().len()),
            now: BTreeSet::new(),
            blocks: Blocks::default(),
            known: None,
            begins: BTreeMap::new(),
            ends: BTreeMap::new(),
            asked,
        };
        for (place, (_, rule)) in active.asked.rules().iter().enumerate() {
            let blocks: Vec<Block> = rule.peers.iter().map(|p| p.block).collect();
            let next = u32::try_from(known.len()).unwrap_or(u32::MAX);
            let number = *known.entry((rule.action, blocks)).or_insert(next);
            active.content.push(number);
            for (from, to) in rule.ports.ranges() {
                let (from, to) = (u32::from(*from), u32::from(*to) + 1);
                active.begins.entry(from).or_default().push(place);
                active.ends.entry(to).or_default().push(place);
            }
        }
        active
    }

    /// Goes on to where a range of ports begins.
    fn at(&mut self, edge: u32) {
        for (places, counts) in [(&self.ends, false), (&self.begins, true)] {
            for place in places.get(&edge).into_iter().flatten() {
                self.known = None;
                match counts {
                    true => self.now.insert(*place),
                    false => self.now.remove(place),
                };
                if let Some((_, rule)) = self.asked.rules().get(*place) {
                    self.blocks.put(rule, *place, counts);
                }
            }
        }
    }

    fn contents(&self) -> impl Iterator<Item = Option<&u32>> {
        self.now.iter().map(|place| self.content.get(*place))
    }

    fn regions(&mut self) -> &Regions {
        self.known
            .get_or_insert_with(|| self.asked.regions_of(&self.blocks))
    }
}

/// Whom replies reach, where a list needs rules for them: runs of addresses.
fn replies(list: &List, back: Direction, today: Date) -> Option<Regions> {
    if list.stateful {
        return None;
    }
    let order = list.asked();
    let rules: Vec<(usize, &Rule)> = order
        .into_iter()
        .filter_map(|index| Some((index, list.rules.get(index)?)))
        .filter(|(_, r)| r.direction == back && r.protocol.takes_tcp() && r.counts(today))
        .collect();
    // Only who is reached at every port that it may use is reached.
    let mut all: Option<Regions> = None;
    for edge in edges(rules.iter().map(|(_, r)| *r)).windows(2) {
        let [from, to] = edge else { continue };
        let (first, last) = (u32::from(EPHEMERAL.0), u32::from(EPHEMERAL.1));
        if *to <= first || *from > last {
            continue;
        }
        let port = u16::try_from((*from).max(first)).unwrap_or(u16::MAX);
        let here = rules.iter().filter(|(_, r)| r.ports.has(port));
        let here = Asked::of(here.copied().collect(), list.default).regions();
        all = Some(match all {
            None => here,
            Some(before) => before.and(&here),
        });
    }
    all
}

/// A run of addresses whose access differs: its family, its ends, whether it gains, by which
/// rules.
type Key = (bool, u128, u128, bool, Option<usize>, Option<usize>);

/// Differences on the way through the ports: most are the same from one port to the next.
#[derive(Default)]
struct Found {
    /// Those at the port, in order, and from which port on they are the same.
    open: Vec<(Key, u32)>,
    /// Those that have ended, with their ports.
    done: Vec<(Key, (u16, u16))>,
}

impl Found {
    /// Goes on to a port, from which on these differ.
    fn at(&mut self, port: u32, here: Vec<Key>) {
        let mut before = std::mem::take(&mut self.open).into_iter().peekable();
        let last = u16::try_from(port.saturating_sub(1)).unwrap_or(u16::MAX);
        let done = &mut self.done;
        let mut end = |(key, from): (Key, u32)| {
            done.push((key, (u16::try_from(from).unwrap_or(u16::MAX), last)));
        };
        for key in here {
            while let Some(gone) = before.next_if(|(old, _)| *old < key) {
                end(gone);
            }
            let from = before.next_if(|(old, _)| *old == key);
            self.open.push((key, from.map_or(port, |(_, from)| from)));
        }
        before.for_each(end);
    }
}

/// Everybody whose access differs, in the order of families and addresses.
pub fn between<'a>(old: &'a List, new: &'a List, today: Date) -> Vec<Difference> {
    let mut found = Found::default();
    let mut known = BTreeMap::new();
    // Lists with rules for what goes out alone are those of the clients' network.
    let inbound = |list: &List| list.rules.iter().any(|r| r.direction == Direction::Inbound);
    let (there, back) = match inbound(old) || inbound(new) {
        true => (Direction::Inbound, Direction::Outbound),
        false => (Direction::Outbound, Direction::Inbound),
    };
    let asked = |list: &'a List| Asked::of(of_requests(list, there, today), list.default);
    let mut before = Active::of(asked(old), &mut known);
    let mut after = Active::of(asked(new), &mut known);
    let all = before.asked.rules().iter().chain(after.asked.rules());
    let all = all.map(|(_, r)| *r);
    let edges = edges(all);
    let (back_old, back_new) = (replies(old, back, today), replies(new, back, today));
    let alike = old.default == new.default && back_old == back_new;
    for edge in edges.windows(2) {
        let [from, _] = edge else { continue };
        before.at(*from);
        after.at(*from);
        let mut here = Vec::new();
        if alike && before.contents().eq(after.contents()) {
            found.at(*from, here);
            continue;
        }
        fn with<'r>(regions: &'r Regions, back: Option<&Regions>) -> Cow<'r, Regions> {
            match back {
                Some(back) => Cow::Owned(regions.and(back)),
                None => Cow::Borrowed(regions),
            }
        }
        let one = with(before.regions(), back_old.as_ref());
        let two = with(after.regions(), back_new.as_ref());
        for v6 in [false, true] {
            for (start, end, a, b) in together(one.runs(v6), two.runs(v6)) {
                if a.allowed != b.allowed {
                    here.push((v6, start, end, b.allowed, a.rule, b.rule));
                }
            }
        }
        found.at(*from, here);
    }
    found.at(65_536, Vec::new());
    let mut found = found.done;
    found.sort_unstable();
    let mut out: Vec<Difference> = Vec::new();
    for same in found.chunk_by(|(a, _), (b, _)| a == b) {
        let Some(((v6, from, to, gained, old, new), _)) = same.first().copied() else {
            continue;
        };
        let ports = Ports::of(same.iter().map(|(_, ports)| *ports).collect());
        // Neighbours of which all else is the same are one.
        if let Some(last) = out.last_mut()
            && last.clients.v6 == v6
            && last.clients.to.checked_add(1) == Some(from)
            && (last.gained, last.old, last.new) == (gained, old, new)
            && last.ports == ports
        {
            last.clients.to = to;
            continue;
        }
        out.push(Difference {
            gained,
            clients: Block { v6, from, to },
            ports,
            old,
            new,
        });
    }
    out
}
