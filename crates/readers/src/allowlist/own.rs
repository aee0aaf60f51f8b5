//! The list of our own format, in TOML, YAML and JSON: from a tree.

use std::ops::Range;

use chronaxis_allowlist::block;
use chronaxis_allowlist::own::{Action, Direction, List, Order, Peer, Ports, Protocol, Rule};
use chronaxis_model::redact::visible;
use chronaxis_model::shown;
use jiff::civil::Date;

use super::{Others, expected};
use crate::node::{self, Broken, Field, Is, Node};

/// The keys of a rule.
pub(super) const KEYS: [&str; 9] = [
    "direction",
    "action",
    "protocol",
    "ports",
    "peers",
    "priority",
    "enabled",
    "until",
    "note",
];

/// The keys that describe the list itself.
pub(super) const HEAD_KEYS: [&str; 4] = ["name", "kind", "default", "order"];

/// What a value was to be, for messages.
const PORTS: &str = "ports like 5432, 5000-5999, \"5432, 6432\" or any, from 1 to 65535";

/// A list that is being read.
pub(super) struct Draft {
    pub(super) list: List,
}

/// A rule whose values come one by one.
pub(super) struct DraftRule {
    rule: Rule,
    peers_told: bool,
}

/// Reads TOML.
pub(super) fn read_toml(text: &str, others: &dyn Others) -> Result<List, Broken> {
    match by_pieces(text, others) {
        Some(list) => Ok(list),
        None => read(&node::toml(text)?),
    }
}

/// Reads TOML piece by piece; nothing where anything is wrong, which the whole then says.
fn by_pieces(text: &str, others: &dyn Others) -> Option<List> {
    let middle = node::toml_half(text, "rule").unwrap_or(text.len());
    let (mut list, mut behind) = (None, None);
    others.at_once(&mut || list = part(text, 0..middle), &mut || {
        behind = part(text, middle..text.len())
    });
    let (mut list, behind) = (list?, behind?);
    list.rules.extend(behind.rules);
    some_rules(list, 0).ok()
}

fn part(text: &str, of: Range<usize>) -> Option<List> {
    let mut draft = Draft::new();
    for piece in node::toml_pieces(text, of, "rule") {
        draft.take(&piece?).ok()?;
    }
    Some(draft.list)
}

/// Reads a tree.
pub(super) fn read(root: &Node<'_>) -> Result<List, Broken> {
    let mut draft = Draft::new();
    if !matches!(root.is, Is::Map(_)) {
        return Err(Broken::new(
            root.at.start,
            format!("the file is {}, not an allow-list", root.kind()),
            "a table allowlist and a list called rule",
        ));
    }
    draft.take(root)?;
    some_rules(draft.list, root.at.start)
}

/// The list, unless it is empty: then it is hardly the one that was meant.
pub(super) fn some_rules(list: List, at: usize) -> Result<List, Broken> {
    match list.rules.is_empty() {
        false => Ok(list),
        true => Err(Broken::new(
            at,
            "the list has no rules",
            "at least one rule",
        )),
    }
}

fn table<'a, 'b>(field: &'b Field<'a>) -> Result<&'b [Field<'a>], Broken> {
    match &field.value.is {
        Is::Map(fields) => Ok(fields),
        _ => Err(Broken::new(
            field.value.at.start,
            format!("{} is {}", field.name, field.value.kind()),
            "keys with values",
        )),
    }
}

fn told<'b>(field: &'b Field<'_>) -> Result<&'b str, Broken> {
    field.value.scalar().ok_or_else(|| {
        let what = format!("{} is {}", visible(&field.name), field.value.kind());
        Broken::new(field.value.at.start, what, "one value")
    })
}

/// A key that the format does not have; foreign text is shown only where it can be a name.
pub(super) fn unknown(name: &str, at: &Range<usize>, known: &[&str]) -> Broken {
    let others = format!("one of {}", known.join(", "));
    let what = format!(
        "there is no key {} here",
        shown::key(name, known.iter().copied())
    );
    Broken::new(at.start, what, expected(name, known, &others))
}

/// A word of the file for a message: shown where it is made of what addresses and ports are
/// made of, for the file may be another one altogether, with secrets in it.
pub(super) fn word(text: &str) -> String {
    let of_address = |b: u8| b.is_ascii_hexdigit() || b".:/-,".contains(&b);
    match text.len() <= 80 && !text.is_empty() && text.bytes().all(of_address) {
        true => format!("\"{text}\""),
        false => shown::hidden(text),
    }
}

