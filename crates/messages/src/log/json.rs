//! Logs that are a JSON object a line: MongoDB's, MySQL's, PostgreSQL's.

use serde_json::Value;

use super::{Entry, mysql as mysql_text, postgresql as postgresql_text, signal};
use crate::moment::{self, Moment};
use crate::shape::place;

fn object(line: &str) -> Option<Value> {
    let line = line.trim();
    line.starts_with('{')
        .then(|| serde_json::from_str(line).ok())?
}

fn text<'a>(value: &'a Value, key: &str) -> Option<&'a str> {
    value.get(key)?.as_str()
}

/// The moment of an entry, by the keys that these logs have.
pub(super) fn moment(line: &str, year: i16) -> Option<Moment> {
    moment_of(&object(line)?, year)
}

fn moment_of(value: &Value, year: i16) -> Option<Moment> {
    let mongodb = value.get("t").and_then(|t| text(t, "$date"));
    let at = mongodb
        .or_else(|| text(value, "timestamp"))
        .or_else(|| text(value, "time"))?;
    moment::read(at, year)
}

fn lines<'a>(all: &'a str) -> impl Iterator<Item = (usize, Value)> + 'a {
    let numbered = all.lines().enumerate();
    numbered.filter_map(|(number, line)| Some((number + 1, object(line)?)))
}

pub(super) fn is_mongodb(line: &str) -> bool {
    object(line).is_some_and(|v| {
        v.get("t").is_some_and(|t| t.get("$date").is_some()) && v.get("msg").is_some()
    })
}

pub(super) fn mongodb(all: &str, year: i16) -> Vec<Entry> {
    let mut out = Vec::new();
    for (line, value) in lines(all) {
        let attributes = value.get("attr").cloned().unwrap_or_default();
        let said = text(&value, "msg").unwrap_or_default();
        let error = text(&attributes, "error").map(str::to_owned).or_else(|| {
            let error = attributes.get("error")?;
            Some(format!(
                "{}: {}",
                text(error, "codeName")?,
                text(error, "errmsg")?
            ))
        });
        let error = error.unwrap_or_default();
        let told = said.contains("Authentication failed")
            || said.contains("SSL")
            || said.contains("connection refused because")
            || said.contains("not authorized");
        if !told {
            continue;
        }
        let stands = match &error {
            e if e.contains("UserNotFound") || e.contains("Could not find user") => {
                Some("no-such-user")
            }
            e if e.contains("storedKey mismatch") || e.contains("AuthenticationFailed") => {
                Some("in-order")
            }
            _ => None,
        };
        let remote = text(&attributes, "remote").and_then(place);
        let account = |keys: &[&str]| {
            keys.iter()
                .find_map(|key| text(&attributes, key))
                .map(str::to_owned)
        };
        out.push(Entry {
            line,
            at: moment_of(&value, year),
            client: remote.as_ref().and_then(|(host, _)| host.parse().ok()),
            client_port: remote.map(|(_, port)| port),
            user: account(&["principalName", "user"]),
            database: account(&["authenticationDatabase", "db"]),
            code: None,
            text: format!("{said}. {error}"),
            signals: stands.map_or_else(Vec::new, |stands| {
                vec![
                    signal("account-looked-up", "yes"),
                    signal("account-stands", stands),
                ]
            }),
        });
    }
    out
}

pub(super) fn is_mysql(line: &str) -> bool {
    object(line).is_some_and(|v| v.get("msg").is_some() && v.get("prio").is_some())
}

pub(super) fn mysql(all: &str, year: i16) -> Vec<Entry> {
    lines(all)
        .filter_map(|(line, value)| {
            mysql_text::entry(text(&value, "msg")?, line, moment_of(&value, year))
        })
        .collect()
}

pub(super) fn is_postgresql(line: &str) -> bool {
    object(line).is_some_and(|v| v.get("error_severity").is_some() && v.get("message").is_some())
}

pub(super) fn postgresql(all: &str, year: i16) -> Vec<Entry> {
    let mut out = Vec::new();
    for (line, value) in lines(all) {
        let severity = text(&value, "error_severity").unwrap_or_default();
        let words = text(&value, "message").unwrap_or_default();
        let told = severity == "LOG" && words.contains("could not accept SSL");
        if !matches!(severity, "FATAL" | "ERROR" | "PANIC") && !told {
            continue;
        }
        let mut said = format!("{severity}:  {words}");
        if let Some(detail) = text(&value, "detail") {
            said.push_str("\nDETAIL:  ");
            said.push_str(detail);
        }
        let port = value.get("remote_port").and_then(Value::as_u64);
        out.push(postgresql_text::concluded(Entry {
            line,
            at: moment_of(&value, year),
            client: text(&value, "remote_host").and_then(|host| host.parse().ok()),
            client_port: port.and_then(|port| u16::try_from(port).ok()),
            user: text(&value, "user").map(str::to_owned),
            database: text(&value, "dbname").map(str::to_owned),
            code: text(&value, "state_code").map(str::to_owned),
            text: said,
            signals: Vec::new(),
        }));
    }
    out
}
