//! Logs of servers, poolers and SSH servers: which kind a text is, and its entries that tell
//! of connections.

mod between;
mod json;
pub mod matching;
mod mysql;
mod postgresql;

use std::collections::BTreeSet;
use std::net::IpAddr;

use chronaxis_model::fact::{MessageRead, Signal};
use chronaxis_model::redact::Redactor;

use crate::failures::{self, Failure};
use crate::moment::Moment;
use crate::parts::Parts;
use crate::secrets;

/// Most entries that are read of one log; of a longer one the last.
const MOST: usize = 20_000;

/// So many lines at the beginning tell which kind it is.
const HEAD: usize = 200;

/// Which kind of log a text is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Form {
    /// PostgreSQL's, as it goes to standard error.
    Postgresql,
    /// PostgreSQL's, as CSV.
    PostgresqlCsv,
    /// PostgreSQL's, as JSON.
    PostgresqlJson,
    /// The error log of MySQL or MariaDB.
    Mysql,
    /// MySQL's, as JSON.
    MysqlJson,
    /// PgBouncer's.
    Pgbouncer,
    /// HAProxy's, in its TCP format.
    Haproxy,
    /// OpenSSH's server's.
    Sshd,
    /// MongoDB's, which is JSON.
    Mongodb,
}

impl Form {
    /// Whose log in which form, for people.
    pub fn title(self) -> &'static str {
        match self {
            Form::Postgresql => "PostgreSQL server",
            Form::PostgresqlCsv => "PostgreSQL server (CSV)",
            Form::PostgresqlJson => "PostgreSQL server (JSON)",
            Form::Mysql => "MySQL or MariaDB server",
            Form::MysqlJson => "MySQL server (JSON)",
            Form::Pgbouncer => "pooler (PgBouncer)",
            Form::Haproxy => "balancer (HAProxy)",
            Form::Sshd => "SSH server",
            Form::Mongodb => "MongoDB server",
        }
    }

    /// The engine whose servers write it; none for what stands before any server.
    pub fn engine(self) -> Option<&'static str> {
        match self {
            Form::Postgresql | Form::PostgresqlCsv | Form::PostgresqlJson | Form::Pgbouncer => {
                Some("postgresql")
            }
            Form::Mysql | Form::MysqlJson => Some("mysql"),
            Form::Mongodb => Some("mongodb"),
            Form::Haproxy | Form::Sshd => None,
        }
    }
}

/// One entry that tells of a connection.
#[derive(Clone, Debug, Default)]
pub struct Entry {
    /// Its line, from 1.
    pub line: usize,
    /// When.
    pub at: Option<Moment>,
    /// The client's address.
    pub client: Option<IpAddr>,
    /// The client's port.
    pub client_port: Option<u16>,
    /// The account.
    pub user: Option<String>,
    /// The database.
    pub database: Option<String>,
    /// The code.
    pub code: Option<String>,
    /// What it says, with what belongs to it.
    pub text: String,
    /// What it answers that its words alone do not.
    pub signals: Vec<Signal>,
}

/// A log, read.
#[derive(Clone, Debug)]
pub struct Log {
    /// Which kind.
    pub form: Form,
    /// The entries, in their order.
    pub entries: Vec<Entry>,
    /// The first and the last moment in it, in microseconds since 1970.
    pub covers: Option<(i64, i64)>,
    /// Whether its times name their zone.
    pub zoned: bool,
    /// The secrets that stand in it.
    pub redactor: Redactor,
}

/// Which kind of log a text is; none where it is none that is known.
pub fn recognise(text: &str) -> Option<Form> {
    let lines = || {
        text.lines()
            .filter(|line| !line.trim().is_empty())
            .take(HEAD)
    };
    let count = |fits: &dyn Fn(&str) -> bool| lines().filter(|line| fits(line)).count();
    let all = lines().count();
    if all == 0 {
        return None;
    }
    let kinds: [(Form, usize); 9] = [
        (Form::Mongodb, count(&json::is_mongodb)),
        (Form::MysqlJson, count(&json::is_mysql)),
        (Form::PostgresqlJson, count(&json::is_postgresql)),
        (Form::PostgresqlCsv, count(&postgresql::is_csv)),
        (Form::Pgbouncer, count(&between::is_pgbouncer)),
        (Form::Haproxy, count(&between::is_haproxy)),
        (Form::Sshd, count(&between::is_sshd)),
        (Form::Mysql, count(&mysql::is_entry)),
        (Form::Postgresql, count(&postgresql::is_entry)),
    ];
    let (form, hits) = kinds
        .into_iter()
        .max_by_key(|(form, hits)| (*hits, std::cmp::Reverse(*form)))?;
    // Continued lines and other programs may stand between.
    (hits * 4 >= all).then_some(form)
}

