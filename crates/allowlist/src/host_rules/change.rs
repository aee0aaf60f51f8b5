//! The smallest change of host rules.

use std::net::IpAddr;

use super::decide::{Fits, fits};
use super::findings::open_to_all;
use super::{Address, HostRules, Kind, decide};
use crate::answer::Answer;
use crate::attempt::Attempt;

/// A record that is to be written.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct NewRecord {
    /// For which connections.
    pub kind: Kind,
    /// For which database; `all` where none is told.
    pub database: Option<String>,
    /// For which account; `all` where none is told.
    pub user: Option<String>,
    /// From this address alone.
    pub client: IpAddr,
    /// How the account proves itself.
    pub method: String,
}

/// An edit of host rules; records by their place, from 0.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum RecordEdit {
    /// A new record stands before another one, or at the end.
    Insert(Option<usize>, NewRecord),
    /// A record is for one address only.
    Narrow(usize, IpAddr),
}

/// The edit that lets exactly this client in: a record for its address, its account, its
/// database.
pub fn let_in(rules: &HostRules, attempt: &Attempt) -> Option<RecordEdit> {
    if decide(rules, attempt, false).answer != Answer::Denied {
        return None;
    }
    // Before whatever could turn it away.
    let place = rules
        .records
        .iter()
        .position(|r| !matches!(fits(r, attempt), Fits::No(..)));
    let remote = rules
        .records
        .iter()
        .filter(|r| r.kind != Kind::Local && !r.rejects() && r.method != "trust");
    let methods: Vec<&str> = remote.map(|r| r.method.as_str()).collect();
    let method = match methods.iter().find(|m| **m == "md5") {
        Some(_) if !methods.contains(&"scram-sha-256") => "md5",
        _ => "scram-sha-256",
    };
    let new = NewRecord {
        kind: match attempt.encrypted {
            Some(true) => Kind::HostSsl,
            _ => Kind::Host,
        },
        database: attempt.database.clone(),
        user: attempt.user.clone(),
        client: attempt.client,
        method: method.to_owned(),
    };
    Some(RecordEdit::Insert(place, new))
}

/// The edits that close the hole through which every address may try: this client takes the
/// world's place.
pub fn close(rules: &HostRules, attempt: &Attempt) -> Vec<RecordEdit> {
    let open = rules.records.iter().enumerate().filter(|(_, r)| {
        let family = match &r.address {
            Some(Address::Masked { ip, .. }) => ip.is_ipv6() == attempt.client.is_ipv6(),
            _ => true,
        };
        open_to_all(r) && family && !matches!(fits(r, attempt), Fits::No(..))
    });
    open.map(|(index, _)| RecordEdit::Narrow(index, attempt.client))
        .collect()
}
