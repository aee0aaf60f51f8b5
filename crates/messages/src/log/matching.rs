//! Which entries of a log are of a run: by the client's address and port, else by account and
//! time; a log of another server, or of another time, is not believed.

use std::collections::BTreeSet;
use std::net::{IpAddr, SocketAddr};

use chronaxis_model::fact::{LogEntryRead, LogStands, OthersRefused, ServerLogRead};
use chronaxis_model::redact::Redactor;

use super::{Entry, Log, meaning};

/// Clocks that differ by more are told by a port only.
const CLOCKS_DIFFER: i64 = 120 * SECOND;

/// Round the attempt others are counted.
const ROUND: i64 = 30 * SECOND;

const SECOND: i64 = 1_000_000;

/// A quarter of an hour.
const QUARTER: i64 = 900 * SECOND;

/// What is known of a run, from the client's side.
#[derive(Clone, Debug, Default)]
pub struct Run {
    /// When it began and ended, in microseconds since 1970.
    pub from: i64,
    /// See above.
    pub to: i64,
    /// By how much this machine's own zone is ahead of UTC: for times without a zone.
    pub zone: i64,
    /// This side of each connection, and when it was made.
    pub lines: Vec<(SocketAddr, i64)>,
    /// The account.
    pub user: Option<String>,
    /// The database.
    pub database: Option<String>,
    /// Whether any server would have written something: it got a connection and refused it.
    pub met: bool,
}

/// What a log says of a run.
pub fn of_run(file: &str, log: &Log, run: &Run, hidden: &Redactor) -> ServerLogRead {
    let mut read = ServerLogRead {
        file: file.to_owned(),
        kind: log.form.title().to_owned(),
        stands: LogStands::NothingOfIt,
        why: Redactor::default().text(""),
        entries: Vec::new(),
        clock_ahead_us: None,
        others: None,
        left_out: None,
    };
    let shift = zone_of(log, run);
    let at = |entry: &Entry| entry.at.as_ref().map(|at| at.micros - shift);
    let own: Vec<(&Entry, Option<i64>)> = by_port(log, run)
        .into_iter()
        .map(|(entry, made)| (entry, at(entry).map(|at| at - made)))
        .collect();
    let ahead = own.iter().find_map(|(_, ahead)| *ahead);
    let mut own: Vec<&Entry> = own.into_iter().map(|(entry, _)| entry).collect();
    own.extend(by_account(log, run, &at));
    if own.is_empty() {
        (read.stands, read.why) = without(log, run, shift);
        return read;
    }
    read.stands = LogStands::Matched;
    read.clock_ahead_us = ahead.map(|ahead| if ahead.abs() < SECOND { 0 } else { ahead });
    let masked = |text: &str| hidden.text(log.redactor.text(text).as_str());
    let mut of_others = BTreeSet::new();
    let mut count = 0;
    for entry in &own {
        let told = meaning(log, entry);
        read.entries.push(LogEntryRead {
            line: i64::try_from(entry.line).unwrap_or(i64::MAX),
            at: masked(entry.at.as_ref().map_or("", |at| &at.written)),
            text: masked(&super::in_short(&entry.text)),
            means: masked(&super::in_short(&entry.text)).to_string(),
            signals: told
                .as_ref()
                .map(|(m, _)| m.signals.clone())
                .unwrap_or_default(),
        });
    }
    let kind = own
        .first()
        .and_then(|entry| meaning(log, entry))
        .map(|(m, _)| (m.symptom, m.meaning));
    let clients: BTreeSet<IpAddr> = own.iter().filter_map(|entry| entry.client).collect();
    let when = own.first().and_then(|entry| at(entry));
    for entry in &log.entries {
        let near = at(entry)
            .zip(when)
            .is_some_and(|(a, b)| (a - b).abs() <= ROUND);
        let Some(client) = entry
            .client
            .filter(|client| near && !clients.contains(client))
        else {
            continue;
        };
        let same = meaning(log, entry).map(|(m, _)| (m.symptom, m.meaning)) == kind;
        if same {
            of_others.insert(client);
            count += 1;
        }
    }
    if !of_others.is_empty() {
        read.others = Some(OthersRefused {
            addresses: u32::try_from(of_others.len()).unwrap_or(u32::MAX),
            entries: count,
            within_s: u32::try_from(2 * ROUND / SECOND).unwrap_or_default(),
        });
    }
    read
}

