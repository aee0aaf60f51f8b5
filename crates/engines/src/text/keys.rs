//! The schemes that any form knows: words that cannot be somebody's secret.

use chronaxis_model::shown::{bare, is_host, is_place, may_show};

use crate::registry::engines;

/// Words before `://` that are known, though no engine has them: open protocols, common
/// files, the words of adapters.
const FOREIGN: &[&str] = &[
    "http",
    "https",
    "ftp",
    "sftp",
    "ssh",
    "file",
    "redis",
    "rediss",
    "amqp",
    "amqps",
    "ldap",
    "ldaps",
    "smtp",
    "smtps",
    "imap",
    "mqtt",
    "nats",
    "kafka",
    "ws",
    "wss",
    "sqlite",
    "sqlite3",
    "cassandra",
    "couchdb",
    "elasticsearch",
    "etcd",
    "valkey",
    "zookeeper",
    "git",
    "udp",
    "unix",
    "grpc",
    "memcached",
    "odbc",
];

/// Whether every part of a scheme is known: engine, driver, `jdbc`.
pub(crate) fn is_scheme(scheme: &str) -> bool {
    scheme.split([':', '+']).all(is_scheme_word)
        || engines().iter().any(|e| e.spec.schemes.contains(&scheme))
}

/// Whether a word before `://` is known, and no engine's.
pub(in super::super) fn is_foreign(word: &str) -> bool {
    FOREIGN.contains(&word)
}

fn is_scheme_word(word: &str) -> bool {
    word == "jdbc"
        || FOREIGN.contains(&word)
        || engines().iter().any(|e| {
            e.spec.schemes.contains(&word)
                || e.spec.adapters.contains(&word)
                || e.spec.jdbc_names.contains(&word)
                || e.spec.drivers.contains(&word)
        })
}

/// Whether a value of a file whose subject is not at hand may be shown.
pub fn is_harmless(value: &str) -> bool {
    let all = ["host", "port", "user", "database", "path"];
    all.into_iter().any(|subject| may_show(subject, value)) || is_place_as_url(value)
}

/// `scheme://host:port/`, and nothing more.
fn is_place_as_url(text: &str) -> bool {
    let text = bare(text).trim_matches(['"', '\'']);
    let place = text
        .split_once("://")
        .filter(|(scheme, _)| is_scheme(scheme));
    place.is_some_and(|(_, rest)| {
        let rest = rest.strip_suffix('/').unwrap_or(rest);
        is_host(rest) || is_place(rest)
    })
}
