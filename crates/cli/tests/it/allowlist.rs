//! `chronaxis allowlist` on files in a folder: answers, changes, refusals.

use std::path::Path;

use serde_json::Value;

use crate::support::{Ran, run};

const SECRET: &str = "Zq7-lantern-Zq7";

fn folder(files: &[(&str, &str)]) -> tempfile::TempDir {
    let folder = tempfile::tempdir().unwrap();
    for (name, text) in files {
        std::fs::write(folder.path().join(name), text).unwrap();
    }
    folder
}

fn examples() -> tempfile::TempDir {
    let folder = tempfile::tempdir().unwrap();
    let from = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../examples/lists");
    for file in std::fs::read_dir(from).unwrap() {
        let file = file.unwrap();
        std::fs::copy(file.path(), folder.path().join(file.file_name())).unwrap();
    }
    folder
}

fn ask(folder: &Path, words: &[&str]) -> Ran {
    let ran = run(folder, &[&["allowlist", "--plain"], words].concat());
    assert_eq!(ran.stderr, "", "{words:?}");
    ran
}

fn json(folder: &Path, words: &[&str]) -> Value {
    let ran = ask(folder, &[words, &["--output", "json"]].concat());
    let document: Value = serde_json::from_str(&ran.stdout).expect("JSON");
    let schema = chronaxis_diagnosis::allowlist::schema();
    let validator = jsonschema::validator_for(&schema).unwrap();
    let errors: Vec<String> = validator
        .iter_errors(&document)
        .map(|e| e.to_string())
        .collect();
    assert!(errors.is_empty(), "{errors:?}");
    document
}

/// Answer, cause, line of the deciding rule, status.
fn gist(folder: &Path, words: &[&str]) -> String {
    let document = json(folder, words);
    let status = ask(folder, words).status;
    let cause = document["verdict"]["cause"].as_str().unwrap_or("-");
    let line = document["rule"]["place"]["line"].to_string();
    let answer = document["answer"].as_str().unwrap();
    format!("{answer} {cause} line {line} exit {status}")
}

const TO: [&str; 2] = ["--to", "203.0.113.10:5432"];

#[test]
fn answers_with_rule_and_line() {
    let folder = examples();
    let of = |client: &str| {
        let to = if client.contains(':') {
            "[2001:db8:1::1]:5432"
        } else {
            TO[1]
        };
        gist(
            folder.path(),
            &["--rules", "inbound.toml", "--client", client, "--to", to],
        )
    };
    assert_eq!(of("10.8.4.7"), "allowed - line 9 exit 0");
    assert_eq!(of("::ffff:10.8.4.7"), "allowed - line 9 exit 0");
    assert_eq!(
        of("198.51.100.77"),
        "denied allow-list-wrong-port line null exit 1"
    );
    assert_eq!(
        of("192.0.2.9"),
        "denied allow-list-excludes-client line null exit 1"
    );
    assert_eq!(
        of("2001:db8:40::7"),
        "denied allow-list-rule-off line null exit 1"
    );
    let hba = |client: &str, user: &str, encrypted: &str| {
        gist(
            folder.path(),
            &[
                "--rules",
                "pg_hba.conf",
                "--client",
                client,
                TO[0],
                TO[1],
                "--user",
                user,
                "--database",
                "sailings",
                "--encrypted",
                encrypted,
            ],
        )
    };
    assert_eq!(hba("10.8.4.7", "purser", "no"), "allowed - line 3 exit 0");
    assert_eq!(
        hba("198.51.100.23", "purser", "yes"),
        "allowed - line 4 exit 0"
    );
    assert_eq!(
        hba("198.51.100.23", "purser", "no"),
        "denied client-host-not-permitted line null exit 1"
    );
}

