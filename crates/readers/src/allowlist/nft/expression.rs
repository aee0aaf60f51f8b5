//! Expressions of nftables: what is looked at, and which values are wanted.

use std::net::IpAddr;

use chronaxis_allowlist::block::{Block, bits};
use chronaxis_allowlist::packet_filter::{Bits, Item, Key, Operand, Values};

use crate::node::{Is, Node};

/// What an expression looks at; several values for a concatenation.
pub(super) fn key(node: &Node<'_>) -> Vec<Operand> {
    match node.get("concat") {
        Some(parts) => parts.elements().iter().map(operand).collect(),
        None => vec![operand(node)],
    }
}

fn unknown(what: &str) -> Key {
    Key::Unknown(what.to_owned())
}

fn operand(node: &Node<'_>) -> Operand {
    let Some(field) = node.fields().first() else {
        return Operand::of(unknown("an expression that is not understood here"));
    };
    let value = &field.value;
    let word = |key: &str| value.get(key).and_then(Node::scalar).unwrap_or_default();
    match field.name.as_ref() {
        "payload" => Operand::of(payload(word("protocol"), word("field"))),
        "meta" => Operand::of(meta(word("key"))),
        "ct" => Operand::of(tracking(word("key"), word("dir"))),
        "fib" => Operand::of(routing(value)),
        "&" | "|" | "^" | "<<" | ">>" => changed(field.name.as_ref(), value),
        "exthdr" => Operand::of(unknown("a header of IPv6 that only some packets have")),
        "tcp option" => Operand::of(unknown("an option of TCP that the client may send")),
        "numgen" => Operand::of(unknown("a number that is drawn for each packet")),
        "jhash" | "symhash" => Operand::of(unknown("a hash of the packet")),
        "socket" => Operand::of(unknown("a socket of that machine")),
        "rt" | "osf" | "ipsec" => Operand::of(unknown("what that machine knows of the sender")),
        _ => Operand::of(unknown("an expression that is not understood here")),
    }
}

fn payload(protocol: &str, field: &str) -> Key {
    match (protocol, field) {
        ("ip", "saddr") => Key::Source { v6: false },
        ("ip", "daddr") => Key::Destination { v6: false },
        ("ip", "protocol") => Key::Protocol { v6: Some(false) },
        ("ip6", "saddr") => Key::Source { v6: true },
        ("ip6", "daddr") => Key::Destination { v6: true },
        ("ip6", "nexthdr") => Key::Protocol { v6: Some(true) },
        ("tcp" | "th", "sport") => Key::SourcePort,
        ("tcp" | "th", "dport") => Key::DestinationPort,
        ("tcp", "flags") => Key::Flags,
        ("tcp", _) => unknown("a field of TCP that the client sets"),
        ("ip" | "ip6", _) => unknown("a field of the packet's header that changes on the way"),
        (
            "udp" | "udplite" | "sctp" | "dccp" | "icmp" | "icmpv6" | "igmp" | "ah" | "esp"
            | "comp" | "arp" | "gre" | "geneve" | "vxlan",
            _,
        ) => Key::Absent,
        _ => unknown("a field of the frame"),
    }
}

fn meta(key: &str) -> Key {
    match key {
        "nfproto" => Key::SystemFamily,
        "l4proto" => Key::Protocol { v6: None },
        "protocol" => Key::Frame,
        "iif" | "iifname" => Key::ComesBy,
        "oif" | "oifname" => Key::LeavesBy,
        "mark" => Key::Mark { connection: false },
        "skuid" | "skgid" => unknown("the account of the program that sends"),
        "time" | "day" | "hour" => unknown("the time of day"),
        "length" => unknown("the length of the packet"),
        _ => unknown("something that only that machine knows of the packet"),
    }
}

fn tracking(key: &str, direction: &str) -> Key {
    let original = direction == "original";
    let end = |source: bool, port: bool, v6: Option<bool>| match original {
        true => Key::Original { source, port, v6 },
        false => unknown("what connection tracking knows of the answers"),
    };
    match key {
        "state" => Key::State,
        "direction" => Key::Direction,
        "mark" => Key::Mark { connection: true },
        "protocol" => Key::Protocol { v6: None },
        "l3proto" => Key::SystemFamily,
        "ip saddr" => end(true, false, Some(false)),
        "ip daddr" => end(false, false, Some(false)),
        "ip6 saddr" => end(true, false, Some(true)),
        "ip6 daddr" => end(false, false, Some(true)),
        "saddr" => end(true, false, None),
        "daddr" => end(false, false, None),
        "proto-src" => end(true, true, None),
        "proto-dst" => end(false, true, None),
        _ => unknown("what connection tracking counts"),
    }
}

fn routing(value: &Node<'_>) -> Key {
    let flags = value.get("flags");
    let flags: Vec<&str> = match flags {
        Some(node) if node.scalar().is_some() => node.scalar().into_iter().collect(),
        Some(node) => node.elements().iter().filter_map(Node::scalar).collect(),
        None => Vec::new(),
    };
    let kind = value.get("result").and_then(Node::scalar) == Some("type");
    match (kind, flags.as_slice()) {
        (true, ["saddr"]) => Key::AddressKind { source: true },
        (true, ["daddr"]) => Key::AddressKind { source: false },
        _ => unknown("the routing table of that machine"),
    }
}

