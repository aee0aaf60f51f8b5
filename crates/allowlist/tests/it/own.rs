//! A universe of sixteen addresses of each family and a dozen ports: everything can be tried.

use std::net::{IpAddr, SocketAddr};

use chronaxis_allowlist::answer::Answer;
use chronaxis_allowlist::attempt::Attempt;
use chronaxis_allowlist::block::Block;
use chronaxis_allowlist::own::between::between;
use chronaxis_allowlist::own::change::{close, let_in};
use chronaxis_allowlist::own::decide::answers;
use chronaxis_allowlist::own::findings::findings;
use chronaxis_allowlist::own::regions::Regions;
use chronaxis_allowlist::own::{Action, Direction, List, Order, Peer, Ports, Protocol, Rule};
use chronaxis_model::found::{CauseId, FindingId, Warning};
use jiff::civil::{Date, date};
use proptest::prelude::*;

const TODAY: Date = date(2026, 11, 29);
const PORTS: std::ops::Range<u16> = 5430..5442;

fn address(v6: bool, n: u8) -> IpAddr {
    match v6 {
        false => format!("10.8.0.{n}").parse().unwrap(),
        true => format!("2001:db8::{n:x}").parse().unwrap(),
    }
}

fn universe() -> Vec<IpAddr> {
    let all = [false, true].into_iter();
    all.flat_map(|v6| (0..16).map(move |n| address(v6, n)))
        .collect()
}

fn attempt(client: IpAddr, port: u16) -> Attempt {
    let to: IpAddr = match client.is_ipv6() {
        false => "203.0.113.10".parse().unwrap(),
        true => "2001:db8:ff::1".parse().unwrap(),
    };
    Attempt::new(client, SocketAddr::new(to, port), TODAY)
}

fn a_block() -> impl Strategy<Value = Block> {
    (any::<bool>(), 0u8..16, 0u8..6, 0u8..5).prop_map(|(v6, at, length, kind)| {
        let width = if v6 { 128 } else { 32 };
        match kind {
            0 => Block::prefix(address(v6, at), 0),
            1 => {
                let to = Block::one(address(v6, (at + length).min(15)));
                Block {
                    to: to.to,
                    ..Block::one(address(v6, at))
                }
            }
            _ => Block::prefix(address(v6, at), width - length.min(4)),
        }
    })
}

fn some_ports() -> impl Strategy<Value = Ports> {
    let one = (PORTS, 0u16..4).prop_map(|(from, more)| (from, (from + more).min(PORTS.end - 1)));
    prop_oneof![
        1 => Just(Ports::any()),
        4 => prop::collection::vec(one, 1..3).prop_map(Ports::of),
    ]
}

fn a_rule(directions: bool) -> impl Strategy<Value = Rule> {
    let parts = (
        prop::collection::vec(a_block(), 1..3),
        some_ports(),
        any::<bool>(),
        0u8..10,
        0i64..4,
        0u8..8,
    );
    parts.prop_map(move |(blocks, ports, allow, odd, priority, out)| Rule {
        direction: match directions && out < 3 {
            true => Direction::Outbound,
            false => Direction::Inbound,
        },
        action: if allow { Action::Allow } else { Action::Deny },
        protocol: match odd {
            0 => Protocol::Other("udp"),
            1 => Protocol::Any,
            _ => Protocol::Tcp,
        },
        ports: match directions && out < 2 {
            true => Ports::any(),
            false => ports,
        },
        peers: blocks
            .into_iter()
            .map(|block| Peer {
                block,
                host_bits: false,
                at: 0..0,
            })
            .collect(),
        priority: (priority > 0).then_some(priority),
        enabled: odd != 2,
        until: (odd == 3).then(|| date(2026, 11, 28)),
        note: None,
        at: 0..0,
        ports_at: 0..0,
        enabled_at: 0..0,
    })
}

fn a_list(directions: bool) -> impl Strategy<Value = List> {
    let order = prop_oneof![
        Just(Order::FirstMatch),
        Just(Order::AnyAllow),
        Just(Order::Priority)
    ];
    let rules = prop::collection::vec(a_rule(directions), 0..7);
    (rules, order, any::<bool>(), any::<bool>()).prop_map(move |(mut rules, order, open, state)| {
        // So that it is always read as the server's own list.
        if directions && let Some(first) = rules.first_mut() {
            first.direction = Direction::Inbound;
        }
        List {
            name: None,
            stateful: !directions || state,
            default: if open { Action::Allow } else { Action::Deny },
            order,
            rules,
        }
    })
}

