//! PostgreSQL's log: on standard error with any prefix (`log_line_prefix`), and as CSV.

use std::collections::BTreeMap;

use chronaxis_model::fact::Signal;

use super::{Entry, signal};
use crate::moment;

/// What stands between the prefix and the words, untranslated or as translations have it.
const SEVERITIES: &[&str] = &[
    "FATAL",
    "ERROR",
    "PANIC",
    "WARNING",
    "LOG",
    "DETAIL",
    "HINT",
    "STATEMENT",
    "CONTEXT",
    "NOTICE",
    "FEHLER",
    "WARNUNG",
];

/// Whether a line is one of such a log, and not what a client says: its prefix has a time.
pub(super) fn is_entry(line: &str) -> bool {
    marked(line).is_some_and(|(prefix, ..)| moment::in_line(prefix, 1970).is_some())
}

/// A line apart: the prefix, the severity, the words.
fn marked(line: &str) -> Option<(&str, &str, &str)> {
    /// What stands behind the severity.
    const BEHIND: &str = ":  ";
    let mut from = 0;
    while let Some(found) = line.get(from..)?.find(BEHIND) {
        let at = from + found;
        let before = line.get(..at)?;
        let letters = before
            .bytes()
            .rev()
            .take_while(u8::is_ascii_uppercase)
            .count();
        let (prefix, severity) = before.split_at(at - letters);
        if SEVERITIES.contains(&severity) {
            return Some((prefix, severity, line.get(at + BEHIND.len()..)?));
        }
        from = at + BEHIND.len();
    }
    None
}

/// How entries of the severity `LOG` begin that tell of a client.
const LOGGED: &[&str] = &[
    "connection ",
    "could not accept SSL",
    "no pg_hba.conf",
    "received direct SSL",
];

/// What is known of a server process from what it wrote before.
#[derive(Clone, Default)]
struct Session {
    client: Option<std::net::IpAddr>,
    port: Option<u16>,
    user: Option<String>,
    database: Option<String>,
}

pub(super) fn stderr(text: &str, year: i16) -> Vec<Entry> {
    let mut out: Vec<(Entry, String)> = Vec::new();
    let mut sessions: BTreeMap<String, Session> = BTreeMap::new();
    for (number, line) in text.lines().enumerate() {
        let Some((prefix, severity, words)) = marked(line) else {
            // A line that goes on.
            if line.starts_with('\t')
                && let Some((last, _)) = out.last_mut()
                && last.line + 6 > number
            {
                last.text.push('\n');
                last.text.push_str(line.trim());
            }
            continue;
        };
        // Most lines of a log are of no client: they are passed over fast.
        if severity == "LOG" && !LOGGED.iter().any(|lead| words.starts_with(lead)) {
            continue;
        }
        let process = process_of(prefix);
        match severity {
            "LOG" => {
                learn(words, sessions.entry(process.clone()).or_default());
                let told = [
                    "could not accept SSL",
                    "no pg_hba.conf",
                    "received direct SSL",
                ];
                if !told.iter().any(|t| words.contains(t)) {
                    continue;
                }
            }
            "DETAIL" | "HINT" => {
                let of_it = |(_, owner): &&mut (Entry, String)| *owner == process;
                if severity == "DETAIL"
                    && let Some((entry, _)) = out.iter_mut().rev().take(8).find(of_it)
                {
                    entry.text.push_str("\nDETAIL:  ");
                    entry.text.push_str(words);
                }
                continue;
            }
            "STATEMENT" | "CONTEXT" | "NOTICE" => continue,
            _ => {}
        }
        let known = sessions.get(&process).cloned().unwrap_or_default();
        let (client, port) = client_of(prefix);
        let (user, database) = account_of(prefix);
        let entry = Entry {
            line: number + 1,
            at: moment::in_line(prefix, year),
            client: client.or(known.client),
            client_port: port.or(known.port),
            user: user.or(known.user),
            database: database.or(known.database),
            code: code_of(prefix),
            text: format!("{severity}:  {words}"),
            signals: Vec::new(),
        };
        out.push((entry, process));
    }
    out.into_iter().map(|(entry, _)| concluded(entry)).collect()
}

/// Under SCRAM a wrong password is told only by a rule that matched and no other reason.
pub(super) fn concluded(mut entry: Entry) -> Entry {
    let (said, detail) = match entry.text.split_once("\nDETAIL:  ") {
        Some((said, detail)) => (said, detail),
        None => (entry.text.as_str(), ""),
    };
    let refused = said.contains("password authentication failed for user")
        || entry.code.as_deref() == Some("28P01");
    let alone = detail.trim_start().starts_with("Connection matched ");
    if refused && alone {
        entry.signals = vec![
            signal("account-looked-up", "yes"),
            signal("account-stands", "in-order"),
        ];
    }
    if said.contains("pg_hba.conf") && !said.contains("password authentication") {
        entry.signals = excluded();
    }
    entry
}

fn excluded() -> Vec<Signal> {
    vec![
        signal("account-looked-up", "yes"),
        signal("account-stands", "host-excluded"),
    ]
}

