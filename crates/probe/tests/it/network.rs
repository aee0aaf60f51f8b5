//! What is read of the network without sending anything: rules of a filter, ranges of
//! addresses.

use std::net::IpAddr;

use chronaxis_model::fact::FilterDecision;
use chronaxis_model::reserved_ranges::{Purpose, is_private, range_of, same_site, shares_prefix};
use chronaxis_probe::local_firewall::{Going, Packet, decide};
use proptest::prelude::*;
use serde_json::{Value, json};

fn packet() -> Packet {
    Packet {
        going: Going::Out,
        far: "198.51.100.7:5432".parse().unwrap(),
        near: Some("10.8.4.21:49153".parse().unwrap()),
        interface: Some("up0".to_owned()),
    }
}

/// A ruleset with one chain for what this machine sends, with this policy and these rules;
/// and a chain `aside` that drops, to jump to.
fn ruleset(policy: &str, rules: &[Value]) -> Value {
    let chain = |name: &str| json!({"family": "inet", "table": "deck", "name": name});
    let mut base = chain("out");
    base["hook"] = "output".into();
    base["prio"] = 0.into();
    base["policy"] = policy.into();
    let rule = |chain: &str, handle: usize, expr: &Value| json!({"rule": {"family": "inet", "table": "deck", "chain": chain, "handle": handle, "expr": expr}});
    let mut all = vec![json!({"chain": base}), json!({"chain": chain("aside")})];
    all.extend(
        rules
            .iter()
            .enumerate()
            .map(|(n, expr)| rule("out", n + 4, expr)),
    );
    all.push(rule("aside", 99, &json!([{"drop": null}])));
    json!({"nftables": all})
}

fn matching(left: Value, right: Value) -> Value {
    json!({"match": {"op": "==", "left": left, "right": right}})
}

fn port(right: Value) -> Value {
    matching(
        json!({"payload": {"protocol": "tcp", "field": "dport"}}),
        right,
    )
}

fn to(right: Value) -> Value {
    matching(
        json!({"payload": {"protocol": "ip", "field": "daddr"}}),
        right,
    )
}

#[test]
fn rules_are_read_as_the_filter_reads_them() {
    use FilterDecision::{Dropped, LetThrough, Rejected, Unclear};
    let drop = json!({"drop": null});
    let by_interface = |name: &str| matching(json!({"meta": {"key": "oifname"}}), json!(name));
    let state = |word: &str| matching(json!({"ct": {"key": "state"}}), json!({"set": [word]}));
    let cases: Vec<(&str, Value, FilterDecision)> = vec![
        ("its port", json!([port(json!(5432)), drop]), Dropped),
        ("another port", json!([port(json!(5433)), drop]), LetThrough),
        (
            "a range",
            json!([port(json!({"range": [5000, 5999]})), drop]),
            Dropped,
        ),
        (
            "a set",
            json!([port(json!({"set": [22, 5432]})), drop]),
            Dropped,
        ),
        (
            "reject",
            json!([port(json!(5432)), {"counter": {}}, {"reject": {}}]),
            Rejected,
        ),
        (
            "its network",
            json!([
                to(json!({"prefix": {"addr": "198.51.100.0", "len": 24}})),
                drop
            ]),
            Dropped,
        ),
        (
            "another network",
            json!([
                to(json!({"prefix": {"addr": "203.0.113.0", "len": 24}})),
                drop
            ]),
            LetThrough,
        ),
        (
            "a range of addresses",
            json!([to(json!({"range": ["198.51.100.1", "198.51.100.9"]})), drop]),
            Dropped,
        ),
        (
            "a set that stands elsewhere",
            json!([to(json!("@quays")), drop]),
            Unclear,
        ),
        ("its interface", json!([by_interface("up*"), drop]), Dropped),
        (
            "another interface",
            json!([by_interface("lo"), drop]),
            LetThrough,
        ),
        (
            "what is open already",
            json!([state("established"), drop]),
            LetThrough,
        ),
        ("what begins", json!([state("new"), drop]), Dropped),
        (
            "another protocol",
            json!([
                matching(
                    json!({"payload": {"protocol": "udp", "field": "dport"}}),
                    json!(5432)
                ),
                drop
            ]),
            LetThrough,
        ),
        (
            "a jump",
            json!([port(json!(5432)), {"jump": {"target": "aside"}}]),
            Dropped,
        ),
        (
            "nobody knows this",
            json!([{"tide": {"height": 2}}, drop]),
            Unclear,
        ),
        (
            "nobody knows this, and nothing follows",
            json!([{"tide": {"height": 2}}]),
            LetThrough,
        ),
    ];
    for (what, expr, wanted) in cases {
        let decided = decide(&ruleset("accept", &[expr]), &packet());
        assert_eq!(decided.decision, wanted, "{what}");
    }
}

