//! What an administrator's view shows beside the verdict: what would stop the account next.

use chronaxis_model::account::{AccountTold, Places, SameServer};
use chronaxis_model::found::{CauseId, Warning};
use chronaxis_model::layer::Layer;

use super::{caution, found};
use crate::administrator::told;
use crate::judge::Evidence;
use crate::verdict::shape::AlsoFound;

/// From so many hundredths of the allowed connections on, few are left.
const NEARLY_FULL: u32 = 90;

pub(super) fn found_by(evidence: Evidence<'_>, cause: Option<CauseId>) -> Vec<AlsoFound> {
    let Some(told) = told(evidence) else {
        return Vec::new();
    };
    if told.server != SameServer::Same {
        let detail = &told.server_because;
        return vec![caution(Warning::AdminOnOtherServer, Layer::Login, detail)];
    }
    let mut out = next_obstacles(evidence, told);
    out.retain(|one| cause.is_none_or(|cause| one.id != cause.as_str()));
    out
}

fn next_obstacles(evidence: Evidence<'_>, told: &AccountTold) -> Vec<AlsoFound> {
    let user = evidence.target.user.as_deref().unwrap_or_default();
    let named = || {
        let entries = told.entries.iter().flatten();
        entries.filter(|entry| entry.user.as_str() == user)
    };
    let mut out = Vec::new();
    if named().any(|entry| entry.may_sign_in == Some(false)) {
        let text = format!("role {user} may not sign in (NOLOGIN), even with the right password");
        out.push(found(CauseId::LoginNotAllowedForRole, Layer::Login, text));
    }
    for entry in named() {
        let host = entry.host.as_ref().map(|host| format!("@{host}"));
        let name = format!("{user}{}", host.unwrap_or_default());
        if entry.locked == Some(true) {
            let text = format!(
                "the account {name} is locked; the server says so only to who knows its password"
            );
            out.push(found(CauseId::AccountLocked, Layer::Login, text));
        }
        if entry.expired == Some(true) {
            let text = format!("the password of {name} has expired");
            out.push(found(CauseId::PasswordExpired, Layer::Login, text));
        }
    }
    if let Some(database) = &told.database {
        let name = evidence.target.database.as_deref().unwrap_or_default();
        let others: Vec<&str> = database.others.iter().take(5).map(|o| o.as_str()).collect();
        if !database.exists {
            let there = match others.is_empty() {
                true => String::new(),
                false => format!("; there is {}", others.join(", ")),
            };
            let text = format!("there is no database {name} on the server{there}");
            out.push(found(CauseId::DatabaseMissing, Layer::Session, text));
        }
        if database.takes_connections == Some(false) {
            let text = format!("the database {name} takes no connections");
            out.push(found(
                CauseId::DatabaseTakesNoConnections,
                Layer::Session,
                text,
            ));
        }
        if database.permitted == Some(false) {
            let text = format!("{user} may not connect to the database {name}");
            out.push(found(CauseId::DatabaseNotPermitted, Layer::Session, text));
        }
    }
    if let Some((used, allowed)) = told.connections.and_then(nearly_full) {
        let text = format!("{used} of the server's {allowed} connections are in use");
        out.push(found(CauseId::ServerFull, Layer::Listener, text));
    }
    if let Some((used, allowed)) = told.own_connections.and_then(nearly_full) {
        let text = format!("{used} of the {allowed} connections that {user} may have are in use");
        out.push(found(CauseId::AccountLimitReached, Layer::Login, text));
    }
    out
}

fn nearly_full(places: Places) -> Option<(u32, u32)> {
    let allowed = places.allowed.filter(|allowed| *allowed > 0)?;
    let full = u64::from(places.used) * 100 >= u64::from(allowed) * u64::from(NEARLY_FULL);
    full.then_some((places.used, allowed))
}