/// Everything that a list lets in.
fn let_in_by(list: &List) -> Vec<(IpAddr, u16)> {
    let all = universe().into_iter();
    let all = all.flat_map(|client| PORTS.map(move |port| (client, port)));
    all.filter(|(client, port)| answers(list, &attempt(*client, *port)).0 == Answer::Allowed)
        .collect()
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(300))]

    /// The partition of all addresses says what each would be told by itself.
    #[test]
    fn regions_are_what_each_address_is_told(list in a_list(false), port in PORTS) {
        let regions = Regions::at_port(&list, Direction::Inbound, port, TODAY);
        for client in universe() {
            let (answer, rule) = answers(&list, &attempt(client, port));
            let expected = (answer == Answer::Allowed, rule);
            prop_assert_eq!(regions.says(client), expected, "{}", client);
        }
    }

    /// Who gains and who loses is who is told another thing by the second list.
    #[test]
    fn between_two_lists(old in a_list(true), new in a_list(true)) {
        // Lists without a rule for what comes in are another side's.
        prop_assume!(!old.rules.is_empty() && !new.rules.is_empty());
        let differences = between(&old, &new, TODAY);
        let (before, after) = (let_in_by(&old), let_in_by(&new));
        for client in universe() {
            for port in PORTS {
                let met: Vec<bool> = differences
                    .iter()
                    .filter(|d| d.clients.has(client) && d.ports.has(port))
                    .map(|d| d.gained)
                    .collect();
                let (was, is) = (
                    before.contains(&(client, port)),
                    after.contains(&(client, port)),
                );
                let expected: &[bool] = match (was, is) {
                    (false, true) => &[true],
                    (true, false) => &[false],
                    _ => &[],
                };
                prop_assert_eq!(&met[..], expected, "{} port {}", client, port);
            }
        }
    }

    /// The change lets in exactly this client, at exactly this port.
    #[test]
    fn the_smallest_change_changes_nothing_else(
        list in a_list(true), n in 0u8..16, v6 in any::<bool>(), port in PORTS,
    ) {
        prop_assume!(!list.rules.is_empty());
        let wanted = attempt(address(v6, n), port);
        let before = let_in_by(&list);
        let edits = let_in(&list, &wanted);
        let denied = answers(&list, &wanted).0 == Answer::Denied;
        prop_assert_eq!(denied, !edits.is_empty() || before.contains(&(wanted.client, port)) == denied);
        let after = edits.iter().fold(list.clone(), |list, edit| list.after(edit));
        let mut expected = before.clone();
        if !edits.is_empty() && !expected.contains(&(wanted.client, port)) {
            expected.push((wanted.client, port));
        }
        // A rule for replies serves every port of this client; nobody else's.
        let others = |all: &[(IpAddr, u16)]| -> Vec<(IpAddr, u16)> {
            let mut all: Vec<_> = all
                .iter()
                .filter(|(c, p)| list.stateful || *c != wanted.client || *p == port)
                .copied()
                .collect();
            all.sort_unstable();
            all
        };
        prop_assert_eq!(others(&let_in_by(&after)), others(&expected));
    }

    /// Closing a hole keeps this client where it was, and the world out.
    #[test]
    fn a_hole_is_closed(list in a_list(false), n in 0u8..16, port in PORTS) {
        let wanted = attempt(address(false, n), port);
        let edits = close(&list, &wanted);
        let after = edits.iter().fold(list.clone(), |list, edit| list.after(edit));
        for rule in &after.rules {
            let open = rule.action == Action::Allow
                && rule.direction == Direction::Inbound
                && rule.counts(TODAY)
                && rule.protocol.takes_tcp()
                && rule.ports.has(port);
            prop_assert!(!open || rule.peers.iter().all(|p| !p.block.is_all()));
        }
        let before = let_in_by(&list);
        for reached in let_in_by(&after) {
            let taken_back = list.rules.iter().any(|r| r.action == Action::Deny)
                || list.default == Action::Allow;
            prop_assert!(before.contains(&reached) || taken_back, "{reached:?} is new");
        }
    }

    /// A rule that is said to do nothing does nothing: without it, all is as it was.
    #[test]
    fn what_never_counts_changes_nothing(list in a_list(false)) {
        let numbered: Vec<Rule> = list
            .rules
            .iter()
            .enumerate()
            .map(|(i, r)| Rule { at: i..i + 1, ..r.clone() })
            .collect();
        let list = List { rules: numbered, ..list };
        let idle = findings(&list, TODAY).into_iter().filter(|f| {
            matches!(
                f.id,
                FindingId::Cause(CauseId::AllowListRuleOff) | FindingId::Warning(Warning::RuleDuplicate)
            )
        });
        let idle: Vec<usize> = idle.map(|f| f.spot.unwrap().at.start).collect();
        let before = let_in_by(&list);
        for index in idle {
            let mut without = list.clone();
            without.rules.remove(index);
            prop_assert_eq!(&let_in_by(&without), &before, "rule {}", index + 1);
        }
    }

    /// A rule of TCP that decides for no address at any port is said to do nothing.
    #[test]
    fn what_decides_for_nobody_is_found(list in a_list(false)) {
        let numbered: Vec<Rule> = list
            .rules
            .iter()
            .enumerate()
            .map(|(i, r)| Rule { at: i..i + 1, protocol: Protocol::Tcp, ..r.clone() })
            .collect();
        let list = List { rules: numbered, ..list };
        let mut edges: Vec<u16> = vec![0];
        for (from, to) in list.rules.iter().flat_map(|r| r.ports.ranges()) {
            edges.push(*from);
            edges.extend(to.checked_add(1));
        }
        let mut deciding = std::collections::BTreeSet::new();
        for port in edges {
            let regions = Regions::at_port(&list, Direction::Inbound, port, TODAY);
            let runs = regions.runs(false).iter().chain(regions.runs(true));
            deciding.extend(runs.filter_map(|run| run.rule));
        }
        let idle: Vec<usize> = findings(&list, TODAY)
            .into_iter()
            .filter(|f| f.text.contains("never counts") || f.id == FindingId::Warning(Warning::RuleDuplicate))
            .map(|f| f.spot.unwrap().at.start)
            .collect();
        for (index, rule) in list.rules.iter().enumerate().filter(|(_, r)| r.counts(TODAY)) {
            prop_assert_eq!(idle.contains(&index), !deciding.contains(&index), "rule {}: {:?}", index + 1, rule);
        }
    }
}
