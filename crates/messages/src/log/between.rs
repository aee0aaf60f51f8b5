//! Logs of what stands before a server: PgBouncer, HAProxy, OpenSSH's server.

use super::{Entry, signal};
use crate::moment;
use crate::shape::place;

/// `2026-11-30 10:00:00.123 UTC [77] LOG C-0x55d1: sailings/purser@198.51.100.77:51122 …`.
pub(super) fn is_pgbouncer(line: &str) -> bool {
    let marks = [" C-0x", " S-0x"];
    let own = [
        "LOG stats:",
        "LOG kernel file descriptor",
        "process up: PgBouncer",
        "LOG listening on",
    ];
    marks.iter().any(|m| line.contains(m)) || own.iter().any(|m| line.contains(m))
}

pub(super) fn pgbouncer(text: &str, year: i16) -> Vec<Entry> {
    let mut out = Vec::new();
    for (number, line) in text.lines().enumerate() {
        let Some((side, rest)) = [" C-0x", " S-0x"].iter().find_map(|mark| {
            let (_, rest) = line.split_once(mark)?;
            Some((*mark, rest))
        }) else {
            continue;
        };
        let Some((_, rest)) = rest.split_once(": ") else {
            continue;
        };
        let (who, words) = rest.split_once(' ').unwrap_or((rest, ""));
        let (account, from) = who.rsplit_once('@').unwrap_or((who, ""));
        let (database, user) = account.split_once('/').unwrap_or((account, ""));
        let of_server = side == " S-0x";
        let Some(answer) = pooler_word(words, of_server) else {
            continue;
        };
        let end = place(from);
        let known = |name: &str| {
            (!name.is_empty() && name != "(nouser)" && name != "(nodb)").then(|| name.to_owned())
        };
        out.push(Entry {
            line: number + 1,
            at: moment::in_line(line, year),
            client: end
                .as_ref()
                .filter(|_| !of_server)
                .and_then(|(host, _)| host.parse().ok()),
            client_port: end.filter(|_| !of_server).map(|(_, port)| port),
            user: known(user),
            database: known(database),
            code: None,
            text: said(words, answer),
            signals: of_pooler(answer),
        });
    }
    out
}

fn of_pooler(answer: &str) -> Vec<chronaxis_model::fact::Signal> {
    let names = match answer {
        "role" => Some("user-unknown"),
        "password" => Some("password-wrong"),
        _ => None,
    };
    let mut out = vec![signal("server-log", answer), signal("refused-by", "pooler")];
    out.extend(names.map(|names| signal("log-names", names)));
    out
}

/// Which of the pooler's troubles it is.
fn pooler_word(words: &str, of_server: bool) -> Option<&'static str> {
    let has = |all: &[&str]| all.iter().any(|w| words.contains(w));
    if of_server {
        return has(&[
            "connect failed",
            "connect timeout",
            "server down",
            "login failed",
            "server conn crashed",
            "closing because: server login",
        ])
        .then_some("backend");
    }
    Some(match words {
        _ if has(&["no such user"]) => "role",
        _ if has(&["no such database"]) => "database",
        _ if has(&["unsupported startup parameter"]) => "parameter",
        _ if has(&["authentication failed", "password authentication"]) => "password",
        _ if has(&["no more connections allowed", "query_wait_timeout"]) => "limit",
        _ if has(&[
            "client_login_timeout",
            "cannot connect to server",
            "server login has been failing",
        ]) =>
        {
            "backend"
        }
        _ => return None,
    })
}

/// The pooler's words; what only its log says gets words that the table knows.
fn said(words: &str, answer: &str) -> String {
    match answer {
        "backend" if !words.contains("cannot connect") => {
            format!("pgbouncer cannot connect to server: {words}")
        }
        _ => words.to_owned(),
    }
}

/// `haproxy[77]: 198.51.100.77:51122 [30/Nov/2026:10:00:00.123] quay quay/s1 1/0/5 0 SC 1/1/0/0/3 0/0`.
pub(super) fn is_haproxy(line: &str) -> bool {
    line.contains("haproxy[") || tcp_log(line).is_some()
}

/// The fields of an entry in the TCP format behind the name of the program.
fn tcp_log(line: &str) -> Option<(&str, &str, &str, &str)> {
    let (before, rest) = line.split_once(" [")?;
    let (accepted, rest) = rest.split_once("] ")?;
    let from = before.rsplit(' ').next()?;
    place(from)?;
    let mut fields = rest.split(' ');
    let (_frontend, backend) = (fields.next()?, fields.next()?);
    let _timers = fields.next().filter(|t| t.contains('/'))?;
    let _bytes = fields.next()?;
    let state = fields.next().filter(|s| s.len() == 2)?;
    Some((from, accepted, backend, state))
}

/// The moment at which a connection was accepted, as the balancer writes it.
pub(super) fn moment(line: &str, year: i16) -> Option<moment::Moment> {
    moment::read(tcp_log(line)?.1, year)
}

pub(super) fn haproxy(text: &str, year: i16) -> Vec<Entry> {
    let mut out = Vec::new();
    for (number, line) in text.lines().enumerate() {
        let Some((from, accepted, backend, state)) = tcp_log(line) else {
            continue;
        };
        // The first letter says who ended it, the second in which phase (HAProxy's manual,
        // "Session state at disconnection").
        let (answer, words) = match state {
            "SC" => (
                "backend",
                "the server refuses the connection or has none to give",
            ),
            "sC" => (
                "backend",
                "the server does not answer the connection in time",
            ),
            "sQ" => ("limit", "the queue for a server was full for too long"),
            "PC" => ("limit", "the balancer has no place left"),
            "cD" | "sD" => ("nothing", "the session was idle for too long"),
            _ if backend.contains("<NOSRV>") => ("backend", "no server is up"),
            _ => continue,
        };
        let end = place(from);
        let idle = matches!(state, "cD" | "sD");
        let text = match idle {
            true => format!("client_idle_timeout: {words} (state {state}, {backend})"),
            false => format!("backend {backend} has no server available! {words} (state {state})"),
        };
        out.push(Entry {
            line: number + 1,
            at: moment::read(accepted, year),
            client: end.as_ref().and_then(|(host, _)| host.parse().ok()),
            client_port: end.map(|(_, port)| port),
            user: None,
            database: None,
            code: None,
            text,
            signals: vec![signal("server-log", answer)],
        });
    }
    out
}

pub(super) fn is_sshd(line: &str) -> bool {
    line.contains("sshd[") || line.contains("sshd-session[")
}

pub(super) fn sshd(text: &str, year: i16) -> Vec<Entry> {
    let told = [
        "refused local port forward",
        "connect_to ",
        "Failed password",
        "Failed publickey",
        "Invalid user",
        "Permission denied",
        "administratively prohibited",
    ];
    let mut out = Vec::new();
    for (number, line) in text.lines().enumerate() {
        if !is_sshd(line) || !told.iter().any(|t| line.contains(t)) {
            continue;
        }
        let words = line.split_once("]: ").map_or(line, |(_, words)| words);
        let behind = |key: &str| {
            let (_, rest) = words.split_once(key)?;
            rest.split([' ', ',']).next()
        };
        out.push(Entry {
            line: number + 1,
            at: moment::in_line(line, year),
            client: behind(" from ").and_then(|a| a.parse().ok()),
            client_port: behind(" port ").and_then(|p| p.parse().ok()),
            user: behind("password for ")
                .or_else(|| behind("Invalid user "))
                .map(str::to_owned),
            database: None,
            code: None,
            text: words.to_owned(),
            signals: Vec::new(),
        });
    }
    out
}
