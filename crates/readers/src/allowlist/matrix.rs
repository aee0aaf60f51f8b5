//! Many clients and many places to reach: a table of both, and what a list says of each pair.

use std::collections::BTreeMap;
use std::net::{IpAddr, SocketAddr};

use chronaxis_allowlist::answer::Answer;
use chronaxis_allowlist::attempt::Attempt;
use chronaxis_allowlist::own::decide;
use chronaxis_allowlist::own::regions::Regions;
use chronaxis_allowlist::own::{Direction, List};

use super::own::word;
use super::own_csv::Table;
use super::{Reading, Rules};
use crate::node::Broken;

/// Most pairs of one table.
const MOST_PAIRS: usize = 2_000_000;

/// Who is to reach what. A line with both names a pair; a line with a client alone, or with a
/// place alone, names it for all: each of these clients with each of these places.
///
/// # Errors
/// Says which line is none.
pub fn pairs(text: &str) -> Result<Vec<(IpAddr, SocketAddr)>, Broken> {
    let mut table = Table::open(text)?;
    let column = |name: &str| table.names.iter().position(|n| n == name);
    let (Some(client), Some(to)) = (column("client"), column("to")) else {
        let what = "the header has no client and to";
        return Err(Broken::new(table.from, what, "client,to"));
    };
    let (mut out, mut clients, mut places) = (Vec::new(), Vec::new(), Vec::new());
    while let Some(line) = table.next() {
        let (at, cells) = line?;
        let cell = |column: usize| cells.get(column).map_or("", String::as_str);
        let ip = match cell(client) {
            "" => None,
            text => Some(text.parse::<IpAddr>().map_err(|_| {
                let what = format!("the client {} is no address", word(text));
                Broken::new(at.start, what, "an address like 198.51.100.77")
            })?),
        };
        let place = match cell(to) {
            "" => None,
            text => Some(text.parse::<SocketAddr>().map_err(|_| {
                let what = format!("{} is no address with a port", word(text));
                Broken::new(
                    at.start,
                    what,
                    "one like 203.0.113.10:5432 or [2001:db8::10]:5432",
                )
            })?),
        };
        match (ip, place) {
            (Some(ip), Some(place)) => out.push((ip, place)),
            (Some(ip), None) => clients.push(ip),
            (None, Some(place)) => places.push(place),
            (None, None) => {}
        }
        if out.len() + clients.len().saturating_mul(places.len()) > MOST_PAIRS {
            let what = format!("there are more than {MOST_PAIRS} pairs");
            return Err(Broken::new(at.start, what, "several smaller tables"));
        }
    }
    for ip in &clients {
        for place in &places {
            out.push((*ip, *place));
        }
    }
    match out.is_empty() {
        false => Ok(out),
        true => Err(Broken::new(
            table.from,
            "there is no pair in it",
            "a line for each client and place",
        )),
    }
}

/// What lists say of many attempts, one after the other.
pub struct Asked<'a> {
    lists: &'a [Reading],
    /// Whether a list says the same whatever is to be reached: all its rules are for what
    /// comes in, and replies pass by themselves.
    plain: Vec<bool>,
    /// The partitions of lists that need no more than that, by list and port.
    ready: BTreeMap<(usize, u16), Regions>,
}

/// What is said of one pair.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Said {
    /// Whether it gets through.
    pub answer: Answer,
    /// The list that decides, by its place.
    pub list: usize,
    /// Its rule, by its place, where it is one of our own format.
    pub rule: Option<usize>,
}

impl<'a> Asked<'a> {
    /// Begins.
    pub fn of(lists: &'a [Reading]) -> Asked<'a> {
        let plain = lists.iter().map(|list| match &list.rules {
            Rules::Own(own) => {
                own.stateful && own.rules.iter().all(|r| r.direction == Direction::Inbound)
            }
            _ => false,
        });
        Asked {
            lists,
            plain: plain.collect(),
            ready: BTreeMap::new(),
        }
    }

    /// What the chain says: the first that denies decides.
    pub fn says(&mut self, attempt: &Attempt) -> Said {
        let mut said = Said {
            answer: Answer::Allowed,
            list: self.lists.len().saturating_sub(1),
            rule: None,
        };
        let lists = self.lists;
        for (index, list) in lists.iter().enumerate() {
            let (answer, rule) = match &list.rules {
                Rules::Own(own) => self.of_own(index, own, attempt),
                other => (other.decide(attempt, false).answer, None),
            };
            let here = Said {
                answer,
                list: index,
                rule,
            };
            match (answer, said.answer) {
                (Answer::Denied, _) => return here,
                (Answer::Unknown, Answer::Allowed) => said = here,
                (Answer::Allowed, Answer::Allowed) => said = here,
                _ => {}
            }
        }
        said
    }

    fn of_own(&mut self, index: usize, list: &List, attempt: &Attempt) -> (Answer, Option<usize>) {
        let port = attempt.to.port();
        if self.plain.get(index) != Some(&true) {
            return decide::answers(list, attempt);
        }
        let regions = self
            .ready
            .entry((index, port))
            .or_insert_with(|| Regions::at_port(list, Direction::Inbound, port, attempt.today));
        let (allowed, rule) = regions.says(attempt.client);
        let answer = if allowed {
            Answer::Allowed
        } else {
            Answer::Denied
        };
        (answer, rule)
    }
}
