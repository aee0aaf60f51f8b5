//! Several targets: a line each, and what they have in common.

use std::collections::BTreeMap;
use std::io::{self, Write};

use anstyle::Style;
use chronaxis_core::case::Case;
use chronaxis_core::knowledge::causes::Owner;
use chronaxis_core::layer::Micros;
use chronaxis_core::redact::visible;
use chronaxis_core::verdict::State;
use unicode_width::UnicodeWidthStr as _;

use super::page::{BAD, BOLD, DIM, GOOD, LOOK, WIDTH, entry, percent};

/// Width of the column of targets.
const TARGET: usize = 29;

/// Where the column of causes begins.
const CAUSES: usize = 59;

/// Most targets that a group names.
const MOST_NAMED: usize = 4;

/// What targets have in common: how it stands, the cause, and where it was met.
type Group = (u8, String, String);

/// The table while it grows.
pub(crate) struct Table {
    count: usize,
    begun: bool,
    groups: BTreeMap<Group, Vec<String>>,
}

fn rank(state: State) -> u8 {
    match state {
        State::Broken => 0,
        State::Undecided => 1,
        State::Working => 2,
    }
}

fn style(state: State) -> Style {
    match state {
        State::Broken => BAD,
        State::Undecided => LOOK,
        State::Working => GOOD,
    }
}

impl Table {
    /// A table of so many targets.
    pub(crate) fn new(count: usize) -> Table {
        Table {
            count,
            begun: false,
            groups: BTreeMap::new(),
        }
    }

    /// The line of one target.
    pub(crate) fn line(&mut self, out: &mut impl Write, case: &Case) -> io::Result<()> {
        if !std::mem::replace(&mut self.begun, true) {
            let from = visible(&case.vantage.host);
            let when = case.vantage.started.replace('T', " ").replace('Z', " UTC");
            writeln!(
                out,
                "{BOLD}{} targets{BOLD:#} {DIM}from {from} as {}, {when}{DIM:#}\n",
                self.count,
                visible(&case.vantage.user)
            )?;
        }
        let verdict = &case.verdict;
        let name = name_of(case);
        let cause = verdict.cause.as_deref().unwrap_or("");
        let sure = match (verdict.state, verdict.probability) {
            (State::Broken, Some(p)) => percent(p),
            (State::Undecided, _) if !cause.is_empty() => "perhaps".to_owned(),
            _ => String::new(),
        };
        let what = match verdict.state {
            State::Undecided if !cause.is_empty() => format!("perhaps {cause}"),
            _ => cause.to_owned(),
        };
        let tint = style(verdict.state);
        let (word, took) = (verdict.state.as_str(), case.vantage.elapsed_us.to_string());
        write!(
            out,
            "  {}{tint}{word:<10}{tint:#}{took:>7}  {sure:<8}",
            padded(&name, TARGET),
        )?;
        // What is too long for the page has a line of its own.
        if CAUSES + cause.len() > WIDTH {
            write!(out, "\n{:>WIDTH$}", cause)?;
        } else {
            write!(out, "{cause}")?;
        }
        writeln!(out)?;
        let group = (rank(verdict.state), what, where_met(case));
        self.groups.entry(group).or_default().push(name);
        Ok(())
    }

    /// The groups, the worst first, and of these the largest.
    pub(crate) fn summary(self, out: &mut impl Write, took: Micros) -> io::Result<()> {
        let in_state = |wanted: u8| -> usize {
            let of = self.groups.iter().filter(|((rank, ..), _)| *rank == wanted);
            of.map(|(_, names)| names.len()).sum()
        };
        let (broken, undecided, working) = (in_state(0), in_state(1), in_state(2));
        writeln!(
            out,
            "\n{BOLD}{} targets in {took}{BOLD:#}: {working} working, {broken} broken, {undecided} undecided",
            self.count
        )?;
        let mut groups: Vec<_> = self
            .groups
            .iter()
            .filter(|((rank, ..), _)| *rank < 2)
            .collect();
        groups.sort_by_key(|((rank, ..), names)| (*rank, std::cmp::Reverse(names.len())));
        if !groups.is_empty() {
            writeln!(out)?;
        }
        for ((rank, what, met), names) in groups {
            let tint = if *rank == 0 { BAD } else { LOOK };
            let met = match met.is_empty() {
                true => String::new(),
                false => format!(": {met}"),
            };
            let count = names.len();
            writeln!(out, "  {tint}{count:>5}  {what}{tint:#}{met}")?;
            let shown: Vec<&str> = names.iter().take(MOST_NAMED).map(String::as_str).collect();
            let more = match count.saturating_sub(MOST_NAMED) {
                0 => String::new(),
                more => format!(" and {more} more"),
            };
            entry(out, "", &format!("{}{more}", shown.join(", ")))?;
        }
        Ok(())
    }
}

/// The label, and where it goes.
fn name_of(case: &Case) -> String {
    let place = case.target.ends.first().map(ToString::to_string);
    let label = visible(&case.target.label);
    match place {
        Some(place) => format!("{label} {}", visible(&place)),
        None => label,
    }
}

/// How much of the end of a name is kept where it is cut: the port stands there.
const END: usize = 9;

/// Padded to a width, or cut to it before its end.
fn padded(text: &str, width: usize) -> String {
    if text.width() < width {
        return format!("{text}{}", " ".repeat(width - text.width()));
    }
    let mut end = String::new();
    for c in text.chars().rev() {
        if end.width() >= END {
            break;
        }
        end.insert(0, c);
    }
    let mut begin = String::new();
    for c in text.chars() {
        if begin.width() + end.width() + 3 > width {
            break;
        }
        begin.push(c);
    }
    let whole = format!("{begin}…{end}");
    let left = width.saturating_sub(whole.width());
    format!("{whole}{}", " ".repeat(left))
}

/// Where it was met: the device, the server, or whose business it is.
fn where_met(case: &Case) -> String {
    let verdict = &case.verdict;
    let symptom = verdict.symptom.as_deref().unwrap_or_default();
    let network = verdict.network.as_ref();
    if let Some((network, device)) = network.and_then(|n| Some((n, n.device?))) {
        let how = match (symptom, &network.icmp) {
            ("port/silent", _) => "silent behind",
            (_, Some(_)) => "turned away by",
            // Nobody says who sends a reset.
            ("port/refused", None) => "turned away behind",
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

#[cfg(test)]
mod tests {
    use super::padded;
    use unicode_width::UnicodeWidthStr as _;

    #[test]
    fn a_long_name_keeps_its_port() {
        let long = "manifest lighthouse.osmary.example:3306";
        let cut = padded(long, 29);
        assert_eq!(cut, "manifest lighthous…mple:3306 ");
        assert_eq!(padded("fares quay:1433", 29).width(), 29);
        // Wide characters are never cut in half.
        let wide = padded("港港港港港港港港港港港港港港港港:5432", 29);
        assert_eq!(wide.width(), 29, "{wide:?}");
    }
}
