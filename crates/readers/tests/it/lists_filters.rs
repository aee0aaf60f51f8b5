//! Packet filters: what is unknown is unknown where it matters, and only there.

use std::net::SocketAddr;

use chronaxis_allowlist::answer::{Answer, Barrier, Decision};
use chronaxis_allowlist::attempt::Attempt;
use chronaxis_readers::allowlist::{Alone, read};
use chronaxis_readers::text::Text;
use jiff::civil::date;

fn decide(text: &str, client: &str, interface: Option<&str>) -> Decision {
    let to: SocketAddr = match client.contains(':') {
        true => "[2001:db8::10]:5432".parse().unwrap(),
        false => "10.8.0.10:5432".parse().unwrap(),
    };
    let attempt = Attempt {
        interface: interface.map(str::to_owned),
        ..Attempt::new(client.parse().unwrap(), to, date(2026, 11, 29))
    };
    match read("rules", Text::new(text.to_owned()), &Alone) {
        Ok(reading) => reading.rules.decide(&attempt, false),
        Err((_, broken)) => panic!("{broken:?}\n{text}"),
    }
}

/// A table of filters with these rules of INPUT, which drops what they leave.
fn input(rules: &[&str]) -> String {
    let rules: String = rules.iter().map(|r| format!("-A INPUT {r}\n")).collect();
    format!(
        "*filter\n:INPUT DROP [0:0]\n:FORWARD ACCEPT [0:0]\n:OUTPUT ACCEPT [0:0]\n:offices - [0:0]\n{rules}COMMIT\n"
    )
}

const KNOWN: &str = "-m conntrack --ctstate RELATED,ESTABLISHED -j ACCEPT";

fn ask(rules: &[&str], client: &str) -> Answer {
    let all: Vec<&str> = std::iter::once(KNOWN)
        .chain(rules.iter().copied())
        .collect();
    decide(&input(&all), client, None).answer
}

#[test]
fn what_is_unknown_counts_only_where_it_decides() {
    let open = "-p tcp -m tcp --dport 5432 -j ACCEPT";
    // A rate before a rule that lets everybody in changes nothing.
    assert_eq!(
        ask(&["-m limit --limit 3/min -j ACCEPT", open], "10.8.4.7"),
        Answer::Allowed
    );
    assert_eq!(
        ask(&["-m limit --limit 3/min -j DROP", open], "10.8.4.7"),
        Answer::Unknown
    );
    assert_eq!(
        ask(&["-m limit --limit 3/min -j LOG", open], "10.8.4.7"),
        Answer::Allowed
    );
    assert_eq!(
        ask(&["-m limit --limit 3/min -j ACCEPT"], "10.8.4.7"),
        Answer::Unknown
    );
    // What cannot fit this client is no matter either.
    let other = "-s 192.0.2.0/24 -m limit --limit 3/min -j ACCEPT";
    assert_eq!(ask(&[other], "10.8.4.7"), Answer::Denied);
    assert_eq!(ask(&[other], "192.0.2.7"), Answer::Unknown);
    for rule in [
        "-m set --match-set offices src -j ACCEPT",
        "-m recent --rcheck --seconds 60 --name x --rsource -j ACCEPT",
        "-m hashlimit --hashlimit-upto 5/sec --hashlimit-mode srcip --hashlimit-name x -j ACCEPT",
        "-m owner --uid-owner 0 -j ACCEPT",
        "-m time --timestart 08:00 --timestop 18:00 -j ACCEPT",
        "-m mark --mark 0x1 -j ACCEPT",
        "-m statistic --mode random --probability 0.5 -j ACCEPT",
        "-j NFQUEUE --queue-num 0",
    ] {
        assert_eq!(ask(&[rule], "10.8.4.7"), Answer::Unknown, "{rule}");
        assert_eq!(ask(&[open, rule], "10.8.4.7"), Answer::Allowed, "{rule}");
        assert_eq!(
            ask(&["-p tcp -j DROP", rule], "10.8.4.7"),
            Answer::Denied,
            "{rule}"
        );
    }
}

