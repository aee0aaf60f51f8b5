//! Allow-lists as texts: which kind a file is, by what stands in it, and its reading. What a
//! list says of an attempt is decided in a crate of its own.

mod accounts;
pub mod between;
mod chain;
mod change;
mod hba;
mod iptables;
pub mod matrix;
mod nft;
mod own;
mod own_csv;
mod place;
mod policies;

use std::net::SocketAddr;

use chronaxis_allowlist::accounts::{self as account_list, Accounts};
use chronaxis_allowlist::answer::{Answer, Decision, Spot};
use chronaxis_allowlist::attempt::Attempt;
use chronaxis_allowlist::host_rules::{self, HostRules};
use chronaxis_allowlist::moved::Moved;
use chronaxis_allowlist::own::findings::Finding;
use chronaxis_allowlist::own::{self as own_list, List};
use chronaxis_allowlist::packet_filter::{self, Filter};
use chronaxis_allowlist::policies::{self as network_policies, Policies};

pub use crate::node::Broken;
pub use chain::{Chain, MOST_NAMES};
pub(crate) use change::diff;
pub use change::{Change, close, let_in};
pub(crate) use place::covered;
pub use place::{line_of, place};

use chronaxis_model::settings::Place;

use crate::node;
use crate::text::Text;

/// Other files, for lists that include some; the edge reads them.
pub trait Others {
    /// The bytes of a file.
    ///
    /// # Errors
    /// Says why it cannot be read; nothing where there is no such file.
    fn file(&self, path: &str) -> Result<Vec<u8>, Option<String>>;

    /// The paths of the files in a folder.
    ///
    /// # Errors
    /// Says why it cannot be read.
    fn folder(&self, path: &str) -> Result<Vec<String>, String>;

    /// Does two pieces of work: at one time, where the edge has threads for that.
    fn at_once(&self, one: &mut (dyn FnMut() + Send), other: &mut (dyn FnMut() + Send)) {
        one();
        other();
    }
}

/// No other files.
#[derive(Clone, Copy, Debug)]
pub struct Alone;

impl Others for Alone {
    fn file(&self, _: &str) -> Result<Vec<u8>, Option<String>> {
        Err(None)
    }

    fn folder(&self, _: &str) -> Result<Vec<String>, String> {
        Err("there is no such folder".to_owned())
    }
}

/// A text of a list.
pub struct Sheet {
    /// Its path.
    pub path: String,
    /// What stands in it.
    pub text: Text,
}

/// Which kind of list a file is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Kind {
    /// Our own format, in TOML.
    OwnToml,
    /// In YAML.
    OwnYaml,
    /// In JSON.
    OwnJson,
    /// In CSV.
    OwnCsv,
    /// PostgreSQL's host rules.
    HostRules,
    /// The ruleset that nftables prints as JSON.
    Nftables,
    /// What iptables-save prints.
    Iptables,
    /// Accounts of MySQL or MariaDB with their hosts, in CSV.
    AccountsCsv,
    /// The same in JSON.
    AccountsJson,
    /// Network policies of Kubernetes, in YAML.
    PoliciesYaml,
    /// The same in JSON.
    PoliciesJson,
}

impl Kind {
    /// What people call it.
    pub fn title(self) -> &'static str {
        match self {
            Kind::OwnToml => "allow-list (TOML)",
            Kind::OwnYaml => "allow-list (YAML)",
            Kind::OwnJson => "allow-list (JSON)",
            Kind::OwnCsv => "allow-list (CSV)",
            Kind::HostRules => "host rules of PostgreSQL (pg_hba.conf)",
            Kind::Nftables => "packet filter (nftables)",
            Kind::Iptables => "packet filter (iptables)",
            Kind::AccountsCsv | Kind::AccountsJson => "accounts of MySQL or MariaDB",
            Kind::PoliciesYaml | Kind::PoliciesJson => "network policies of Kubernetes",
        }
    }

    /// The id in JSON.
    pub fn id(self) -> &'static str {
        match self {
            Kind::OwnToml => "own-toml",
            Kind::OwnYaml => "own-yaml",
            Kind::OwnJson => "own-json",
            Kind::OwnCsv => "own-csv",
            Kind::HostRules => "host-rules",
            Kind::Nftables => "nftables",
            Kind::Iptables => "iptables",
            Kind::AccountsCsv => "accounts-csv",
            Kind::AccountsJson => "accounts-json",
            Kind::PoliciesYaml => "network-policies-yaml",
            Kind::PoliciesJson => "network-policies-json",
        }
    }
}

