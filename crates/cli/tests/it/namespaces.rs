//! Through real routers and real filters, in network namespaces, as an unprivileged user.
//! Each case names the scene of the simulated network that must say the same.

use chronaxis_lab::stand_in::Service;
use chronaxis_lab::stand_in::postgresql::Config;
use serde_json::Value;

use crate::support::namespaces::{
    ABSENT, Net, ROUTER, SECOND, SERVER, as_in_scene, icmp, scene_with,
};
use crate::support::real::tally;
use crate::support::{finish, gist};

fn sailings() -> Service {
    Service::Postgresql(Config::sailings("lantern-oil-42"))
}

fn target(host: &str) -> String {
    format!("postgresql://purser:lantern-oil-42@{host}:5432/sailings")
}

/// Whether something was found beside the verdict.
fn found(case: &Value, id: &str) -> bool {
    let all = case["also_found"].as_array().expect("a list");
    all.iter().any(|f| f["id"] == id)
}

#[test]
fn healthy_through_a_router() {
    if !Net::available() {
        return;
    }
    let net = Net::new("a");
    let server = net.serve(SERVER, 5432, sailings());
    let ran = net.run(&["diagnose", "--output", "json", &target(SERVER)]);
    let case = ran.case();
    assert_eq!(gist(&case), "working - -");
    assert_eq!(server.counts().lines, 1, "exactly one line");
    let cautions = case["also_found"].as_array().unwrap();
    assert!(
        cautions.iter().any(|c| c["id"] == "tls-off"),
        "in clear over a network"
    );
    tally("namespace", "healthy");
}

#[test]
fn a_router_that_drops() {
    if !Net::available() {
        return;
    }
    let net = Net::new("b");
    let _server = net.serve(SERVER, 5432, sailings());
    let _neighbour = net.serve(SERVER, 5431, Service::Mute);
    net.at_router("tcp dport 5432 drop");
    let case = as_in_scene(&net, "dropped", SERVER);
    let handover = case["verdict"]["handover"].as_str().unwrap();
    assert!(handover.contains("from 10.8.4.21"), "{handover}");
    assert!(
        handover.contains("port 5431 of the same host connects"),
        "{handover}"
    );
}

#[test]
fn a_router_that_drops_everything() {
    if !Net::available() {
        return;
    }
    let net = Net::new("d");
    net.at_router(&format!("ip daddr {SERVER} drop"));
    let case = as_in_scene(&net, "dropped-altogether", SERVER);
    let ids: Vec<_> = case["causes"]
        .as_array()
        .unwrap()
        .iter()
        .take(3)
        .map(|c| c["id"].clone())
        .collect();
    // All silent: perhaps a list that this machine is not on.
    let candidates = ["allow-list-excludes-client", "firewall-drops", "host-down"];
    assert_eq!(ids, candidates);
    assert!(case["verdict"]["next_test"]["command"].is_string());
}

#[test]
fn a_router_that_prohibits() {
    if !Net::available() {
        return;
    }
    let net = Net::new("e");
    let _server = net.serve(SERVER, 5432, sailings());
    net.at_router("tcp dport 5432 reject with icmp type admin-prohibited");
    let case = as_in_scene(&net, "rejected-by-router", SERVER);
    // Nothing that only silence asks for holds a refusal up.
    let took = case["vantage"]["elapsed_us"].as_u64().unwrap();
    assert!(took < 1_000_000, "{took} us");
    assert_eq!(icmp(&case)["sender"], ROUTER);
    assert_eq!(
        (&icmp(&case)["type"], &icmp(&case)["code"]),
        (&3.into(), &13.into())
    );
}

#[test]
fn a_host_that_rejects() {
    if !Net::available() {
        return;
    }
    let net = Net::new("f");
    let _server = net.serve(SERVER, 5432, sailings());
    net.at_server("tcp dport 5432 reject");
    let case = as_in_scene(&net, "rejected-by-host", SERVER);
    assert_eq!(icmp(&case)["sender"], SERVER);
    assert_eq!(
        (&icmp(&case)["type"], &icmp(&case)["code"]),
        (&3.into(), &3.into())
    );
}

#[test]
fn a_host_that_is_not_there() {
    if !Net::available() {
        return;
    }
    let net = Net::new("h");
    let case = as_in_scene(&net, "absent-host", ABSENT);
    assert_eq!(icmp(&case)["sender"], ROUTER);
}

#[test]
fn a_client_without_a_way() {
    if !Net::available() {
        return;
    }
    let net = Net::new("i");
    net.cut_off();
    as_in_scene(&net, "no-way-there", SERVER);
}