fn rule(node: &Node<'_>) -> Result<Rule, Broken> {
    let Is::Map(fields) = &node.is else {
        return Err(Broken::new(
            node.at.start,
            format!("a rule is {}", node.kind()),
            "keys with values",
        ));
    };
    let mut draft = DraftRule::new(node.at.clone());
    for field in fields {
        match (field.name.as_ref(), &field.value.is) {
            ("peers", Is::List(elements)) => {
                draft.peers_told = true;
                for element in elements {
                    let Some(text) = element.scalar() else {
                        return Err(Broken::new(
                            element.at.start,
                            format!("a peer is {}", element.kind()),
                            "an address or range, in quotes",
                        ));
                    };
                    draft.peer(text, &element.at)?;
                }
            }
            ("ports", Is::List(elements)) => {
                let words: Option<Vec<&str>> = elements.iter().map(Node::scalar).collect();
                let joined = words.unwrap_or_default().join(", ");
                draft.put("ports", &field.name_at, &joined, &field.value.at)?;
            }
            (name, _) => draft.put(name, &field.name_at, told(field)?, &field.value.at)?,
        }
    }
    draft.done()
}

impl Draft {
    pub(super) fn new() -> Draft {
        Draft {
            list: List::empty(),
        }
    }

    /// Takes what stands in a tree, or in a piece of one.
    fn take(&mut self, root: &Node<'_>) -> Result<(), Broken> {
        for field in root.fields() {
            match field.name.as_ref() {
                "allowlist" => {
                    for inner in table(field)? {
                        self.head(&inner.name, &inner.name_at, told(inner)?, &inner.value.at)?;
                    }
                }
                "rule" => {
                    let Is::List(rules) = &field.value.is else {
                        return Err(Broken::new(
                            field.value.at.start,
                            format!("rule is {}, not a list", field.value.kind()),
                            "a list of rules: [[rule]] in TOML, - under rule: in YAML",
                        ));
                    };
                    self.list.rules.reserve(rules.len());
                    for node in rules {
                        self.list.rules.push(rule(node)?);
                    }
                }
                other => return Err(unknown(other, &field.name_at, &["allowlist", "rule"])),
            }
        }
        Ok(())
    }

    /// A value that describes the list.
    pub(super) fn head(
        &mut self,
        name: &str,
        name_at: &Range<usize>,
        value: &str,
        at: &Range<usize>,
    ) -> Result<(), Broken> {
        let wrong = |expected: &str| {
            let what = format!("the {name} is not a known word");
            Err(Broken::new(at.start, what, expected))
        };
        match name {
            "name" => self.list.name = Some(value.to_owned()),
            "kind" => match value {
                "stateful" => self.list.stateful = true,
                "stateless" => self.list.stateful = false,
                _ => return wrong("stateful or stateless"),
            },
            "default" => match action(value) {
                Some(action) => self.list.default = action,
                None => return wrong("allow or deny"),
            },
            "order" => match value {
                "first-match" => self.list.order = Order::FirstMatch,
                "any-allow" => self.list.order = Order::AnyAllow,
                "priority" => self.list.order = Order::Priority,
                _ => return wrong("first-match, any-allow or priority"),
            },
            _ => return Err(unknown(name, name_at, &HEAD_KEYS)),
        }
        Ok(())
    }
}

fn action(word: &str) -> Option<Action> {
    match word {
        "allow" => Some(Action::Allow),
        "deny" => Some(Action::Deny),
        _ => None,
    }
}

impl DraftRule {
    pub(super) fn new(at: Range<usize>) -> DraftRule {
        DraftRule {
            rule: Rule {
                direction: Direction::Inbound,
                action: Action::Allow,
                protocol: Protocol::Tcp,
                ports: Ports::any(),
                peers: Vec::new(),
                priority: None,
                enabled: true,
                until: None,
                note: None,
                at,
                ports_at: 0..0,
                enabled_at: 0..0,
            },
            peers_told: false,
        }
    }