#[test]
fn interfaces_are_told_or_not() {
    let rule = "-i eth0 -p tcp -m tcp --dport 5432 -j ACCEPT";
    let text = input(&[KNOWN, rule]);
    assert_eq!(decide(&text, "10.8.4.7", None).answer, Answer::Unknown);
    assert_eq!(
        decide(&text, "10.8.4.7", Some("eth0")).answer,
        Answer::Allowed
    );
    assert_eq!(
        decide(&text, "10.8.4.7", Some("eth1")).answer,
        Answer::Denied
    );
    let wide = text.replace("-i eth0", "-i eth+");
    assert_eq!(
        decide(&wide, "10.8.4.7", Some("eth1")).answer,
        Answer::Allowed
    );
    // Who comes from elsewhere does not come by the loopback device.
    let loopback = input(&[KNOWN, "-i lo -j ACCEPT"]);
    assert_eq!(decide(&loopback, "10.8.4.7", None).answer, Answer::Denied);
    assert_eq!(decide(&loopback, "10.8.0.10", None).answer, Answer::Allowed);
}

#[test]
fn what_follows_the_request_counts_too() {
    // The first packet alone is let in.
    let only_new = input(&["-m conntrack --ctstate NEW -j ACCEPT"]);
    let decision = decide(&only_new, "10.8.4.7", None);
    assert_eq!(decision.answer, Answer::Denied);
    assert!(decision.why.contains("(ACK)"), "{}", decision.why);
    // The answer is kept in.
    let text = input(&[KNOWN, "-p tcp -m tcp --dport 5432 -j ACCEPT"]);
    let closed = text.replace(":OUTPUT ACCEPT", ":OUTPUT DROP");
    let decision = decide(&closed, "10.8.4.7", None);
    assert_eq!(
        (decision.answer, decision.barrier),
        (Answer::Denied, Some(Barrier::WayBack))
    );
    let back = format!(
        "{}COMMIT\n",
        closed.replace(
            "COMMIT\n",
            "-A OUTPUT -p tcp -m tcp --sport 5432 -j ACCEPT\n"
        )
    );
    assert_eq!(decide(&back, "10.8.4.7", None).answer, Answer::Allowed);
    // A rule for some of the client's ports.
    let some = format!(
        "{}COMMIT\n",
        closed.replace(
            "COMMIT\n",
            "-A OUTPUT -p tcp -m tcp --dport 32768:50000 -j ACCEPT\n"
        )
    );
    assert_eq!(decide(&some, "10.8.4.7", None).answer, Answer::Unknown);
}

#[test]
fn a_machine_on_the_way_is_read_by_what_it_sends_on() {
    let text = "*filter\n:INPUT ACCEPT [0:0]\n:FORWARD DROP [0:0]\n:OUTPUT ACCEPT [0:0]\n-A FORWARD -m conntrack --ctstate ESTABLISHED -j ACCEPT\n-A FORWARD -s 10.8.0.0/16 -p tcp -m tcp --dport 5432 -j ACCEPT\nCOMMIT\n";
    let inside = decide(text, "10.8.4.7", None);
    assert_eq!(inside.answer, Answer::Allowed);
    assert_eq!(inside.remarks.len(), 1, "it is said");
    assert_eq!(decide(text, "192.0.2.7", None).answer, Answer::Denied);
    // With rules for itself, it is the machine that is meant.
    let own = text.replace("COMMIT", "-A INPUT -s 192.0.2.0/24 -j DROP\nCOMMIT");
    assert_eq!(decide(&own, "10.9.9.9", None).answer, Answer::Allowed);
}

#[test]
fn families_and_files() {
    let v4 =
        "# Generated by iptables-save v1.8.9\n".to_owned() + &input(&[KNOWN, "-p tcp -j ACCEPT"]);
    assert_eq!(decide(&v4, "10.8.4.7", None).answer, Answer::Allowed);
    assert_eq!(decide(&v4, "2001:db8::7", None).answer, Answer::Unknown);
    let v6 = "# Generated by ip6tables-save v1.8.9\n".to_owned() + &input(&[KNOWN]);
    assert_eq!(decide(&v6, "2001:db8::7", None).answer, Answer::Denied);
    // Both in one file.
    let both = format!("{v4}{v6}");
    assert_eq!(decide(&both, "10.8.4.7", None).answer, Answer::Allowed);
    assert_eq!(decide(&both, "2001:db8::7", None).answer, Answer::Denied);
}