#[test]
fn texts_for_people() {
    let folder = examples();
    let shown = |words: &[&str]| {
        let text = ask(folder.path(), words).stdout;
        // A command and a change are to be copied, and stand as they are.
        let read = text.split("\n  change ").next().unwrap();
        for line in read.lines().filter(|l| !l.contains("chronaxis allowlist ")) {
            assert!(line.chars().count() <= 80, "80 columns: {line}");
        }
        text
    };
    insta::assert_snapshot!(
        "allowlist_denied",
        shown(&[
            "--rules",
            "inbound.toml",
            "--client",
            "198.51.100.77",
            TO[0],
            TO[1],
            "-v"
        ])
    );
    insta::assert_snapshot!(
        "allowlist_chain",
        shown(&[
            "--rules",
            "filter.iptables",
            "--rules",
            "inbound.toml",
            "--rules",
            "pg_hba.conf",
            "--client",
            "10.8.4.7",
            TO[0],
            TO[1],
            "--user",
            "purser",
            "--database",
            "manifest",
        ])
    );
}

const SAME: [(&str, &str); 4] = [
    (
        "a.toml",
        "[allowlist]\nkind = \"stateless\"\n\n[[rule]]\nports = \"5432, 6000-6100\"\npeers = [\"10.8.0.0/16\", \"2001:db8::/48\"]\nnote = \"offices\"\n\n[[rule]]\ndirection = \"outbound\"\npeers = [\"10.0.0.0/8\"]\n\n[[rule]]\naction = \"deny\"\nprotocol = \"any\"\npeers = [\"192.0.2.0/24\"]\nenabled = false\n",
    ),
    (
        "a.yaml",
        "allowlist:\n  kind: stateless\nrule:\n  - ports: \"5432, 6000-6100\"\n    peers: [\"10.8.0.0/16\", \"2001:db8::/48\"]\n    note: offices\n  - direction: outbound\n    peers: [10.0.0.0/8]\n  - action: deny\n    protocol: any\n    peers:\n      - 192.0.2.0/24\n    enabled: false\n",
    ),
    (
        "a.json",
        "{\n  \"allowlist\": {\"kind\": \"stateless\"},\n  \"rule\": [\n    {\"ports\": \"5432, 6000-6100\", \"peers\": [\"10.8.0.0/16\", \"2001:db8::/48\"], \"note\": \"offices\"},\n    {\"direction\": \"outbound\", \"peers\": [\"10.0.0.0/8\"]},\n    {\"action\": \"deny\", \"protocol\": \"any\", \"peers\": [\"192.0.2.0/24\"], \"enabled\": false}\n  ]\n}\n",
    ),
    (
        "a.csv",
        "# kind: stateless\ndirection,action,protocol,ports,peers,enabled,note\ninbound,allow,tcp,5432 6000-6100,10.8.0.0/16 2001:db8::/48,true,offices\noutbound,allow,tcp,any,10.0.0.0/8,,\ninbound,deny,any,any,192.0.2.0/24,false,\n",
    ),
];

/// The same list in four languages says the same, and its change, applied, lets the client in.
#[test]
fn four_languages_are_one() {
    let folder = folder(&SAME);
    for client in ["10.8.4.7", "10.9.0.1", "192.0.2.9", "198.51.100.7"] {
        let mut said = Vec::new();
        for (file, _) in SAME {
            let document = json(
                folder.path(),
                &["--rules", file, "--client", client, TO[0], TO[1]],
            );
            let cause = document["verdict"]["cause"].to_string();
            let text = document["rule"]["text"].to_string();
            said.push((document["answer"].to_string(), cause, text));
            if document["answer"] == "denied" {
                changed(folder.path(), file, client, &document);
            }
        }
        assert!(said.windows(2).all(|w| w[0] == w[1]), "{client}: {said:?}");
    }
}

/// Applies the change by the system's own tool, and asks again.
fn changed(folder: &Path, file: &str, client: &str, document: &Value) {
    let change = &document["changes"][0];
    assert_eq!(change["purpose"], "let-in", "{file}: {document}");
    let copy = patched(folder, file, change["diff"].as_str().unwrap());
    let after = json(
        folder,
        &["--rules", &copy, "--client", client, TO[0], TO[1]],
    );
    assert_eq!(after["answer"], "allowed", "{file}: {after}");
}

