//! Several targets: a line each, and what they have in common.

use std::collections::{BTreeMap, BTreeSet};

use chronaxis_model::endpoint::Endpoint;
use chronaxis_model::fact::Fact;
use chronaxis_model::found::CauseId;
use chronaxis_model::layer::Micros;
use chronaxis_model::redact::visible;

use super::{Block, Piece, Summary, TargetGroup, TargetLine, Tone, moment, percent};
use crate::case::Case;
use crate::judge::Symptom;
use crate::knowledge::causes::Owner;
use crate::verdict::{self, State, is_plausible};

/// Most targets that a group names.
const MOST_NAMED: usize = 4;

/// Most instances that are told apart.
const MOST_INSTANCES: usize = 1000;

/// What targets have in common: how it stands, the cause, and where it was met; where no
/// cause stands out, where it was met, and the candidates.
type Common = (u8, String, String);

/// What is said at the end of all.
#[derive(Debug, Default)]
pub struct Grouped {
    count: usize,
    groups: BTreeMap<Common, Vec<String>>,
    instances: BTreeMap<Met, Led>,
}

/// An instance that answered: what tells it from every other one, how it is called, and since
/// when it runs (a replica is not its primary).
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
struct Met {
    id: String,
    name: String,
    started: String,
}

/// By which places it was met, and the targets that led there.
#[derive(Debug, Default)]
struct Led {
    places: BTreeSet<String>,
    names: Vec<String>,
}

/// The line of one target, and what it has in common with others. No more is kept of it.
#[derive(Debug)]
pub struct Row {
    /// The line.
    pub line: TargetLine,
    /// From where and when it was made.
    pub from: String,
    common: Common,
    met: Option<(Met, String)>,
}

fn rank(state: State) -> u8 {
    match state {
        State::Broken => 0,
        State::Undecided => 1,
        State::Working => 2,
    }
}

fn tone(state: State) -> Tone {
    match state {
        State::Broken => Tone::Bad,
        State::Undecided => Tone::Look,
        State::Working => Tone::Good,
    }
}

/// How many there are, from where and when.
pub fn head(count: usize, from: &str) -> Block {
    Block::Head {
        title: vec![Piece::strong(format!("{count} targets"))],
        remark: from.to_owned(),
    }
}

impl Row {
    /// The row of a case.
    pub fn of(case: &Case) -> Row {
        let vantage = &case.vantage;
        let (host, user) = (visible(&vantage.host), visible(&vantage.user));
        let from = format!("from {host} as {user}, {}", moment(&vantage.started));
        let verdict = &case.verdict;
        let cause = verdict.cause.clone().unwrap_or_default();
        let named = candidates(case);
        let met = where_met(case);
        let (finding, what, more) = match (verdict.state, verdict.probability) {
            (State::Broken, Some(p)) => (format!("{:<6}{cause}", percent(p)), cause, met),
            (State::Undecided, _) if named.len() > 1 => (met.clone(), met, listed(&named)),
            (State::Undecided, _) if !cause.is_empty() => {
                let open = format!("{cause}, open");
                (open.clone(), open, met)
            }
            // What is not known here has no cause; the first words say what it is.
            (State::Undecided, _) => {
                let words = verdict
                    .headline
                    .split([':', '('])
                    .next()
                    .unwrap_or_default();
                let open = words.trim_end_matches(['.', ' ']).to_owned();
                (open.clone(), open, met)
            }
            _ => (cause.clone(), cause, met),
        };
        let label = visible(&case.target.label);
        let first = case.target.ends.first();
        // What names a file and a connection in it needs no place beside it.
        let place = first.filter(|_| !label.contains('#'));
        Row {
            line: TargetLine {
                name: label,
                place: place.map(|place| visible(&place.to_string())),
                state: verdict.state.as_str(),
                tone: tone(verdict.state),
                elapsed: vantage.elapsed_us,
                finding,
            },
            from,
            common: (rank(verdict.state), what, more),
            met: instance_of(case),
        }
    }
}

impl Grouped {
    /// Takes in one target.
    pub fn add(&mut self, row: Row) {
        let name = match row.line.place {
            Some(place) => format!("{} {place}", row.line.name),
            None => row.line.name,
        };
        self.count += 1;
        if let Some((instance, place)) = row.met
            && (self.instances.len() < MOST_INSTANCES || self.instances.contains_key(&instance))
        {
            let led = self.instances.entry(instance).or_default();
            // Another database of the same server is no news.
            if led.places.len() <= MOST_NAMED && led.places.insert(place) {
                led.names.push(name.clone());
            }
        }
        self.groups.entry(row.common).or_default().push(name);
    }

