//! The smallest change of a list as an edit of its text: what lets exactly one client in, or
//! closes a hole. Whatever comes of it is read again by the same reader and asked again.

mod account_text;
mod filter_text;
mod own_text;
mod policy_text;
mod record_text;

use std::net::IpAddr;
use std::ops::Range;

use chronaxis_allowlist::answer::Answer;
use chronaxis_allowlist::attempt::Attempt;
use chronaxis_allowlist::{accounts, host_rules, own, packet_filter};
use similar::TextDiff;

use super::place::{covered, line_of};
use super::{Others, Reading, Rules, Sheet, read_sheets};
use crate::text::Text;

/// A piece of a text that gives way to another.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) struct TextEdit {
    pub(super) sheet: usize,
    pub(super) at: Range<usize>,
    pub(super) text: String,
    /// The command that does the same to rules that are in force.
    pub(super) command: Option<String>,
    /// The same as an edit of rules of our own format.
    pub(super) own: Option<own::change::Edit>,
}

/// A change of one file.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Change {
    /// The file.
    pub file: String,
    /// Its text behind the change.
    pub after: String,
    /// The change as a unified diff; secrets that stand near it are covered.
    pub diff: String,
    /// The commands that make it where it is in force, where there are some.
    pub commands: Vec<String>,
    /// Who gets in by it, in words.
    pub who: String,
}

/// Most edits of one change: for requests and replies, in each chain that stops them.
const MOST_EDITS: usize = 4;

/// Lists of up to so many rules are read again after a change.
const MOST_READ_AGAIN: usize = 20_000;

/// What lets exactly this client in; none where it is let in already, where what decides is
/// not known, or where the list is written in a way that is not edited here.
pub fn let_in(reading: &Reading, attempt: &Attempt, others: &dyn Others) -> Option<Change> {
    let edits = |sheets: &[Sheet], rules: &Rules| match rules {
        Rules::Own(list) => {
            let edit = own::change::let_in(list, attempt).into_iter().next()?;
            own_text::edit(reading.kind, &sheets.first()?.text, list, &edit)
        }
        Rules::Host(rules) => {
            let edit = host_rules::let_in(rules, attempt)?;
            record_text::edit(sheets, rules, &edit)
        }
        Rules::Filter(filter) => {
            let edit = packet_filter::let_in(filter, attempt)?;
            filter_text::edit(reading.kind, &sheets.first()?.text, filter, &edit)
        }
        Rules::Accounts(list) => {
            let new = accounts::let_in(list, attempt)?;
            account_text::add(reading.kind, &sheets.first()?.text, list, &new)
        }
        Rules::Policies(policies) => {
            let decision = rules.decide(attempt, false);
            let denied = decision.answer == Answer::Denied;
            policy_text::add(reading.kind, sheets.first()?, policies, &decision, attempt)
                .filter(|_| denied)
        }
    };
    let (change, rules) = changed(reading, others, edits)?;
    let who = match (&reading.rules, &attempt.client_labels) {
        (Rules::Policies(_), Some(labels)) if !labels.is_empty() => {
            let pairs: Vec<String> = labels.iter().map(|(k, v)| format!("{k}={v}")).collect();
            format!("workloads with the labels {}", pairs.join(","))
        }
        _ => format!("{} alone", attempt.client),
    };
    let answer = rules.decide(attempt, false).answer;
    (answer == Answer::Allowed).then_some(Change { who, ..change })
}

/// What closes the hole through which everybody reaches the port, with this client in the
/// world's place where it needs that rule; none where there is no such hole.
pub fn close(reading: &Reading, attempt: &Attempt, others: &dyn Others) -> Option<Change> {
    let edits = |sheets: &[Sheet], rules: &Rules| match rules {
        Rules::Own(list) => {
            let edit = own::change::close(list, attempt).into_iter().next()?;
            own_text::edit(reading.kind, &sheets.first()?.text, list, &edit)
        }
        Rules::Host(rules) => {
            let edit = host_rules::close(rules, attempt).into_iter().next()?;
            record_text::edit(sheets, rules, &edit)
        }
        Rules::Filter(filter) => {
            let edit = packet_filter::close(filter, attempt).into_iter().next()?;
            filter_text::edit(reading.kind, &sheets.first()?.text, filter, &edit)
        }
        Rules::Policies(policies) => {
            policy_text::narrow(reading.kind, sheets.first()?, policies, attempt)
        }
        Rules::Accounts(list) => {
            let user = attempt.user.as_deref()?;
            account_text::narrow(&sheets.first()?.text, list, user, attempt.client)
        }
    };
    let (change, rules) = changed(reading, others, edits)?;
    let before = reading.rules.decide(attempt, false).answer;
    let same = rules.decide(attempt, false).answer == before;
    // Somebody else's address, of the documentation (RFC 5737; RFC 3849).
    let strangers = ["192.0.2.254", "2001:db8:ffff::fe"];
    let closed = strangers.iter().all(|ip| {
        let Ok(client) = ip.parse::<IpAddr>() else {
            return false;
        };
        let stranger = Attempt {
            client,
            ..attempt.clone()
        };
        client == attempt.client
            || rules.decide(&stranger, false).answer != Answer::Allowed
            || listed(&reading.rules, client)
    });
    (same && closed).then_some(change)
}

