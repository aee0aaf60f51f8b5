//! The first stretch of the way, and ports that are passed on, through real routers in
//! network namespaces, as an unprivileged user.

use chronaxis_lab::stand_in::Service;
use chronaxis_lab::stand_in::postgresql::Config;
use serde_json::Value;

use crate::support::namespaces::{Net, SECOND, SERVER, SERVER_SIX, as_in_scene, scene_with};

fn sailings() -> Service {
    Service::Postgresql(Config::sailings("lantern-oil-42"))
}

/// The text of the answer to a question, for whichever cause it counts.
fn text_of(case: &Value, question: &str) -> String {
    let mut reasons = case["causes"]
        .as_array()
        .unwrap()
        .iter()
        .flat_map(|c| [&c["for"], &c["against"]])
        .flat_map(|r| r.as_array().unwrap());
    let answer = reasons.find(|r| r["question"] == question);
    answer.unwrap_or_else(|| panic!("{question} is answered: {case:#}"))["text"]
        .as_str()
        .unwrap()
        .to_owned()
}

#[test]
fn the_next_device_does_not_answer() {
    if !Net::available() {
        return;
    }
    let net = Net::new("da");
    let server = net.serve(SERVER, 5432, sailings());
    net.with_six();
    as_in_scene(&net, "healthy", SERVER);
    for (next, host) in [("10.8.4.99", SERVER), ("2001:db8:4::99", SERVER_SIX)] {
        net.sends_by(next);
        let target = match host.contains(':') {
            true => format!("postgresql://purser:lantern-oil-42@[{host}]:5432/sailings"),
            false => format!("postgresql://purser:lantern-oil-42@{host}:5432/sailings"),
        };
        let case = scene_with(&net, "next-device-silent", &target);
        let verdict = &case["verdict"];
        assert!(text_of(&case, "next-device").contains(next));
        assert!(verdict["fix"][0].as_str().unwrap().contains(next));
        let asked = verdict["network"]["look_for"].as_str().unwrap();
        assert!(asked.contains(next), "{asked}");
        assert!(!verdict["handover"].to_string().contains("filter's log"));
    }
    // Whoever waits for less than the system does is told the same, from its tables.
    let target = format!("postgresql://purser@{SERVER}:5432/sailings");
    let args = ["diagnose", "--patience", "2", "--output", "json", &target];
    let case = net.run(&args).case();
    assert_eq!(crate::support::gist(&case), "broken no-route port/silent");
    assert!(text_of(&case, "next-device").contains("10.8.4.99"));
    assert_eq!(server.counts().lines, 1);
}

#[test]
fn a_link_that_is_down_under_a_remembered_device() {
    if !Net::available() {
        return;
    }
    let net = Net::new("db");
    let _server = net.serve(SERVER, 5432, sailings());
    as_in_scene(&net, "healthy", SERVER);
    net.cable_out();
    let case = as_in_scene(&net, "link-down", SERVER);
    assert!(text_of(&case, "next-device").contains("up0"));
    let fix = case["verdict"]["fix"].to_string();
    assert!(fix.contains("the link of up0"), "{fix}");
}

#[test]
fn a_neighbour_that_is_not_there() {
    if !Net::available() {
        return;
    }
    let net = Net::new("dc");
    let case = as_in_scene(&net, "neighbour-absent", "10.8.4.77");
    let said = text_of(&case, "next-device");
    assert!(said.contains("nothing answers at 10.8.4.77"), "{said}");
    let port = case["layers"][4]["summary"].as_str().unwrap();
    assert!(port.contains("nothing answers at 10.8.4.77"), "{port}");
}

#[test]
fn routes_that_lead_nowhere() {
    if !Net::available() {
        return;
    }
    let net = Net::new("dd");
    let kinds = [
        ("unreachable", "says unreachable"),
        ("blackhole", "throws it away"),
        ("prohibit", "prohibits it"),
    ];
    for (kind, words) in kinds {
        net.route_to_nowhere(kind, "198.51.100.0/24");
        let case = as_in_scene(&net, "route-prohibits", SERVER);
        let said = case["layers"][3]["summary"].as_str().unwrap();
        assert!(said.contains(words), "{said}");
    }
}