#[test]
fn a_name_with_a_dead_address_first() {
    if !Net::available() {
        return;
    }
    let net = Net::new("j");
    let _server = net.serve(SECOND, 5432, sailings());
    net.hosts(&format!(
        "127.0.0.1 localhost\n{SERVER} quay.osmary.example\n{SECOND} quay.osmary.example\n"
    ));
    net.at_router(&format!("ip daddr {SERVER} drop"));
    let order = net.run(&[
        "diagnose",
        "--output",
        "json",
        "--until",
        "name",
        &target("quay.osmary.example"),
    ]);
    let addresses = order.case()["layers"][2]["facts"][0]["addresses"].clone();
    assert_eq!(
        addresses,
        serde_json::json!([SERVER, SECOND]),
        "the order of the hosts file"
    );
    as_in_scene(&net, "dead-address-first", "quay.osmary.example");
}

#[test]
fn a_name_with_a_closed_address_first() {
    if !Net::available() {
        return;
    }
    let net = Net::new("k");
    let _server = net.serve(SECOND, 5432, sailings());
    net.hosts(&format!(
        "127.0.0.1 localhost\n{SERVER} quay.osmary.example\n{SECOND} quay.osmary.example\n"
    ));
    let case = as_in_scene(&net, "closed-address-first", "quay.osmary.example");
    assert!(found(&case, "address-dead-but-skipped"), "{case:#}");
}

#[test]
fn a_name_with_a_dead_address_second() {
    if !Net::available() {
        return;
    }
    let net = Net::new("m");
    let server = net.serve(SERVER, 5432, sailings());
    net.hosts(&format!(
        "127.0.0.1 localhost\n{SERVER} quay.osmary.example\n{SECOND} quay.osmary.example\n"
    ));
    net.at_router(&format!("ip daddr {SECOND} drop"));
    let case = as_in_scene(&net, "healthy", "quay.osmary.example");
    assert_eq!(server.counts().lines, 1);
    // The outage that comes and goes with the order of the addresses.
    assert!(found(&case, "address-dead-but-skipped"), "{case:#}");
}

/// `north-quay` and `south-quay`, the first of which drops everything.
fn two_quays(net: &Net) {
    net.hosts(&format!(
        "127.0.0.1 localhost\n{SERVER} north-quay.osmary.example\n{SECOND} south-quay.osmary.example\n"
    ));
    net.at_router(&format!("ip daddr {SERVER} drop"));
}

#[test]
fn a_first_host_that_hangs_and_one_that_is_given_a_time() {
    if !Net::available() {
        return;
    }
    let net = Net::new("n");
    let server = net.serve(SECOND, 5432, sailings());
    two_quays(&net);
    let hosts = "north-quay.osmary.example:5432,south-quay.osmary.example";
    as_in_scene(&net, "first-host-hangs", hosts);
    let target = format!("{}?connect_timeout=3", target(hosts));
    let case = scene_with(&net, "first-host-timed-out", &target);
    assert!(found(&case, "address-dead-but-skipped"), "{case:#}");
    assert_eq!(server.counts().lines, 2, "one a run");
}

/// Two packets of three are lost: a connection is made by the third, three seconds late.
#[test]
fn a_way_that_loses_packets() {
    if !Net::available() {
        return;
    }
    let net = Net::new("o");
    let _server = net.serve(SERVER, 5432, sailings());
    net.at_router("tcp dport 5432 tcp flags & (syn|ack) == syn numgen inc mod 3 < 2 drop");
    let one = |options: &str| format!("{}{options}", target(SERVER));
    let case = scene_with(&net, "lossy-and-impatient", &one("?connect_timeout=2"));
    assert_eq!(case["verdict"]["owner"], "network");
}

/// Every third packet that begins a connection is lost: it works, and is said.
#[test]
fn a_way_that_loses_every_third_packet() {
    if !Net::available() {
        return;
    }
    let net = Net::new("p");
    let _server = net.serve(SERVER, 5432, sailings());
    net.at_router("tcp flags & (syn|ack) == syn numgen inc mod 3 == 0 drop");
    let case = scene_with(&net, "lossy-link", &target(SERVER));
    assert!(found(&case, "link-lossy"), "{case:#}");
}

