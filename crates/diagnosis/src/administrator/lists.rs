//! The lists of an administrator's view, decided for one client.

use std::net::{IpAddr, Ipv4Addr, SocketAddr};

use chronaxis_allowlist::accounts::{self, Account, Accounts};
use chronaxis_allowlist::answer::{Decision, Spot};
use chronaxis_allowlist::attempt::Attempt;
use chronaxis_allowlist::host_rules::{self, Address, HostRules, Kind, Name, Record};
use chronaxis_model::account::{AccountEntry, AccountTold, HostRule};
use chronaxis_model::endpoint::Endpoint;
use chronaxis_model::fact::Fact;
use chronaxis_model::redact::Redacted;

use crate::judge::PathView;

/// What the accounts say of the user of this path; a rule's place is its number among them.
pub(super) fn by_accounts(
    told: &AccountTold,
    entries: &[AccountEntry],
    view: &PathView<'_>,
) -> Option<Decision> {
    let client = client_of(told, view)?;
    let numbered = entries.iter().enumerate();
    let list = Accounts {
        accounts: numbered
            .map(|(at, entry)| account(at, entry, &client))
            .collect(),
    };
    let mut attempt = Attempt::new(client.address, place(&view.endpoint), client.day);
    attempt.user.clone_from(&view.evidence.target.user);
    Some(accounts::decide(&list, &attempt, false))
}

/// What the host rules say of a line that is encrypted or not, to the database that was asked
/// for or to another; a rule's place is its number among them.
pub(super) fn by_rules(
    rules: &[HostRule],
    told: &AccountTold,
    view: &PathView<'_>,
    (encrypted, database): (bool, Option<&str>),
) -> Option<Decision> {
    let client = client_of(told, view)?;
    let target = view.evidence.target;
    let user = target.user.clone().unwrap_or_default();
    let socket = matches!(view.endpoint, Endpoint::Socket(_));
    let member =
        |group: &str| group == user || told.member_of.iter().any(|known| known.as_str() == group);
    let records = rules
        .iter()
        .enumerate()
        .filter_map(|(at, rule)| record(at, rule))
        .filter(|record| (record.kind == Kind::Local) == socket)
        .map(|record| match socket {
            // A list is asked for addresses: what is for socket files is for this one.
            true => Record {
                kind: Kind::Host,
                address: Some(Address::All),
                ..record
            },
            false => record,
        })
        .map(|record| with_members(record, &user, &member));
    let list = HostRules {
        records: records.collect(),
    };
    let mut attempt = Attempt::new(client.address, place(&view.endpoint), client.day);
    attempt.user = Some(user.clone());
    let own = || target.database.clone().or(Some(user));
    attempt.database = database.map(str::to_owned).or_else(own);
    attempt.encrypted = Some(encrypted);
    Some(host_rules::decide(&list, &attempt, false))
}

/// The members of a group are known here: its name stands for the user, or for nobody.
fn with_members(mut record: Record, user: &str, member: &impl Fn(&str) -> bool) -> Record {
    for name in &mut record.users {
        if let Some(group) = name.text.strip_prefix('+').filter(|_| !name.quoted) {
            name.text = match member(group) {
                true => user.to_owned(),
                false => String::new(),
            };
            name.quoted = true;
        }
    }
    record
}

/// The client, as the server knows it.
struct Client {
    address: IpAddr,
    /// Its name, where the server knows it by that.
    name: Option<String>,
    day: jiff::civil::Date,
}

fn client_of(told: &AccountTold, view: &PathView<'_>) -> Option<Client> {
    let words = view.find(|fact| match fact {
        Fact::ServerRefused { message, .. } => quoted_host(message.as_str()),
        _ => None,
    });
    let told = told.client.as_ref().map(|c| c.as_str().to_owned());
    let from = view.find(|fact| match fact {
        Fact::PortConnected { from, .. } => *from,
        _ => None,
    });
    let known = words.or(told);
    let address = known.as_deref().and_then(|k| k.parse().ok());
    let name = known.filter(|_| address.is_none());
    let local =
        matches!(view.endpoint, Endpoint::Socket(_)).then_some(IpAddr::V4(Ipv4Addr::LOCALHOST));
    Some(Client {
        address: address.or(from.map(|f| f.ip())).or(local)?,
        name,
        // Lists of a server have no days.
        day: jiff::civil::Date::constant(2000, 1, 1),
    })
}

