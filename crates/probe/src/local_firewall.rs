//! What the rules of this machine's own filter do with a packet that begins a connection, and
//! with the answer to it: read from the JSON in which nftables prints its rules
//! (libnftables-json(5)).
//!
//! A rule that holds something which is not understood here is *unclear*, unless it could
//! only let through what would pass anyway.

use std::net::{IpAddr, SocketAddr};

use serde_json::Value;

use chronaxis_model::fact::FilterDecision;
use chronaxis_model::reserved_ranges::shares_prefix;

/// Most jumps from chain to chain: nftables itself allows no more.
const MOST_JUMPS: usize = 16;

/// Which packet of a connection's beginning.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Going {
    /// The first one, on its way out.
    Out,
    /// The answer to it, on its way in.
    Back,
}

impl Going {
    fn hooks(self) -> [&'static str; 2] {
        match self {
            Going::Out => ["output", "postrouting"],
            Going::Back => ["prerouting", "input"],
        }
    }
}

/// One of the first two packets of a connection.
#[derive(Clone, Debug)]
pub struct Packet {
    /// Which.
    pub going: Going,
    /// The server's side.
    pub far: SocketAddr,
    /// This machine's side.
    pub near: Option<SocketAddr>,
    /// The interface by which it leaves, or comes.
    pub interface: Option<String>,
}

/// What was decided.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Decided {
    /// What becomes of the packet.
    pub decision: FilterDecision,
    /// The rule that decides: its table, chain and number, and its verdict.
    pub rule: Option<String>,
    /// How many rules there are for such packets.
    pub rules: usize,
}

/// How a rule, or a chain, ends for the packet.
enum End {
    /// It goes on behind it.
    GoesOn,
    /// The base chain is over, and lets it through.
    Accepted,
    Refused(FilterDecision, String),
    Unclear(String),
}

/// Whether an expression fits the packet.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Fits {
    Yes,
    No,
    Unknown,
}

/// Goes through all chains for such packets, in the order in which the system asks them.
pub fn decide(ruleset: &Value, packet: &Packet) -> Decided {
    let entries = ruleset.get("nftables").and_then(Value::as_array);
    let entries = entries.map_or(&[][..], Vec::as_slice);
    let mut bases: Vec<&Value> = entries
        .iter()
        .filter_map(|e| e.get("chain"))
        .filter(|c| at_hook(c, packet).is_some() && text(c, "type") != "nat")
        .filter(|c| of_family(c, packet))
        .collect();
    bases.sort_by_key(|c| {
        let priority = c.get("prio").and_then(Value::as_i64);
        (at_hook(c, packet), priority.unwrap_or(0))
    });
    let rules = entries
        .iter()
        .filter_map(|e| e.get("rule"))
        .filter(|r| bases.iter().any(|c| same_chain(r, c, text(c, "name"))))
        .count();
    let done = |decision, rule| Decided {
        decision,
        rule,
        rules,
    };
    for base in bases {
        match through(entries, base, text(base, "name"), packet, 0) {
            End::Refused(decision, rule) => return done(decision, Some(rule)),
            End::Unclear(rule) => return done(FilterDecision::Unclear, Some(rule)),
            End::Accepted => {}
            End::GoesOn if text(base, "policy") == "drop" => {
                let rule = format!("{}, its policy: drop", place(base, text(base, "name")));
                return done(FilterDecision::Dropped, Some(rule));
            }
            End::GoesOn => {}
        }
    }
    done(FilterDecision::LetThrough, None)
}

fn text<'a>(value: &'a Value, key: &str) -> &'a str {
    value.get(key).and_then(Value::as_str).unwrap_or_default()
}

/// Which of the packet's hooks a chain is at.
fn at_hook(chain: &Value, packet: &Packet) -> Option<usize> {
    let hook = text(chain, "hook");
    packet.going.hooks().iter().position(|h| *h == hook)
}

/// Whether a table of this family sees the packet at all.
fn of_family(chain: &Value, packet: &Packet) -> bool {
    match text(chain, "family") {
        "ip" => packet.far.is_ipv4(),
        "ip6" => packet.far.is_ipv6(),
        "inet" => true,
        _ => false,
    }
}

fn same_chain(rule: &Value, base: &Value, chain: &str) -> bool {
    text(rule, "family") == text(base, "family")
        && text(rule, "table") == text(base, "table")
        && text(rule, "chain") == chain
}

fn place(base: &Value, chain: &str) -> String {
    let (family, table) = (text(base, "family"), text(base, "table"));
    format!("table {family} {table}, chain {chain}")
}

fn through(entries: &[Value], base: &Value, chain: &str, packet: &Packet, depth: usize) -> End {
    if depth > MOST_JUMPS {
        return End::Unclear(place(base, chain));
    }
    let rules = entries.iter().filter_map(|e| e.get("rule"));
    for rule in rules.filter(|r| same_chain(r, base, chain)) {
        match through_rule(entries, base, chain, rule, packet, depth) {
            End::GoesOn => {}
            end => return end,
        }
    }
    End::GoesOn
}

