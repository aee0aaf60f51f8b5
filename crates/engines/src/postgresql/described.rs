//! The target without its secret, in a form that this program reads.

use chronaxis_model::target::{ClientId, End, ShownTarget};

use super::string::{KEYWORDS, jdbc_word, parameters};
use crate::written::escaped;

/// Options that decide most, in the order in which people write them; others follow.
const FIRST: &[&str] = &[
    "sslmode",
    "target_session_attrs",
    "connect_timeout",
    "options",
    "channel_binding",
    "sslnegotiation",
    "sslrootcert",
    "sslcert",
    "sslkey",
];

/// Told by where the target leads, or by the values that it gave.
const TOLD: &[&str] = &["host", "hostaddr", "port", "dbname", "user", "service"];

/// The options of a target, each with its value.
fn options(target: &ShownTarget) -> impl Iterator<Item = (&str, &str)> {
    let first = FIRST
        .iter()
        .filter_map(|key| Some((*key, target.options.get(*key)?.as_str())));
    let others = target
        .options
        .iter()
        .map(|(key, value)| (key.as_str(), value.as_str()))
        .filter(|(key, _)| !FIRST.contains(key) && !TOLD.contains(key));
    first.chain(others)
}

/// The target, in the form that makes the same client's rules count.
pub(super) fn described(target: &ShownTarget) -> String {
    match target.client {
        ClientId::Pgjdbc => url(target, "jdbc:postgresql"),
        ClientId::Asyncpg => url(target, "postgresql+asyncpg"),
        ClientId::Pg8000 => url(target, "postgresql+pg8000"),
        ClientId::NodePostgres => url(target, "postgresql+node-postgres"),
        ClientId::PostgresJs => url(target, "postgresql+postgresjs"),
        ClientId::Pgx => url(target, "postgresql+pgx"),
        ClientId::GoPq => url(target, "postgresql+go-pq"),
        ClientId::Npgsql => url(target, "postgresql+npgsql"),
        _ => pairs(target),
    }
}

fn url(target: &ShownTarget, scheme: &str) -> String {
    let jdbc = target.client == ClientId::Pgjdbc;
    let places: Vec<String> = target.ends.iter().map(End::to_string).collect();
    let database = target.database.as_deref().map_or_else(String::new, escaped);
    let user = target.user.as_deref().map_or_else(String::new, escaped);
    let (before, mut after) = match (jdbc, user.is_empty()) {
        (_, true) => (String::new(), Vec::new()),
        (true, false) => (String::new(), vec![format!("user={user}")]),
        (false, false) => (format!("{user}@"), Vec::new()),
    };
    for (key, value) in options(target) {
        let (name, value) = match (target.client, key) {
            (ClientId::Pgjdbc, key) => match jdbc_word(key, value) {
                Some(told) => told,
                None => continue,
            },
            (ClientId::Asyncpg | ClientId::Pg8000, "sslmode") => ("ssl", value),
            (client, key) if parameters(client).contains(&key) => (key, value),
            _ => continue,
        };
        after.push(format!("{name}={}", escaped(value)));
    }
    let query = if after.is_empty() {
        String::new()
    } else {
        format!("?{}", after.join("&"))
    };
    format!("{scheme}://{before}{}/{database}{query}", places.join(","))
}

fn pairs(target: &ShownTarget) -> String {
    let (mut hosts, mut ports, mut addresses) = (Vec::new(), Vec::new(), Vec::new());
    for end in &target.ends {
        match end {
            End::Host {
                host,
                port,
                address,
            } => {
                hosts.push(host.clone());
                ports.push(port.to_string());
                addresses.push(address.map_or_else(String::new, |a| a.to_string()));
            }
            End::Socket { socket } => {
                let (folder, file) = socket.rsplit_once('/').unwrap_or(("", socket));
                hosts.push(folder.to_owned());
                ports.push(file.rsplit('.').next().unwrap_or_default().to_owned());
                addresses.push(String::new());
            }
        }
    }
    ports.dedup();
    if ports.len() > 1 {
        ports = target.ends.iter().map(port_of).collect();
    }
    let mut pairs = vec![("host", hosts.join(",")), ("port", ports.join(","))];
    if addresses.iter().any(|a| !a.is_empty()) {
        pairs.push(("hostaddr", addresses.join(",")));
    }
    for (key, value) in [("dbname", &target.database), ("user", &target.user)] {
        if let Some(value) = value {
            pairs.push((key, value.clone()));
        }
    }
    for (key, value) in options(target) {
        if KEYWORDS.contains(&key) {
            pairs.push((key, value.to_owned()));
        }
    }
    let words: Vec<String> = pairs
        .into_iter()
        .map(|(key, value)| format!("{key}={}", quoted(&value)))
        .collect();
    words.join(" ")
}

fn port_of(end: &End) -> String {
    match end {
        End::Host { port, .. } => port.to_string(),
        End::Socket { socket } => socket.rsplit('.').next().unwrap_or_default().to_owned(),
    }
}

/// A value as the keyword/value form wants it.
fn quoted(value: &str) -> String {
    let plain = |c: char| c.is_ascii_alphanumeric() || "._:/,-".contains(c);
    if !value.is_empty() && value.chars().all(plain) {
        return value.to_owned();
    }
    let mut out = String::from("'");
    for c in value.chars() {
        if matches!(c, '\'' | '\\') {
            out.push('\\');
        }
        out.push(c);
    }
    out.push('\'');
    out
}
