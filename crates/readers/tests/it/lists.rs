//! Whatever text a list is, it ends in an answer or a place in the text: no panic, nothing
//! outside the file, and a change that is offered does what it says.

use std::net::SocketAddr;

use chronaxis_allowlist::answer::{Answer, Spot};
use chronaxis_allowlist::attempt::Attempt;
use chronaxis_readers::allowlist::{Alone, Reading, Rules, close, let_in, place, read};
use chronaxis_readers::text::Text;
use jiff::civil::date;
use proptest::prelude::*;

const NAMES: [&str; 8] = [
    "a.toml",
    "a.yaml",
    "a.json",
    "a.csv",
    "pg_hba.conf",
    "rules.v4",
    "accounts.csv",
    "policy.yaml",
];

fn attempts() -> Vec<Attempt> {
    let at = |client: &str, to: &str| {
        let to: SocketAddr = to.parse().unwrap();
        Attempt::new(client.parse().unwrap(), to, date(2026, 11, 29))
    };
    vec![
        at("10.8.4.7", "203.0.113.10:5432"),
        at("2001:db8::7", "[2001:db8::10]:5432"),
        Attempt {
            user: Some("purser".to_owned()),
            database: Some("sailings".to_owned()),
            encrypted: Some(true),
            ..at("127.0.0.1", "127.0.0.1:5432")
        },
    ]
}

fn inside(reading: &Reading, spot: &Spot) {
    let sheet = &reading.sheets[spot.sheet];
    let text = sheet.text.string.as_str();
    assert!(text.get(spot.at.clone()).is_some(), "{spot:?}");
    let place = place(&reading.sheets, spot).expect("a place");
    let line = place.line.expect("a line") as usize;
    assert!(line >= 1 && line <= text.split('\n').count());
}

fn ask(path: &str, text: &str) {
    let reading = match read(path, Text::new(text.to_owned()), &Alone) {
        Ok(reading) => reading,
        Err((sheets, broken)) => {
            let text = &sheets[broken.sheet].text.string;
            assert!(broken.at <= text.len(), "{broken:?}");
            assert!(!broken.what.is_empty() && !broken.expected.is_empty());
            return;
        }
    };
    for attempt in attempts() {
        let decision = reading.rules.decide(&attempt, true);
        let passed = decision.passed.iter().map(|p| &p.rule);
        for rule in decision.rule.iter().chain(passed) {
            rule.spot.iter().for_each(|spot| inside(&reading, spot));
        }
        let remarks = decision
            .remarks
            .iter()
            .filter_map(|(_, spot)| spot.as_ref());
        remarks.for_each(|spot| inside(&reading, spot));
        for finding in reading.rules.findings(&attempt) {
            finding.spot.iter().for_each(|spot| inside(&reading, spot));
        }
        if let Some(change) = let_in(&reading, &attempt, &Alone) {
            let after = read(path, Text::new(change.after), &Alone);
            let after = after.unwrap_or_else(|(_, broken)| panic!("{broken:?}"));
            assert_eq!(after.rules.decide(&attempt, false).answer, Answer::Allowed);
        }
        let _ = close(&reading, &attempt, &Alone);
    }
}

fn piece() -> impl Strategy<Value = String> {
    let known = prop::sample::select(vec![
        "[[rule]]\n",
        "[allowlist]\n",
        "peers = [\"10.8.0.0/16\"]\n",
        "ports = \"5432\"\n",
        "peers = [\"::/0\", \"0.0.0.0/0\"]\n",
        "action = \"deny\"\n",
        "enabled = false\n",
        "kind = \"stateless\"\n",
        "order = \"priority\"\n",
        "priority = 3\n",
        "direction = \"outbound\"\n",
        "rule:\n",
        "  - peers: [10.8.0.0/16]\n",
        "    ports: 5432\n",
        "  - {peers: [\"::/0\"], action: deny}\n",
        "allowlist:\n",
        "{\"rule\": [",
        "{\"peers\": [\"10.8.0.0/16\"], \"ports\": \"1-9\"}",
        ",",
        "]}",
        "direction,action,peers,ports\n",
        "inbound,allow,10.8.0.0/16 ::/0,5432\n",
        "inbound,deny,0.0.0.0/0,\n",
        "# kind: stateless\n",
        "host all all 10.8.0.0/16 md5\n",
        "hostssl sailings purser 0.0.0.0/0 trust\n",
        "host all +staff samenet reject\n",
        "local all all peer\n",
        "\\\n",
        "# note\n",
        "\"",
        "*filter\n",
        ":INPUT DROP [0:0]\n",
        ":x - [0:0]\n",
        "-A INPUT -s 10.8.0.0/16 -j ACCEPT\n",
        "-A INPUT -p tcp -m tcp --dport 5432 -j x\n",
        "-A x -j RETURN\n",
        "-A x -g x\n",
        "COMMIT\n",
        "-A INPUT -m limit --limit 1/s -j ACCEPT\n",
        "-A INPUT ! -i lo -j DROP\n",
        "{\"nftables\": [",
        "{\"chain\": {\"family\": \"inet\", \"table\": \"t\", \"name\": \"c\", \"hook\": \"input\", \"prio\": 0, \"policy\": \"drop\"}}",
        "{\"rule\": {\"family\": \"inet\", \"table\": \"t\", \"chain\": \"c\", \"expr\": [{\"jump\": {\"target\": \"c\"}}]}}",
        "{\"rule\": {\"family\": \"inet\", \"table\": \"t\", \"chain\": \"c\", \"expr\": [{\"match\": {\"op\": \"==\", \"left\": {\"payload\": {\"protocol\": \"tcp\", \"field\": \"dport\"}}, \"right\": {\"set\": [5432, {\"range\": [9, 1]}]}}}, {\"accept\": null}]}}",
        "user,host\n",
        "purser,10.8.%\n",
        ",%\n",
        "purser,\n",
        "apiVersion: networking.k8s.io/v1\nkind: NetworkPolicy\nspec:\n  podSelector: {}\n",
        "  ingress:\n    - from:\n        - ipBlock: {cidr: 10.8.0.0/16}\n",
        "---\n",
        "é",
        "\u{202e}",
        "\0",
        "\t",
        "  ",
        "\r\n",
    ]);
    prop_oneof![9 => known.prop_map(str::to_owned), 1 => "\\PC{0,12}"]
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(400))]

    #[test]
    fn no_text_makes_a_list_panic_or_point_outside(
        pieces in prop::collection::vec(piece(), 0..14),
    ) {
        let text = pieces.concat();
        for path in NAMES {
            ask(path, &text);
        }
    }
}