fn through_rule(
    entries: &[Value],
    base: &Value,
    chain: &str,
    rule: &Value,
    packet: &Packet,
    depth: usize,
) -> End {
    let handle = rule.get("handle").and_then(Value::as_u64).unwrap_or(0);
    let here = |what: &str| format!("{}, rule {handle}: {what}", place(base, chain));
    let mut fits = Fits::Yes;
    let parts = rule.get("expr").and_then(Value::as_array);
    for part in parts.map_or(&[][..], Vec::as_slice) {
        let Some((kind, value)) = part.as_object().and_then(|o| o.iter().next()) else {
            continue;
        };
        let refused = |decision, what: &str| match fits {
            Fits::Unknown => End::Unclear(here(what)),
            _ => End::Refused(decision, here(what)),
        };
        match kind.as_str() {
            "match" => match matches(value, packet) {
                Fits::No => return End::GoesOn,
                Fits::Unknown => fits = Fits::Unknown,
                Fits::Yes => {}
            },
            "counter" | "log" | "comment" | "mangle" | "notrack" => {}
            "drop" => return refused(FilterDecision::Dropped, "drop"),
            "reject" => return refused(FilterDecision::Rejected, "reject"),
            // Where it is not known whether a rule fits that would let the packet through,
            // what stands behind it may decide otherwise.
            "accept" if fits == Fits::Unknown => return End::Unclear(here("accept")),
            "accept" => return End::Accepted,
            "return" if fits == Fits::Yes => return End::GoesOn,
            "vmap" => match verdict_of(value, packet) {
                Mapped::None => {}
                Mapped::Unknown => return End::Unclear(here("vmap")),
                Mapped::To(verdict) => {
                    let mapped = rule_of(rule, verdict);
                    return through_rule(entries, base, chain, &mapped, packet, depth + 1);
                }
            },
            // What decides here is not in the rules.
            "queue" | "xt" => return End::Unclear(here(kind)),
            "jump" | "goto" => {
                if fits == Fits::Unknown {
                    return End::Unclear(here(kind));
                }
                let end = through(entries, base, text(value, "target"), packet, depth + 1);
                match end {
                    End::GoesOn if kind == "jump" => {}
                    end => return end,
                }
            }
            _ => fits = Fits::Unknown,
        }
    }
    End::GoesOn
}

/// What a map of verdicts gives for the packet.
enum Mapped<'a> {
    None,
    Unknown,
    To(&'a Value),
}

/// `{"key": …, "data": {"set": [[value, verdict], …]}}`; a map with a name stands elsewhere.
fn verdict_of<'a>(map: &'a Value, packet: &Packet) -> Mapped<'a> {
    let key = map.get("key").unwrap_or(&Value::Null);
    let pairs = map.pointer("/data/set").and_then(Value::as_array);
    let Some(pairs) = pairs else {
        return Mapped::Unknown;
    };
    for pair in pairs {
        let (Some(value), Some(verdict)) = (pair.get(0), pair.get(1)) else {
            return Mapped::Unknown;
        };
        match fits_right(key, value, packet) {
            Fits::Yes => return Mapped::To(verdict),
            Fits::Unknown => return Mapped::Unknown,
            Fits::No => {}
        }
    }
    Mapped::None
}

/// The same rule with this verdict alone.
fn rule_of(rule: &Value, verdict: &Value) -> Value {
    let mut mapped = rule.clone();
    if let Some(expr) = mapped.get_mut("expr") {
        *expr = Value::Array(vec![verdict.clone()]);
    }
    mapped
}

/// `{"op": "==", "left": …, "right": …}`.
fn matches(value: &Value, packet: &Packet) -> Fits {
    let left = value.get("left").unwrap_or(&Value::Null);
    let right = value.get("right").unwrap_or(&Value::Null);
    let found = fits_right(left, right, packet);
    match (text(value, "op"), found) {
        ("==" | "in", fits) => fits,
        ("!=", Fits::Yes) => Fits::No,
        ("!=", Fits::No) => Fits::Yes,
        _ => Fits::Unknown,
    }
}