/// The rules of a list.
#[derive(Clone, Debug)]
pub enum Rules {
    /// Those of our own format.
    Own(List),
    /// PostgreSQL's host rules.
    Host(HostRules),
    /// A packet filter.
    Filter(Filter),
    /// Accounts with their hosts.
    Accounts(Accounts),
    /// Network policies.
    Policies(Policies),
}

/// A list that was read.
pub struct Reading {
    /// Which kind it is.
    pub kind: Kind,
    /// Its own text first, then those that it includes.
    pub sheets: Vec<Sheet>,
    /// What it says.
    pub rules: Rules,
}

impl Reading {
    /// The place of a spot. Tables of accounts can have columns with secrets: of them no line
    /// is shown.
    pub fn place(&self, spot: &Spot) -> Option<Place> {
        let found = place(&self.sheets, spot)?;
        match self.kind {
            Kind::AccountsCsv | Kind::AccountsJson => Some(Place {
                excerpt: String::new(),
                at: 0,
                width: 1,
                ..found
            }),
            _ => Some(found),
        }
    }
}

impl Rules {
    /// What they say of an attempt; with every rule that was passed over if `keep`.
    pub fn decide(&self, attempt: &Attempt, keep: bool) -> Decision {
        match self {
            Rules::Own(list) => own_list::decide::decide(list, attempt, keep),
            Rules::Host(rules) => host_rules::decide(rules, attempt, keep),
            Rules::Filter(filter) => packet_filter::decide(filter, attempt, keep),
            Rules::Accounts(accounts) => account_list::decide(accounts, attempt, keep),
            Rules::Policies(policies) => network_policies::decide(policies, attempt, keep),
        }
    }

    /// The names of hosts in them, in lower case.
    pub fn names(&self) -> Vec<String> {
        match self {
            Rules::Host(rules) => rules.names().into_iter().collect(),
            _ => Vec::new(),
        }
    }

    /// Those of their names that lead elsewhere than they did.
    pub(crate) fn moved(&self, attempt: &Attempt) -> Vec<Moved> {
        match self {
            Rules::Host(rules) => rules.moved(attempt),
            _ => Vec::new(),
        }
    }

    /// Whether they guard the client's network, and not the server.
    pub(crate) fn guards_client(&self, to: SocketAddr) -> bool {
        match self {
            Rules::Own(list) => own_list::decide::guards_client(list, to),
            _ => false,
        }
    }

    /// What else stands in them.
    pub fn findings(&self, attempt: &Attempt) -> Vec<Finding> {
        match self {
            Rules::Own(list) => own_list::findings::findings(list, attempt.today),
            Rules::Host(rules) => host_rules::findings(rules, attempt),
            Rules::Filter(filter) => packet_filter::findings(filter, attempt),
            Rules::Accounts(accounts) => account_list::findings(accounts),
            Rules::Policies(policies) => network_policies::findings(policies),
        }
    }
}

/// Reads a list.
///
/// # Errors
/// Says where it cannot be read, with the texts that were read until then.
pub fn read(path: &str, text: Text, others: &dyn Others) -> Result<Reading, (Vec<Sheet>, Broken)> {
    let mut sheets = vec![Sheet {
        path: path.to_owned(),
        text,
    }];
    match read_sheets(&mut sheets, others) {
        Ok((kind, rules)) => Ok(Reading {
            kind,
            sheets,
            rules,
        }),
        Err(broken) => Err((sheets, broken)),
    }
}

