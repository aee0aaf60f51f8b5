//! Network policies: each case as the reference of Kubernetes describes it.

use std::net::SocketAddr;

use chronaxis_allowlist::answer::{Answer, Barrier};
use chronaxis_allowlist::attempt::{Attempt, Labels};
use chronaxis_readers::allowlist::{Alone, Reading, let_in, read};
use chronaxis_readers::text::Text;
use jiff::civil::date;

const HEAD: &str = "apiVersion: networking.k8s.io/v1\nkind: NetworkPolicy\n";

fn policy(name: &str, spec: &str) -> String {
    let spec: String = spec.lines().map(|l| format!("  {l}\n")).collect();
    format!("{HEAD}metadata:\n  name: {name}\n  namespace: quay\nspec:\n{spec}")
}

fn reading(text: &str) -> Reading {
    match read("policies.yaml", Text::new(text.to_owned()), &Alone) {
        Ok(reading) => reading,
        Err((_, broken)) => panic!("{broken:?}\n{text}"),
    }
}

fn labels(text: &str) -> Option<Labels> {
    let pairs = text.split(',').filter(|p| !p.is_empty());
    let pairs = pairs.map(|p| p.split_once('=').expect("k=v"));
    let all: Labels = pairs.map(|(k, v)| (k.to_owned(), v.to_owned())).collect();
    (!text.is_empty()).then_some(all)
}

/// What the policies say of a client with these labels that wants to reach these.
fn ask(text: &str, (client, client_labels): (&str, &str), to_labels: &str) -> Answer {
    decide(text, (client, client_labels), to_labels, 5432).0
}

fn decide(
    text: &str,
    (client, client_labels): (&str, &str),
    to_labels: &str,
    port: u16,
) -> (Answer, Option<Barrier>) {
    let to: SocketAddr = format!("10.8.0.10:{port}").parse().unwrap();
    let attempt = Attempt {
        client_labels: labels(client_labels),
        to_labels: labels(to_labels),
        ..Attempt::new(client.parse().unwrap(), to, date(2026, 11, 29))
    };
    let list = reading(text);
    let decision = list.rules.decide(&attempt, true);
    if decision.answer == Answer::Denied
        && let Some(change) = let_in(&list, &attempt, &Alone)
    {
        let after = reading(&change.after).rules.decide(&attempt, false);
        assert_eq!(after.answer, Answer::Allowed, "{}", change.diff);
    }
    (decision.answer, decision.barrier)
}

const BOOKING: (&str, &str) = ("10.8.4.7", "app=booking");
const WEB: (&str, &str) = ("10.8.4.8", "app=web");
const OUTSIDE: (&str, &str) = ("198.51.100.7", "");

#[test]
fn a_workload_that_no_policy_selects_is_open() {
    let text = policy(
        "sailings",
        "podSelector:\n  matchLabels: {app: sailings}\ningress: []\n",
    );
    assert_eq!(ask(&text, OUTSIDE, "app=fares"), Answer::Allowed);
    assert_eq!(ask(&text, OUTSIDE, "app=sailings"), Answer::Denied);
    // Whether it is selected is not told.
    assert_eq!(ask(&text, OUTSIDE, ""), Answer::Unknown);
}

#[test]
fn an_empty_selector_selects_all_and_no_rule_lets_nobody_in() {
    let text = policy("deny", "podSelector: {}\npolicyTypes: [Ingress]\n");
    assert_eq!(ask(&text, OUTSIDE, ""), Answer::Denied);
    assert_eq!(ask(&text, BOOKING, "app=any"), Answer::Denied);
    let open = policy("open", "podSelector: {}\ningress:\n- {}\n");
    assert_eq!(ask(&open, OUTSIDE, ""), Answer::Allowed);
}

