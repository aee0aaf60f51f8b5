//! Two versions of a list of any kind: who gains access, and who loses it.

use std::collections::BTreeMap;
use std::net::SocketAddr;

use chronaxis_allowlist::answer::{Answer, Rule};
use chronaxis_allowlist::attempt::Attempt;
use chronaxis_allowlist::block::{Block, address};
use chronaxis_allowlist::cells::Cells;
use chronaxis_allowlist::own::between::between as of_own;
use chronaxis_allowlist::own::{List, Ports};

use super::{Reading, Rules};

/// Most questions that are put to a list: a minute of a machine.
const MOST_QUESTIONS: usize = 4_000_000;

/// What changes for some clients.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Change {
    /// They are let in now.
    Gains,
    /// They are kept out now.
    Loses,
    /// What one of the lists says of them is not known.
    Unclear,
}

impl Change {
    /// The word for it in outputs.
    pub fn as_str(self) -> &'static str {
        match self {
            Change::Gains => "gains",
            Change::Loses => "loses",
            Change::Unclear => "unclear",
        }
    }
}

/// Clients for whom two lists differ.
#[derive(Clone, Debug)]
pub struct Difference {
    /// What changes.
    pub change: Change,
    /// The clients.
    pub clients: Block,
    /// The ports.
    pub ports: Ports,
    /// The rule of the older list that decided.
    pub old: Option<Rule>,
    /// The rule of the newer list that decides.
    pub new: Option<Rule>,
}

/// Why two lists cannot be compared.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum NotCompared {
    /// They are of different kinds.
    Kinds,
    /// Lists of accounts go by patterns of text.
    Accounts,
    /// What is to be reached is needed, and not told.
    To,
    /// Masks with holes in them tell addresses apart.
    Scattered,
    /// They are too large for this kind of list.
    TooLarge,
}

impl std::fmt::Display for NotCompared {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(match self {
            NotCompared::Kinds => "the two lists are of different kinds; expected two versions of one list",
            NotCompared::Accounts => "lists of accounts go by patterns of text and are not compared; ask for single clients instead",
            NotCompared::To => "what is to be reached decides too in this kind of list; add --to HOST:PORT",
            NotCompared::Scattered => "a mask with holes, or arithmetic with addresses, tells clients apart; ask for single clients instead",
            NotCompared::TooLarge => "the two lists have too many ranges and ports for this kind of list; ask for single clients instead",
        })
    }
}

/// Compares two lists; `to` is what is to be reached, where that is told, and the rest of
/// the attempt what all clients have in common.
///
/// # Errors
/// Says why they cannot be compared.
pub fn between(
    old: &Reading,
    new: &Reading,
    common: &Attempt,
    to: Option<SocketAddr>,
) -> Result<Vec<Difference>, NotCompared> {
    let mut cells = Cells::whole();
    match (&old.rules, &new.rules) {
        (Rules::Own(old), Rules::Own(new)) => return Ok(own(old, new, common)),
        (Rules::Host(old), Rules::Host(new)) => {
            cells.of_host_rules(old);
            cells.of_host_rules(new);
        }
        (Rules::Filter(old), Rules::Filter(new)) => {
            cells.of_filter(old);
            cells.of_filter(new);
        }
        (Rules::Policies(old), Rules::Policies(new)) => {
            cells.of_policies(old);
            cells.of_policies(new);
        }
        (Rules::Accounts(_), Rules::Accounts(_)) => return Err(NotCompared::Accounts),
        _ => return Err(NotCompared::Kinds),
    }
    let by_host = matches!(old.rules, Rules::Host(_));
    if to.is_none() && !by_host {
        return Err(NotCompared::To);
    }
    if cells.scattered {
        return Err(NotCompared::Scattered);
    }
    each(old, new, common, to, &cells)
}

