//! What host rules say of an attempt, in the server's own order of questions: kind of
//! connection, address, database, account.

use regex::RegexBuilder;

use super::{Address, HostRules, Kind, Name, Record};
use crate::answer::{Answer, Barrier, Decision, Passed};
use crate::attempt::Attempt;
use crate::block::bits;
use crate::moved::{leads_to, listed};

/// Largest regular expression that is compiled, in bytes of its compiled form.
const LARGEST_EXPRESSION: usize = 1 << 20;

/// Whether something fits: with the reason where it does not, or where that is not known.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) enum Fits {
    Yes,
    No(Part, String),
    /// What it depends on.
    Maybe(String),
}

/// What of a record an attempt does not fit.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub(super) enum Part {
    Socket,
    Address,
    Database,
    User,
    Encryption,
}

/// Whether a record is for an attempt.
pub(super) fn fits(record: &Record, attempt: &Attempt) -> Fits {
    let mut maybe = None;
    for part in [kind, address, database, user] {
        match part(record, attempt) {
            Fits::Yes => {}
            Fits::No(what, why) => return Fits::No(what, why),
            Fits::Maybe(why) => {
                maybe.get_or_insert(why);
            }
        }
    }
    maybe.map_or(Fits::Yes, Fits::Maybe)
}

fn kind(record: &Record, attempt: &Attempt) -> Fits {
    let no = |why: &str| Fits::No(Part::Encryption, why.to_owned());
    match (record.kind, attempt.encrypted) {
        (Kind::Local, _) => Fits::No(
            Part::Socket,
            "it is for the socket file, not for TCP".to_owned(),
        ),
        (Kind::HostGssEnc, _) => no("it is for connections that GSSAPI encrypts"),
        (Kind::Host | Kind::HostNoGssEnc, _) => Fits::Yes,
        (Kind::HostSsl, Some(true)) | (Kind::HostNoSsl, Some(false)) => Fits::Yes,
        (Kind::HostSsl, Some(false)) => no("it is for encrypted connections, and this one is not"),
        (Kind::HostNoSsl, Some(true)) => {
            no("it is for unencrypted connections, and this one is encrypted")
        }
        (Kind::HostSsl | Kind::HostNoSsl, None) => Fits::Maybe(
            "it depends on whether the connection is encrypted (--encrypted yes or no)".to_owned(),
        ),
    }
}

fn address(record: &Record, attempt: &Attempt) -> Fits {
    let client = attempt.client;
    let server = attempt.to.ip();
    let no = |why: String| Fits::No(Part::Address, why);
    match &record.address {
        None | Some(Address::All) => Fits::Yes,
        Some(Address::SameHost) if client == server => Fits::Yes,
        // A client of loopback is on the server's machine, and that has one address there.
        Some(Address::SameHost) if client.is_loopback() => match client.to_string().as_str() {
            "127.0.0.1" | "::1" => Fits::Yes,
            _ => no(format!(
                "{client} is not an address that the server's machine has"
            )),
        },
        Some(Address::SameHost) => Fits::Maybe(format!(
            "it depends on whether {client} is an address of the server itself (samehost)"
        )),
        Some(Address::SameNet) if client == server => Fits::Yes,
        Some(Address::SameNet) if client.is_loopback() => Fits::Yes,
        Some(Address::SameNet) => Fits::Maybe(format!(
            "it depends on the netmasks of the server's interfaces whether {client} is in one of its networks (samenet)"
        )),
        Some(Address::Masked { ip, mask }) => {
            let ((v6, at), (own_v6, own)) = (bits(client), bits(*ip));
            match v6 == own_v6 && (at ^ own) & mask == 0 {
                true => Fits::Yes,
                false => no(match record.address.as_ref().and_then(Address::block) {
                    Some(block) => format!("{client} is not in {block}"),
                    None => format!("{client} is not what the address and mask describe"),
                }),
            }
        }
        // No machine is called like an address.
        Some(address) if address.is_mistyped() => {
            no("its address is none, and the server takes it for the name of a host".to_owned())
        }
        // The name that the server finds for the client must lead back to it.
        Some(Address::Name(name)) => match attempt.names.get(&name.to_ascii_lowercase()) {
            Some(found) if found.is_empty() => no(format!("the name {name} does not exist in DNS")),
            Some(found) if leads_to(found, client) == Some(false) => no(format!(
                "{name} leads to {}, not to {client}",
                listed(found)
            )),
            Some(found) if found.contains(&client) => Fits::Maybe(format!(
                "{name} leads to {client}; it depends on whether the server finds that name for {client} (reverse lookup)"
            )),
            _ => Fits::Maybe(format!(
                "it depends on the name that the server finds for {client}, and whether that is {name}"
            )),
        },
    }
}