#[test]
fn endless_texts_end() {
    for text in [
        "[".repeat(100_000),
        "{\"a\":".repeat(50_000),
        "rule:\n  - ".repeat(2_000),
        "- ".repeat(30_000),
        format!("rule: {}", "[".repeat(10_000)),
        "host all all 10.8.0.0/16 md5 \\\n".repeat(50_000),
        "*filter\n:INPUT ACCEPT [0:0]\n".repeat(20_000),
        format!("*filter\n:INPUT DROP [0:0]\n:a - [0:0]\n{}COMMIT\n", "-A INPUT -j a\n-A a -j INPUT\n".repeat(40)),
        "user,host\n".to_owned() + &format!("purser,{}\n", "%a".repeat(3_000)),
        "a: &a [x]\nb: &b [*a, *a, *a, *a, *a, *a, *a, *a]\nc: &c [*b, *b, *b, *b, *b, *b, *b, *b]\nd: &d [*c, *c, *c, *c, *c, *c, *c, *c]\ne: &e [*d, *d, *d, *d, *d, *d, *d, *d]\nf: &f [*e, *e, *e, *e, *e, *e, *e, *e]\nrule: [*f, *f, *f, *f, *f, *f]\n".to_owned(),
    ] {
        for path in NAMES {
            ask(path, &text);
        }
    }
}

/// A long list is read piece by piece, with the same outcome: a table of the list itself behind
/// its rules makes it be read as a whole.
#[test]
fn a_long_list_is_read_as_a_short_one_is() {
    let own = |text: &str| match read("a.toml", Text::new(text.to_owned()), &Alone) {
        Ok(reading) => match reading.rules {
            Rules::Own(list) => Ok(list.rules),
            other => panic!("{other:?}"),
        },
        Err((_, broken)) => Err(broken),
    };
    let rule = |n: usize| match n % 5 {
        0 => format!(
            "[[rule]]\nports = \"{n}\"\npeers = [\n  \"10.8.{}.0/24\", # Pier\n]\n",
            n % 256
        ),
        1 => format!("[[rule]]\r\nports = \"5432\"\r\npeers = [\"2001:db8:{n:x}::/48\"]\r\n"),
        2 => format!(
            "[[rule]]\npeers = \"192.0.2.7\"\nnote = \"\"\"häven {n}\n[[rule]]\npeers = 'no'\"\"\"\n"
        ),
        3 => format!(
            "[[rule]]\npeers = ['198.51.100.{}']\npriority = {n}\nenabled = false\n",
            n % 256
        ),
        _ => "[[rule]]\npeers = [\"203.0.113.0/24\", \"10.8.0.1\"]\nuntil = 2026-12-31\n\n"
            .to_owned(),
    };
    let text: String = (1..=12_000).map(rule).collect();
    let plain: String = (1..=12_000).filter(|n| n % 5 != 2).map(rule).collect();
    assert!(text.len() > 700_000);
    for text in [&text, &plain] {
        let whole = own(&format!("{text}[allowlist]\nname = \"quays\"\n")).unwrap();
        assert_eq!(
            whole.len(),
            text.matches("[[rule]]").count() - text.matches("\n[[rule]]\npeers = 'no'").count()
        );
        assert_eq!(own(text).unwrap(), whole);
    }
    // What is wrong in it is said of its own place.
    for (at, broken) in [
        (11_990, "[[rule]]\npeers = [\"10.8.0.300\"]\n"),
        (3_000, "[[rule]\n"),
        (
            6_000,
            "[[rule]]\nports = \"70000\"\npeers = [\"10.8.0.1\"]\n",
        ),
        (4_000, "[rule]\npeers = \"10.8.0.1\"\n"),
        (4_000, "[other]\n"),
    ] {
        let mut text: String = (1..at).filter(|n| n % 5 != 2).map(rule).collect();
        let from = text.len();
        text.push_str(broken);
        text.extend((at..=12_000).map(rule));
        let why = own(&text).unwrap_err();
        assert!(
            (from..=from + broken.len()).contains(&why.at),
            "{broken}: {why:?}, not {from}"
        );
    }
    let twice = format!("rule = []\n# {}\n{plain}", "x".repeat(100_000));
    assert!(own(&twice).is_err());
}