#[test]
fn one_policy_that_allows_suffices() {
    let deny = policy("deny", "podSelector: {}\npolicyTypes: [Ingress]\n");
    let allow = policy(
        "allow",
        "podSelector:\n  matchLabels: {app: sailings}\ningress:\n- from:\n  - podSelector:\n      matchLabels: {app: booking}\n",
    );
    let text = format!("{deny}---\n{allow}");
    assert_eq!(ask(&text, BOOKING, "app=sailings"), Answer::Allowed);
    assert_eq!(ask(&text, WEB, "app=sailings"), Answer::Denied);
    assert_eq!(ask(&text, BOOKING, "app=fares"), Answer::Denied);
    assert_eq!(ask(&text, OUTSIDE, "app=sailings"), Answer::Unknown);
}

#[test]
fn ranges_with_exceptions() {
    let text = policy(
        "ranges",
        "podSelector: {}\ningress:\n- from:\n  - ipBlock:\n      cidr: 198.51.100.0/24\n      except:\n      - 198.51.100.128/25\n",
    );
    assert_eq!(ask(&text, OUTSIDE, ""), Answer::Allowed);
    assert_eq!(ask(&text, ("198.51.100.200", ""), ""), Answer::Denied);
    assert_eq!(ask(&text, ("192.0.2.1", ""), ""), Answer::Denied);
    // Whether ranges are meant for workloads too, networks of clusters see differently.
    assert_eq!(ask(&text, ("198.51.100.7", "app=x"), ""), Answer::Unknown);
    assert_eq!(ask(&text, ("192.0.2.1", "app=x"), ""), Answer::Denied);
}

#[test]
fn ports_numbers_ranges_and_names() {
    let with = |ports: &str| {
        policy(
            "ports",
            &format!("podSelector: {{}}\ningress:\n- ports:\n{ports}"),
        )
    };
    let at = |text: &str, port| decide(text, OUTSIDE, "", port).0;
    let one = with("  - port: 5432\n");
    assert_eq!(
        (at(&one, 5432), at(&one, 6432)),
        (Answer::Allowed, Answer::Denied)
    );
    let range = with("  - {port: 5000, endPort: 5999, protocol: TCP}\n");
    assert_eq!(
        (at(&range, 5999), at(&range, 6000)),
        (Answer::Allowed, Answer::Denied)
    );
    let udp = with("  - {port: 5432, protocol: UDP}\n");
    assert_eq!(at(&udp, 5432), Answer::Denied);
    let all = with("  - {protocol: TCP}\n");
    assert_eq!(at(&all, 1), Answer::Allowed);
    let named = with("  - {port: postgres}\n");
    assert_eq!(at(&named, 5432), Answer::Unknown);
    // A peer that fits with another port is that, and nothing else.
    let text = policy(
        "peer",
        "podSelector: {}\ningress:\n- from:\n  - ipBlock: {cidr: 198.51.100.0/24}\n  ports:\n  - port: 6432\n",
    );
    let (answer, barrier) = decide(&text, OUTSIDE, "", 5432);
    assert_eq!(
        (answer, barrier),
        (Answer::Denied, Some(Barrier::OtherPort))
    );
    let (_, barrier) = decide(&text, ("192.0.2.1", ""), "", 5432);
    assert_eq!(barrier, Some(Barrier::NotCovered));
}

#[test]
fn namespaces_by_their_own_label() {
    let text = policy(
        "namespaces",
        "podSelector: {}\ningress:\n- from:\n  - namespaceSelector:\n      matchLabels: {kubernetes.io/metadata.name: booking}\n    podSelector:\n      matchLabels: {app: web}\n",
    );
    let from = |labels: &str| ask(&text, ("10.8.4.7", labels), "app=sailings");
    let name = "kubernetes.io/metadata.name";
    assert_eq!(from(&format!("app=web,{name}=booking")), Answer::Allowed);
    assert_eq!(from(&format!("app=web,{name}=fares")), Answer::Denied);
    assert_eq!(from(&format!("app=api,{name}=booking")), Answer::Denied);
    assert_eq!(from("app=web"), Answer::Unknown);
    // Labels of namespaces that are not their names are not known.
    let other = text.replace("kubernetes.io/metadata.name", "team");
    assert_eq!(ask(&other, ("10.8.4.7", "app=web"), ""), Answer::Unknown);
    // Any namespace.
    let any = policy(
        "any",
        "podSelector: {}\ningress:\n- from:\n  - namespaceSelector: {}\n",
    );
    assert_eq!(ask(&any, ("10.8.4.7", "app=web"), ""), Answer::Allowed);
    // A selector of workloads alone is of the policy's own namespace.
    let own = policy(
        "own",
        "podSelector: {}\ningress:\n- from:\n  - podSelector: {}\n",
    );
    assert_eq!(
        ask(&own, ("10.8.4.7", &format!("a=b,{name}=quay")), ""),
        Answer::Allowed
    );
    assert_eq!(
        ask(&own, ("10.8.4.7", &format!("a=b,{name}=fares")), ""),
        Answer::Denied
    );
}

