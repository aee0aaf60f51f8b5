//! The situations that were written from the catalogue alone, through real routers, filters
//! and name servers in network namespaces, as an unprivileged user.

use chronaxis_lab::stand_in::postgresql::Config;
use chronaxis_lab::stand_in::{Service, mysql};

use crate::support::namespaces::{
    ABSENT, Net, ROUTER, SECOND, SERVER, SERVER_SIX, as_in_scene, icmp, scene_by, scene_with,
};
use crate::support::unbound::Unbound;

const QUAY: &str = "quay.osmary.example";

/// A third address of the server.
const THIRD: &str = "198.51.100.9";

fn sailings() -> Service {
    Service::Postgresql(Config::sailings("lantern-oil-42"))
}

fn target() -> String {
    format!("postgresql://purser:lantern-oil-42@{QUAY}:5432/sailings")
}

/// The hosts file of the client, in which the quay has these addresses.
fn quay_at(net: &Net, addresses: &[&str]) {
    let lines: String = addresses.iter().map(|a| format!("{a} {QUAY}\n")).collect();
    net.hosts(&format!("127.0.0.1 localhost\n{lines}"));
}

/// Whether something was found beside the verdict.
fn found(case: &serde_json::Value, id: &str) -> bool {
    let mut all = case["also_found"].as_array().expect("a list").iter();
    all.any(|f| f["id"] == id)
}

#[test]
fn what_the_sources_of_a_name_say() {
    if !Net::available() || !Unbound::available() {
        return;
    }
    let net = Net::new("xa");
    let _server = net.serve(SERVER, 5432, sailings());
    let former = net.name_server(&format!("quay IN A {ABSENT}\n"));
    let current = net.name_server(&format!("quay IN A {SERVER}\n"));
    let mute = net.mute_resolver();
    let at = |place: std::net::SocketAddr| place.to_string();
    let (former, current) = (at(former.at), at(current.at));
    let mute = at(mute.local_addr().unwrap());
    let asking = |first: &str, second: &str, scene: &str| {
        let args = ["--resolver", first, "--resolver", second];
        scene_by(&net, scene, &args, &target())
    };
    let case = asking(&former, &current, "resolver-behind-gone");
    assert_eq!(icmp(&case)["sender"], ROUTER);
    let text = case["causes"][0]["for"].to_string();
    assert!(text.contains(ABSENT) && text.contains(SERVER), "{text}");
    asking(&mute, &current, "first-resolver-dead");
    quay_at(&net, &["127.0.0.1"]);
    let args = ["--resolver", current.as_str()];
    let case = scene_by(&net, "hosts-file-to-itself", &args, &target());
    let text = case["causes"][0]["for"].to_string();
    assert!(text.contains("line 2 of the hosts file"), "{text}");
}

/// The system asks the next resolver only after five seconds, longer than one answer is
/// waited for here: what that one says counts already.
#[test]
fn the_system_waits_behind_a_silent_resolver() {
    if !Net::available() || !Unbound::available() {
        return;
    }
    let net = Net::new("xi");
    let _server = net.serve(SERVER, 5432, sailings());
    let _resolvers = net.behind_a_silent_resolver(&format!("quay IN A {SERVER}\n"));
    let case = as_in_scene(&net, "first-resolver-dead", QUAY);
    let said = case["layers"][2]["summary"].as_str().unwrap();
    assert!(said.contains("still waiting"), "{said}");
    assert_eq!(case["layers"][2]["outcome"], "caution");
    assert!(found(&case, "name-service-silent"), "{case:#}");
    let target = target().replace("quay.", "qauy.");
    let case = scene_with(&net, "near-name-exists", &target);
    assert!(case["causes"].to_string().contains(QUAY), "{case:#}");
}

/// Who asks name service by itself finds the name; the client's system never asks it.
#[test]
fn a_system_that_asks_no_name_service() {
    if !Net::available() || !Unbound::available() {
        return;
    }
    let net = Net::new("xl");
    let _server = net.serve(SERVER, 5432, sailings());
    let _names = net.asks_here(&format!("quay IN A {SERVER}\n"));
    as_in_scene(&net, "healthy", QUAY);
    net.goes_by_hosts_only();
    let case = as_in_scene(&net, "system-asks-nobody", QUAY);
    let text = case["causes"][0]["for"].to_string();
    assert!(text.contains(SERVER) && text.contains("connects"), "{text}");
    assert!(case["verdict"]["fix"].to_string().contains("nsswitch.conf"));
}