/// Whether an address stands in a list by name, not as one of everybody.
fn listed(rules: &Rules, client: IpAddr) -> bool {
    match rules {
        Rules::Own(list) => list
            .rules
            .iter()
            .flat_map(|r| &r.peers)
            .any(|p| !p.block.is_all() && p.block.has(client)),
        Rules::Filter(_) | Rules::Accounts(_) | Rules::Policies(_) => false,
        Rules::Host(rules) => rules.records.iter().any(|r| {
            let block = r.address.as_ref().and_then(|a| a.block());
            block.is_some_and(|b| !b.is_all() && b.has(client))
        }),
    }
}

/// Makes edits one after the other, each in what came of the one before.
fn changed(
    reading: &Reading,
    others: &dyn Others,
    edit: impl Fn(&[Sheet], &Rules) -> Option<TextEdit>,
) -> Option<(Change, Rules)> {
    let first = edit(&reading.sheets, &reading.rules)?;
    let mut commands: Vec<String> = first.command.iter().cloned().collect();
    let sheet = first.sheet;
    let before = reading.sheets.get(sheet)?.text.string.as_str();
    let mut text = applied(before, &first)?;
    // A list of a hundred thousand rules is not read twice: what is edited in its text is
    // edited in its rules too.
    if let (Rules::Own(list), Some(edit)) = (&reading.rules, &first.own)
        && list.rules.len() > MOST_READ_AGAIN
    {
        let file = reading.sheets.get(sheet)?.path.clone();
        let change = Change {
            diff: diff(&file, before, &text),
            file,
            after: text,
            commands,
            who: String::new(),
        };
        return Some((change, Rules::Own(list.after(edit))));
    }
    let mut now = again(reading, sheet, &text, others)?;
    for _ in 1..MOST_EDITS {
        let Some(next) = edit(&now.0, &now.1) else {
            break;
        };
        if next.sheet != sheet {
            return None;
        }
        text = applied(&text, &next)?;
        commands.extend(next.command);
        now = again(reading, sheet, &text, others)?;
    }
    let file = reading.sheets.get(sheet)?.path.clone();
    let diff = match reading.kind {
        super::Kind::AccountsCsv | super::Kind::AccountsJson => {
            diff(&file, &table_of(&reading.rules), &table_of(&now.1))
        }
        // Such a file is one line; a line for each of its objects can be read.
        super::Kind::Nftables => diff(&file, &lines_of_objects(before), &lines_of_objects(&text)),
        _ => diff(&file, before, &text),
    };
    let change = Change {
        file,
        after: text,
        diff,
        commands,
        who: String::new(),
    };
    Some((change, now.1))
}

fn applied(text: &str, edit: &TextEdit) -> Option<String> {
    let mut out = String::with_capacity(text.len() + edit.text.len());
    out.push_str(text.get(..edit.at.start)?);
    // What is new ends its lines as the rest of the file does.
    let first = text.split_inclusive('\n').next().unwrap_or_default();
    match first.ends_with("\r\n") {
        true => out.push_str(&edit.text.replace('\n', "\r\n")),
        false => out.push_str(&edit.text),
    }
    out.push_str(text.get(edit.at.end..)?);
    Some(out)
}

/// Other files as they were read, one of them changed.
struct Changed<'a> {
    others: &'a dyn Others,
    path: &'a str,
    text: &'a str,
}

impl Others for Changed<'_> {
    fn file(&self, path: &str) -> Result<Vec<u8>, Option<String>> {
        match path == self.path {
            true => Ok(self.text.as_bytes().to_vec()),
            false => self.others.file(path),
        }
    }

    fn folder(&self, path: &str) -> Result<Vec<String>, String> {
        self.others.folder(path)
    }
}

