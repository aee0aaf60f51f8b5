//! Accounts of MySQL and MariaDB with the hosts from which they may sign in (MariaDB's
//! manual, "CREATE USER", "Host name component"): of those that fit, the most particular
//! host decides, and an anonymous account can take a connection from a named one.

use std::cmp::Reverse;
use std::net::IpAddr;

use crate::answer::{self, Answer, Barrier, Decision, Passed, Spot};
use crate::attempt::Attempt;
use crate::block::mask_length;

use chronaxis_model::found::{CauseId, Warning};

use crate::own::findings::Finding;

/// An account.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Account {
    /// Its user; empty for everybody.
    pub user: String,
    /// The pattern of hosts.
    pub host: String,
    /// Where it is written.
    pub at: std::ops::Range<usize>,
    /// Where its host is written.
    pub host_at: std::ops::Range<usize>,
}

/// All accounts of a server.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Accounts {
    /// In the order of the file, which does not matter.
    pub accounts: Vec<Account>,
}

impl Account {
    /// The account as an outcome names it.
    pub fn shown(&self) -> answer::Rule {
        answer::Rule {
            spot: Some(Spot::own(self.at.clone())),
            text: chronaxis_model::redact::visible(&format!("'{}'@'{}'", self.user, self.host)),
        }
    }

    /// Whether its host is any.
    pub fn is_everywhere(&self) -> bool {
        self.host.is_empty() || self.host == "%"
    }
}

/// How particular a host is, as MariaDB 10.11 sorts them (measured): one without a wildcard,
/// be it an address or one with a netmask; one with `_` alone; one with `%` too. Of these the
/// one that asks for the longest text, then the one with fewer places for anything, then the
/// one where the first of them stands further to the left.
fn particular(host: &str) -> (u8, u32, Reverse<u32>, Reverse<u32>) {
    let key = |class: u8, length: u32, places: u32, first: u32| {
        (class, length, Reverse(places), Reverse(first))
    };
    let (mut length, mut places, mut first) = (0, 0, None);
    let (mut any, mut was_any) = (false, false);
    let mut signs = host.chars();
    while let Some(sign) = signs.next() {
        let at = length;
        match sign {
            '%' => {
                any = true;
                places += u32::from(!was_any);
                first = first.or(Some(at));
            }
            '_' => {
                length += 1;
                places += 1;
                first = first.or(Some(at));
            }
            sign => {
                if sign == '\\' {
                    signs.next();
                }
                length += 1;
            }
        }
        was_any = sign == '%';
    }
    match first {
        None if host.is_empty() => key(0, 0, 0, 0),
        None => key(3, 0, 0, 0),
        Some(first) => key(if any { 1 } else { 2 }, length, places, first),
    }
}

/// Whether a text fits a pattern: `%` for anything, `_` for one sign, a backslash before
/// either for itself; letters of either case are alike.
fn like(text: &[char], pattern: &[char]) -> bool {
    // The last `%` and where in the text what it stands for ends: tried again from there.
    let (mut at, mut next) = (0, 0);
    let mut star: Option<(usize, usize)> = None;
    loop {
        let (sign, escaped) = match pattern.get(next) {
            Some('\\') if pattern.len() > next + 1 => (pattern.get(next + 1), true),
            sign => (sign, false),
        };
        let step = if escaped { 2 } else { 1 };
        match (sign, text.get(at)) {
            (Some('%'), _) if !escaped => {
                star = Some((next + 1, at));
                next += 1;
                continue;
            }
            (Some('_'), Some(_)) if !escaped => {
                at += 1;
                next += 1;
                continue;
            }
            (Some(sign), Some(given)) if sign.eq_ignore_ascii_case(given) => {
                at += 1;
                next += step;
                continue;
            }
            (None, None) => return true,
            _ => {}
        }
        match star {
            Some((after, from)) if from < text.len() => {
                star = Some((after, from + 1));
                (next, at) = (after, from + 1);
            }
            _ => return false,
        }
    }
}

/// Whether a client fits a host.
enum Fits {
    Yes,
    No(String),
    Maybe(String),
}