/// Reads a log of this kind.
pub fn read(form: Form, text: &str, year: i16) -> Log {
    let mut entries = match form {
        Form::Postgresql => postgresql::stderr(text, year),
        Form::PostgresqlCsv => postgresql::csv(text, year),
        Form::PostgresqlJson => json::postgresql(text, year),
        Form::Mysql => mysql::entries(text, year),
        Form::MysqlJson => json::mysql(text, year),
        Form::Pgbouncer => between::pgbouncer(text, year),
        Form::Haproxy => between::haproxy(text, year),
        Form::Sshd => between::sshd(text, year),
        Form::Mongodb => json::mongodb(text, year),
    };
    let over = entries.len().saturating_sub(MOST);
    entries.drain(..over);
    let moment = |line: &str| {
        let json = line.trim_start().starts_with('{');
        match json {
            true => json::moment(line, year),
            false => crate::moment::in_line(line, year).or_else(|| between::moment(line, year)),
        }
    };
    let first = text.lines().take(HEAD).find_map(moment);
    let last = text.lines().rev().take(HEAD).find_map(moment);
    let zoned = first.as_ref().is_some_and(|moment| moment.zoned);
    let said: String = entries
        .iter()
        .map(|e| e.text.as_str())
        .collect::<Vec<_>>()
        .join("\n");
    Log {
        form,
        entries,
        covers: first.zip(last).map(|(a, b)| (a.micros, b.micros)),
        zoned,
        redactor: Redactor::new(&secrets::in_text(&said)),
    }
}

/// What an entry means: the message as the diagnosis takes it; none where it tells of nothing
/// that failed.
pub fn meaning(log: &Log, entry: &Entry) -> Option<(MessageRead, Parts)> {
    let told = failures::read(&entry.text, 1970);
    let failure = told.failures.into_iter().next()?;
    let mut message = failure.messages.into_iter().next()?;
    if message.symptom.is_none() && message.meaning.is_none() {
        return None;
    }
    for signal in &entry.signals {
        message
            .signals
            .retain(|known| known.question != signal.question);
        message.signals.push(signal.clone());
    }
    // What its words alone leave open, the rest of the entry tells.
    if !message.signals.is_empty() {
        message.besides = None;
    }
    message.title = log.form.title().to_owned();
    message.line = u32::try_from(entry.line).unwrap_or(u32::MAX);
    message.said_at = entry.at.as_ref().map(|at| log.redactor.text(&at.written));
    message.text = log.redactor.text(&in_short(&entry.text));
    let mut parts = Parts {
        user: entry.user.clone(),
        database: entry.database.clone(),
        client: entry.client.map(|ip| ip.to_string()),
        ..Parts::default()
    };
    parts.add(&failure.parts);
    // Where the client came from is not where it went.
    parts.host = None;
    parts.address = None;
    parts.port = None;
    Some((message, parts))
}

/// An entry on one line.
fn in_short(text: &str) -> String {
    text.split_whitespace().collect::<Vec<_>>().join(" ")
}

/// The failures of which a log tells: each once, with how often and from how many clients.
pub fn failures_of(log: &Log) -> Vec<Failure> {
    let mut out: Vec<(Failure, BTreeSet<IpAddr>)> = Vec::new();
    for entry in &log.entries {
        let Some((message, parts)) = meaning(log, entry) else {
            continue;
        };
        let same = |(known, _): &&mut (Failure, BTreeSet<IpAddr>)| {
            let first = known.messages.first();
            let alike = first.is_some_and(|m| {
                m.symptom == message.symptom
                    && m.meaning == message.meaning
                    && m.signals == message.signals
            });
            alike && known.parts.user == parts.user && known.parts.database == parts.database
        };
        match out.iter_mut().find(same) {
            Some((known, clients)) => {
                clients.extend(entry.client);
                if let Some(first) = known.messages.first_mut() {
                    first.times += 1;
                    first.clients = u32::try_from(clients.len()).ok().filter(|n| *n > 0);
                }
            }
            None => {
                let clients: BTreeSet<IpAddr> = entry.client.into_iter().collect();
                let mut message = message;
                message.clients = u32::try_from(clients.len()).ok().filter(|n| *n > 0);
                let failure = Failure {
                    messages: vec![message],
                    parts,
                    at: entry.at.clone(),
                };
                out.push((failure, clients));
            }
        }
    }
    out.into_iter()
        .map(|(failure, _)| failure)
        .take(failures::MOST)
        .collect()
}

/// A signal by its words.
fn signal(question: &str, answer: &str) -> Signal {
    Signal {
        question: question.to_owned(),
        answer: answer.to_owned(),
    }
}