fn again(
    reading: &Reading,
    sheet: usize,
    text: &str,
    others: &dyn Others,
) -> Option<(Vec<Sheet>, Rules)> {
    let own = reading.sheets.first()?;
    let path = reading.sheets.get(sheet)?.path.as_str();
    let others = Changed { others, path, text };
    let first = match sheet {
        0 => text.to_owned(),
        _ => own.text.string.clone(),
    };
    let mut sheets = vec![Sheet {
        path: own.path.clone(),
        text: Text::new(first),
    }];
    let (_, rules) = read_sheets(&mut sheets, &others).ok()?;
    Some((sheets, rules))
}

/// A table of accounts with no other columns than user and host: others can hold secrets.
fn table_of(rules: &Rules) -> String {
    let mut out = String::from("user,host\n");
    if let Rules::Accounts(list) = rules {
        for account in &list.accounts {
            out.push_str(&format!("{},{}\n", account.user, account.host));
        }
    }
    out
}

/// The same JSON with a line for each object of its list.
fn lines_of_objects(text: &str) -> String {
    let mut out = text.to_owned();
    for object in [
        "table\":",
        "chain\":",
        "rule\":",
        "set\": {\"family",
        "map\": {\"family",
    ] {
        for between in ["}, {\"", "},{\""] {
            out = out.replace(&format!("{between}{object}"), &format!("}},\n{{\"{object}"));
        }
    }
    out
}

/// Lines round a change that are shown.
const CONTEXT: usize = 3;

/// Two texts without the lines that both begin with and end with, but for some round what
/// differs; and how many were left out before. A list can have a million lines.
fn apart<'a>(before: &'a str, after: &'a str) -> (usize, &'a str, &'a str) {
    let line_starts_back = |text: &str, mut at: usize, lines: usize| {
        for _ in 0..=lines {
            match text.get(..at.saturating_sub(1)).and_then(|t| t.rfind('\n')) {
                Some(n) => at = n + 1,
                None => return 0,
            }
        }
        at
    };
    let (a, b) = (before.as_bytes(), after.as_bytes());
    let same = a.iter().zip(b).take_while(|(x, y)| x == y).count();
    let left = a.len().min(b.len()) - same;
    let (ends, others) = (a.iter().rev(), b.iter().rev());
    let tail = ends
        .zip(others)
        .take(left)
        .take_while(|(x, y)| x == y)
        .count();
    let from = line_starts_back(before, same, CONTEXT + 1);
    let skipped = before.get(..from).map_or(0, |t| t.matches('\n').count());
    let cut = |text: &'a str| {
        let rest = text.len() - tail;
        let behind = text.get(rest..).unwrap_or_default();
        let lines = behind.match_indices('\n').nth(CONTEXT + 2);
        let end = lines.map_or(text.len(), |(n, _)| rest + n + 1);
        text.get(from..end).unwrap_or(text)
    };
    // A cut inside a letter is none.
    match (
        before.is_char_boundary(before.len() - tail),
        after.is_char_boundary(after.len() - tail),
    ) {
        (true, true) => (skipped, cut(before), cut(after)),
        _ => (0, before, after),
    }
}

/// The head of a hunk, its lines counted from the beginning of the file.
fn moved(head: &str, skipped: usize) -> String {
    let words = head.split(' ').map(|word| {
        let Some((sign, numbers)) = word
            .strip_prefix('-')
            .map(|n| ('-', n))
            .or_else(|| word.strip_prefix('+').map(|n| ('+', n)))
        else {
            return word.to_owned();
        };
        let (line, count) = numbers.split_once(',').unwrap_or((numbers, ""));
        let line = line.parse::<usize>().unwrap_or(0) + skipped;
        match count {
            "" => format!("{sign}{line}"),
            count => format!("{sign}{line},{count}"),
        }
    });
    words.collect::<Vec<_>>().join(" ")
}

/// A unified diff, each line as it may be shown.
pub(crate) fn diff(path: &str, before: &str, after: &str) -> String {
    let (skipped, before, after) = apart(before, after);
    let diff = TextDiff::from_lines(before, after);
    let path = line_of(path);
    let mut shown = diff.unified_diff();
    let shown = shown.context_radius(CONTEXT).missing_newline_hint(true);
    let mut out = format!("--- {path}\n+++ {path}\n");
    let hunks: Vec<String> = shown.iter_hunks().map(|hunk| hunk.to_string()).collect();
    for line in hunks.iter().flat_map(|hunk| hunk.lines()) {
        if let Some(head) = line.strip_prefix("@@ ") {
            out.push_str(&format!("@@ {}\n", moved(head, skipped)));
            continue;
        }
        // What changes is shown whole: somebody may copy it.
        out.push_str(&match line.starts_with(['+', '-']) {
            true => covered(line),
            false => line_of(line),
        });
        out.push('\n');
    }
    out
}
