//! What PostgreSQL's clients do with what they were told.
//!
//! What makes a client go on, and how long it waits, was measured with libpq 15, pgjdbc
//! 42.5 and asyncpg 0.32: the first of two hosts failing in every way that a stand-in can
//! play (`docs/tls.md`). That pgjdbc takes one address of a name, IPv4 before others, is
//! from its documentation; pg8000 knows one host only.

use chronaxis_model::layer::Micros;
use chronaxis_model::target::{ClientId, ShownTarget};

use crate::policy::{ClientPolicy, SecondAttempt, SessionWish, seconds};

pub(super) fn client(target: &ShownTarget) -> ClientPolicy {
    let timeout = || seconds(target, "connect_timeout");
    let shuffles = target
        .options
        .get("load_balance_hosts")
        .is_some_and(|v| v == "random");
    match target.client {
        // Its least time is two seconds (PostgreSQL documentation, "connect_timeout").
        ClientId::Libpq => ClientPolicy {
            shuffles,
            whole_wait: timeout().map(|s| s.max(Micros::from_millis(2_000))),
            second_attempt: SecondAttempt::AfterAnything,
            ..ClientPolicy::default()
        },
        ClientId::Pgjdbc => ClientPolicy {
            first_address_only: true,
            v4_first: true,
            shuffles,
            connect_wait: match target.options.get("connect_timeout") {
                None => Some(Micros::from_millis(10_000)),
                Some(_) => timeout(),
            },
            answer_wait: Some(Micros::from_millis(5_000)),
            refusal_leads_on: true,
            second_attempt: SecondAttempt::AfterAccount,
            ..ClientPolicy::default()
        },
        ClientId::PostgresJs => ClientPolicy {
            whole_wait: Some(timeout().unwrap_or(Micros::from_millis(30_000))),
            second_attempt: SecondAttempt::AfterAnything,
            ..ClientPolicy::default()
        },
        ClientId::Asyncpg => ClientPolicy {
            whole_wait: Some(Micros::from_millis(60_000)),
            one_time_for_all: true,
            odd_answer_leads_on: true,
            second_attempt: SecondAttempt::AfterIdentity,
            ..ClientPolicy::default()
        },
        _ => ClientPolicy::default(),
    }
}

/// PostgreSQL documentation, "target_session_attrs".
pub(super) fn session(target: &ShownTarget) -> SessionWish {
    let wanted = target.options.get("target_session_attrs");
    match wanted.map_or("", String::as_str) {
        "read-write" => SessionWish::Writable,
        "read-only" => SessionWish::ReadOnly,
        "primary" => SessionWish::Primary,
        "standby" => SessionWish::Standby,
        "prefer-standby" => SessionWish::RatherStandby,
        "prefer-primary" => SessionWish::RatherPrimary,
        _ => SessionWish::Anything,
    }
}

/// Whether the search path of the session is one that the settings ask for.
pub(super) fn names_schema(target: &ShownTarget) -> bool {
    let told = |key: &str| target.options.get(key).map_or("", String::as_str);
    !told("search_path").is_empty() || told("options").to_ascii_lowercase().contains("search_path")
}

/// PostgreSQL documentation, "Connection Parameters" (`keepalives_idle`); its JDBC driver's,
/// "Connection Parameters" (`tcpKeepAlive`).
pub(super) fn keep_alive(client: ClientId, seconds: u64) -> Option<String> {
    match client {
        ClientId::Libpq => Some(format!("keepalives_idle={seconds}")),
        ClientId::Pgjdbc => Some(format!(
            "tcpKeepAlive=true, with net.ipv4.tcp_keepalive_time={seconds} on the client's machine"
        )),
        _ => None,
    }
}