#[test]
fn the_first_rule_that_ends_it_and_then_the_policy_decide() {
    let accept = json!([port(json!(5432)), {"accept": null}]);
    let drop = json!([{"drop": null}]);
    let decided = decide(&ruleset("drop", &[accept.clone(), drop.clone()]), &packet());
    assert_eq!(decided.decision, FilterDecision::LetThrough);
    let decided = decide(&ruleset("drop", &[]), &packet());
    assert_eq!(decided.decision, FilterDecision::Dropped);
    assert!(decided.rule.unwrap().contains("policy"));
    let decided = decide(&ruleset("accept", &[drop, accept]), &packet());
    assert_eq!(
        decided.rule.as_deref(),
        Some("table inet deck, chain out, rule 4: drop")
    );
    assert_eq!(decided.rules, 2);
    let nothing = decide(&json!({"nftables": []}), &packet());
    assert_eq!(
        (nothing.decision, nothing.rules),
        (FilterDecision::LetThrough, 0)
    );
}

/// The answer comes from the server's port, by the interface, as part of a connection.
#[test]
fn what_lets_the_first_packet_out_may_not_let_the_answer_in() {
    let answer = Packet {
        going: Going::Back,
        ..packet()
    };
    let incoming = |policy: &str, rules: &[Value]| {
        let mut all = ruleset(policy, rules);
        all["nftables"][0]["chain"]["hook"] = "input".into();
        all
    };
    let meta = |key: &str| json!({"meta": {"key": key}});
    let side =
        |protocol: &str, field: &str| json!({"payload": {"protocol": protocol, "field": field}});
    let state = json!({"ct": {"key": "state"}});
    let then = |of: Value, verdict: &str| json!([of, {verdict: null}]);
    let mapped = |value: &str, verdict: &str| json!([{"vmap": {"key": state, "data": {"set": [["invalid", {"drop": null}], [value, {verdict: null}]]}}}]);
    let from_server = json!({"prefix": {"addr": "198.51.100.0", "len": 24}});
    let cases = [
        ("its policy", vec![], FilterDecision::Dropped),
        (
            "answers accepted",
            vec![then(
                matching(state.clone(), json!(["established", "related"])),
                "accept",
            )],
            FilterDecision::LetThrough,
        ),
        (
            "new ones accepted",
            vec![then(matching(state.clone(), json!("new")), "accept")],
            FilterDecision::Dropped,
        ),
        (
            "a map that accepts",
            vec![mapped("established", "accept")],
            FilterDecision::LetThrough,
        ),
        (
            "a map without it",
            vec![mapped("related", "accept")],
            FilterDecision::Dropped,
        ),
        (
            "a map by name",
            vec![json!([{"vmap": {"key": state, "data": "@states"}}])],
            FilterDecision::Unclear,
        ),
        (
            "the server's port",
            vec![then(matching(side("tcp", "sport"), json!(5432)), "accept")],
            FilterDecision::LetThrough,
        ),
        (
            "another port of this machine",
            vec![then(matching(side("tcp", "dport"), json!(22)), "accept")],
            FilterDecision::Dropped,
        ),
        (
            "the server's network, by the interface",
            vec![
                json!([matching(side("ip", "saddr"), from_server), matching(meta("iifname"), json!("up*")), {"accept": null}]),
            ],
            FilterDecision::LetThrough,
        ),
        (
            "another interface",
            vec![then(matching(meta("iif"), json!("lo")), "accept")],
            FilterDecision::Dropped,
        ),
        (
            "handed to a program",
            vec![json!([{"queue": {"num": 1}}])],
            FilterDecision::Unclear,
        ),
    ];
    for (what, rules, wanted) in cases {
        let rules = incoming("drop", &rules);
        assert_eq!(decide(&rules, &answer).decision, wanted, "{what}");
        let out = decide(&rules, &packet());
        assert_eq!(
            (out.decision, out.rules),
            (FilterDecision::LetThrough, 0),
            "{what}"
        );
    }
}