    /// Takes one value.
    pub(super) fn put(
        &mut self,
        name: &str,
        name_at: &Range<usize>,
        value: &str,
        at: &Range<usize>,
    ) -> Result<(), Broken> {
        let wrong = |expected: &str| {
            let what = format!("the value of {name} is not understood");
            Err(Broken::new(at.start, what, expected))
        };
        match name {
            "direction" => match value {
                "inbound" => self.rule.direction = Direction::Inbound,
                "outbound" => self.rule.direction = Direction::Outbound,
                _ => return wrong("inbound or outbound"),
            },
            "action" => match action(value) {
                Some(action) => self.rule.action = action,
                None => return wrong("allow or deny"),
            },
            "protocol" => match Protocol::from_word(value) {
                Some(protocol) => self.rule.protocol = protocol,
                None => return wrong(&format!("one of {}", Protocol::WORDS.join(", "))),
            },
            "ports" => match ports(value) {
                Ok(ports) => {
                    self.rule.ports = ports;
                    self.rule.ports_at = at.clone();
                }
                Err(what) => return Err(Broken::new(at.start, what, PORTS)),
            },
            "peers" => {
                self.peers_told = true;
                let mut from = 0;
                for piece in value.split([' ', ',', '\t', '\n', ';']) {
                    let start = from;
                    from += piece.len() + 1;
                    if piece.is_empty() {
                        continue;
                    }
                    // Where a value is written as it reads, each peer has its own place.
                    let quote = usize::from(at.len() == value.len() + 2);
                    let place = match at.len() == value.len() + 2 * quote {
                        true => at.start + quote + start..at.start + quote + start + piece.len(),
                        false => at.clone(),
                    };
                    self.peer(piece, &place)?;
                }
            }
            "priority" => match value.parse() {
                Ok(number) => self.rule.priority = Some(number),
                Err(_) => return wrong("a whole number"),
            },
            "enabled" => {
                self.rule.enabled = match value {
                    "true" | "True" | "TRUE" => true,
                    "false" | "False" | "FALSE" => false,
                    _ => return wrong("true or false"),
                };
                self.rule.enabled_at = at.clone();
            }
            "until" => match value.parse::<Date>() {
                Ok(day) if value.len() == 10 => self.rule.until = Some(day),
                _ => return wrong("a date like 2026-12-31"),
            },
            "note" => self.rule.note = Some(super::place::line_of(value)),
            _ => return Err(unknown(name, name_at, &KEYS)),
        }
        Ok(())
    }

    fn peer(&mut self, text: &str, at: &Range<usize>) -> Result<(), Broken> {
        let written = block::read(text.trim()).map_err(|why| {
            let what = format!("the peer {}: {why}", word(text));
            let expected = "an address or range like 10.8.0.0/16, 192.0.2.7 or 2001:db8::/32";
            Broken::new(at.start, what, expected)
        })?;
        self.rule.peers.push(Peer {
            block: written.block,
            host_bits: written.host_bits,
            at: at.clone(),
        });
        Ok(())
    }

    /// The rule, if it says for whom it is.
    pub(super) fn done(self) -> Result<Rule, Broken> {
        if self.rule.peers.is_empty() {
            let what = match self.peers_told {
                true => "the rule has an empty list of peers",
                false => "the rule has no peers",
            };
            let expected = "peers, for everybody \"0.0.0.0/0\" and \"::/0\"";
            return Err(Broken::new(self.rule.at.start, what, expected));
        }
        Ok(self.rule)
    }
}

/// Reads ports.
fn ports(text: &str) -> Result<Ports, String> {
    if text.trim() == "any" {
        return Ok(Ports::any());
    }
    let mut ranges = Vec::new();
    for piece in text.split([',', ' ']).filter(|p| !p.trim().is_empty()) {
        let number = |text: &str| -> Result<u16, String> {
            let text = text.trim();
            let digits = !text.is_empty() && text.bytes().all(|b| b.is_ascii_digit());
            match text.parse::<u64>() {
                Ok(port @ 0..=65535) if digits => Ok(port as u16),
                Ok(port) if digits => Err(format!("there is no port {port}")),
                _ => Err(format!("{} is no port", word(text))),
            }
        };
        let piece = piece.trim();
        let (from, to) = match piece.split_once('-') {
            Some((from, to)) => (number(from)?, number(to)?),
            None => {
                let port = number(piece)?;
                (port, port)
            }
        };
        if to < from {
            return Err(format!("the ports {from}-{to} end before they begin"));
        }
        ranges.push((from, to));
    }
    match ranges.is_empty() {
        true => Err("there are no ports in it".to_owned()),
        false => Ok(Ports::of(ranges)),
    }
}