#[test]
fn expressions_of_labels() {
    let with = |expression: &str| {
        policy(
            "expressions",
            &format!(
                "podSelector: {{}}\ningress:\n- from:\n  - podSelector:\n      matchExpressions:\n      - {expression}\n"
            ),
        )
    };
    let ask = |expression: &str, labels: &str| ask(&with(expression), ("10.8.4.7", labels), "");
    let inside = "{key: app, operator: In, values: [web, api]}";
    assert_eq!(ask(inside, "app=api"), Answer::Allowed);
    assert_eq!(ask(inside, "app=batch"), Answer::Denied);
    assert_eq!(ask(inside, "tier=x"), Answer::Denied);
    let outside = "{key: app, operator: NotIn, values: [web]}";
    assert_eq!(ask(outside, "app=web"), Answer::Denied);
    assert_eq!(ask(outside, "tier=x"), Answer::Allowed);
    let exists = "{key: app, operator: Exists}";
    assert_eq!(ask(exists, "app=x"), Answer::Allowed);
    assert_eq!(ask(exists, "tier=x"), Answer::Denied);
    let absent = "{key: app, operator: DoesNotExist}";
    assert_eq!(ask(absent, "tier=x"), Answer::Allowed);
    assert_eq!(ask(absent, "app=x"), Answer::Denied);
}

#[test]
fn what_goes_out_counts_for_workloads() {
    let text = policy(
        "egress",
        "podSelector:\n  matchLabels: {app: booking}\npolicyTypes: [Egress]\negress:\n- to:\n  - ipBlock: {cidr: 10.8.0.0/28}\n  ports:\n  - port: 5432\n",
    );
    assert_eq!(ask(&text, BOOKING, ""), Answer::Allowed);
    assert_eq!(decide(&text, BOOKING, "", 6432).0, Answer::Denied);
    assert_eq!(ask(&text, WEB, ""), Answer::Allowed);
    // A client of which nothing is told is not taken for a workload, and that is said.
    let list = reading(&text);
    let to: SocketAddr = "10.8.0.10:6432".parse().unwrap();
    let attempt = Attempt::new("10.8.4.7".parse().unwrap(), to, date(2026, 11, 29));
    let decision = list.rules.decide(&attempt, false);
    assert_eq!(decision.answer, Answer::Allowed);
    assert!(decision.remarks[0].0.contains("--client-labels"));
    // Where it has rules for what goes out, and no types, it is for both.
    let both = policy("both", "podSelector: {}\ningress:\n- {}\negress:\n- {}\n");
    assert_eq!(ask(&both, BOOKING, "app=x"), Answer::Allowed);
}

#[test]
fn json_and_lists_of_objects() {
    let text = r#"{"apiVersion": "v1", "kind": "List", "items": [
        {"apiVersion": "v1", "kind": "Service", "metadata": {"name": "sailings"}},
        {"apiVersion": "networking.k8s.io/v1", "kind": "NetworkPolicy",
         "metadata": {"name": "one"},
         "spec": {"podSelector": {}, "ingress": [{"from": [{"ipBlock": {"cidr": "192.0.2.0/24"}}], "ports": [{"port": 5432}]}]}}
    ]}"#;
    assert_eq!(ask(text, ("192.0.2.9", ""), ""), Answer::Allowed);
    assert_eq!(ask(text, OUTSIDE, ""), Answer::Denied);
}
