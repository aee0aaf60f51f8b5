//! What an administrator's view says of a sign-in that was refused.

use chronaxis_allowlist::answer::{Answer, Decision, Rule};
use chronaxis_model::account::{AccountEntry, AccountTold};
use chronaxis_model::fact::{Fact, OwnCertificate};

use super::lists::{by_accounts, by_rules};
use crate::judge::{PathView, Symptom};

/// How an account stands, for one refused sign-in.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Word {
    /// There is no database of the name that was asked for, and the rules are for one near it.
    NoSuchDatabase,
    /// There is none of that name.
    NoSuchUser,
    /// It may not sign in at all.
    MayNotSignIn,
    /// Its password is past its date.
    Expired,
    /// It has no password, or none that this method can use.
    NoPassword,
    /// Its password is kept somewhere else, or it proves itself in another way.
    Elsewhere,
    /// No rule or entry lets it in from here.
    HostExcluded,
    /// It needs an encrypted line.
    NeedsEncryption,
    /// It needs a client certificate.
    NeedsCertificate,
    /// Nothing is wrong with it, and it has a password: the one that was given is another.
    InOrder,
    /// Nothing that could be read is wrong with it, but not all could be.
    Exists,
}

/// How an account stands, with what was seen.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Standing {
    /// In a word.
    pub word: Word,
    /// What was seen, in words.
    pub text: String,
}

/// What a view says of a refusal on this path; none where it says nothing of it.
pub fn standing(told: &AccountTold, view: &PathView<'_>, symptom: Symptom) -> Option<Standing> {
    let entries = told.entries.as_ref()?;
    let user = view.evidence.target.user.as_deref().unwrap_or_default();
    match entries.iter().any(|entry| entry.host.is_some()) || symptom == Symptom::LoginDenied {
        true => by_hosts(told, entries, user, view),
        false => by_role(told, entries, user, view, symptom),
    }
}

fn stands(word: Word, text: impl Into<String>) -> Option<Standing> {
    Some(Standing {
        word,
        text: text.into(),
    })
}