/// A ruleset of nftables with these rules of a chain that drops what they leave.
fn nft(rules: &[&str], more: &str) -> String {
    let head = r#"{"nftables": [{"metainfo": {"version": "1.0.6"}}, {"table": {"family": "inet", "name": "t"}}, {"chain": {"family": "inet", "table": "t", "name": "c", "type": "filter", "hook": "input", "prio": 0, "policy": "drop"}}, {"chain": {"family": "inet", "table": "t", "name": "x"}}"#;
    let rules: String = rules
        .iter()
        .map(|expr| {
            format!(r#", {{"rule": {{"family": "inet", "table": "t", "chain": "c", "expr": [{expr}]}}}}"#)
        })
        .collect();
    format!("{head}{more}{rules}]}}")
}

const FROM: &str = r#"{"match": {"op": "==", "left": {"payload": {"protocol": "ip", "field": "saddr"}}, "right": "@s"}}"#;
const ACCEPT: &str = r#"{"accept": null}"#;

fn set(flags: &str) -> String {
    format!(
        r#", {{"set": {{"family": "inet", "table": "t", "name": "s", "type": "ipv4_addr", "flags": [{flags}], "elem": [{{"prefix": {{"addr": "10.8.0.0", "len": 16}}}}, {{"elem": {{"val": "192.0.2.7", "comment": "a purser"}}}}]}}}}"#
    )
}

#[test]
fn sets_that_are_filled_while_the_machine_runs() {
    let rule = format!("{FROM}, {ACCEPT}");
    let fixed = nft(&[&rule], &set("\"interval\""));
    assert_eq!(decide(&fixed, "10.8.4.7", None).answer, Answer::Allowed);
    assert_eq!(decide(&fixed, "192.0.2.7", None).answer, Answer::Allowed);
    assert_eq!(decide(&fixed, "192.0.2.8", None).answer, Answer::Denied);
    for flags in ["\"dynamic\"", "\"timeout\"", "\"interval\", \"timeout\""] {
        let filled = nft(&[&rule], &set(flags));
        assert_eq!(
            decide(&filled, "192.0.2.8", None).answer,
            Answer::Unknown,
            "{flags}"
        );
    }
    let missing = nft(&[&rule], "");
    assert_eq!(decide(&missing, "10.8.4.7", None).answer, Answer::Unknown);
}

#[test]
fn what_is_not_understood_is_never_a_guess() {
    for statement in [
        r#"{"limit": {"rate": 3, "per": "second"}}"#,
        r#"{"quota": {"val": 10, "val_unit": "mbytes"}}"#,
        r#"{"ct count": {"val": 5}}"#,
        r#"{"xt": {"type": "match", "name": "recent"}}"#,
        r#"{"something new": {"a": 1}}"#,
        r#"{"match": {"op": "==", "left": {"meta": {"key": "hour"}}, "right": "08:00"}}"#,
        r#"{"match": {"op": "==", "left": {"meta": {"key": "mark"}}, "right": 1}}"#,
        r#"{"match": {"op": "==", "left": {"socket": {"key": "transparent"}}, "right": 1}}"#,
        r#"{"match": {"op": "==", "left": {"numgen": {"mode": "inc", "mod": 2}}, "right": 0}}"#,
        r#"{"match": {"op": "==", "left": {"payload": {"protocol": "ip", "field": "ttl"}}, "right": 64}}"#,
        r#"{"match": {"op": "==", "left": {"payload": {"base": "th", "offset": 0, "len": 16}}, "right": 64}}"#,
    ] {
        let rule = format!("{statement}, {ACCEPT}");
        let text = nft(&[&rule], "");
        let decision = decide(&text, "10.8.4.7", None);
        assert_eq!(decision.answer, Answer::Unknown, "{statement}");
        assert!(
            decision.why.starts_with("it depends on"),
            "{}",
            decision.why
        );
        // Behind a rule that decides, it does not matter.
        let text = nft(&[ACCEPT, &rule], "");
        assert_eq!(
            decide(&text, "10.8.4.7", None).answer,
            Answer::Allowed,
            "{statement}"
        );
    }
}

#[test]
fn chains_in_a_circle_end() {
    let text = nft(
        &[
            r#"{"jump": {"target": "x"}}"#,
            r#"{"goto": {"target": "x"}}"#,
        ],
        r#", {"rule": {"family": "inet", "table": "t", "chain": "x", "expr": [{"jump": {"target": "x"}}]}}, {"rule": {"family": "inet", "table": "t", "chain": "x", "expr": [{"jump": {"target": "c"}}]}}"#,
    );
    assert_ne!(decide(&text, "10.8.4.7", None).answer, Answer::Allowed);
    let lost = nft(&[r#"{"jump": {"target": "nowhere"}}"#], "");
    assert_eq!(decide(&lost, "10.8.4.7", None).answer, Answer::Unknown);
}