fn fits(host: &str, client: IpAddr) -> Fits {
    if host.is_empty() || host == "%" {
        return Fits::Yes;
    }
    let no = || Fits::No(format!("{client} does not fit '{host}'"));
    if let Some((net, mask)) = host.split_once('/') {
        let net: Option<std::net::Ipv4Addr> = net.parse().ok();
        let IpAddr::V4(ip) = client else {
            return no();
        };
        return match (net, mask.parse::<std::net::Ipv4Addr>()) {
            (Some(net), Ok(mask)) => match u32::from(ip) & u32::from(mask) == u32::from(net) {
                true => Fits::Yes,
                false => no(),
            },
            (Some(net), Err(_)) => match mask.parse::<u8>() {
                Ok(length @ 0..=32) => {
                    let block = crate::block::Block::prefix(net.into(), length);
                    match block.has(client) {
                        true => Fits::Maybe(format!(
                            "'{host}' is a range to MySQL 8.0.23 and later; MariaDB and older versions need the netmask written out"
                        )),
                        false => no(),
                    }
                }
                _ => no(),
            },
            _ => no(),
        };
    }
    let pattern: Vec<char> = host.chars().collect();
    let text: Vec<char> = client.to_string().chars().collect();
    if like(&text, &pattern) {
        return Fits::Yes;
    }
    // The server's own machine has one name, whatever it resolves.
    if matches!(client.to_string().as_str(), "127.0.0.1" | "::1") {
        let name: Vec<char> = "localhost".chars().collect();
        return match like(&name, &pattern) {
            true => Fits::Yes,
            false => no(),
        };
    }
    if host.eq_ignore_ascii_case("localhost") && !client.is_loopback() {
        return no();
    }
    // A pattern of digits and dots fits no name.
    let of_address = |c: char| c.is_ascii_digit() || ".:%_\\".contains(c);
    match host.chars().all(of_address) && host.chars().any(|c| c.is_ascii_digit()) {
        true => no(),
        false => Fits::Maybe(format!(
            "it depends on the name that the server finds for {client}, and whether that fits '{host}'"
        )),
    }
}

/// The accounts that may take a user's connections, the first of them first.
fn in_order<'a>(accounts: &'a Accounts, user: &str) -> Vec<&'a Account> {
    let mut out: Vec<&Account> = accounts
        .accounts
        .iter()
        .filter(|a| a.user == user || a.user.is_empty())
        .collect();
    // Of equally particular hosts, a named account comes before the anonymous one, and the
    // text that is sorted last before the others.
    out.sort_by_key(|a| {
        let host = Reverse(a.host.as_str());
        (Reverse(particular(&a.host)), a.user.is_empty(), host)
    });
    out
}

/// What the accounts say of an attempt; with every account that was passed over if `keep`.
pub fn decide(accounts: &Accounts, attempt: &Attempt, keep: bool) -> Decision {
    let Some(user) = attempt.user.as_deref() else {
        let why = "it depends on the user (--user)";
        return Decision::new(Answer::Unknown, None, why);
    };
    let mut passed = Vec::new();
    let mut open: Option<(&Account, String)> = None;
    let mut taken: Option<&Account> = None;
    let mut own_fits: Option<&Account> = None;
    for account in in_order(accounts, user) {
        match fits(&account.host, attempt.client) {
            Fits::Yes => {
                if !account.user.is_empty() {
                    own_fits = own_fits.or(Some(account));
                }
                taken = taken.or(Some(account));
            }
            Fits::Maybe(why) if taken.is_none() => {
                open.get_or_insert((account, why));
            }
            Fits::Maybe(_) => {}
            Fits::No(why) => {
                if keep {
                    passed.push(Passed {
                        rule: account.shown(),
                        why,
                    });
                }
            }
        }
    }
    let answer = |account: &Account| match account.user.is_empty() {
        true => Answer::Denied,
        false => Answer::Allowed,
    };
    let end = taken.map_or(Answer::Denied, answer);
    let known = accounts.accounts.iter().any(|a| a.user == user);
    let mut decision = match (open, taken) {
        (Some((account, why)), _) if answer(account) != end => {
            Decision::new(Answer::Unknown, Some(account.shown()), why)
        }
        (_, Some(account)) if account.user.is_empty() => {
            let why = match own_fits {
                Some(own) => format!(
                    "the anonymous account takes the connection: its host is more particular than that of {}",
                    own.shown().text
                ),
                None => format!(
                    "no account of \"{user}\" fits, and the anonymous account takes the connection"
                ),
            };
            Decision::new(Answer::Denied, Some(account.shown()), why).behind(Barrier::HostRules)
        }
        (_, Some(account)) => Decision::new(
            Answer::Allowed,
            Some(account.shown()),
            "this account takes the connection; its password must fit",
        ),
        (_, None) => {
            let why = match known {
                true => format!("no account of \"{user}\" is for {}", attempt.client),
                false => format!("there is no account of \"{user}\""),
            };
            Decision::new(Answer::Denied, None, why).behind(Barrier::HostRules)
        }
    };
    if decision.answer == Answer::Denied && taken.is_none() {
        for account in accounts.accounts.iter().filter(|a| a.user == user).take(3) {
            let text = format!("{} exists", account.shown().text);
            decision
                .remarks
                .push((text, Some(Spot::own(account.at.clone()))));
        }
    }
    decision.passed = passed;
    decision
}