/// The filter lets the connection through and none of what follows: the request is never
/// confirmed, which a server that only says nothing does not do.
#[test]
fn a_filter_behind_the_handshake() {
    if !Net::available() {
        return;
    }
    let net = Net::new("q");
    let _server = net.serve(SERVER, 5432, sailings());
    net.at_router("tcp dport 5432 tcp flags & (psh|ack) == (psh|ack) drop");
    let ran = net.run(&[
        "diagnose",
        "--output",
        "json",
        "--patience",
        "2",
        &target(SERVER),
    ]);
    let case = ran.case();
    tally("namespace", "filter behind the handshake");
    assert_eq!(case["verdict"]["symptom"], "listener/mute", "{case:#}");
    let causes: Vec<_> = case["causes"].as_array().unwrap().iter().collect();
    let server = causes
        .iter()
        .find(|c| c["id"] == "server-hung")
        .expect("weighed");
    assert!(server["probability"].as_f64().unwrap() < 0.05, "{server:#}");
    assert_eq!(server["against"][0]["question"], "request-confirmed");
}

#[test]
fn a_router_that_says_port_unreachable_is_not_the_host() {
    if !Net::available() {
        return;
    }
    let net = Net::new("r");
    let _server = net.serve(SERVER, 5432, sailings());
    net.at_router("tcp dport 5432 reject with icmp type port-unreachable");
    let case = as_in_scene(&net, "rejected-by-router", SERVER);
    assert_eq!(icmp(&case)["sender"], ROUTER);
}

#[test]
fn a_driver_that_takes_the_first_address_only() {
    if !Net::available() {
        return;
    }
    let net = Net::new("t");
    let server = net.serve(SECOND, 5432, sailings());
    net.hosts(&format!(
        "127.0.0.1 localhost\n{SERVER} north-quay.osmary.example\n{SECOND} north-quay.osmary.example\n"
    ));
    let jdbc = "jdbc:postgresql://north-quay.osmary.example:5432/sailings?user=purser&password=lantern-oil-42";
    scene_with(&net, "first-address-only", jdbc);
    assert_eq!(
        server.counts().sign_ins,
        0,
        "that driver would not get there"
    );
}

#[test]
fn a_machine_without_ports_left() {
    if !Net::available() {
        return;
    }
    let net = Net::new("u");
    let _server = net.serve(SERVER, 5432, sailings());
    net.one_port_left_and_taken(SERVER, 5432);
    let ran = net.run(&["diagnose", "--output", "json", &target(SERVER)]);
    let case = ran.case();
    assert_eq!(
        gist(&case),
        "broken client-resource-exhausted port/local-failure"
    );
    assert!(ran.stdout.contains("EADDRNOTAVAIL"), "{}", ran.stdout);
    tally("namespace", "no ports left");
}

/// A rule of this machine's own routing forbids it: the permission is missing here.
#[test]
fn a_machine_that_may_not_connect() {
    if !Net::available() {
        return;
    }
    let net = Net::new("v");
    net.prohibit_connections();
    let ran = net.run(&["diagnose", "--output", "json", &target(SERVER)]);
    assert_eq!(
        gist(&ran.case()),
        "broken client-resource-exhausted port/local-failure"
    );
    assert!(ran.stdout.contains("EACCES"), "{}", ran.stdout);
    tally("namespace", "not permitted");
}

#[test]
fn a_resolver_that_never_answers_does_not_hold_up_the_end() {
    if !Net::available() {
        return;
    }
    let net = Net::new("l");
    net.resolver(SERVER);
    net.at_router("udp dport 53 drop");
    let case = as_in_scene(&net, "silent-names", "quay.osmary.example");
    // The system's own look-up, and the resolver by itself for both families.
    assert_eq!(case["contacts"]["lookups"], 3);
}

#[test]
fn a_socket_file_closed_to_this_user() {
    if !Net::available() {
        return;
    }
    use std::os::unix::fs::PermissionsExt as _;
    let folder = tempfile::tempdir().unwrap();
    let program = folder.path().join("chronaxis");
    crate::support::copy_program(&program);
    crate::support::open_to_all(folder.path());
    let inner = folder.path().join("closed");
    std::fs::create_dir(&inner).unwrap();
    let _listener = std::os::unix::net::UnixListener::bind(inner.join(".s.PGSQL.5432")).unwrap();
    std::fs::set_permissions(&inner, std::fs::Permissions::from_mode(0o700)).unwrap();
    let mut command = std::process::Command::new("setpriv");
    command
        .env_clear()
        .args(["--reuid=65534", "--regid=65534", "--clear-groups"])
        .arg(&program)
        .args(["diagnose", "--output", "json"])
        .arg(format!(
            "host={} user=purser dbname=sailings",
            inner.display()
        ))
        .current_dir("/");
    let case = finish(&mut command).case();
    assert_eq!(
        gist(&case),
        "broken socket-not-permitted port/socket-not-permitted"
    );
    assert_eq!(case["vantage"]["user"], "nobody", "unprivileged");
    tally("namespace", "socket-not-permitted");
}