fn own(old: &List, new: &List, common: &Attempt) -> Vec<Difference> {
    let mut before = Words::default();
    let mut after = Words::default();
    let found = of_own(old, new, common.today).into_iter();
    found
        .map(|d| Difference {
            change: match d.gained {
                true => Change::Gains,
                false => Change::Loses,
            },
            clients: d.clients,
            ports: d.ports,
            old: before.of(old, d.old),
            new: after.of(new, d.new),
        })
        .collect()
}

/// What rules say, in words: each once.
#[derive(Default)]
struct Words(BTreeMap<usize, Rule>);

impl Words {
    fn of(&mut self, list: &List, index: Option<usize>) -> Option<Rule> {
        let index = index?;
        if let Some(known) = self.0.get(&index) {
            return Some(known.clone());
        }
        let rule = list.rules.get(index)?.shown(index + 1);
        self.0.insert(index, rule.clone());
        Some(rule)
    }
}

/// Asks both lists for the first address and port of every run.
fn each(
    old: &Reading,
    new: &Reading,
    common: &Attempt,
    to: Option<SocketAddr>,
    cells: &Cells,
) -> Result<Vec<Difference>, NotCompared> {
    let by_host = matches!(old.rules, Rules::Host(_));
    let ports: Vec<u16> = cells.ports.iter().copied().collect();
    let clients: usize = cells
        .addresses
        .iter()
        .map(std::collections::BTreeSet::len)
        .sum();
    if clients.saturating_mul(ports.len()) > MOST_QUESTIONS {
        return Err(NotCompared::TooLarge);
    }
    let mut out: Vec<Difference> = Vec::new();
    for (v6, starts) in [false, true].into_iter().zip(&cells.addresses) {
        // What is to be reached is of the clients' own family.
        if !by_host && to.is_some_and(|to| to.is_ipv6() != v6) {
            continue;
        }
        let starts: Vec<u128> = starts.iter().copied().collect();
        for (n, start) in starts.iter().enumerate() {
            let end = starts.get(n + 1).map_or(Block::all(v6).to, |next| next - 1);
            let client = address(v6, *start);
            let block = Block {
                v6,
                from: *start,
                to: end,
            };
            for (n, port) in ports.iter().enumerate() {
                let last = ports.get(n + 1).map_or(u16::MAX, |next| next - 1);
                let host = match to {
                    Some(to) if to.is_ipv6() == v6 => to.ip(),
                    _ => address(v6, u128::from(v6)),
                };
                let asked = if *port == 0 && last > 0 { 1 } else { *port };
                let attempt = Attempt {
                    client,
                    to: SocketAddr::new(host, asked),
                    ..common.clone()
                };
                let one = old.rules.decide(&attempt, false);
                let two = new.rules.decide(&attempt, false);
                let change = match (one.answer, two.answer) {
                    (a, b) if a == b => continue,
                    (Answer::Denied, Answer::Allowed) => Change::Gains,
                    (Answer::Allowed, Answer::Denied) => Change::Loses,
                    _ => Change::Unclear,
                };
                let next = Difference {
                    change,
                    clients: block,
                    ports: Ports::of(vec![(*port, last)]),
                    old: one.rule,
                    new: two.rule,
                };
                join(&mut out, next);
            }
        }
    }
    Ok(out)
}

/// Adds a difference to the one before it, where only its ports differ, or its clients follow.
fn join(out: &mut Vec<Difference>, next: Difference) {
    if let Some(last) = out.last_mut()
        && last.change == next.change
        && last.old == next.old
        && last.new == next.new
    {
        if last.clients == next.clients {
            let mut ranges = last.ports.ranges().to_vec();
            ranges.extend(next.ports.ranges());
            last.ports = Ports::of(ranges);
            return;
        }
        let follows = last.clients.v6 == next.clients.v6
            && last.clients.to.checked_add(1) == Some(next.clients.from);
        if follows && last.ports == next.ports {
            last.clients.to = next.clients.to;
            return;
        }
    }
    out.push(next);
}