fn database(record: &Record, attempt: &Attempt) -> Fits {
    let user = attempt.user.as_deref();
    let Some(database) = attempt.database.as_deref() else {
        return match record.databases.iter().any(|n| n.is("all")) {
            true => Fits::Yes,
            false => Fits::Maybe("it depends on the database (--database)".to_owned()),
        };
    };
    let mut maybe = None;
    for name in &record.databases {
        let one = if name.is("all") {
            Fits::Yes
        } else if name.is("replication") {
            continue;
        } else if name.is("sameuser") {
            match user {
                Some(user) if user == database => Fits::Yes,
                Some(_) => continue,
                None => Fits::Maybe("it depends on the user (--user)".to_owned()),
            }
        } else if name.is("samerole") || name.is("samegroup") {
            match user {
                Some(user) if user == database => Fits::Yes,
                _ => Fits::Maybe(format!(
                    "it depends on whether the user is a member of the role \"{database}\""
                )),
            }
        } else {
            named(name, database)
        };
        match one {
            Fits::Yes => return Fits::Yes,
            Fits::Maybe(why) => {
                maybe.get_or_insert(why);
            }
            Fits::No(..) => {}
        }
    }
    maybe.map_or_else(
        || {
            let why = format!("it is not for the database \"{database}\"");
            Fits::No(Part::Database, why)
        },
        Fits::Maybe,
    )
}

fn user(record: &Record, attempt: &Attempt) -> Fits {
    let Some(user) = attempt.user.as_deref() else {
        return match record.users.iter().any(|n| n.is("all")) {
            true => Fits::Yes,
            false => Fits::Maybe("it depends on the user (--user)".to_owned()),
        };
    };
    let mut maybe = None;
    for name in &record.users {
        let group = name.text.strip_prefix('+').filter(|_| !name.quoted);
        let one = match group {
            // Everybody is a member of itself.
            Some(group) if group == user => Fits::Yes,
            Some(group) => Fits::Maybe(format!(
                "it depends on whether \"{user}\" is a member of the role \"{group}\""
            )),
            None if name.is("all") => Fits::Yes,
            None => named(name, user),
        };
        match one {
            Fits::Yes => return Fits::Yes,
            Fits::Maybe(why) => {
                maybe.get_or_insert(why);
            }
            Fits::No(..) => {}
        }
    }
    maybe.map_or_else(
        || Fits::No(Part::User, format!("it is not for the user \"{user}\"")),
        Fits::Maybe,
    )
}

/// A name, or the regular expression that it is: one that the server's own kind of
/// expressions has and ours has not is left open.
fn named(name: &Name, given: &str) -> Fits {
    let fits = match name.expression() {
        None => name.text == given,
        Some(expression) => {
            let compiled = RegexBuilder::new(expression)
                .size_limit(LARGEST_EXPRESSION)
                .build();
            match compiled {
                Ok(compiled) if !differs(expression) => compiled.is_match(given),
                _ => {
                    return Fits::Maybe(
                        "it depends on a regular expression that only the server itself reads"
                            .to_owned(),
                    );
                }
            }
        }
    };
    match fits {
        true => Fits::Yes,
        false => Fits::No(Part::User, String::new()),
    }
}

/// Whether an expression has signs that mean one thing to PostgreSQL (its manual, section
/// 9.7.3) and another to the library here.
fn differs(expression: &str) -> bool {
    let escapes = expression.split('\\').skip(1);
    let known = |rest: &str| {
        let first = rest.chars().next();
        first
            .is_some_and(|c| !c.is_alphanumeric() || matches!(c, 'd' | 's' | 'w' | 'D' | 'S' | 'W'))
    };
    let in_brackets = expression.contains("[[") || expression.contains("&&");
    let options = expression.starts_with("***") || expression.contains("(?");
    let last = expression.ends_with('\\');
    last || in_brackets || options || !escapes.into_iter().all(known)
}

/// What the records say of an attempt; with every record that was passed over if `keep`.
pub fn decide(rules: &HostRules, attempt: &Attempt, keep: bool) -> Decision {
    let mut passed = Vec::new();
    let mut open: Option<(&Record, String)> = None;
    let mut agreed = true;
    let mut near: Option<(Part, &Record, String)> = None;
    let answer = |record: &Record| match record.rejects() {
        true => Answer::Denied,
        false => Answer::Allowed,
    };
    let mut decided: Option<&Record> = None;
    for record in &rules.records {
        match fits(record, attempt) {
            Fits::Yes => {
                decided = Some(record);
                break;
            }
            Fits::Maybe(why) => match &open {
                None => open = Some((record, why)),
                Some((first, _)) => agreed &= answer(first) == answer(record),
            },
            Fits::No(part, why) => {
                if !record.rejects() && near.as_ref().is_none_or(|(before, ..)| *before < part) {
                    near = Some((part, record, why.clone()));
                }
                if keep {
                    passed.push(Passed {
                        rule: record.shown(),
                        why,
                    });
                }
            }
        }
    }
    let end = decided.map_or(Answer::Denied, answer);
    let mut decision = match (open, decided) {
        (Some((record, why)), _) if !agreed || answer(record) != end => {
            Decision::new(Answer::Unknown, Some(record.shown()), why)
        }
        (_, Some(record)) => {
            let why = match record.rejects() {
                true => "this record turns the connection away".to_owned(),
                false => format!(
                    "this record takes the connection; the server then asks by the method {}",
                    record.method
                ),
            };
            let decision = Decision::new(end, Some(record.shown()), why);
            match end {
                Answer::Denied => decision.behind(Barrier::HostRules),
                _ => decision,
            }
        }
        (_, None) => Decision::new(
            Answer::Denied,
            None,
            "no record fits, and the server then turns the connection away",
        )
        .behind(Barrier::HostRules),
    };
    if decision.answer == Answer::Denied
        && let Some((part, record, why)) = near
        && part > Part::Socket
    {
        let text = format!("the record that comes nearest: {why}");
        decision.remarks.push((text, Some(record.spot.clone())));
    }
    decision.passed = passed;
    decision
}
