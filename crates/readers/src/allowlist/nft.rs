//! The JSON in which nftables prints its rules (libnftables-json(5)).

mod expression;
mod statement;
mod words;

use std::collections::BTreeMap;

use chronaxis_allowlist::answer::Spot;
use chronaxis_allowlist::packet_filter::{
    Base, Chain, Family, Filter, Hook, Item, Purpose, Rule, Verdict,
};

use crate::node::{Broken, Node};

/// A set or map with a name.
pub(super) struct Named<'a> {
    /// Its elements: a value each, and what it leads to where it is a map.
    elements: Vec<(Vec<Item>, Option<&'a Node<'a>>)>,
    /// Whether elements come and go while the machine runs.
    filled: bool,
}

/// What rules refer to by name, within their own table.
pub(super) struct Names<'a> {
    chains: BTreeMap<(String, String), usize>,
    sets: BTreeMap<(String, String), Named<'a>>,
}

/// The place of a table among the names.
fn table_of(node: &Node<'_>) -> String {
    let word = |key: &str| node.get(key).and_then(Node::scalar).unwrap_or_default();
    format!("{} {}", word("family"), word("table"))
}

fn word<'b>(node: &'b Node<'_>, key: &str) -> &'b str {
    node.get(key).and_then(Node::scalar).unwrap_or_default()
}

/// Reads a ruleset.
pub(super) fn read(root: &Node<'_>) -> Result<Filter, Broken> {
    let Some(all) = root.get("nftables") else {
        return Err(Broken::new(
            root.at.start,
            "there is no key nftables",
            "what nft -j list ruleset prints",
        ));
    };
    let mut filter = Filter::default();
    let mut names = Names {
        chains: BTreeMap::new(),
        sets: BTreeMap::new(),
    };
    let of = |kind: &'static str| all.elements().iter().filter_map(move |e| e.get(kind));
    for node in of("chain") {
        let key = (table_of(node), word(node, "name").to_owned());
        names.chains.insert(key, filter.chains.len());
        filter.chains.push(chain(node)?);
    }
    for kind in ["set", "map"] {
        for node in of(kind) {
            let key = (table_of(node), word(node, "name").to_owned());
            names.sets.insert(key, named(node));
        }
    }
    for node in of("rule") {
        let table = table_of(node);
        let chain = names
            .chains
            .get(&(table.clone(), word(node, "chain").to_owned()));
        let Some(chain) = chain.and_then(|index| filter.chains.get_mut(*index)) else {
            return Err(Broken::new(
                node.at.start,
                "the rule is for a chain that is not in the file",
                "the whole ruleset, as nft -j list ruleset prints it",
            ));
        };
        let rule = rule(node, &table, &names, &chain.title);
        chain.rules.push(rule);
    }
    Ok(filter)
}

fn chain(node: &Node<'_>) -> Result<Chain, Broken> {
    let family = match word(node, "family") {
        "ip" => Family::Ip,
        "ip6" => Family::Ip6,
        "inet" => Family::Inet,
        "arp" | "bridge" | "netdev" => Family::Frames,
        _ => {
            return Err(Broken::new(
                node.at.start,
                "the chain has no known family",
                "one of ip, ip6, inet, arp, bridge, netdev",
            ));
        }
    };
    let hook = match word(node, "hook") {
        "" => None,
        "ingress" => Some(Hook::Ingress),
        "prerouting" => Some(Hook::Prerouting),
        "input" => Some(Hook::Input),
        "forward" => Some(Hook::Forward),
        "output" => Some(Hook::Output),
        "postrouting" => Some(Hook::Postrouting),
        // Egress, and what is not known yet.
        _ => None,
    };
    // Rules for address resolution see no packet of TCP, those of bridges none that is routed.
    let hook = hook.filter(|_| !matches!(word(node, "family"), "arp" | "bridge"));
    let base = hook.map(|hook| Base {
        hook,
        priority: node.get("prio").and_then(Node::number).unwrap_or(0),
        purpose: match word(node, "type") {
            "nat" => Purpose::Nat,
            _ => Purpose::Filter,
        },
        drops: word(node, "policy") == "drop",
    });
    Ok(Chain {
        title: format!("table {}, chain {}", table_of(node), word(node, "name")),
        family,
        base,
        rules: Vec::new(),
        spot: Spot::own(node.at.clone()),
    })
}

fn named<'a>(node: &'a Node<'a>) -> Named<'a> {
    let flags = node.get("flags");
    let has = |flag: &str| {
        flags.is_some_and(|f| {
            f.scalar() == Some(flag) || f.elements().iter().any(|e| e.scalar() == Some(flag))
        })
    };
    let elements = node.get("elem").map_or(&[][..], Node::elements);
    let is_map = node.get("map").is_some();
    let each = elements
        .iter()
        .map(|element| match (is_map, element.elements()) {
            (true, [key, value]) => (expression::items(key), Some(value)),
            _ => (expression::items(element), None),
        });
    Named {
        elements: each.collect(),
        filled: has("dynamic") || has("timeout"),
    }
}

fn rule(node: &Node<'_>, table: &str, names: &Names<'_>, chain: &str) -> Rule {
    let expressions = node.get("expr").map_or(&[][..], Node::elements);
    let mut steps = Vec::new();
    for one in expressions {
        statement::read(one, table, names, &mut steps);
    }
    let text: Vec<String> = expressions.iter().map(words::statement).collect();
    let handle = node.get("handle").and_then(Node::number);
    let handle = handle.map_or_else(String::new, |n| format!(", handle {n}"));
    let comment = node.get("comment").and_then(Node::scalar);
    let comment = comment.map_or_else(String::new, |c| format!(" ({})", super::place::line_of(c)));
    Rule {
        spot: Spot::own(node.at.clone()),
        text: format!("{chain}{handle}: {}{comment}", text.join(" ")),
        steps,
    }
}

impl Names<'_> {
    /// What a verdict says; none where it is none.
    fn verdict(&self, node: &Node<'_>, table: &str) -> Option<Verdict> {
        let field = node.fields().first()?;
        let target = || {
            let name = field.value.get("target").and_then(Node::scalar)?;
            self.chains
                .get(&(table.to_owned(), name.to_owned()))
                .copied()
        };
        let lead = |to: fn(usize) -> Verdict| match target() {
            Some(chain) => to(chain),
            None => Verdict::Elsewhere("a chain that is not in the file".to_owned()),
        };
        Some(match field.name.as_ref() {
            "accept" => Verdict::Accept,
            "drop" => Verdict::Drop,
            "reject" => Verdict::Reject,
            "return" => Verdict::Return,
            "continue" => Verdict::Continue,
            "jump" => lead(Verdict::Jump),
            "goto" => lead(Verdict::Goto),
            "queue" => Verdict::Elsewhere("a program to which the packet is handed".to_owned()),
            _ => return None,
        })
    }
}