/// The number of the server process: in brackets, in parentheses, or between blanks.
fn process_of(prefix: &str) -> String {
    let inside = |open: char, close: char| {
        let behind = prefix.split(open).skip(1);
        behind
            .filter_map(|rest| rest.split(close).next())
            .map(|inside| inside.split('-').next().unwrap_or(inside))
            .find(|inside| !inside.is_empty() && inside.bytes().all(|b| b.is_ascii_digit()))
            .map(str::to_owned)
    };
    let word = || {
        let mut words = prefix.split([' ', ',', '|']);
        words
            .find(|w| w.len() >= 2 && w.bytes().all(|b| b.is_ascii_digit()))
            .map(str::to_owned)
    };
    inside('[', ']')
        .or_else(|| inside('(', ')').filter(|p| p.len() > 1))
        .or_else(word)
        .unwrap_or_default()
}

/// The client in a prefix (`%r`: `198.51.100.77(51122)`; `%h`: the address alone).
fn client_of(prefix: &str) -> (Option<std::net::IpAddr>, Option<u16>) {
    for word in prefix.split([' ', ',', '|', '=', ';', '[', ']', '@']) {
        let word = word.trim_matches(['"', '\'', ':']);
        if let Some((address, port)) = word.split_once('(')
            && let Ok(address) = address.parse()
        {
            return (Some(address), port.trim_end_matches(')').parse().ok());
        }
        if let Ok(address) = word.parse() {
            return (Some(address), None);
        }
    }
    (None, None)
}

/// `%u@%d`, `user=%u,db=%d`.
fn account_of(prefix: &str) -> (Option<String>, Option<String>) {
    let named = |keys: &[&str]| {
        let words = prefix.split([' ', ',', '|', ';', '[', ']']);
        words
            .filter_map(|word| word.split_once('='))
            .find(|(key, value)| keys.contains(key) && !value.is_empty() && *value != "[unknown]")
            .map(|(_, value)| value.to_owned())
    };
    let (user, database) = (named(&["user", "u"]), named(&["db", "database", "d"]));
    if user.is_some() || database.is_some() {
        return (user, database);
    }
    let pair = prefix
        .split([' ', ',', '|'])
        .filter_map(|word| word.split_once('@'))
        .find(|(user, _)| !user.is_empty() && !user.contains(['[', ':']));
    match pair {
        Some((user, database)) => {
            let database = database.trim_end_matches([':', ']']);
            let known =
                |name: &str| (!name.is_empty() && name != "[unknown").then(|| name.to_owned());
            (known(user), known(database))
        }
        None => (None, None),
    }
}

fn code_of(prefix: &str) -> Option<String> {
    let words = prefix.split([' ', ',', '|', '[', ']', ':', '=']);
    let is_code = |w: &&str| {
        w.len() == 5
            && w.bytes()
                .all(|b| b.is_ascii_digit() || b.is_ascii_uppercase())
            && w.bytes().any(|b| b.is_ascii_digit())
            && ["0", "2", "3", "4", "5", "F", "H", "P", "X"]
                .iter()
                .any(|lead| w.starts_with(lead))
            && !w.bytes().all(|b| b.is_ascii_digit())
            || [
                "28000", "53300", "55000", "42501", "42704", "08006", "57014",
            ]
            .contains(w)
    };
    words.rev().find(is_code).map(str::to_owned)
}

/// What a process says of its client while it lets it in.
fn learn(words: &str, session: &mut Session) {
    let value = |key: &str| {
        let (_, rest) = words.split_once(key)?;
        let end = rest.find([' ', ',']).unwrap_or(rest.len());
        rest.get(..end).filter(|v| !v.is_empty())
    };
    if words.starts_with("connection received:") {
        session.client = value("host=").and_then(|host| host.parse().ok());
        session.port = value("port=").and_then(|port| port.parse().ok());
    }
    if words.starts_with("connection authorized:") {
        session.user = value("user=").map(str::to_owned);
        session.database = value("database=").map(str::to_owned);
    }
}

/// Whether a line is a record of the CSV log: its first column a time, its twelfth a severity.
pub(super) fn is_csv(line: &str) -> bool {
    line.matches(',').count() >= 12
        && moment::read(line, 1970).is_some()
        && [",FATAL,", ",LOG,", ",ERROR,", ",WARNING,"]
            .iter()
            .any(|s| line.contains(s))
}

pub(super) fn csv(text: &str, year: i16) -> Vec<Entry> {
    let mut reader = ::csv::ReaderBuilder::new()
        .has_headers(false)
        .flexible(true)
        .from_reader(text.as_bytes());
    let mut out = Vec::new();
    for record in reader.records().flatten() {
        let column = |at: usize| record.get(at).filter(|v| !v.is_empty());
        let severity = column(11).unwrap_or_default();
        let words = column(13).unwrap_or_default();
        let told = severity == "LOG" && words.contains("could not accept SSL");
        if !matches!(severity, "FATAL" | "ERROR" | "PANIC") && !told {
            continue;
        }
        let line = record.position().map_or(0, ::csv::Position::line);
        let from = column(4).unwrap_or_default();
        let (address, port) = match from.rsplit_once(':') {
            Some((address, port)) => (address.trim_matches(['[', ']']), port.parse().ok()),
            None => (from, None),
        };
        let mut text = format!("{severity}:  {words}");
        if let Some(detail) = column(14) {
            text.push_str("\nDETAIL:  ");
            text.push_str(detail);
        }
        out.push(concluded(Entry {
            line: usize::try_from(line).unwrap_or(0),
            at: column(0).and_then(|at| moment::read(at, year)),
            client: address.parse().ok(),
            client_port: port,
            user: column(1).map(str::to_owned),
            database: column(2).map(str::to_owned),
            code: column(12).map(str::to_owned),
            text,
            signals: Vec::new(),
        }));
    }
    out
}
