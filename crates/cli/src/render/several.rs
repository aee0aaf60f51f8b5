//! Several targets: a line each, and what they have in common.

use std::collections::BTreeMap;
use std::io::{self, Write};

use anstyle::Style;
use chronaxis_diagnosis::case::Case;
use chronaxis_diagnosis::knowledge::causes::Owner;
use chronaxis_diagnosis::verdict::{self, State, is_plausible};
use chronaxis_model::found::CauseId;
use chronaxis_model::layer::Micros;
use chronaxis_model::redact::visible;
use unicode_width::UnicodeWidthStr as _;

use super::page::{BAD, BOLD, DIM, GOOD, LOOK, WIDTH, entry, percent};

/// Width of the column of targets.
const TARGET: usize = 29;

/// Where the column of causes begins.
const CAUSES: usize = 51;

/// Where what a group has in common begins.
const MARGIN: usize = 9;

/// Most targets that a group names.
const MOST_NAMED: usize = 4;

/// What targets have in common: how it stands, the cause, and where it was met; where no
/// cause stands out, where it was met, and the candidates.
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

/// The line of one target, ready to be shown.
pub(crate) struct Row {
    /// Where and when it was made.
    from: String,
    text: String,
    name: String,
    group: Group,
}

impl Row {
    /// The row of a case.
    pub(crate) fn of(case: &Case) -> Row {
        let from = visible(&case.vantage.host);
        let when = case.vantage.started.replace('T', " ").replace('Z', " UTC");
        let from = format!("from {from} as {}, {when}", visible(&case.vantage.user));
        let verdict = &case.verdict;
        let name = name_of(case);
        let cause = verdict.cause.as_deref().unwrap_or("");
        let named = candidates(case);
        let met = where_met(case);
        let (shown, what, more) = match (verdict.state, verdict.probability) {
            (State::Broken, Some(p)) => (format!("{:<6}{cause}", percent(p)), cause.into(), met),
            (State::Undecided, _) if named.len() > 1 => (met.clone(), met, listed(&named)),
            (State::Undecided, _) if !cause.is_empty() => {
                let open = format!("{cause}, open");
                (open.clone(), open, met)
            }
            _ => (cause.into(), cause.into(), met),
        };
        let tint = style(verdict.state);
        let (word, took) = (verdict.state.as_str(), case.vantage.elapsed_us.to_string());
        let mut text = format!(
            "  {}{tint}{word:<10}{tint:#}{took:>7}",
            padded(&name, TARGET),
        );
        // What is too long for the page has a line of its own.
        match shown.is_empty() {
            true => {}
            false if CAUSES + shown.width() > WIDTH => text.push_str(&format!("\n{shown:>WIDTH$}")),
            false => text.push_str(&format!("  {shown}")),
        }
        Row {
            from,
            text,
            group: (rank(verdict.state), what, more),
            name,
        }
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
    pub(crate) fn line(&mut self, out: &mut impl Write, row: Row) -> io::Result<()> {
        if !std::mem::replace(&mut self.begun, true) {
            writeln!(
                out,
                "{BOLD}{} targets{BOLD:#} {DIM}{}{DIM:#}\n",
                self.count, row.from
            )?;
        }
        writeln!(out, "{}", row.text)?;
        self.groups.entry(row.group).or_default().push(row.name);
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
            let count = names.len();
            write!(out, "  {tint}{count:>5}  {what}{tint:#}")?;
            match met.is_empty() {
                true => writeln!(out)?,
                false if MARGIN + what.width() + 2 + met.width() > WIDTH => {
                    writeln!(out, ":")?;
                    entry(out, "", met)?;
                }
                false => writeln!(out, ": {met}")?,
            }
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

/// The label, and where it goes.
fn name_of(case: &Case) -> String {
    let place = case.target.ends.first().map(ToString::to_string);
    let label = visible(&case.target.label);
    // What names a file and a connection in it tells it apart by its end.
    if label.contains('#') {
        return match label.width() <= NAMED {
            true => label,
            false => cut_at_a_folder(&label),
        };
    }
    match place {
        Some(place) => format!("{label} {}", visible(&place)),
        None => label,
    }
}

/// The end of a path and name, from a folder on where that fits.
fn cut_at_a_folder(label: &str) -> String {
    let whole = label
        .match_indices('/')
        .filter_map(|(at, _)| label.get(at..))
        .find(|end| end.width() < NAMED);
    let end = whole.map(str::to_owned).unwrap_or_else(|| {
        let mut end: Vec<char> = label.chars().rev().take(NAMED - 1).collect();
        end.reverse();
        end.into_iter().collect()
    });
    format!("…{end}")
}

/// How many characters of a file and name are shown.
const NAMED: usize = 26;

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
        // It is the next device, and nothing came even there.
        if verdict.is(CauseId::NoRoute) && network.icmp.is_none() {
            return format!("{device} does not answer");
        }
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