    /// The groups, the worst first, and of these the largest.
    pub fn summary(self, took: Micros) -> Block {
        let in_state = |wanted: State| -> usize {
            let of = self.groups.iter();
            of.filter(|((of_rank, ..), _)| *of_rank == rank(wanted))
                .map(|(_, names)| names.len())
                .sum()
        };
        let counts = format!(
            "{} working, {} broken, {} undecided",
            in_state(State::Working),
            in_state(State::Broken),
            in_state(State::Undecided)
        );
        let failed = |rank: u8| rank < self::rank(State::Working);
        let mut groups: Vec<_> = self
            .groups
            .into_iter()
            .filter(|((rank, ..), _)| failed(*rank))
            .collect();
        groups.sort_by_key(|((rank, ..), names)| (*rank, std::cmp::Reverse(names.len())));
        Block::Summary(Summary {
            title: format!("{} targets in {took}", self.count),
            counts,
            groups: groups.into_iter().map(group).collect(),
            shared: self.instances.iter().filter_map(shared).collect(),
        })
    }
}

/// That several places lead to one instance.
fn shared((instance, led): (&Met, &Led)) -> Option<String> {
    let names: Vec<&str> = led.names.iter().map(String::as_str).collect();
    let (last, before) = names
        .split_last()
        .filter(|(_, before)| !before.is_empty())?;
    let Met { id, name, .. } = instance;
    let who = match name.is_empty() {
        true => format!("identifier {id}"),
        false => format!("{name}, identifier {id}"),
    };
    Some(format!(
        "{} and {last} lead to the same instance ({who})",
        before.join(", ")
    ))
}

/// The instance that answered, and where.
fn instance_of(case: &Case) -> Option<(Met, String)> {
    let log = case.log().ok()?;
    log.iter().find_map(|seen| match seen.fact() {
        Some(Fact::Instance(instance)) => {
            let met = Met {
                id: visible(&instance.identifier()?),
                name: instance
                    .name()
                    .map_or_else(String::new, |n| visible(n.as_str())),
                started: instance.started.to_string(),
            };
            Some((met, Endpoint::of(&seen.about)?.to_string()))
        }
        _ => None,
    })
}

fn group(((rank, finding, more), names): (Common, Vec<String>)) -> TargetGroup {
    let count = names.len();
    let others = match count.saturating_sub(MOST_NAMED) {
        0 => String::new(),
        n => format!(" and {n} more"),
    };
    let shown: Vec<&str> = names.iter().take(MOST_NAMED).map(String::as_str).collect();
    TargetGroup {
        count,
        finding,
        more,
        tone: match rank {
            0 => Tone::Bad,
            _ => Tone::Look,
        },
        names: format!("{}{others}", shown.join(", ")),
    }
}

/// The causes that a person would still name.
fn candidates(case: &Case) -> Vec<&str> {
    let top = case.causes.first().map_or(0.0, |c| c.probability);
    let named = case
        .causes
        .iter()
        .filter(|c| !c.is(CauseId::SomethingElse) && is_plausible(c.probability, top));
    named
        .take(verdict::MOST_NAMED)
        .map(|c| c.id.as_str())
        .collect()
}

/// `a, b or c`
fn listed(names: &[&str]) -> String {
    match names {
        [before @ .., last] if !before.is_empty() => format!("{} or {last}", before.join(", ")),
        names => names.join(", "),
    }
}

/// Where it was met: the router or firewall, the server, or whose business it is.
fn where_met(case: &Case) -> String {
    let verdict = &case.verdict;
    let symptom = verdict.symptom.as_deref().unwrap_or_default();
    let is = |wanted: Symptom| symptom == wanted.to_string();
    let network = verdict.network.as_ref();
    if let Some((network, device)) = network.and_then(|n| Some((n, n.device?))) {
        // It is the next one on the way, and nothing came even there.
        if verdict.is(CauseId::NoRoute) && network.icmp.is_none() {
            return format!("{device} does not answer");
        }
        let how = match network.icmp {
            Some(_) if !is(Symptom::PortSilent) => "turned away by",
            _ if is(Symptom::PortSilent) => "silent behind",
            // Nobody says who sends a reset.
            None if is(Symptom::PortRefused) => "turned away behind",
            _ => "last seen at",
        };
        return format!("{how} {device}");
    }
    match verdict.owner {
        Some(owner) if verdict.state == State::Broken => {
            format!("{symptom}, for {}", Owner::as_str(owner))
        }
        _ => symptom.to_owned(),
    }
}