/// What a list says of an attempt by the rules before the byte at which it breaks off: only
/// where one of them decides, and nothing that follows could change that.
pub fn before_the_break(
    path: &str,
    text: &str,
    at: usize,
    attempt: &Attempt,
    others: &dyn Others,
) -> Option<(Reading, Decision)> {
    let head = text.get(..at)?;
    let cut = match kind(path, text).ok()? {
        Kind::OwnToml => head.rfind("[[rule]]")?,
        Kind::OwnCsv | Kind::HostRules => head.rfind('\n').map(|n| n + 1)?,
        _ => return None,
    };
    let head = Text::new(head.get(..cut)?.to_owned());
    let reading = read(path, head, others).ok()?;
    let in_order = match &reading.rules {
        // A later rule may have a lower number, or allow what an earlier one denies; and what
        // is said of the list itself stands at its head.
        Rules::Own(list) => list.order == own_list::Order::FirstMatch && list.stateful,
        Rules::Host(_) => true,
        _ => false,
    };
    let decision = reading.rules.decide(attempt, false);
    let decided = decision.rule.is_some() && decision.answer != Answer::Unknown;
    (in_order && decided).then_some((reading, decision))
}

fn read_sheets(sheets: &mut Vec<Sheet>, others: &dyn Others) -> Result<(Kind, Rules), Broken> {
    let own = sheets.first();
    let (path, text) = own.map_or(("", ""), |s| (s.path.as_str(), s.text.string.as_str()));
    let kind = kind(path, text)?;
    let rules = match kind {
        Kind::OwnToml => Rules::Own(own::read_toml(text, others)?),
        Kind::OwnYaml => Rules::Own(own::read(&one_document(text)?)?),
        Kind::OwnJson => {
            let root = node::json(text)?;
            if accounts::is_list(&root) {
                let list = accounts::of_tree(&root)?;
                return Ok((Kind::AccountsJson, Rules::Accounts(list)));
            }
            Rules::Own(own::read(&root)?)
        }
        Kind::PoliciesYaml => Rules::Policies(policies::read(&node::yaml(text)?)?),
        Kind::PoliciesJson => Rules::Policies(policies::read(&[node::json(text)?])?),
        Kind::AccountsJson => Rules::Accounts(accounts::of_tree(&node::json(text)?)?),
        Kind::AccountsCsv => Rules::Accounts(accounts::of_table(text)?),
        Kind::OwnCsv => Rules::Own(own_csv::read(text)?),
        Kind::HostRules => Rules::Host(hba::read(sheets, others)?),
        Kind::Nftables => Rules::Filter(nft::read(&node::json(text)?)?),
        Kind::Iptables => Rules::Filter(iptables::read(text)?),
    };
    Ok((kind, rules))
}

fn one_document(text: &str) -> Result<node::Node<'_>, Broken> {
    let mut documents = node::yaml(text)?;
    if let Some(second) = documents.get(1) {
        let what = "there is a second document in the file";
        return Err(Broken::new(second.at.start, what, "one list in a file"));
    }
    documents
        .pop()
        .ok_or_else(|| Broken::new(0, "the file is empty", "an allow-list"))
}

/// What may stand in a file that is none of these.
const KINDS: &str = "an allow-list of Chronaxis (TOML, YAML, JSON, CSV), a pg_hba.conf, a ruleset of nftables (JSON), what iptables-save prints, accounts of MySQL as CSV or JSON with user and host, or a NetworkPolicy";