/// Accounts that are one for all hosts, with rules beside them.
fn by_role(
    told: &AccountTold,
    entries: &[AccountEntry],
    user: &str,
    view: &PathView<'_>,
    symptom: Symptom,
) -> Option<Standing> {
    let secured = view.find(|fact| matches!(fact, Fact::LineSecured { .. }).then_some(()));
    let encrypted = secured.is_some();
    let by = |encrypted| by_rules(told.rules.as_ref()?, told, view, (encrypted, None));
    let decision = by(encrypted);
    if symptom == Symptom::LoginHostRefused {
        let decision = decision?;
        let otherwise = by(true).filter(|_| !encrypted && view.endpoint.ip().is_some());
        if let (Answer::Denied, Some(other)) = (decision.answer, otherwise)
            && let (Answer::Allowed, Some(rule)) = (other.answer, &other.rule)
        {
            return stands(
                Word::NeedsEncryption,
                format!(
                    "{} lets it in, encrypted only: {}",
                    place_of(told, rule),
                    rule.text
                ),
            );
        }
        return match (decision.answer, &decision.rule) {
            (Answer::Denied, Some(rule)) => stands(
                Word::HostExcluded,
                format!("{} decides: {}", place_of(told, rule), rule.text),
            ),
            (Answer::Denied, None) if entries.is_empty() => {
                stands(Word::NoSuchUser, no_such_user(told, user))
            }
            (Answer::Denied, None) if let_in_elsewhere(told, view, encrypted).is_some() => {
                let_in_elsewhere(told, view, encrypted)
            }
            (Answer::Denied, None) => stands(Word::HostExcluded, nearest(told, &decision, user)),
            (Answer::Allowed, Some(rule)) => stands(
                Word::HostExcluded,
                format!(
                    "{} would let it in ({}), so the file was changed after the server last read it: it needs a reload",
                    place_of(told, rule),
                    rule.text
                ),
            ),
            _ => None,
        };
    }
    let Some(entry) = entries.first() else {
        return stands(Word::NoSuchUser, no_such_user(told, user));
    };
    let rule = decision.as_ref().and_then(|d| d.rule.as_ref());
    let record = rule.and_then(|rule| told.rules.as_ref()?.get(rule.spot.as_ref()?.at.start));
    let method = record.map(|record| record.method.as_str());
    if let Some(method) = method.filter(|m| ELSEWHERE.contains(m)) {
        let rule = rule.map_or_else(String::new, |r| format!(" ({})", place_of(told, r)));
        return stands(
            Word::Elsewhere,
            format!(
                "the host rule for this user{rule} asks {method}, not the server's own passwords"
            ),
        );
    }
    if entry.may_sign_in == Some(false) && symptom == Symptom::LoginIdentity {
        return stands(
            Word::MayNotSignIn,
            format!("role {user} exists and may not sign in (NOLOGIN)"),
        );
    }
    if entry.expired == Some(true) {
        let until = entry.valid_until.as_ref().map_or("", |d| d.as_str());
        return stands(
            Word::Expired,
            format!("the password of role {user} was valid until {until}"),
        );
    }
    if symptom != Symptom::LoginCredentials {
        return None;
    }
    if entry.password_set == Some(false) {
        return stands(
            Word::NoPassword,
            format!("role {user} exists and has no password"),
        );
    }
    let kept = entry.method.as_ref().map(|m| m.as_str());
    if let (Some("md5"), Some("scram-sha-256")) = (kept, method) {
        return stands(
            Word::NoPassword,
            format!(
                "the password of role {user} is kept as md5, and the host rule asks scram-sha-256, which cannot use it"
            ),
        );
    }
    let also = match entry.may_sign_in {
        Some(false) => ", though it may not sign in at all (NOLOGIN)",
        _ => "",
    };
    match kept {
        Some(kept) => stands(
            Word::InOrder,
            format!("role {user} exists{also}, its password is set ({kept}) and has not expired"),
        ),
        None => stands(
            Word::Exists,
            format!(
                "role {user} exists{also} and has not expired; whether it has a password was not readable"
            ),
        ),
    }
}

/// Methods of host rules that ask somebody else for the password, or for something else.
const ELSEWHERE: &[&str] = &[
    "ldap", "pam", "bsd", "radius", "gss", "sspi", "oauth", "peer", "ident", "cert",
];

/// Methods of accounts that do so.
const PLUGINS_ELSEWHERE: &[&str] = &[
    "unix_socket",
    "auth_socket",
    "pam",
    "auth_pam",
    "auth_pam_compat",
    "gssapi",
    "authentication_ldap_simple",
    "authentication_ldap_sasl",
    "authentication_kerberos",
    "authentication_windows",
    "auth_0x0100",
    "named_pipe",
    "authentication_webauthn",
    "authentication_oci",
    "authentication_openid_connect",
];