/// The same address in other clothes, this machine by an address that is none, and one that
/// no host has.
#[test]
fn addresses_that_are_written_otherwise() {
    if !Net::available() {
        return;
    }
    let net = Net::new("dh");
    net.with_six();
    let _server = net.serve(SERVER, 5432, sailings());
    let mapped = format!("postgresql://purser:lantern-oil-42@[::ffff:{SERVER}]:5432/sailings");
    scene_with(&net, "healthy", &mapped);
    net.at_first_router("tcp dport 5432 reject with tcp reset");
    scene_with(&net, "reset-early", &mapped);
    // An address of one link, with and without its name.
    let _local = net.serve_here("::", 7432, sailings());
    for link in ["%up0", ""] {
        let to = format!(
            "host={}{link} port=7432 user=purser dbname=sailings",
            net.link_local()
        );
        let args = ["diagnose", "--until", "listener", "--output", "json", &to];
        let case = net.run(&args).case();
        assert_eq!(crate::support::gist(&case), "working - -", "{to}");
        assert_eq!(case["contacts"]["lookups"], u32::from(!link.is_empty()));
    }
    let own = |target: &str| {
        let args = ["diagnose", "--output", "json", target];
        net.run(&args).case()
    };
    let case = own("postgresql://purser@0.0.0.0:5432/sailings");
    assert_eq!(
        crate::support::gist(&case),
        "broken nothing-listening port/refused"
    );
    let loopback = own("postgresql://purser@127.0.0.1:5432/sailings");
    assert_eq!(case["contacts"]["lines"], loopback["contacts"]["lines"]);
    assert!(
        case["contacts"]["path_packets"]
            .as_u64()
            .is_none_or(|n| n == 0)
    );
    let case = own("postgresql://purser@224.0.0.5:5432/sailings");
    assert_eq!(
        crate::support::gist(&case),
        "broken no-route port/unreachable"
    );
}

/// Nothing shows a filter, nor a host: with nothing but silence nobody is to blame yet.
#[test]
fn silence_without_a_trace_accuses_nobody() {
    if !Net::available() {
        return;
    }
    let net = Net::new("de");
    let _server = net.serve(SERVER, 5432, sailings());
    net.quiet_routers();
    net.at_first_router(&format!("ip daddr {SERVER} drop"));
    let case = as_in_scene(&net, "silent-all-the-way", SERVER);
    let causes = case["causes"].as_array().unwrap();
    let likely: Vec<&str> = causes
        .iter()
        .filter(|c| c["probability"].as_f64() >= Some(0.1))
        .map(|c| c["id"].as_str().unwrap())
        .collect();
    let candidates = ["allow-list-excludes-client", "firewall-drops", "host-down"];
    assert_eq!(likely, candidates, "{case:#}");
    assert_eq!(case["verdict"]["next_test"]["question"], "other-vantage");
}

#[test]
fn a_port_that_is_passed_on() {
    if !Net::available() {
        return;
    }
    let net = Net::new("df");
    net.passes_on(5432, "198.51.100.99");
    let case = as_in_scene(&net, "passed-on-to-nobody", SERVER);
    let said = text_of(&case, "passed-on");
    assert!(said.contains("hop 2"), "{said}");

    let net = Net::new("dg");
    net.passes_on(5432, SECOND);
    net.at_server("ip daddr 198.51.100.8 tcp dport 5432 drop");
    let case = as_in_scene(&net, "passed-on-and-dropped", SERVER);
    let asked = case["verdict"]["network"]["look_for"].as_str().unwrap();
    assert!(asked.contains("on hop 2, which forwards"), "{asked}");
    // That another port of the address refuses says nothing of the machine behind.
    assert!(!case["ruled_out"].to_string().contains("host-down"));
}