/// What else stands in a list of accounts.
pub fn findings(accounts: &Accounts) -> Vec<Finding> {
    let mut out = Vec::new();
    let mut seen = std::collections::BTreeSet::new();
    for account in &accounts.accounts {
        let spot = Spot::own(account.at.clone());
        let name = account.shown().text;
        if account.is_everywhere() {
            let text = format!("{name} may sign in from any address in the world");
            out.push(Finding::warning(
                Warning::AllowListOpenToAll,
                text,
                spot.clone(),
            ));
        }
        if account.user.is_empty() {
            let text = format!(
                "{name} is anonymous: it can take connections from named accounts with a less particular host"
            );
            out.push(Finding::cause(
                CauseId::ClientHostNotPermitted,
                text,
                spot.clone(),
            ));
        }
        if let Some((net, mask)) = account.host.split_once('/')
            && let (Ok(net), Ok(mask)) = (
                net.parse::<std::net::Ipv4Addr>(),
                mask.parse::<std::net::Ipv4Addr>(),
            )
        {
            if u32::from(net) & !u32::from(mask) != 0 {
                let text =
                    format!("{name} fits nobody: its address has bits that its netmask leaves out");
                out.push(Finding::warning(Warning::RangeHostBits, text, spot.clone()));
            } else if mask_length(mask).is_some_and(|l| (1..=7).contains(&l)) {
                let text = format!("{name}: the netmask is wider than any one network");
                out.push(Finding::warning(Warning::RangeTooWide, text, spot.clone()));
            }
        }
        if !seen.insert((account.user.clone(), account.host.to_ascii_lowercase())) {
            let text = format!("{name} is in the list twice");
            out.push(Finding::warning(Warning::RuleDuplicate, text, spot));
        }
    }
    out
}

/// The account that lets exactly this client in, as its user and host; none where it is let in,
/// or that is not known.
pub fn let_in(accounts: &Accounts, attempt: &Attempt) -> Option<(String, IpAddr)> {
    let user = attempt.user.clone()?;
    match decide(accounts, attempt, false).answer {
        Answer::Denied => Some((user, attempt.client)),
        _ => None,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn patterns_fit_as_the_server_has_it() {
        let fits = |text: &str, pattern: &str| {
            let chars = |t: &str| t.chars().collect::<Vec<char>>();
            like(&chars(text), &chars(pattern))
        };
        assert!(fits("10.8.4.7", "10.8.%") && fits("10.8.4.7", "10.8._.7"));
        assert!(fits("10.8.4.7", "%.7") && !fits("10.8.4.17", "10.8.4._"));
        assert!(!fits("10.8.4.7", "10.8.\\%") && fits("quay_1", "QUAY\\_1"));
        assert!(fits("", "%") && !fits("", "_"));
        assert!(particular("10.8.4.7") > particular("10.8.4.%"));
        assert!(particular("10.8.4.%") > particular("10.%"));
        assert!(particular("%") > particular(""));
    }
}