/// Accounts that are one for each pattern of hosts.
fn by_hosts(
    told: &AccountTold,
    entries: &[AccountEntry],
    user: &str,
    view: &PathView<'_>,
) -> Option<Standing> {
    let own = || entries.iter().filter(|entry| entry.user.as_str() == user);
    if own().next().is_none() {
        return stands(Word::NoSuchUser, no_such_user(told, user));
    }
    let decision = by_accounts(told, entries, view)?;
    let shown = |entry: &AccountEntry| {
        format!(
            "'{}'@'{}'",
            entry.user,
            entry.host.as_ref().map_or("", |h| h.as_str())
        )
    };
    if decision.answer == Answer::Unknown {
        return None;
    }
    if decision.answer == Answer::Denied {
        let known: Vec<String> = own().take(3).map(shown).collect();
        return stands(
            Word::HostExcluded,
            format!("{}; there is {}", decision.why, known.join(", ")),
        );
    }
    let taken = decision.rule.and_then(|rule| rule.spot)?.at.start;
    let entry = entries.get(taken)?;
    let name = shown(entry);
    let method = entry.method.as_ref().map_or("", |m| m.as_str());
    if PLUGINS_ELSEWHERE.contains(&method) && entry.password_set.is_some() {
        return stands(
            Word::Elsewhere,
            format!("account {name} signs in by {method}, not by a password of the server's"),
        );
    }
    let secured = view.find(|fact| matches!(fact, Fact::LineSecured { .. }).then_some(()));
    let shown_certificate = view.find(|fact| match fact {
        Fact::LineSecured {
            own_certificate, ..
        } => Some(*own_certificate),
        _ => None,
    });
    match entry.demands.as_ref().map(|d| d.as_str()) {
        Some("encryption") if secured.is_none() && view.endpoint.ip().is_some() => {
            return stands(
                Word::NeedsEncryption,
                format!("account {name} demands an encrypted connection (REQUIRE SSL)"),
            );
        }
        Some("a client certificate") if shown_certificate != Some(OwnCertificate::Shown) => {
            return stands(
                Word::NeedsCertificate,
                format!("account {name} demands a client certificate"),
            );
        }
        _ => {}
    }
    match entry.password_set {
        Some(false) => stands(
            Word::NoPassword,
            format!("account {name} exists and has no password"),
        ),
        Some(true) => stands(
            Word::InOrder,
            format!("account {name} is the one for this machine, and it has a password ({method})"),
        ),
        None => stands(
            Word::Exists,
            format!(
                "account {name} is the one for this machine; it may sign in in several ways ({method} among them)"
            ),
        ),
    }
}

/// A database that is missing, where the rules would let this user into one of a near name.
fn let_in_elsewhere(told: &AccountTold, view: &PathView<'_>, encrypted: bool) -> Option<Standing> {
    let missing = told.database.as_ref().filter(|database| !database.exists)?;
    let near = missing.others.first()?;
    let rules = told.rules.as_ref()?;
    let decision = by_rules(rules, told, view, (encrypted, Some(near.as_str())))?;
    let name = view.evidence.target.database.as_deref().unwrap_or_default();
    (decision.answer == Answer::Allowed).then(|| Standing {
        word: Word::NoSuchDatabase,
        text: format!(
            "there is no database {name} on the server, and its host rules would let this user into {near}"
        ),
    })
}

fn no_such_user(told: &AccountTold, user: &str) -> String {
    let near: Vec<&str> = told.near_users.iter().map(|n| n.as_str()).collect();
    match near.is_empty() {
        true => format!("there is no user \"{user}\" on the server"),
        false => format!(
            "there is no user \"{user}\" on the server; similar names: {}",
            near.join(", ")
        ),
    }
}

fn nearest(told: &AccountTold, decision: &Decision, user: &str) -> String {
    let near = decision.remarks.first().map(|(text, spot)| match spot {
        Some(spot) => format!("; {text} ({})", line_at(told, spot.at.start)),
        None => format!("; {text}"),
    });
    let near = near.unwrap_or_default();
    format!("no host rule of the server is for {user} from this address to this database{near}")
}

fn place_of(told: &AccountTold, rule: &Rule) -> String {
    match &rule.spot {
        Some(spot) => line_at(told, spot.at.start),
        None => "a host rule".to_owned(),
    }
}

/// Where the rule of this number stands.
fn line_at(told: &AccountTold, index: usize) -> String {
    let Some(rule) = told.rules.iter().flatten().nth(index) else {
        return "a host rule".to_owned();
    };
    let file = rule
        .file
        .as_ref()
        .map_or("pg_hba.conf", |file| file.as_str());
    format!("line {} of {file}", rule.line)
}

/// What a view says of the database that was asked for: whether it is there, and permitted.
pub fn database(told: &AccountTold) -> Option<bool> {
    told.database.as_ref().map(|database| database.exists)
}