#[test]
fn a_machine_without_a_resolver() {
    if !Net::available() {
        return;
    }
    let net = Net::new("xh");
    net.no_resolver();
    let case = as_in_scene(&net, "no-resolver-set-up", QUAY);
    let said = case["layers"][2]["summary"].as_str().unwrap();
    assert_eq!(said.matches("no resolver").count(), 1, "{said}");
}

#[test]
fn which_of_several_addresses_this_client_takes() {
    if !Net::available() {
        return;
    }
    let net = Net::new("xb");
    net.server_has(THIRD, 24);
    let _server = net.serve(THIRD, 5432, sailings());
    quay_at(&net, &[SECOND, SERVER, THIRD]);
    net.at_router(&format!("ip daddr {SERVER} drop"));
    let case = as_in_scene(&net, "third-address-alive", QUAY);
    let silent = &case["paths"][1];
    assert_eq!(silent["address"], SERVER, "{silent:#}");
    assert_eq!(silent["symptom"], "port/silent");
    let net = Net::new("xc");
    let _both = [
        net.serve(SERVER, 5432, sailings()),
        net.serve(SECOND, 5432, sailings()),
    ];
    quay_at(&net, &[SERVER, SECOND]);
    net.at_server("tcp dport 5432 drop");
    let case = as_in_scene(&net, "both-addresses-drop", QUAY);
    for path in case["paths"].as_array().unwrap() {
        assert_eq!(path["cause"], "firewall-drops", "{path:#}");
    }
}

/// The driver that waits for one address for ten seconds, and then takes the next.
#[test]
fn a_driver_that_waits_for_one_family_and_goes_on() {
    if !Net::available() {
        return;
    }
    let net = Net::new("xd");
    net.with_six();
    let manifest = Service::Mysql(mysql::Config::manifest("lantern-oil-42"));
    let server = net.serve(SERVER, 3306, manifest);
    quay_at(&net, &[SERVER_SIX, SERVER]);
    net.at_router(&format!("ip6 daddr {SERVER_SIX} drop"));
    let target = format!("mysql+pymysql://purser:lantern-oil-42@{QUAY}:3306/manifest");
    let case = scene_with(&net, "six-drops-four-works", &target);
    assert!(found(&case, "address-dead-but-skipped"), "{case:#}");
    assert_eq!(server.counts().lines, 1);
}

/// A machine on which IPv6 is switched off, and one that merely has no way out by it: the
/// system says different things, and both times it is the family that is missing.
#[test]
fn a_machine_without_the_family_of_the_address() {
    if !Net::available() {
        return;
    }
    let net = Net::new("xj");
    let server = net.serve(SERVER, 5432, sailings());
    let by_six = format!("postgresql://purser:lantern-oil-42@[{SERVER_SIX}]:5432/sailings");
    scene_with(&net, "no-way-there", &by_six);
    net.without_six();
    let case = scene_with(&net, "no-way-there", &by_six);
    assert_eq!(case["contacts"]["lines"], 0, "{case:#}");
    quay_at(&net, &[SERVER_SIX, SERVER]);
    as_in_scene(&net, "healthy", QUAY);
    assert_eq!(server.counts().lines, 1);
}

#[test]
fn packets_that_go_in_a_circle() {
    if !Net::available() {
        return;
    }
    let net = Net::new("xk");
    net.circle("192.0.2.0/24");
    let case = as_in_scene(&net, "packets-in-a-circle", "192.0.2.7");
    assert_eq!(icmp(&case)["type"], 11, "{case:#}");
    let said = case["layers"][4]["summary"].as_str().unwrap();
    assert!(said.contains("in a circle"), "{said}");
}

#[test]
fn a_host_that_is_not_there_whatever_is_spoken() {
    if !Net::available() {
        return;
    }
    let net = Net::new("xe");
    let target = format!("mongodb://purser:lantern-oil-42@{ABSENT}:27017/lookout");
    let case = scene_with(&net, "cameras-host-absent", &target);
    assert_eq!(icmp(&case)["sender"], ROUTER);
}

#[test]
fn filters_at_either_end() {
    if !Net::available() {
        return;
    }
    let net = Net::new("xf");
    let _server = net.serve(SERVER, 5432, sailings());
    net.at_server("tcp dport 5432 reject with icmp type admin-prohibited");
    let case = as_in_scene(&net, "host-says-prohibited", SERVER);
    assert_eq!(icmp(&case)["sender"], SERVER);
    let net = Net::new("xg");
    net.at_client("ip daddr 198.51.100.0/24 drop");
    let target = format!("mysql://purser:lantern-oil-42@{SERVER}:3306/manifest");
    let case = scene_with(&net, "own-filter-drops-all", &target);
    assert_eq!(case["contacts"]["sign_ins"], 0);
}