/// A value with bits kept or turned.
fn changed(sign: &str, value: &Node<'_>) -> Operand {
    let not_understood = || Operand::of(unknown("arithmetic that is not understood here"));
    let [left, right] = value.elements() else {
        return not_understood();
    };
    let inner = operand(left);
    let Some(number) = number(right) else {
        return not_understood();
    };
    let before = inner.bits.unwrap_or(Bits {
        keep: u128::MAX,
        turn: 0,
    });
    let bits = match sign {
        "&" => Bits {
            keep: before.keep & number,
            turn: before.turn & number,
        },
        "^" => Bits {
            keep: before.keep,
            turn: before.turn ^ number,
        },
        "|" => Bits {
            keep: before.keep & !number,
            turn: (before.turn & !number) | number,
        },
        _ => return not_understood(),
    };
    Operand {
        key: inner.key,
        bits: Some(bits),
    }
}

/// One number: a plain one, an address, a word for one, or several flags together.
pub(super) fn number(node: &Node<'_>) -> Option<u128> {
    if let Is::List(flags) = &node.is {
        return flags
            .iter()
            .try_fold(0, |all, flag| Some(all | number(flag)?));
    }
    if let Some(parts) = node.get("|") {
        return parts
            .elements()
            .iter()
            .try_fold(0, |all, part| Some(all | number(part)?));
    }
    let text = node.scalar()?;
    if let Ok(number) = text.parse() {
        return Some(number);
    }
    if let Some(hex) = text.strip_prefix("0x") {
        return u128::from_str_radix(hex, 16).ok();
    }
    if let Ok(ip) = text.parse::<IpAddr>() {
        return Some(bits(ip).1);
    }
    word(text)
}

/// The numbers behind the words that nft prints.
fn word(text: &str) -> Option<u128> {
    Some(match text {
        // Protocols (RFC 5237).
        "icmp" => 1,
        "igmp" => 2,
        "tcp" => 6,
        "udp" => 17,
        "gre" => 47,
        "esp" => 50,
        "ah" => 51,
        "icmpv6" | "ipv6-icmp" => 58,
        "sctp" => 132,
        "udplite" => 136,
        // Families, as the system numbers them.
        "ipv4" => 2,
        "ipv6" => 10,
        // What a frame carries.
        "ip" => 0x0800,
        "ip6" => 0x86dd,
        "arp" => 0x0806,
        "vlan" => 0x8100,
        // States of connection tracking, as bits.
        "invalid" => 1,
        "established" => 2,
        "related" => 4,
        "new" => 8,
        "untracked" => 64,
        "original" => 0,
        "reply" => 1,
        // Control bits of TCP (RFC 9293, section 3.1).
        "fin" => 1,
        "syn" => 2,
        "rst" => 4,
        "psh" => 8,
        "ack" => 16,
        "urg" => 32,
        "ecn" => 64,
        "cwr" => 128,
        // Kinds of addresses (rtnetlink(7)).
        "unspec" => 0,
        "unicast" => 1,
        "local" => 2,
        "broadcast" => 3,
        "anycast" => 4,
        "multicast" => 5,
        "blackhole" => 6,
        "unreachable" => 7,
        "prohibit" => 8,
        _ => return None,
    })
}

/// A value of a set: a row of items for a concatenation.
pub(super) fn items(node: &Node<'_>) -> Vec<Item> {
    if let Some(element) = node.get("elem").and_then(|e| e.get("val")) {
        return items(element);
    }
    match node.get("concat") {
        Some(parts) => parts.elements().iter().map(item).collect(),
        None => vec![item(node)],
    }
}

fn item(node: &Node<'_>) -> Item {
    if let Some(element) = node.get("elem").and_then(|e| e.get("val")) {
        return item(element);
    }
    if let Some(prefix) = node.get("prefix") {
        let ip = prefix.get("addr").and_then(Node::scalar);
        let ip = ip.and_then(|text| text.parse::<IpAddr>().ok());
        let length = prefix.get("len").and_then(Node::number);
        let length = length.and_then(|n| u8::try_from(n).ok());
        if let (Some(ip), Some(length)) = (ip, length) {
            let block = Block::prefix(ip, length);
            return Item::Range(block.from, block.to);
        }
        return Item::Unknown;
    }
    if let Some([from, to]) = node.get("range").map(Node::elements) {
        return match (number(from), number(to)) {
            (Some(from), Some(to)) if from <= to => Item::Range(from, to),
            _ => Item::Unknown,
        };
    }
    match (number(node), &node.is) {
        (Some(number), _) => Item::Range(number, number),
        (None, Is::Text(name)) if name == "*" => Item::Range(0, u128::MAX),
        (None, Is::Text(name)) => Item::Name(name.to_string()),
        _ => Item::Unknown,
    }
}

/// Rows of items as values.
pub(super) fn values(rows: Vec<Vec<Item>>, names: bool) -> Values {
    let mut ranges = Vec::with_capacity(rows.len());
    let mut words = Vec::new();
    for row in &rows {
        match row.as_slice() {
            [Item::Range(from, to)] if !names => ranges.push((*from, *to)),
            [Item::Name(name)] if names => words.push(name.clone()),
            [Item::Range(from, to)] if names && from == to => words.push(from.to_string()),
            _ => return Values::Rows(rows),
        }
    }
    match names {
        true => Values::Names(words),
        false => Values::ranges(ranges),
    }
}