/// A chain that jumps to itself comes to an end.
#[test]
fn a_circle_of_jumps_is_unclear() {
    let mut rules = ruleset("accept", &[json!([{"jump": {"target": "aside"}}])]);
    rules["nftables"].as_array_mut().unwrap().pop();
    let circle = json!({"rule": {"family": "inet", "table": "deck", "chain": "aside", "handle": 9, "expr": [{"jump": {"target": "aside"}}]}});
    rules["nftables"].as_array_mut().unwrap().push(circle);
    assert_eq!(decide(&rules, &packet()).decision, FilterDecision::Unclear);
}

proptest! {
    /// Whatever JSON stands there, there is a decision.
    #[test]
    fn no_ruleset_makes_it_panic(words in proptest::collection::vec("[a-z@]{0,8}", 0..12), n in any::<u64>()) {
        let expr: Vec<Value> = words.iter().map(|w| json!({w.as_str(): {"op": "==", "left": w, "right": n}})).collect();
        let rules = ruleset("accept", &[json!(expr), json!(n), Value::Null]);
        let _ = decide(&rules, &packet());
    }

    /// A prefix is shared by an address and every one that differs behind it only.
    #[test]
    fn prefixes_are_counted_in_bits(address in any::<u32>(), length in 0u8..=32, noise in any::<u32>()) {
        let mask = if length == 32 { 0 } else { u32::MAX >> length };
        let one = IpAddr::from(address.to_be_bytes());
        let other = IpAddr::from((address ^ (noise & mask)).to_be_bytes());
        prop_assert!(shares_prefix(one, other, length));
        if length > 0 {
            let far = IpAddr::from((address ^ (1 << (32 - length))).to_be_bytes());
            prop_assert!(!shares_prefix(one, far, length));
        }
    }
}

#[test]
fn ranges_are_known_with_their_standards() {
    let cases = [
        ("127.0.0.1", Purpose::Loopback, "RFC 1122"),
        ("10.8.4.21", Purpose::Private, "RFC 1918"),
        ("172.31.0.1", Purpose::Private, "RFC 1918"),
        ("100.64.0.1", Purpose::Shared, "RFC 6598"),
        ("169.254.7.7", Purpose::Link, "RFC 3927"),
        ("198.51.100.7", Purpose::Documentation, "RFC 5737"),
        ("fd00::7", Purpose::Private, "RFC 4193"),
        ("2001:db8::7", Purpose::Documentation, "RFC 3849"),
        ("::ffff:10.8.4.21", Purpose::Private, "RFC 1918"),
        ("224.0.0.1", Purpose::NoHost, "RFC 5771"),
    ];
    for (address, purpose, standard) in cases {
        let range = range_of(address.parse().unwrap()).expect(address);
        assert_eq!(
            (range.purpose, range.standard),
            (purpose, standard),
            "{address}"
        );
    }
    for public in ["172.32.0.1", "100.128.0.1", "9.9.9.9", "2606:4700::1"] {
        assert_eq!(range_of(public.parse().unwrap()), None, "{public}");
        assert!(!is_private(public.parse().unwrap()));
    }
    let ip = |text: &str| text.parse::<IpAddr>().unwrap();
    assert!(same_site(ip("10.8.4.21"), ip("10.200.0.1")));
    assert!(!same_site(ip("10.8.4.21"), ip("192.168.40.7")));
}
