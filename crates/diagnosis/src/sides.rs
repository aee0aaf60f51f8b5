//! What each side says of a sign-in, side by side: these settings, the server, and, where
//! somebody looked, an administrator.

use chronaxis_model::account::{AccountEntry, AccountTold, Places, SameServer};
use chronaxis_model::fact::{Beyond, Fact, Instance, Meaning};
use chronaxis_model::settings::DefectKind;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::administrator;
use crate::judge::Evidence;

/// One thing on which the sides must agree.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Side {
    /// `user`, `database`, `method`, `host`, `password`, `connections`, `elsewhere`.
    pub what: String,
    /// What these settings, or this client, say.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub settings: Option<String>,
    /// What the server says to this account.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub server: Option<String>,
    /// What an administrator sees.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub administrator: Option<String>,
}

/// All of them, where the server was asked to let somebody in; else none.
pub fn sides(evidence: Evidence<'_>) -> Vec<Side> {
    let all: Vec<&Fact> = evidence.facts().map(|(_, fact)| fact).collect();
    let came_so_far = all.iter().any(|fact| {
        matches!(
            fact,
            Fact::PasswordAsked { .. } | Fact::LoggedIn { .. } | Fact::MethodUnsupported { .. }
        ) || matches!(fact, Fact::ServerRefused { meaning, .. } if is_of_account(*meaning))
    });
    if !came_so_far {
        return Vec::new();
    }
    let found = administrator::told(evidence);
    // What another server holds says nothing of this one.
    let told = found.filter(|told| told.server != SameServer::Other);
    let elsewhere_seen = found.filter(|told| told.server == SameServer::Other);
    let elsewhere_seen =
        elsewhere_seen.map(|told| format!("{} is on another server", told.asked_as));
    let untold = all.iter().find_map(|fact| match fact {
        Fact::AccountUntold { asked_as, why } => Some(match asked_as.is_empty() {
            true => format!("did not get in: {why}"),
            false => format!("{asked_as} did not get in: {why}"),
        }),
        _ => None,
    });
    let instance = all.iter().find_map(|fact| match fact {
        Fact::Instance(instance) => Some(&**instance),
        _ => None,
    });
    let untold = untold.or(elsewhere_seen);
    let rows = [
        user(evidence, instance, told, untold),
        database(evidence, &all, instance, told),
        method(&all, told, evidence),
        host(&all, told),
        password(evidence, told),
        connections(told),
        elsewhere(&all),
    ];
    rows.into_iter().flatten().collect()
}

fn is_of_account(meaning: Meaning) -> bool {
    matches!(
        meaning,
        Meaning::AccessDenied
            | Meaning::CredentialsRefused
            | Meaning::IdentityRefused
            | Meaning::HostNotPermitted
            | Meaning::MethodRefused
            | Meaning::AccountLocked
            | Meaning::PasswordExpired
            | Meaning::AccountLimit
    )
}

/// A row, unless only the settings have anything to say.
fn row(
    what: &str,
    settings: Option<String>,
    server: Option<String>,
    administrator: Option<String>,
) -> Option<Side> {
    (settings.is_some() || server.is_some() || administrator.is_some()).then(|| Side {
        what: what.to_owned(),
        settings,
        server,
        administrator,
    })
}

fn user(
    evidence: Evidence<'_>,
    instance: Option<&Instance>,
    told: Option<&AccountTold>,
    untold: Option<String>,
) -> Option<Side> {
    let server = instance.map(|instance| {
        let (own, claimed) = (instance.user.as_str(), instance.session_user.as_str());
        match own == claimed || claimed.is_empty() {
            true => own.to_owned(),
            false => format!("{claimed}, matched to {own}"),
        }
    });
    let administrator = told.map(seen_of_user).or(untold);
    row("user", evidence.target.user.clone(), server, administrator)
}

fn seen_of_user(told: &AccountTold) -> String {
    let entries = told.entries.as_deref();
    let seen = match entries {
        None => "not readable".to_owned(),
        Some([]) => match told.near_users.as_slice() {
            [] => "does not exist".to_owned(),
            near => format!("does not exist; there is {}", joined(near)),
        },
        Some(all) => {
            let shown: Vec<String> = all.iter().take(4).map(entry).collect();
            shown.join("; ")
        }
    };
    let doubt = match told.server {
        SameServer::Same | SameServer::Other => "",
        SameServer::Unproven => " (perhaps on another server)",
    };
    let groups = match told.member_of.as_slice() {
        [] => String::new(),
        all => format!(", in {}", joined(all)),
    };
    format!("{seen}{groups}{doubt}")
}

fn entry(entry: &AccountEntry) -> String {
    let mut out = match (&entry.host, entry.user.as_str()) {
        (Some(host), "") => format!("anybody from {host}"),
        (Some(host), user) => format!("{user} from {host}"),
        (None, _) => "exists".to_owned(),
    };
    if entry.may_sign_in == Some(false) {
        out.push_str(", may not sign in");
    }
    if entry.locked == Some(true) {
        out.push_str(", locked");
    }
    if entry.expired == Some(true) {
        out.push_str(", expired");
    }
    if let Some(demands) = &entry.demands {
        out.push_str(&format!(", needs {demands}"));
    }
    out
}

fn joined(all: &[chronaxis_model::redact::Redacted]) -> String {
    let all: Vec<&str> = all.iter().take(5).map(|one| one.as_str()).collect();
    all.join(", ")
}