/// A copy of a file with a diff applied to it.
fn patched(folder: &Path, file: &str, diff: &str) -> String {
    std::fs::write(folder.join("diff"), diff).unwrap();
    let copy = format!("changed-{file}");
    std::fs::copy(folder.join(file), folder.join(&copy)).unwrap();
    let applied = std::process::Command::new("patch")
        .current_dir(folder)
        .args(["--quiet", "--posix", &copy, "diff"])
        .status()
        .expect("patch runs");
    assert!(applied.success(), "{file}: {diff}");
    copy
}

#[test]
fn a_hole_is_shown_with_what_closes_it() {
    let match_port = r#"{"match": {"op": "==", "left": {"payload": {"protocol": "tcp", "field": "dport"}}, "right": 5432}}"#;
    let nft = format!(
        "{{\"nftables\": [{{\"table\": {{\"family\": \"inet\", \"name\": \"t\"}}}}, \
         {{\"chain\": {{\"family\": \"inet\", \"table\": \"t\", \"name\": \"c\", \"type\": \"filter\", \"hook\": \"input\", \"prio\": 0, \"policy\": \"drop\"}}}}, \
         {{\"rule\": {{\"family\": \"inet\", \"table\": \"t\", \"chain\": \"c\", \"handle\": 3, \"expr\": [{match_port}, {{\"accept\": null}}]}}}}]}}\n"
    );
    let policy = |from: &str| {
        format!(
            "apiVersion: networking.k8s.io/v1\nkind: NetworkPolicy\nmetadata:\n  name: quay\nspec:\n  podSelector: {{}}\n  ingress:\n  - {from}ports:\n    - port: 5432\n"
        )
    };
    let folder = folder(&[
        (
            "open.toml",
            "[[rule]]\nports = \"5432\"\npeers = [\"0.0.0.0/0\", \"::/0\"]\n",
        ),
        ("pg_hba.conf", "host all all 0.0.0.0/0 md5\n"),
        ("filter.json", &nft),
        (
            "rules.v4",
            "*filter\n:INPUT DROP [0:0]\n:db - [0:0]\n-A INPUT -p tcp -m conntrack --ctstate NEW -j db\n-A INPUT -m conntrack --ctstate ESTABLISHED -j ACCEPT\n-A db -p tcp -m tcp --dport 5432 -j ACCEPT\nCOMMIT\n",
        ),
        ("everybody.yaml", &policy("")),
        (
            "range.yaml",
            &policy("from:\n    - ipBlock:\n        cidr: 0.0.0.0/0\n    "),
        ),
        (
            "policy.json",
            r#"{"apiVersion": "networking.k8s.io/v1", "kind": "NetworkPolicy", "metadata": {"name": "quay"}, "spec": {"podSelector": {}, "ingress": [{"ports": [{"port": 5432}]}]}}"#,
        ),
    ]);
    for file in [
        "open.toml",
        "pg_hba.conf",
        "filter.json",
        "rules.v4",
        "everybody.yaml",
        "range.yaml",
        "policy.json",
    ] {
        let client = "198.51.100.7";
        let ask = |file: &str, client: &str| {
            json(
                folder.path(),
                &["--rules", file, "--client", client, TO[0], TO[1]],
            )
        };
        let document = ask(file, client);
        assert_eq!(document["answer"], "allowed", "{file}");
        assert_eq!(
            document["findings"][0]["id"], "allow-list-open-to-all",
            "{file}: {document}"
        );
        let change = &document["changes"][0];
        assert_eq!(change["purpose"], "close", "{file}: {document}");
        let diff = change["diff"].as_str().unwrap();
        assert!(diff.contains("198.51.100.7"));
        // Lines of a ruleset in one line are there for people.
        if file == "filter.json" {
            continue;
        }
        let copy = patched(folder.path(), file, diff);
        assert_eq!(ask(&copy, client)["answer"], "allowed", "{file}");
        let after = ask(&copy, "192.0.2.99");
        assert_eq!(after["answer"], "denied", "{file}: {after}");
        let again = after["findings"].as_array().unwrap();
        assert!(
            again.iter().all(|f| f["id"] != "allow-list-open-to-all"),
            "{file}: {after}"
        );
    }
}

