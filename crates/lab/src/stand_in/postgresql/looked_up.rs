//! What the stand-in tells an administrator of an account: the catalogues and views that are
//! asked (PostgreSQL documentation, "System Catalogs", "System Views").

use chronaxis_engines::postgresql::codec::{message, zero_ended};

use super::Session;
use super::answers::{not_permitted, ready, row};
use super::config::{Config, Method};
use crate::stand_in::Reaction;

/// Between the parts of a list.
const BETWEEN: char = '\u{1f}';

impl Session {
    /// A statement with values, message by message: Parse, Bind, Execute, Sync.
    pub(super) fn extended(&mut self, kind: u8, body: &[u8]) -> Vec<Reaction> {
        let bytes = match kind {
            b'P' => {
                let (_, rest) = zero_ended(body).unwrap_or_default();
                let (sql, _) = zero_ended(rest).unwrap_or_default();
                self.statement = String::from_utf8_lossy(sql).into_owned();
                message(b'1', &[])
            }
            b'B' => {
                self.values = bound(body).unwrap_or_default();
                message(b'2', &[])
            }
            b'E' => answer(&self.statement, &self.values, &self.user, &self.config),
            _ => ready(),
        };
        vec![Reaction::Send(bytes)]
    }
}

/// The values of a Bind message, all of them texts.
fn bound(body: &[u8]) -> Option<Vec<String>> {
    let (_, rest) = zero_ended(body)?;
    let (_, rest) = zero_ended(rest)?;
    let (formats, rest) = rest.split_first_chunk::<2>()?;
    let rest = rest.get(usize::from(u16::from_be_bytes(*formats)) * 2..)?;
    let (count, mut rest) = rest.split_first_chunk::<2>()?;
    let mut out = Vec::new();
    for _ in 0..u16::from_be_bytes(*count) {
        let (length, behind) = rest.split_first_chunk::<4>()?;
        let (value, behind) = behind.split_at_checked(u32::from_be_bytes(*length) as usize)?;
        out.push(String::from_utf8_lossy(value).into_owned());
        rest = behind;
    }
    Some(out)
}

/// The rows of a statement with these values, as this user sees them, and what ends them.
fn answer(sql: &str, values: &[String], user: &str, config: &Config) -> Vec<u8> {
    let sees_all = config.roles.get(user).is_some_and(|role| role.superuser);
    let reads = |what: &str| sql.contains(what);
    if (reads("pg_authid") || reads("pg_hba_file_rules")) && !sees_all {
        let what = if reads("pg_authid") {
            "table pg_authid"
        } else {
            "view pg_hba_file_rules"
        };
        return not_permitted(what);
    }
    let of_user = values.first().map_or("", String::as_str);
    let rows = if reads("pg_hba_file_rules") {
        rules(config)
    } else if reads("from pg_database d where") {
        database(config, values.last().map_or("", String::as_str))
    } else if reads("from pg_authid") {
        password(config, of_user)
    } else if reads("from pg_roles r where r.rolname") {
        role(config, of_user)
    } else if reads("from pg_roles where rolcanlogin") {
        let names = config.roles.iter().filter(|(_, role)| !role.no_login);
        names.flat_map(|(name, _)| row(&[Some(name)])).collect()
    } else if reads("select datname from pg_database") {
        let names = config.databases.iter().filter(|(_, one)| !one.closed);
        names.flat_map(|(name, _)| row(&[Some(name)])).collect()
    } else if reads("max_connections") {
        let used = config.connections.to_string();
        row(&[Some("100"), Some(&used), Some("5432"), Some("127.0.0.1")])
    } else {
        Vec::new()
    };
    [rows, message(b'C', b"SELECT\0")].concat()
}

fn rules(config: &Config) -> Vec<u8> {
    let all = config.rules.iter().flat_map(|(line, users, method)| {
        let users = users.replace(',', &BETWEEN.to_string());
        row(&[
            Some("pg_hba.conf"),
            Some(line),
            Some("host"),
            Some("all"),
            Some(&users),
            Some("0.0.0.0"),
            Some("0.0.0.0"),
            Some(method),
            Some(""),
        ])
    });
    all.collect()
}

fn role(config: &Config, user: &str) -> Vec<u8> {
    config.roles.get(user).map_or_else(Vec::new, |role| {
        let may = if role.no_login { "f" } else { "t" };
        row(&[
            Some(user),
            Some(may),
            None,
            Some("f"),
            Some("-1"),
            Some("0"),
        ])
    })
}

fn password(config: &Config, user: &str) -> Vec<u8> {
    let kind = match config.method {
        Method::Md5 => "md5",
        _ => "scram-sha-256",
    };
    config.roles.get(user).map_or_else(Vec::new, |role| {
        let kept = role.password.as_ref().map(|_| role.kept_by.unwrap_or(kind));
        row(&[kept])
    })
}

fn database(config: &Config, name: &str) -> Vec<u8> {
    config.databases.get(name).map_or_else(Vec::new, |one| {
        let flag = |is| Some(if is { "t" } else { "f" });
        row(&[Some(name), flag(!one.closed), flag(!one.forbidden)])
    })
}
