//! MariaDB counts lines that end early, and blocks machines that make many: none of ours
//! may be among them, or only a few that are stated. Loopback is exempt there, so this
//! needs a network.

use chronaxis_lab::certificates::{self, CertificateKind};

use crate::support::gist;
use crate::support::mariadb::Mariadb;
use crate::support::namespaces::{CLIENT, Net, SERVER};
use crate::support::real::tally;

const STATEMENTS: &str = "
create database manifest;
create user purser@'%' identified by 'tide-table-9';
grant select on manifest.* to purser@'%';
create user signer@'%' identified via ed25519 using password('tide-table-9');
";

/// What the server counted against the client's address since the last time.
fn counted(server: &Mariadb) -> u32 {
    let text = server.sql(&format!(
        "select coalesce(sum(sum_connect_errors), 0) from performance_schema.host_cache where ip = '{CLIENT}'; flush hosts"
    ));
    text.trim().parse().expect("a number")
}

#[test]
fn a_hundred_diagnoses_do_not_block_the_machine() {
    if !Net::available() || !Mariadb::available() {
        return;
    }
    let net = Net::new("m");
    let files = tempfile::tempdir().unwrap();
    crate::support::open_to_all(files.path());
    let write = |name: &str, text: String| {
        let path = files.path().join(name);
        std::fs::write(&path, text).unwrap();
        path.display().to_string()
    };
    let made = certificates::of_server(CertificateKind::Good);
    let chain = write("chain.pem", certificates::pem("CERTIFICATE", &made.chain));
    let key = write("key.pem", certificates::pem("PRIVATE KEY", &[made.key]));
    let strange = write(
        "strange.pem",
        certificates::pem("CERTIFICATE", &[certificates::strange_der()]),
    );
    let (ssl_cert, ssl_key) = (format!("--ssl-cert={chain}"), format!("--ssl-key={key}"));
    let settings = [
        "--max-connect-errors=5",
        "--performance-schema=ON",
        &ssl_cert,
        &ssl_key,
    ];
    let server = Mariadb::start_in(Some(net.server_name()), &settings, STATEMENTS);
    let port = server.port();
    let bare = format!("mysql://purser@{SERVER}:{port}/manifest");
    let with_secret = format!("mysql://purser:tide-table-9@{SERVER}:{port}/manifest");
    let works = |when: &str| {
        let ran = net.run(&["diagnose", "-q", &with_secret]);
        assert_eq!(ran.status, 0, "{when}: {}{}", ran.stdout, ran.stderr);
    };
    for _ in 0..100 {
        net.run(&["diagnose", "-q", &bare]);
    }
    assert_eq!(counted(&server), 0, "without a secret");
    works("after a hundred without a secret");
    for layer in ["port", "listener", "tls"] {
        for _ in 0..12 {
            net.run(&["diagnose", "-q", "--until", layer, &bare]);
        }
        assert_eq!(counted(&server), 0, "until {layer}");
    }
    for _ in 0..12 {
        let to_fill_in = format!("mysql://purser:changeme@{SERVER}:{port}/manifest");
        net.run(&["diagnose", "-q", &to_fill_in]);
    }
    assert_eq!(counted(&server), 0, "placeholders");
    works("after all that are given up politely");
    tally("namespace", "MariaDB counts nothing");

    // What cannot be given up so is given up a few times in a run, and no more.
    let refused = format!("{bare}?ssl-mode=VERIFY_CA");
    let mut args = vec!["diagnose", "--output", "json", "--ca", &strange];
    args.extend(std::iter::repeat_n(refused.as_str(), 20));
    let ran = net.run(&args);
    let cases = ran.stdout.lines().map(|line| {
        let case: serde_json::Value = serde_json::from_str(line).unwrap();
        case
    });
    let spared = |case: &serde_json::Value| {
        let said = case["also_found"].to_string();
        said.contains("no more are opened in this run")
    };
    let mut spared = cases.filter(spared);
    let case = spared.next_back().expect("some are spared");
    assert_eq!(case["contacts"]["lines"], 0);
    let errors = counted(&server);
    assert!((1..5).contains(&errors), "{errors}");
    works("after twenty refused certificates in a run");
    tally("namespace", "MariaDB is spared");

    // Where even those are too many, the block is called one.
    server.sql("set global max_connect_errors = 2");
    net.run(&args);
    let blocked = gist(
        &net.run(&["diagnose", "--output", "json", &with_secret])
            .case(),
    );
    assert_eq!(blocked, "broken client-blocked-by-server listener/blocked");
    tally("namespace", "1129");
    server.sql("flush hosts; drop user purser@'%'; drop user signer@'%'; flush privileges");
    let nobody = gist(
        &net.run(&["diagnose", "--output", "json", &with_secret])
            .case(),
    );
    assert_eq!(nobody, "broken client-blocked-by-server listener/blocked");
    tally("namespace", "1130");
}

/// Targets of other engines end lines that this server counts just as well: at its default
/// limit of a hundred they must not get this machine blocked.
#[test]
fn a_hundred_targets_of_other_engines_do_not_block_the_machine() {
    if !Net::available() || !Mariadb::available() {
        return;
    }
    let net = Net::new("mo");
    let settings = ["--performance-schema=ON"];
    let server = Mariadb::start_in(Some(net.server_name()), &settings, STATEMENTS);
    let port = server.port();
    let schemes = [
        "postgresql",
        "tls",
        "tcp",
        "mongodb",
        "tds",
        "postgresql+pg8000",
    ];
    let targets: Vec<String> = (0..110)
        .map(|n| {
            format!(
                "{}://purser@{SERVER}:{port}/x{n}",
                schemes[n % schemes.len()]
            )
        })
        .map(
            |target| match target.starts_with("t") && !target.starts_with("tds") {
                true => target
                    .split("purser@")
                    .collect::<String>()
                    .replace("/x", "/"),
                false => target,
            },
        )
        .map(
            |target| match target.starts_with("tcp") || target.starts_with("tls") {
                true => target.rsplit_once('/').unwrap().0.to_owned(),
                false => target,
            },
        )
        .collect();
    let mut args = vec!["diagnose", "--output", "json"];
    args.extend(targets.iter().map(String::as_str));
    let ran = net.run(&args);
    assert_eq!(ran.stdout.lines().count(), 110, "{}", ran.stderr);
    let errors = counted(&server);
    assert!(errors < 6, "{errors} counted lines");
    let with_secret = format!("mysql://purser:tide-table-9@{SERVER}:{port}/manifest");
    let ran = net.run(&["diagnose", "-q", &with_secret]);
    assert_eq!(ran.status, 0, "{}{}", ran.stdout, ran.stderr);
    tally(
        "namespace",
        "MariaDB and a hundred targets of other engines",
    );
}