/// Rules of packet filters that do nothing, and open ones behind which others stand.
#[test]
fn rules_of_filters_that_decide_for_nobody() {
    let folder = folder(&[(
        "rules.v4",
        "*filter\n:INPUT DROP [0:0]\n\
         -A INPUT -s 10.8.0.0/16 -p tcp -m tcp --dport 5000:5999 -j DROP\n\
         -A INPUT -s 10.8.4.0/24 -p tcp -m tcp --dport 5432 -j ACCEPT\n\
         -A INPUT -s 10.9.0.0/16 -p tcp -m tcp --dport 5432 -j ACCEPT\n\
         -A INPUT -s 10.9.7.0/24 -p tcp -m tcp --dport 5432 -j ACCEPT\n\
         -A INPUT -s 10.9.7.0/24 -p tcp -m tcp --dport 5433 -j ACCEPT\n\
         -A INPUT ! -s 10.0.0.0/8 -j DROP\n\
         -A INPUT -p tcp -m tcp --dport 6432 -j ACCEPT\nCOMMIT\n",
    )]);
    let document = json(
        folder.path(),
        &["--rules", "rules.v4", "--client", "10.8.4.7", TO[0], TO[1]],
    );
    let found: Vec<(&str, u64)> = document["findings"]
        .as_array()
        .unwrap()
        .iter()
        .map(|f| {
            (
                f["id"].as_str().unwrap(),
                f["place"]["line"].as_u64().unwrap(),
            )
        })
        .collect();
    // That rule 7 is for everybody is no hole: who is not of the company is stopped before it.
    assert_eq!(
        found,
        [("allow-list-rule-off", 4), ("rule-duplicate", 6)],
        "{document}"
    );
}

