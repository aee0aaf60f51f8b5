//! What else stands in host rules: holes, typing errors, records that do nothing.

use std::collections::BTreeMap;

use chronaxis_model::found::{CauseId, Warning};

use super::{Address, HostRules, Kind, Name, Record};
use crate::attempt::Attempt;
use crate::own::findings::{Finding, of_range};

/// Up to so many records each is held against every earlier one; in longer files only
/// records that say the same are found.
const MOST_COMPARED: usize = 2_000;

/// For what a record is.
type For<'a> = (Kind, &'a [Name], &'a [Name], Option<&'a Address>);

/// Everything that is found, in the order of the records.
pub fn findings(rules: &HostRules, attempt: &Attempt) -> Vec<Finding> {
    let moved = rules.moved(attempt).into_iter().map(|moved| {
        let text = moved.text(attempt.client);
        Finding::warning(Warning::PeerNameChanged, text, moved.spot)
    });
    let mut out: Vec<Finding> = moved.collect();
    let mut seen: BTreeMap<For<'_>, usize> = BTreeMap::new();
    for (index, record) in rules.records.iter().enumerate() {
        let spot = record.spot.clone();
        if let Some(block) = record.address.as_ref().and_then(Address::block) {
            let host_bits = record.address.as_ref().is_some_and(Address::has_host_bits);
            let mut at = spot.clone();
            if !record.address_at.is_empty() {
                at.at = record.address_at.clone();
            }
            of_range(&block, host_bits, "the address", &at, &mut out);
        }
        if record.address.as_ref().is_some_and(Address::is_mistyped) {
            let text = "this record never counts: its address is none, and the server takes it for the name of a host";
            let found = Finding::cause(CauseId::AllowListRuleOff, text.to_owned(), spot.clone());
            out.push(found);
        }
        for name in record.databases.iter().chain(&record.users) {
            if name.quoted && matches!(name.text.as_str(), "all" | "sameuser" | "samerole") {
                let text = format!(
                    "\"{}\" in quotes is a name like any other here, not the word for everything",
                    name.text
                );
                let found = Finding::cause(CauseId::AllowListRuleOff, text, spot.clone());
                out.push(found);
            }
        }
        if open_to_all(record) {
            let who = match record.method.as_str() {
                "trust" => " and asks for no password",
                _ => "",
            };
            let text = format!("this record is for every address in the world{who}");
            out.push(Finding::warning(
                Warning::AllowListOpenToAll,
                text,
                spot.clone(),
            ));
        }
        let key = (
            record.kind,
            record.databases.as_slice(),
            record.users.as_slice(),
            record.address.as_ref(),
        );
        let twin = seen.get(&key).copied();
        seen.entry(key).or_insert(index);
        let hider = twin.or_else(|| {
            let earlier = rules.records.get(..index.min(MOST_COMPARED))?;
            earlier.iter().position(|e| hides(e, record))
        });
        let Some(earlier) = hider.and_then(|i| rules.records.get(i)) else {
            continue;
        };
        let by = format!("\"{}\"", earlier.text);
        if earlier.rejects() == record.rejects() && earlier.method == record.method {
            let text =
                format!("this record adds nothing: {by} before it takes all of its connections");
            out.push(Finding::warning(Warning::RuleDuplicate, text, spot));
        } else {
            let text =
                format!("this record never counts: {by} before it takes all of its connections");
            out.push(Finding::cause(CauseId::AllowListRuleOff, text, spot));
        }
    }
    out
}

/// Whether a record lets everybody try who reaches the port.
pub(super) fn open_to_all(record: &Record) -> bool {
    let all = match &record.address {
        Some(Address::All) => true,
        Some(address) => address.block().is_some_and(|b| b.is_all()),
        None => false,
    };
    all && !record.rejects()
}

/// Whether nothing that a record is for gets past an earlier one.
fn hides(earlier: &Record, record: &Record) -> bool {
    let kind = earlier.kind == record.kind
        || (earlier.kind == Kind::Host && record.kind != Kind::Local)
        || (earlier.kind == Kind::HostNoGssEnc && matches!(record.kind, Kind::HostSsl));
    let address = match (&earlier.address, &record.address) {
        (Some(Address::All), Some(_)) => true,
        (Some(a), Some(b)) if a == b => true,
        (Some(a), Some(b)) => match (a.block(), b.block()) {
            (Some(a), Some(b)) => a.covers(&b),
            _ => false,
        },
        (None, None) => true,
        _ => false,
    };
    kind && address
        && names(&earlier.databases, &record.databases, &["replication"])
        && names(&earlier.users, &record.users, &[])
}

/// Whether every one of some names is among earlier ones; what `all` does not mean is not.
fn names(earlier: &[Name], names: &[Name], beyond: &[&str]) -> bool {
    names.iter().all(|name| {
        let beyond = beyond.iter().any(|word| name.is(word));
        earlier
            .iter()
            .any(|e| e == name || (e.is("all") && !beyond))
    })
}