/// Which kind a text is.
fn kind(path: &str, whole: &str) -> Result<Kind, Broken> {
    /// What tells the kind stands near the beginning.
    const HEAD: usize = 256 * 1024;
    let end = (0..=HEAD.min(whole.len()))
        .rev()
        .find(|n| whole.is_char_boundary(*n));
    let text = whole.get(..end.unwrap_or(0)).unwrap_or_default();
    let mut lines = text.lines().map(str::trim);
    let first = lines.find(|l| !l.is_empty() && !l.starts_with(['#', ';']) && *l != "---");
    let Some(first) = first else {
        return Err(Broken::new(0, "the file holds no rules", KINDS));
    };
    let begins = |word: &str| {
        text.lines().any(|line| {
            let rest = line.trim_start().strip_prefix(word);
            rest.is_some_and(|rest| !rest.starts_with(|c: char| c.is_alphanumeric() || c == '_'))
        })
    };
    let table = ["[[rule]]", "[allowlist]", "[[ rule ]]", "[ allowlist ]"];
    if table.iter().any(|t| text.contains(t)) && !first.starts_with('{') {
        return Ok(Kind::OwnToml);
    }
    if iptables::is_one(text) {
        return Ok(Kind::Iptables);
    }
    if policies::is_one(whole) {
        return Ok(match first.starts_with('{') {
            true => Kind::PoliciesJson,
            false => Kind::PoliciesYaml,
        });
    }
    if first.starts_with(['{', '[']) {
        // The key comes first in what nftables prints.
        let head: String = text
            .chars()
            .filter(|c| !c.is_whitespace())
            .take(12)
            .collect();
        return Ok(match head.starts_with("{\"nftables\"") {
            true => Kind::Nftables,
            false => Kind::OwnJson,
        });
    }
    let ending = path.rsplit_once('.').map_or("", |(_, ending)| ending);
    let keyed = |sign: char| {
        text.lines().any(|line| {
            let name = line.split_once(sign).map(|(name, _)| name.trim_end());
            name.is_some_and(|n| n == "rule" || n == "allowlist")
        })
    };
    if keyed('=') {
        return Ok(Kind::OwnToml);
    }
    if keyed(':') || matches!(ending, "yaml" | "yml") {
        return Ok(Kind::OwnYaml);
    }
    let names: Vec<String> = first
        .split(',')
        .map(|n| n.trim().trim_matches('"').to_ascii_lowercase())
        .collect();
    let known = names
        .iter()
        .filter(|n| own::KEYS.contains(&n.as_str()))
        .count();
    if known > 0 && (known == names.len() || names.iter().any(|n| n == "peers")) {
        return Ok(Kind::OwnCsv);
    }
    if accounts::are_columns(&names) {
        return Ok(Kind::AccountsCsv);
    }
    let of_hba = |line: &str| {
        let word = line.split([' ', '\t', ',']).next().unwrap_or_default();
        hba::begins(word.trim_matches('"'))
    };
    let records = text.lines().any(|l| of_hba(l.trim()));
    if records || path.ends_with("pg_hba.conf") {
        return Ok(Kind::HostRules);
    }
    match ending {
        "toml" => Ok(Kind::OwnToml),
        "csv" => Ok(Kind::OwnCsv),
        _ if begins("peers") => Ok(Kind::OwnCsv),
        _ => Err(Broken::new(
            0,
            "nothing in this file says that it is an allow-list",
            KINDS,
        )),
    }
}

/// The word that was probably meant, or what else there could be.
fn expected(word: &str, known: &[&str], others: &str) -> String {
    let near = known
        .iter()
        .map(|k| (strsim::damerau_levenshtein(k, word), *k))
        .filter(|(distance, _)| *distance <= 2)
        .min();
    near.map_or_else(|| others.to_owned(), |(_, near)| format!("probably {near}"))
}

/// A path that stands in a file, seen from where that file is.
fn beside(file: &str, path: &str) -> String {
    match file.rsplit_once('/') {
        _ if path.starts_with('/') => path.to_owned(),
        Some((folder, _)) => format!("{folder}/{path}"),
        None => path.to_owned(),
    }
}

/// Line and column of a spot, from 1.
pub fn position(sheets: &[Sheet], spot: &Spot) -> (u32, u32) {
    sheets
        .get(spot.sheet)
        .map_or((1, 1), |s| s.text.position(spot.at.start))
}