/// Every kind of bad input: file, line, what was expected, status 2; and no panic.
#[test]
fn bad_lists_are_refused_with_their_place() {
    let rule = |body: &str| format!("[[rule]]\n{body}\n");
    let cases: Vec<(&str, String, &str)> = vec![
        ("a.toml", rule("peers = [\"10.8.0.0/33\"]"), "line 2, column 10: the peer \"10.8.0.0/33\": the prefix length is not one from 0 to 32"),
        ("a.toml", rule("ports = \"70000\"\npeers = [\"::/0\"]"), "line 2, column 9: there is no port 70000"),
        ("a.toml", rule("ports = \"90-80\"\npeers = [\"::/0\"]"), "the ports 90-80 end before they begin"),
        ("a.toml", rule("port = \"5432\"\npeers = [\"::/0\"]"), "there is no key \"port\" here; expected probably ports"),
        ("a.toml", rule("ports = \"5432\""), "the rule has no peers"),
        ("a.toml", rule("peers = []"), "the rule has an empty list of peers"),
        ("a.toml", rule("action = \"permit\"\npeers = [\"::/0\"]"), "the value of action is not understood; expected allow or deny"),
        ("a.toml", rule("peers = [\"::/0\"]\nuntil = \"soon\""), "expected a date like 2026-12-31"),
        ("a.toml", "[allowlist]\nkind = \"both\"\n".into(), "expected stateful or stateless"),
        ("a.toml", "[[rule]]\npeers = [\"::/0\"\n".into(), "this is no TOML"),
        ("a.yaml", "rule:\n  - peers: [\"::/0\"]\n   ports: 1\n".into(), "this is no YAML"),
        ("a.json", "{\"rule\": [{\"peers\": [\"::/0\"]},]}".into(), "this is no JSON"),
        ("a.csv", "action,peers\nallow,10.8.0.0/16,extra\n".into(), "line 2, column 1: this line has 3 values, and the header has 2 names"),
        ("a.csv", "action,peers,prots\nallow,10.8.0.0/16,1\n".into(), "there is no key \"prots\" here; expected probably ports"),
        ("empty.toml", String::new(), "the file holds no rules"),
        ("empty.toml", "[allowlist]\nname = \"x\"\n".into(), "the list has no rules"),
        ("empty.csv", "action,peers\n".into(), "the list has no rules"),
        ("empty.csv", "user,host\n".into(), "there is no account in it"),
        ("wrong.env", "DB_PASSWORD=tide-table-9\n".into(), "nothing in this file says that it is an allow-list"),
        ("pg_hba.conf", "host all all 10.8.0.0/16\n".into(), "the record ends before its method"),
        ("pg_hba.conf", "include pg_hba.conf\n".into(), "this file includes itself"),
        ("f.rules", "*filter\n:INPUT ACCEPT [0:0]\n-A INPT -j DROP\nCOMMIT\n".into(), "line 3, column 1: the rule is for a chain that was not declared"),
        ("f.rules", "*filter\n:INPUT ACCEPT [0:0]\n-A INPUT -s 10.8.0.0/40 -j DROP\n".into(), "line 3, column 1: an address: the prefix length"),
        ("f.json", "{\"nftables\": [{\"rule\": {\"family\": \"ip\", \"table\": \"t\", \"chain\": \"c\", \"expr\": []}}]}".into(), "the rule is for a chain that is not in the file"),
        ("p.yaml", "apiVersion: networking.k8s.io/v1\nkind: NetworkPolicy\nspec:\n  podSelector: {}\n  ingress:\n    - form: []\n".into(), "there is no key \"form\" here; expected probably from"),
    ];
    for (name, text, expected) in cases {
        let folder = folder(&[(name, &text)]);
        let ran = run(
            folder.path(),
            &[
                "allowlist",
                "--rules",
                name,
                "--client",
                "10.8.4.7",
                TO[0],
                TO[1],
            ],
        );
        assert_eq!(ran.status, 2, "{name} {text}: {}{}", ran.stdout, ran.stderr);
        assert!(ran.stderr.contains(expected), "{expected}: {}", ran.stderr);
        assert!(
            ran.stderr.starts_with(&format!("chronaxis: {name}, line ")),
            "{}",
            ran.stderr
        );
        assert_eq!(ran.stdout, "");
        assert!(!ran.stderr.contains("tide-table"), "{}", ran.stderr);
    }
    // What stands before the break still decides, and is said.
    let broken = folder(&[(
        "a.toml",
        "[[rule]]\nports = \"5432\"\npeers = [\"10.8.0.0/16\"]\n\n[[rule]]\npeers = [\"10.9.0.0/99\"]\n",
    )]);
    let of = |client: &str| {
        let words = [
            "allowlist",
            "--rules",
            "a.toml",
            "--client",
            client,
            TO[0],
            TO[1],
        ];
        run(broken.path(), &words).stderr
    };
    let said = "10.8.4.7 is allowed by the one in line 1";
    assert!(of("10.8.4.7").contains(said), "{}", of("10.8.4.7"));
    assert!(
        !of("192.0.2.9").contains("can be read"),
        "{}",
        of("192.0.2.9")
    );
    let folder = examples();
    for (words, expected) in [
        (
            vec!["--client", "quay", TO[0], TO[1]],
            "--client quay: not an address",
        ),
        (
            vec!["--client", "10.8.4.7", "--to", "quay:5432"],
            "rules are about addresses, not names",
        ),
        (
            vec!["--client", "10.8.4.7", TO[0], TO[1], "--output", "csv"],
            "csv is for --matrix and --between",
        ),
        (
            vec!["--client", "10.8.4.7", TO[0], TO[1], "--to-labels", "app"],
            "a label has no =",
        ),
    ] {
        let words = [&["allowlist", "--rules", "inbound.toml"], words.as_slice()].concat();
        let ran = run(folder.path(), &words);
        assert_eq!(ran.status, 2, "{words:?}");
        assert!(ran.stderr.contains(expected), "{expected}: {}", ran.stderr);
    }
}