fn fits_right(left: &Value, right: &Value, packet: &Packet) -> Fits {
    let yes = |fits: bool| if fits { Fits::Yes } else { Fits::No };
    let (far, near) = match packet.going {
        Going::Out => (("daddr", "dport"), ("saddr", "sport")),
        Going::Back => (("saddr", "sport"), ("daddr", "dport")),
    };
    if let Some(payload) = left.get("payload") {
        return match (text(payload, "protocol"), text(payload, "field")) {
            ("tcp" | "th", side) if side == far.1 => {
                within(right, &|v| number(v, packet.far.port().into()))
            }
            ("tcp" | "th", side) if side == near.1 => match packet.near {
                Some(own) => within(right, &|v| number(v, own.port().into())),
                None => Fits::Unknown,
            },
            ("udp" | "icmp" | "icmpv6" | "sctp", _) => Fits::No,
            ("ip", _) if packet.far.is_ipv6() => Fits::No,
            ("ip6", _) if packet.far.is_ipv4() => Fits::No,
            ("ip" | "ip6", side) if side == far.0 => {
                within(right, &|v| address(v, packet.far.ip()))
            }
            ("ip" | "ip6", side) if side == near.0 => match packet.near {
                Some(own) => within(right, &|v| address(v, own.ip())),
                None => Fits::Unknown,
            },
            ("ip", "protocol") => within(right, &|v| word(v, &["tcp"], 6)),
            _ => Fits::Unknown,
        };
    }
    let (by, state, bit) = match packet.going {
        Going::Out => ("oif", "new", 8),
        Going::Back => ("iif", "established", 2),
    };
    if let Some(meta) = left.get("meta") {
        return match text(meta, "key") {
            "l4proto" => within(right, &|v| word(v, &["tcp"], 6)),
            "nfproto" => {
                let (name, code) = if packet.far.is_ipv4() {
                    ("ipv4", 2)
                } else {
                    ("ipv6", 10)
                };
                within(right, &|v| word(v, &[name], code))
            }
            key if key.strip_suffix("name").unwrap_or(key) == by => match &packet.interface {
                Some(own) => within(right, &|v| yes(v.as_str().is_some_and(|n| like(n, own)))),
                None => Fits::Unknown,
            },
            _ => Fits::Unknown,
        };
    }
    if let Some(ct) = left.get("ct") {
        return match text(ct, "key") {
            "state" => within(right, &|v| word(v, &[state], bit)),
            _ => Fits::Unknown,
        };
    }
    Fits::Unknown
}

/// A value, a list of values, or a set written in its place.
fn within(right: &Value, one: &dyn Fn(&Value) -> Fits) -> Fits {
    let set = right.get("set").unwrap_or(right);
    let Some(all) = set.as_array() else {
        return one(set);
    };
    let found: Vec<Fits> = all.iter().map(one).collect();
    if found.contains(&Fits::Yes) {
        Fits::Yes
    } else if found.contains(&Fits::Unknown) {
        Fits::Unknown
    } else {
        Fits::No
    }
}

fn number(value: &Value, own: u64) -> Fits {
    let found = match value.get("range").and_then(Value::as_array) {
        Some(range) => match (range.first(), range.get(1)) {
            (Some(low), Some(high)) => {
                let (low, high) = (low.as_u64(), high.as_u64());
                low.zip(high).map(|(low, high)| (low..=high).contains(&own))
            }
            _ => None,
        },
        None => value.as_u64().map(|n| n == own),
    };
    match found {
        Some(true) => Fits::Yes,
        Some(false) => Fits::No,
        None => Fits::Unknown,
    }
}

fn word(value: &Value, names: &[&str], code: u64) -> Fits {
    match (value.as_str(), value.as_u64()) {
        (Some(name), _) if names.contains(&name) => Fits::Yes,
        (None, Some(n)) if n == code => Fits::Yes,
        (None, None) => Fits::Unknown,
        _ => Fits::No,
    }
}

/// A name of an interface, in which a final star stands for anything.
fn like(pattern: &str, name: &str) -> bool {
    match pattern.strip_suffix('*') {
        Some(begin) => name.starts_with(begin),
        None => pattern == name,
    }
}

fn address(value: &Value, own: IpAddr) -> Fits {
    if let Some(prefix) = value.get("prefix") {
        let base: Option<IpAddr> = text(prefix, "addr").parse().ok();
        let length = prefix.get("len").and_then(Value::as_u64);
        return match (base, length.and_then(|l| u8::try_from(l).ok())) {
            (Some(base), Some(length)) if shares_prefix(base, own, length) => Fits::Yes,
            (Some(_), Some(_)) => Fits::No,
            _ => Fits::Unknown,
        };
    }
    if let Some(range) = value.get("range").and_then(Value::as_array) {
        let at = |i: usize| range.get(i)?.as_str()?.parse::<IpAddr>().ok();
        return match (at(0), at(1)) {
            (Some(low), Some(high)) if (low..=high).contains(&own) => Fits::Yes,
            (Some(_), Some(_)) => Fits::No,
            _ => Fits::Unknown,
        };
    }
    match value.as_str().map(str::parse::<IpAddr>) {
        Some(Ok(ip)) if ip == own => Fits::Yes,
        Some(Ok(_)) => Fits::No,
        // The name of a set that stands elsewhere.
        _ => Fits::Unknown,
    }
}
