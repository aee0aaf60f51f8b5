//! What `iptables-save` and `ip6tables-save` print (iptables(8), iptables-extensions(8)).

mod matches;
mod options;
mod targets;

use std::collections::BTreeMap;

use chronaxis_allowlist::answer::Spot;
use chronaxis_allowlist::packet_filter::{Base, Chain, Family, Filter, Hook, Purpose, Rule};

use crate::node::Broken;
use options::Words;

/// The tables of iptables.
pub(super) const TABLES: [&str; 5] = ["raw", "mangle", "nat", "filter", "security"];

/// Whether a text is such a print: a table begins in it.
pub(super) fn is_one(text: &str) -> bool {
    text.lines().any(|line| {
        line.trim_end()
            .strip_prefix('*')
            .is_some_and(|t| TABLES.contains(&t))
    })
}

/// A table while it is read.
struct Section {
    table: String,
    family: Option<Family>,
    chains: BTreeMap<String, usize>,
}

/// Reads all tables.
pub(super) fn read(text: &str) -> Result<Filter, Broken> {
    let mut filter = Filter::default();
    let mut section: Option<Section> = None;
    let mut told: Option<Family> = None;
    let mut lines: Vec<(usize, &str)> = Vec::new();
    let mut at = 0;
    for raw in text.split_inclusive('\n') {
        lines.push((at, raw.trim_end_matches(['\n', '\r'])));
        at += raw.len();
    }
    let guessed = family_of(text);
    // Chains come before the rules that lead to them, in every table.
    for (at, line) in lines {
        let shown = line.trim();
        if let Some(comment) = shown.strip_prefix('#') {
            if comment.contains("ip6tables-save") {
                told = Some(Family::Ip6);
            } else if comment.contains("iptables-save") {
                told = Some(Family::Ip);
            }
            continue;
        }
        if shown.is_empty() {
            continue;
        }
        if let Some(table) = shown.strip_prefix('*') {
            if !TABLES.contains(&table) {
                let known = format!("one of {}", TABLES.join(", "));
                return Err(Broken::new(at, "there is no such table", known));
            }
            section = Some(Section {
                table: table.to_owned(),
                family: told.or(guessed),
                chains: BTreeMap::new(),
            });
            continue;
        }
        let Some(open) = &mut section else {
            let what = "this line stands in no table";
            return Err(Broken::new(
                at,
                what,
                "*filter, or another table, before it",
            ));
        };
        if shown == "COMMIT" {
            section = None;
            continue;
        }
        let place = at..at + line.len();
        if let Some(declared) = shown.strip_prefix(':') {
            let chain = chain(declared, open, place)?;
            let name = declared.split(' ').next().unwrap_or_default().to_owned();
            open.chains.insert(name, filter.chains.len());
            filter.chains.push(chain);
            continue;
        }
        rule(&mut filter, open, shown, place)?;
    }
    let mut families: Vec<Family> = filter.chains.iter().map(|c| c.family).collect();
    families.dedup();
    filter.only = match families.as_slice() {
        [one @ (Family::Ip | Family::Ip6)] => Some(*one),
        _ => None,
    };
    Ok(filter)
}

/// Of which family the addresses in a text are.
fn family_of(text: &str) -> Option<Family> {
    let words = text.split_whitespace();
    let mut addresses = words.filter_map(|word| {
        let address = word.split('/').next()?;
        address.parse::<std::net::IpAddr>().ok()
    });
    addresses.next().map(|ip| match ip.is_ipv6() {
        true => Family::Ip6,
        false => Family::Ip,
    })
}

fn chain(
    declared: &str,
    section: &Section,
    place: std::ops::Range<usize>,
) -> Result<Chain, Broken> {
    let mut words = declared.split_whitespace();
    let name = words.next().unwrap_or_default();
    let policy = words.next().unwrap_or_default();
    let hook = match name {
        "PREROUTING" => Some(Hook::Prerouting),
        "INPUT" => Some(Hook::Input),
        "FORWARD" => Some(Hook::Forward),
        "OUTPUT" => Some(Hook::Output),
        "POSTROUTING" => Some(Hook::Postrouting),
        _ => None,
    };
    let drops = match policy {
        "ACCEPT" | "-" => false,
        "DROP" => true,
        _ => {
            let what = "the chain has no known policy";
            return Err(Broken::new(place.start, what, ":NAME ACCEPT, DROP or -"));
        }
    };
    let nat = section.table == "nat";
    // The numbers of Linux (`enum nf_ip_hook_priorities`).
    let priority = match (section.table.as_str(), hook) {
        ("raw", _) => -300,
        ("mangle", _) => -150,
        ("nat", Some(Hook::Prerouting | Hook::Output)) => -100,
        ("nat", _) => 100,
        ("security", _) => 50,
        _ => 0,
    };
    Ok(Chain {
        title: format!("table {}, chain {}", section.table, shown(name)),
        family: section.family.unwrap_or(Family::Inet),
        base: hook.map(|hook| Base {
            hook,
            priority,
            purpose: if nat { Purpose::Nat } else { Purpose::Filter },
            drops,
        }),
        rules: Vec::new(),
        spot: Spot::own(place),
    })
}

fn shown(name: &str) -> String {
    chronaxis_model::redact::visible(name)
}

fn rule(
    filter: &mut Filter,
    section: &Section,
    line: &str,
    place: std::ops::Range<usize>,
) -> Result<(), Broken> {
    // Counters stand before a rule where they were asked for.
    let bare = match line.strip_prefix('[').and_then(|l| l.split_once("] ")) {
        Some((_, rest)) => rest,
        None => line,
    };
    let mut words = Words::of(bare).ok_or_else(|| {
        Broken::new(
            place.start,
            "a quote is not closed",
            "the line as it was printed",
        )
    })?;
    if words.next().as_deref() != Some("-A") {
        let what = "this line is no rule";
        return Err(Broken::new(
            place.start,
            what,
            "-A CHAIN …, :CHAIN POLICY or COMMIT",
        ));
    }
    let name = words.next().unwrap_or_default();
    let Some(index) = section.chains.get(&name).copied() else {
        let what = "the rule is for a chain that was not declared";
        return Err(Broken::new(
            place.start,
            what,
            ":CHAIN POLICY above it, in the same table",
        ));
    };
    let steps = options::steps(&mut words, &section.chains)
        .map_err(|what| Broken::new(place.start, what, "the line as it was printed"))?;
    let lead = line.len() - bare.len();
    let text = super::place::line_of(line.get(lead..).unwrap_or_default());
    if let Some(chain) = filter.chains.get_mut(index) {
        chain.rules.push(Rule {
            spot: Spot::own(place),
            text: format!("{}: {text}", section.table),
            steps,
        });
    }
    Ok(())
}