/// The host behind the `@` of an account in a server's words.
pub fn quoted_host(words: &str) -> Option<String> {
    let (_, rest) = words.split_once("'@'")?;
    let (host, _) = rest.split_once('\'')?;
    Some(host.to_owned()).filter(|host| !host.is_empty())
}

fn place(endpoint: &Endpoint) -> SocketAddr {
    match endpoint {
        Endpoint::Tcp(to) => *to,
        Endpoint::Socket(_) => SocketAddr::from((Ipv4Addr::LOCALHOST, 0)),
    }
}

fn account(at: usize, entry: &AccountEntry, client: &Client) -> Account {
    let host = entry.host.as_ref().map_or("", |h| h.as_str());
    let by_name = client.name.as_ref().is_some_and(|name| {
        like(&host.to_lowercase(), &name.to_lowercase()) && !host.starts_with('%')
    });
    Account {
        user: entry.user.as_str().to_owned(),
        host: match by_name {
            true => client.address.to_string(),
            false => host.to_owned(),
        },
        at: at..at,
        host_at: 0..0,
    }
}

/// Whether a name fits a pattern of SQL (`%` for anything, `_` for one sign).
fn like(pattern: &str, name: &str) -> bool {
    let mut rest = pattern.chars();
    match rest.next() {
        None => name.is_empty(),
        Some('%') => {
            let rest = rest.as_str();
            (0..=name.len())
                .filter(|at| name.is_char_boundary(*at))
                .any(|at| like(rest, name.get(at..).unwrap_or_default()))
        }
        Some(sign) => {
            let mut own = name.chars();
            own.next().is_some_and(|c| sign == '_' || c == sign)
                && like(rest.as_str(), own.as_str())
        }
    }
}

fn record(at: usize, rule: &HostRule) -> Option<Record> {
    let kind = Kind::WORDS
        .iter()
        .find(|(word, _)| *word == rule.kind.as_str())?
        .1;
    let name = |text: &str| Name {
        text: text.to_owned(),
        quoted: false,
    };
    let address = match (
        rule.address.as_ref().map(|a| a.as_str()),
        rule.mask.as_ref().map(|m| m.as_str()),
    ) {
        (None, _) => None,
        (Some("all"), _) => Some(Address::All),
        (Some("samehost"), _) => Some(Address::SameHost),
        (Some("samenet"), _) => Some(Address::SameNet),
        (Some(address), Some(mask)) => {
            let ip: IpAddr = address.parse().ok()?;
            let mask: IpAddr = mask.parse().ok()?;
            let bits = match mask {
                IpAddr::V4(m) => u128::from(u32::from(m)),
                IpAddr::V6(m) => u128::from(m),
            };
            Some(Address::Masked { ip, mask: bits })
        }
        (Some(host), None) => Some(Address::Name(host.to_owned())),
    };
    let names = |all: &[Redacted]| all.iter().map(|n| name(n.as_str())).collect::<Vec<_>>();
    let list = |all: &[Redacted]| all.iter().map(|n| n.as_str()).collect::<Vec<_>>().join(",");
    let parts = [
        rule.kind.as_str().to_owned(),
        list(&rule.databases),
        list(&rule.users),
        [&rule.address, &rule.mask]
            .into_iter()
            .flatten()
            .map(|t| t.as_str())
            .collect::<Vec<_>>()
            .join(" "),
        rule.method.as_str().to_owned(),
    ];
    let text: Vec<String> = parts.into_iter().filter(|part| !part.is_empty()).collect();
    Some(Record {
        kind,
        databases: names(&rule.databases),
        users: names(&rule.users),
        address,
        address_at: 0..0,
        method: rule.method.as_str().to_owned(),
        spot: Spot::own(at..at),
        text: text.join(" "),
    })
}