/// Whatever secret stands in a list, it stands in no output: not in a rule, a place, a diff,
/// a message.
#[test]
fn no_secret_of_a_list_is_shown() {
    let hba = format!(
        "# the password is {SECRET}\nhost all all 10.9.0.0/16 ldap ldapserver=x ldapbasedn=\"o=x\" ldapbindpasswd={SECRET}\nhost all all 10.10.0.0/16 radius radiusservers=a radiussecrets=\"{SECRET}\"\nhost all all 192.0.2.0/24 reject\n"
    );
    let own = format!(
        "# password: {SECRET}\n[[rule]]\nports = \"1\"\npeers = [\"10.9.0.0/16\"]\nnote = \"password={SECRET}\"\n"
    );
    let csv = format!("user,host,authentication_string\npurser,10.9.%,{SECRET}\n");
    let broken = format!("[[rule]]\npeers = [\"{SECRET}\"]\n");
    let line = format!("host all all all md5 {SECRET}\n");
    let key = format!("[[rule]]\n\"{SECRET}\" = 1\n");
    let files = [
        ("pg_hba.conf", hba.as_str()),
        ("own.toml", &own),
        ("accounts.csv", &csv),
        ("broken.toml", &broken),
        ("x_pg_hba.conf", &line),
        ("key.toml", &key),
    ];
    let folder = folder(&files);
    for (file, _) in files {
        for client in ["192.0.2.7", "10.9.0.1"] {
            for form in ["text", "json"] {
                let ran = run(
                    folder.path(),
                    &[
                        "allowlist",
                        "--rules",
                        file,
                        "--client",
                        client,
                        TO[0],
                        TO[1],
                        "--user",
                        "purser",
                        "-v",
                        "--output",
                        form,
                    ],
                );
                let all = format!("{}{}", ran.stdout, ran.stderr);
                assert!(!all.contains("lantern"), "{file} {client}: {all}");
            }
        }
    }
}

#[test]
fn many_clients_and_two_versions() {
    let folder = folder(&[
        (
            "old.toml",
            "[[rule]]\nports = \"5432\"\npeers = [\"10.8.0.0/16\"]\n",
        ),
        (
            "new.toml",
            "[[rule]]\nports = \"5432, 6432\"\npeers = [\"10.8.0.0/17\"]\n",
        ),
        (
            "m.csv",
            "client,to\n10.8.4.7,203.0.113.10:5432\n192.0.2.1,\n,203.0.113.10:6432\n",
        ),
        ("old_pg_hba.conf", "host all all 10.8.0.0/16 md5\n"),
        (
            "new_pg_hba.conf",
            "host all all 10.8.4.0/24 reject\nhost all all 10.8.0.0/16 md5\n",
        ),
        ("accounts.csv", "user,host\npurser,%\n"),
    ]);
    let at = folder.path();
    let table = ask(
        at,
        &[
            "--rules", "new.toml", "--matrix", "m.csv", "--output", "csv",
        ],
    );
    assert_eq!(table.status, 1);
    assert_eq!(
        table.stdout,
        "client,to,answer,file,line\n10.8.4.7,203.0.113.10:5432,allowed,new.toml,1\n192.0.2.1,203.0.113.10:6432,denied,new.toml,\n"
    );
    let document = json(at, &["--rules", "new.toml", "--matrix", "m.csv"]);
    assert_eq!(document["matrix"].as_array().unwrap().len(), 2);
    let differ = ask(
        at,
        &["--between", "old.toml", "new.toml", "--output", "csv"],
    );
    assert_eq!(differ.status, 1);
    assert_eq!(
        differ.stdout,
        "change,clients,ports,old_line,new_line\ngains,10.8.0.0/17,6432,,1\nloses,10.8.128.0/17,5432,1,\n"
    );
    let same = ask(at, &["--between", "old.toml", "old.toml"]);
    assert_eq!(same.status, 0);
    let hba = ask(
        at,
        &[
            "--between",
            "old_pg_hba.conf",
            "new_pg_hba.conf",
            "--output",
            "csv",
        ],
    );
    assert_eq!(
        hba.stdout,
        "change,clients,ports,old_line,new_line\nloses,10.8.4.0/24,any,1,1\n"
    );
    let not = run(
        at,
        &["allowlist", "--between", "accounts.csv", "accounts.csv"],
    );
    assert_eq!(not.status, 2);
    assert!(not.stderr.contains("patterns of text"), "{}", not.stderr);
    let kinds = run(at, &["allowlist", "--between", "old.toml", "accounts.csv"]);
    assert!(kinds.stderr.contains("different kinds"), "{}", kinds.stderr);
}