fn database(
    evidence: Evidence<'_>,
    all: &[&Fact],
    instance: Option<&Instance>,
    told: Option<&AccountTold>,
) -> Option<Side> {
    let refused = all.iter().find_map(|fact| match fact {
        Fact::ServerRefused { meaning, .. } => match meaning {
            Meaning::DatabaseMissing => Some("does not exist"),
            Meaning::DatabaseNotPermitted => Some("not permitted, or missing"),
            Meaning::DatabaseClosed => Some("takes no connections"),
            _ => None,
        },
        _ => None,
    });
    let server = refused.map(str::to_owned).or_else(|| {
        let name = instance?.database.as_str();
        Some(name.to_owned()).filter(|name| !name.is_empty())
    });
    let administrator = told
        .and_then(|told| told.database.as_ref())
        .map(|database| {
            if !database.exists {
                return match database.others.as_slice() {
                    [] => "does not exist".to_owned(),
                    others => format!("does not exist; there is {}", joined(others)),
                };
            }
            let closed = match database.takes_connections {
                Some(false) => ", takes no connections",
                _ => "",
            };
            let permitted = match database.permitted {
                Some(true) => ", permitted",
                Some(false) => ", not permitted",
                None => "",
            };
            format!("exists{closed}{permitted}")
        });
    row(
        "database",
        evidence.target.database.clone(),
        server,
        administrator,
    )
}

fn method(all: &[&Fact], told: Option<&AccountTold>, evidence: Evidence<'_>) -> Option<Side> {
    let asked = all.iter().rev().find_map(|fact| match fact {
        Fact::PasswordAsked { method } => Some(method.clone()),
        Fact::MethodUnsupported { methods } => Some(methods.to_string()),
        _ => None,
    });
    let lacks = all
        .iter()
        .any(|fact| matches!(fact, Fact::MethodUnsupported { .. }));
    let beyond = all
        .iter()
        .any(|fact| matches!(fact, Fact::BeyondUs { what, .. } if *what == Beyond::LoginMethod));
    let client = evidence.target.client.as_str();
    let settings = asked.is_some().then(|| match (lacks, beyond) {
        (true, _) => format!("{client} has none of them"),
        (_, true) => format!("not known whether {client} has it"),
        _ => format!("{client} has it"),
    });
    let administrator = told.and_then(|told| {
        let kinds: Vec<&str> = told
            .entries
            .iter()
            .flatten()
            .filter_map(|entry| entry.method.as_ref())
            .map(|method| method.as_str())
            .filter(|method| !method.is_empty())
            .collect();
        (!kinds.is_empty()).then(|| kinds.join(", "))
    });
    row("method", settings, asked, administrator)
}

fn host(all: &[&Fact], told: Option<&AccountTold>) -> Option<Side> {
    let from = all.iter().find_map(|fact| match fact {
        Fact::PortConnected { from, .. } => *from,
        _ => None,
    });
    let server = all.iter().find_map(|fact| match fact {
        Fact::ServerRefused { message, .. } => administrator::quoted_host(message.as_str()),
        _ => None,
    });
    let administrator = told
        .and_then(|told| told.client.as_ref())
        .map(|c| c.to_string());
    let other = |seen: &Option<String>| {
        let seen: Option<std::net::IpAddr> = seen.as_deref().and_then(|s| s.parse().ok());
        matches!((seen, from), (Some(seen), Some(from)) if seen != from.ip())
    };
    let note = match other(&server) || other(&administrator) {
        true => " (NAT on the way)",
        false => "",
    };
    let settings = from.map(|from| format!("{}{note}", from.ip()));
    row("host", settings, server, administrator)
}

fn password(evidence: Evidence<'_>, told: Option<&AccountTold>) -> Option<Side> {
    let secret = &evidence.target.secret;
    let settings = match (&secret.shape, secret.present) {
        (Some(shape), true) => format!("hidden ({shape})"),
        _ => "none".to_owned(),
    };
    let administrator = told.and_then(|told| {
        let entries = told.entries.as_deref().filter(|all| !all.is_empty())?;
        let states: Vec<&str> = entries
            .iter()
            .map(|entry| match entry.password_set {
                Some(true) => "set",
                Some(false) => "not set",
                None => "not readable",
            })
            .collect();
        Some(states.join("; "))
    });
    row("password", Some(settings), None, administrator)
}

fn connections(told: Option<&AccountTold>) -> Option<Side> {
    let told = told?;
    let shown = |places: Places| match places.allowed {
        Some(allowed) => format!("{} of {allowed}", places.used),
        None => places.used.to_string(),
    };
    let all = told
        .connections
        .map(|places| format!("{} in use", shown(places)));
    let own = told
        .own_connections
        .map(|places| format!("{} by this user", shown(places)));
    let seen: Vec<String> = all.into_iter().chain(own).collect();
    let administrator = (!seen.is_empty()).then(|| seen.join(", "));
    administrator.and_then(|seen| row("connections", None, None, Some(seen)))
}

/// Where the same connection is described with another user, database or password.
fn elsewhere(all: &[&Fact]) -> Option<Side> {
    let texts: Vec<String> = all
        .iter()
        .filter_map(|fact| match fact {
            Fact::SettingDefect(defect) if defect.kind == DefectKind::SourcesDisagree => {
                Some(defect.text.clone())
            }
            _ => None,
        })
        .collect();
    (!texts.is_empty())
        .then(|| texts.join("; "))
        .and_then(|text| row("elsewhere", Some(text), None, None))
}