/// By how much the log's times are ahead of UTC where they do not say so.
fn zone_of(log: &Log, run: &Run) -> i64 {
    let Some((_, last)) = log.covers.filter(|_| !log.zoned) else {
        return 0;
    };
    // Whichever of the two brings the end of the log nearer to this run.
    match (last - run.to).abs() <= (last - run.zone - run.to).abs() {
        true => 0,
        false => run.zone,
    }
}

/// Entries with a port of this run: nobody else had it at that time.
fn by_port<'a>(log: &'a Log, run: &Run) -> Vec<(&'a Entry, i64)> {
    log.entries
        .iter()
        .filter_map(|entry| {
            let port = entry.client_port?;
            let line = run.lines.iter().find(|(from, _)| {
                let same = entry.client.is_none_or(|client| {
                    client.to_canonical() == from.ip().to_canonical() || !client.is_loopback()
                });
                from.port() == port && same
            });
            line.map(|(_, made)| (entry, *made))
        })
        // Ports come round again: an hour later it is another connection. Zones differ by
        // quarters of an hour, where the log does not say which it is in.
        .filter(|(entry, made)| {
            let Some(at) = entry.at.as_ref().map(|at| at.micros) else {
                return true;
            };
            let apart = (at - made).abs();
            let apart = match log.zoned {
                true => apart,
                false => (apart % QUARTER).min(QUARTER - apart % QUARTER),
            };
            apart <= CLOCKS_DIFFER
        })
        .collect()
}

/// Entries of the same account at the same time, where the log names no ports: in all of it,
/// or on the far side of a pooler.
fn by_account<'a>(log: &'a Log, run: &Run, at: &dyn Fn(&Entry) -> Option<i64>) -> Vec<&'a Entry> {
    let has_ports = log.entries.iter().any(|entry| entry.client_port.is_some());
    if has_ports && log.form != super::Form::Pgbouncer {
        return Vec::new();
    }
    let same = |a: &Option<String>, b: &Option<String>| match (a, b) {
        (Some(a), Some(b)) => a == b,
        _ => true,
    };
    log.entries
        .iter()
        .filter(|entry| entry.client_port.is_none())
        .filter(|entry| {
            let near = at(entry)
                .is_some_and(|at| at >= run.from - 3 * SECOND && at <= run.to + 3 * SECOND);
            let told = entry.user.is_some() && run.user.is_some();
            near && told && same(&entry.user, &run.user) && same(&entry.database, &run.database)
        })
        .collect()
}

/// Why nothing of a log is of this run.
fn without(log: &Log, run: &Run, shift: i64) -> (LogStands, chronaxis_model::redact::Redacted) {
    let say = |text: String| Redactor::default().text(&text);
    let Some((first, last)) = log.covers else {
        return (
            LogStands::OtherTime,
            say("no times were found in it".to_owned()),
        );
    };
    let (first, last) = (first - shift, last - shift);
    if last < run.from - CLOCKS_DIFFER || first > run.to + CLOCKS_DIFFER {
        let text = format!(
            "it covers {} to {} (UTC), and this run was at {}",
            crate::moment::shown(first),
            crate::moment::shown(last),
            crate::moment::shown(run.from)
        );
        return (LogStands::OtherTime, say(text));
    }
    match run.met {
        true => (
            LogStands::OtherServer,
            say("it covers this time, and this connection is not in it: it is the log of another server, or that server does not log refused connections".to_owned()),
        ),
        false => (
            LogStands::NothingOfIt,
            say("it covers this time, and this connection is not in it: the server did not see it".to_owned()),
        ),
    }
}
