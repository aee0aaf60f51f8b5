//! The way device by device, through real routers and real filters in network namespaces,
//! as an unprivileged user. Each case names the scene of the simulated network that must
//! say the same.

use chronaxis_lab::certificates::CertificateKind;
use chronaxis_lab::stand_in::Service;
use chronaxis_lab::stand_in::encrypted::Side;
use chronaxis_lab::stand_in::postgresql::Config;
use serde_json::Value;

use crate::support::gist;
use crate::support::namespaces::{
    CLIENT, FIRST_ROUTER, Net, ROUTER, SECOND, SERVER, SERVER_SIX, as_in_scene, causes_of,
    scene_with,
};
use crate::support::real::tally;

fn sailings() -> Service {
    Service::Postgresql(Config::sailings("lantern-oil-42"))
}

fn target(host: &str) -> String {
    format!("postgresql://purser:lantern-oil-42@{host}:5432/sailings")
}

/// The device that the hand-over for a network team names.
fn device(case: &Value) -> &Value {
    &case["verdict"]["network"]["device"]
}

/// The answer that a question got, for the first cause.
fn answer<'a>(case: &'a Value, question: &str) -> &'a str {
    let first = &case["causes"][0];
    let both = [&first["for"], &first["against"]];
    let mut all = both.iter().flat_map(|list| list.as_array().unwrap());
    let found = all.find(|moved| moved["question"] == question);
    found.map_or("-", |moved| moved["answer"].as_str().unwrap())
}

/// The second router passes nothing on to the port, and still says of packets that end at
/// it that they do: it is the last device that answers. What the program sent is what came
/// to the first router.
#[test]
fn the_second_router_drops_and_is_named() {
    if !Net::available() {
        return;
    }
    let net = Net::new("wa");
    let _server = net.serve(SERVER, 5432, sailings());
    net.at_router("tcp dport 5432 drop");
    net.count_at_first_router("ip ttl <= 30 tcp flags & (syn|ack) == syn");
    let case = as_in_scene(&net, "dropped", SERVER);
    assert_eq!(device(&case), ROUTER);
    let network = &case["verdict"]["network"];
    assert_eq!(network["from"], CLIENT);
    assert_eq!(network["port"], 5432);
    let attempts = network["attempts"].as_array().unwrap();
    assert_eq!(attempts.len(), 3, "{network:#}");
    assert!(attempts.iter().all(|a| a["answer"] == "silent"));
    let at = attempts[0]["at"].as_str().unwrap();
    assert!(at.ends_with('Z') && at.len() == 24, "{at}");
    assert_eq!(
        case["contacts"]["path_packets"].as_u64().unwrap(),
        net.counted_at_first_router(),
        "each path packet is counted, and none is sent twice"
    );
    assert!(net.counted_at_first_router() <= 20);
}

#[test]
fn the_first_router_drops_and_is_named() {
    if !Net::available() {
        return;
    }
    let net = Net::new("wb");
    let _server = net.serve(SERVER, 5432, sailings());
    net.at_first_router("tcp dport 5432 drop");
    let case = as_in_scene(&net, "dropped-early", SERVER);
    assert_eq!(device(&case), FIRST_ROUTER);
    assert_eq!(answer(&case, "path-end"), "short");
}

/// A reset in the host's name: from before the host, and from the very last device.
#[test]
fn resets_by_routers_are_told_from_the_hosts_own() {
    if !Net::available() {
        return;
    }
    let net = Net::new("wc");
    let _server = net.serve(SERVER, 5432, sailings());
    net.at_first_router("tcp dport 5432 reject with tcp reset");
    let case = as_in_scene(&net, "reset-early", SERVER);
    assert_eq!(answer(&case, "refusal-distance"), "nearer", "{case:#}");
    let net = Net::new("wd");
    let _server = net.serve(SERVER, 5432, sailings());
    net.at_router("tcp dport 5432 reject with tcp reset");
    let case = as_in_scene(&net, "reset-by-router", SERVER);
    assert_eq!(answer(&case, "refusal-distance"), "nearer", "{case:#}");
    let net = Net::new("wu");
    net.with_six();
    let _server = net.serve(SERVER_SIX, 5432, sailings());
    net.at_router("tcp dport 5432 reject with tcp reset");
    let target = format!("postgresql://purser:lantern-oil-42@[{SERVER_SIX}]:5432/sailings");
    let case = scene_with(&net, "reset-by-router", &target);
    assert_eq!(answer(&case, "refusal-distance"), "nearer", "{case:#}");
}

/// A router that says of one packet a second that it ends at it: the answer on which the
/// distance of a refusal turns is asked for again, a second later.
#[test]
fn a_router_that_says_little_is_asked_again() {
    if !Net::available() {
        return;
    }
    let net = Net::new("wt");
    let _server = net.serve(SERVER, 5432, sailings());
    net.at_router("tcp dport 5432 reject with tcp reset");
    net.sparing_router();
    let case = as_in_scene(&net, "sparing-router", SERVER);
    assert_eq!(answer(&case, "refusal-distance"), "nearer", "{case:#}");
    let ways = case["verdict"]["network"]["ways"].as_array().unwrap();
    for way in ways {
        assert_eq!(way["hops"][1]["by"], ROUTER, "{way:#}");
    }
}

/// The host's own filter and a closed port look the same: both are named, and so is the
/// test that would tell.
#[test]
fn a_reset_by_the_host_looks_like_a_closed_port() {
    if !Net::available() {
        return;
    }
    let net = Net::new("we");
    let _server = net.serve(SERVER, 5432, sailings());
    net.at_server("tcp dport 5432 reject with tcp reset");
    for (scene, host) in [("reset-by-host", SERVER), ("closed-elsewhere", SECOND)] {
        let case = as_in_scene(&net, scene, host);
        assert_eq!(
            causes_of(&case, 3),
            [
                "nothing-listening",
                "host-filter-rejects",
                "listens-on-loopback-only"
            ]
        );
        assert_eq!(case["verdict"]["next_test"]["question"], "at-the-host");
    }
}

/// Bound to loopback, a server looks closed from elsewhere.
#[test]
fn a_server_bound_to_loopback_stays_a_candidate() {
    if !Net::available() {
        return;
    }
    let net = Net::new("wf");
    let _server = net.serve("127.0.0.1", 5432, sailings());
    let case = as_in_scene(&net, "closed-elsewhere", SERVER);
    assert!(causes_of(&case, 3).contains(&"listens-on-loopback-only".to_owned()));
    assert_eq!(case["verdict"]["next_test"]["question"], "at-the-host");
}

#[test]
fn a_server_on_another_port_is_found() {
    if !Net::available() {
        return;
    }
    let net = Net::new("wg");
    let _server = net.serve(SERVER, 5433, sailings());
    let case = as_in_scene(&net, "on-another-port", SERVER);
    let text = case["causes"][0]["for"].to_string();
    assert!(text.contains("answers on port 5433"), "{text}");
    let until = net.run(&[
        "diagnose",
        "--output",
        "json",
        "--until",
        "port",
        &target(SERVER),
    ]);
    let servers = until.case()["contacts"]["servers"].to_string();
    assert!(
        !servers.contains("5433"),
        "off with --until port: {servers}"
    );
}

/// Every ICMP code that says no, from a router and from the host itself. What the codes
/// mean differs; who sent them is known each time.
#[test]
fn every_icmp_code_is_read_with_its_sender() {
    if !Net::available() {
        return;
    }
    let both = ("firewall-rejects", "host-filter-rejects");
    let codes = [
        ("icmp type net-unreachable", 3, 0, ("no-route", "-")),
        ("icmp type host-unreachable", 3, 1, ("host-down", "-")),
        ("icmp type prot-unreachable", 3, 2, both),
        ("icmp type port-unreachable", 3, 3, both),
        ("icmp type net-prohibited", 3, 9, both),
        ("icmp type host-prohibited", 3, 10, both),
        ("icmp type admin-prohibited", 3, 13, both),
        ("icmpv6 type no-route", 1, 0, ("no-route", "-")),
        ("icmpv6 type admin-prohibited", 1, 1, both),
        ("icmpv6 type addr-unreachable", 1, 3, ("host-down", "-")),
        ("icmpv6 type port-unreachable", 1, 4, both),
        ("icmpv6 type policy-fail", 1, 5, both),
        ("icmpv6 type reject-route", 1, 6, both),
    ];
    let net = Net::new("wh");
    net.with_six();
    net.outspoken();
    let arms = |of: &str| -> String {
        let arm = |(n, code): (usize, &(&str, _, _, _))| {
            format!("tcp dport {} reject with {}\n", of_port(of, n), code.0)
        };
        codes.iter().enumerate().map(arm).collect()
    };
    net.at_router(&arms("router"));
    net.at_server(&arms("host"));
    for at in ["router", "host"] {
        for (n, (name, kind, code, wanted)) in codes.iter().enumerate() {
            let six = name.starts_with("icmpv6");
            let host = if six { "[2001:db8:7::7]" } else { SERVER };
            let target = format!("postgresql://purser@{host}:{}/sailings", of_port(at, n));
            let few = ["--attempts", "1", "--until", "port"];
            let mut args = vec!["diagnose", "--output", "json"];
            args.extend(few);
            args.push(&target);
            let case = net.run(&args).case();
            let icmp = crate::support::namespaces::icmp(&case);
            let sender = match (at, six) {
                ("router", true) => "2001:db8:3::1",
                ("router", false) => ROUTER,
                (_, true) => SERVER_SIX,
                (_, false) => SERVER,
            };
            assert_eq!(icmp["type"], *kind, "{name} at {at}: {case:#}");
            assert_eq!(icmp["code"], *code, "{name} at {at}");
            assert_eq!(icmp["sender"], sender, "{name} at {at}");
            let wanted = if at == "router" { wanted.0 } else { wanted.1 };
            let named = causes_of(&case, 2);
            assert!(
                wanted == "-" || named[0] == wanted,
                "{name} at {at}: {named:?}"
            );
            tally("namespace", &format!("{name} at the {at}"));
        }
    }
}

fn of_port(at: &str, n: usize) -> usize {
    match at {
        "router" => 6100 + n,
        _ => 6200 + n,
    }
}

/// This machine's own filter: seen in what its system counts, by nobody in particular; read
/// by who may.
#[test]
fn this_machines_own_filter_is_found_out() {
    if !Net::available() {
        return;
    }
    let net = Net::new("wi");
    let _server = net.serve(SERVER, 5432, sailings());
    net.at_client("tcp dport 5432 drop");
    let case = as_in_scene(&net, "own-filter-drops", SERVER);
    assert_eq!(answer(&case, "own-filter"), "counted");
    let ran = net.run_as_root(&["diagnose", "--output", "json", &target(SERVER)]);
    let case = ran.case();
    assert_eq!(gist(&case), "broken local-firewall-blocks port/silent");
    assert_eq!(answer(&case, "own-filter"), "blocks");
    assert!(ran.stdout.contains("chain output, rule"), "{}", ran.stdout);
    tally("namespace", "own filter read");
    let net = Net::new("wj");
    let _server = net.serve(SERVER, 5432, sailings());
    net.at_client("tcp dport 5432 reject");
    let case = as_in_scene(&net, "own-filter-rejects", SERVER);
    assert_eq!(answer(&case, "own-filter"), "blocks");
    let net = Net::new("wk");
    let _server = net.serve(SERVER, 5432, sailings());
    net.at_client("tcp dport 5432 reject with tcp reset");
    as_in_scene(&net, "own-filter-resets", SERVER);
}

/// A filter that forgets the answers lets nothing in, whatever goes out: who may read it sees
/// that, nobody else does. With the line for answers it works.
#[test]
fn an_own_filter_that_lets_no_answers_in() {
    if !Net::available() {
        return;
    }
    let net = Net::new("wp");
    let _server = net.serve(SERVER, 5432, sailings());
    let own = "iif lo accept\ntcp dport 22 accept\nip saddr 10.8.4.0/24 accept";
    net.client_takes_in(own);
    as_in_scene(&net, "silent-all-the-way", SERVER);
    let ran = net.run_as_root(&["diagnose", "--output", "json", &target(SERVER)]);
    assert_eq!(
        gist(&ran.case()),
        "broken local-firewall-blocks port/silent"
    );
    let says = "this machine's firewall, for the answers: table inet osmary, chain input";
    assert!(ran.stdout.contains(says), "{}", ran.stdout);
    tally("namespace", "own filter without answers");
    for answers in [
        "ct state established,related accept",
        "ct state vmap { established : accept, related : accept, invalid : drop }",
    ] {
        let net = Net::new("ws");
        let _server = net.serve(SERVER, 5432, sailings());
        net.client_takes_in(&format!("{own}\n{answers}"));
        let ran = net.run_as_root(&["diagnose", "--output", "json", &target(SERVER)]);
        assert_eq!(gist(&ran.case()), "working - -");
        // What is let in is not blamed where something else drops.
        net.at_router("tcp dport 5432 drop");
        let ran = net.run_as_root(&["diagnose", "--output", "json", &target(SERVER)]);
        assert_eq!(gist(&ran.case()), "broken firewall-drops port/silent");
        tally("namespace", answers);
    }
}

/// A queue that is full drops packets as a filter behind the last router would. What speaks
/// for the server are this machine's own connections to it.
#[test]
fn a_full_queue_elsewhere_is_not_called_a_filter() {
    if !Net::available() {
        return;
    }
    let net = Net::new("wl");
    net.full_queue(SERVER, 5432);
    let case = as_in_scene(&net, "queue-full-elsewhere", SERVER);
    let mut causes = causes_of(&case, 2);
    causes.sort();
    assert_eq!(causes, ["firewall-drops", "server-hung"]);
    assert_eq!(case["verdict"]["next_test"]["question"], "at-the-host");
}

/// Large packets vanish without a word: the handshake stalls, and goes on with small ones.
#[test]
fn a_hole_for_large_packets_is_proved_by_small_ones() {
    if !Net::available() {
        return;
    }
    let net = Net::new("wm");
    let server = net.serve(
        SERVER,
        5432,
        Service::Postgresql(
            Config::sailings("lantern-oil-42").encrypting(Side::with(CertificateKind::Good)),
        ),
    );
    net.at_router("meta length > 700 drop");
    let target = format!("{}?sslmode=require", target(SERVER));
    let case = scene_with(&net, "large-packets-vanish", &target);
    assert_eq!(answer(&case, "small-segments"), "answered");
    assert_eq!(server.counts().sign_ins, 0, "the proof took no secret");
}

/// IPv6 is set up and leads nowhere, IPv4 is fine: a client that goes on by itself gets in;
/// one that waits is held.
#[test]
fn a_broken_family_is_told_from_a_broken_host() {
    if !Net::available() {
        return;
    }
    let net = Net::new("wn");
    let _server = net.serve(SERVER, 5432, sailings());
    net.with_six();
    net.hosts(&format!(
        "127.0.0.1 localhost\n{SERVER_SIX} quay.osmary.example\n{SERVER} quay.osmary.example\n"
    ));
    let both = target("quay.osmary.example");
    net.at_router(&format!(
        "ip6 daddr {SERVER_SIX} reject with icmpv6 type no-route"
    ));
    let ran = net.run(&["diagnose", "--output", "json", &both]);
    let case = ran.case();
    assert_eq!(gist(&case), "working - -", "{}", ran.stdout);
    let also = case["also_found"].to_string();
    assert!(also.contains("address-dead-but-skipped"), "{also}");
    assert!(also.contains(SERVER_SIX), "{also}");
    tally("namespace", "IPv6 refused, IPv4 fine");
    let net = Net::new("wo");
    let _server = net.serve(SERVER, 5432, sailings());
    net.with_six();
    net.hosts(&format!(
        "127.0.0.1 localhost\n{SERVER_SIX} quay.osmary.example\n{SERVER} quay.osmary.example\n"
    ));
    net.at_router(&format!("ip6 daddr {SERVER_SIX} drop"));
    let case = scene_with(&net, "dead-address-first", &both);
    let text = case["paths"][0].to_string();
    assert!(text.contains(SERVER_SIX), "{text}");
}

/// A private address that leaves by the default route, to a router outside that knows no
/// way to it.
#[test]
fn a_private_address_that_leaves_for_the_public_network() {
    if !Net::available() {
        return;
    }
    let net = Net::new("wp");
    let case = as_in_scene(&net, "private-from-outside", "192.168.40.7");
    assert_eq!(answer(&case, "private-way"), "into-public", "{case:#}");
}

/// A hundred targets behind one router that passes nothing on: they end together, the
/// devices are asked about a few of them only, and the summary has one line for all.
#[test]
fn a_hundred_targets_behind_one_dead_router() {
    if !Net::available() {
        return;
    }
    let net = Net::new("wq");
    net.at_router("ip daddr 198.51.100.0/24 drop");
    net.count_at_first_router("ip ttl <= 30 tcp flags & (syn|ack) == syn");
    let folder = tempfile::tempdir().unwrap();
    crate::support::open_to_all(folder.path());
    let list = folder.path().join("targets");
    let lines: String = (100..200)
        .map(|n| format!("postgresql://purser@198.51.100.{n}/sailings\n"))
        .collect();
    std::fs::write(&list, lines).unwrap();
    let ran = net.run(&["diagnose", "--plain", "--targets", list.to_str().unwrap()]);
    assert_eq!(ran.status, 3, "{}", ran.stderr);
    let group = format!("silent behind {ROUTER}");
    let line = ran
        .stdout
        .lines()
        .rfind(|l| l.trim_start().starts_with("100 "))
        .expect(&ran.stdout);
    assert!(line.contains(&group), "{line}");
    let candidates = "allow-list-excludes-client, firewall-drops or host-down";
    assert!(ran.stdout.contains(candidates), "{}", ran.stdout);
    let packets = net.counted_at_first_router();
    assert!(
        packets <= 24,
        "{packets} path packets for a hundred targets"
    );
    tally("namespace", "a hundred targets behind one dead router");
}

/// Devices and a host that keep silent about what they throw away: still told from a host
/// that is not there, by its other port.
#[test]
fn devices_that_keep_silent() {
    if !Net::available() {
        return;
    }
    let net = Net::new("wr");
    let _server = net.serve(SERVER, 5432, sailings());
    net.at_server("tcp dport 5432 drop");
    let case = as_in_scene(&net, "host-drops", SERVER);
    assert_eq!(device(&case), ROUTER, "the last one before the host");
    net.quiet_routers();
    let case = as_in_scene(&net, "dropped-in-the-dark", SERVER);
    assert!(device(&case).is_null(), "nobody is named: {case:#}");
}

/// Every service that the scenes put on a port, all at one time, each at an address of its
/// own: what is concluded is what each scene says.
#[test]
fn what_else_sits_on_the_port() {
    if !Net::available() {
        return;
    }
    let net = Net::new("ws");
    let mut served = Vec::new();
    let mut targets = Vec::new();
    let mut wanted = Vec::new();
    let of_it = "namespaces_way::what_else_sits_on_the_port";
    let scenes = chronaxis_lab::scenes::all();
    let scenes = scenes
        .iter()
        .filter(|s| chronaxis_lab::scenes::backed_by(s.id) == Some(of_it));
    for (n, scene) in scenes.enumerate() {
        let address = format!("198.51.100.{}", 20 + n);
        net.server_has(&address, 24);
        for host in &scene.world.hosts {
            for (port, service) in &host.ports {
                served.push(net.serve(&address, *port, service.clone()));
            }
        }
        let text = scene.text(scene.port(), "");
        let text = text.replace("quay.osmary.example", &address);
        targets.push(text.replace("198.51.100.7", &address));
        let expected = scene.expected;
        let gist = format!(
            "{} {} {}",
            expected.state.as_str(),
            expected.cause.unwrap_or("-"),
            expected.symptom.unwrap_or("-")
        );
        wanted.push((address, scene.id, gist));
    }
    let mut args = vec!["diagnose", "--output", "json"];
    args.extend(targets.iter().map(String::as_str));
    let ran = net.run(&args);
    let cases: Vec<Value> = serde_json::Deserializer::from_str(&ran.stdout)
        .into_iter::<Value>()
        .map(|case| case.unwrap())
        .collect();
    let mut wrong = Vec::new();
    for (address, scene, wanted) in &wanted {
        let of_it = |c: &&Value| c["target"]["ends"][0]["host"] == **address;
        let case = cases.iter().find(of_it).expect(scene);
        if gist(case) != *wanted {
            wrong.push(format!("{scene}: {}, wanted {wanted}", gist(case)));
        }
        tally("namespace", scene);
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
    assert!(wanted.len() >= 14);
}

/// A container that dials its host: the gateway itself owns the address, and its refusal
/// comes from where the way begins. Nothing of this machine stops it.
#[test]
fn a_closed_port_of_the_gateway_itself() {
    if !Net::available() {
        return;
    }
    let net = Net::new("wg");
    for other in [None, Some(22), Some(8080)] {
        let _open = other.map(|port| net.serve_at_first_router(port, sailings()));
        for host in [FIRST_ROUTER, "203.0.113.2"] {
            let ran = net.run(&["diagnose", "--output", "json", &target(host)]);
            let found = gist(&ran.case());
            assert!(
                found.ends_with(" nothing-listening port/refused"),
                "{host}, {other:?}: {found}"
            );
        }
    }
}

/// A filter that drops a range takes the neighbouring port with it: a port far away is
/// refused by the host itself. One that drops every port and lets echoes pass leaves the
/// host's own answers, without privileges.
#[test]
fn a_range_that_is_dropped_and_a_host_that_answers() {
    if !Net::available() {
        return;
    }
    let net = Net::new("wh");
    let _server = net.serve(SERVER, 5432, sailings());
    net.at_router("tcp dport 5000-5999 drop");
    let case = as_in_scene(&net, "range-dropped-far-port", SERVER);
    assert_eq!(answer(&case, "control-port"), "far-only");

    let net = Net::new("wi");
    let _server = net.serve(SERVER, 5432, sailings());
    net.at_router("meta l4proto { tcp, udp } drop");
    net.lets_echoes_out();
    let case = as_in_scene(&net, "all-ports-dropped-echo", SERVER);
    assert_eq!(answer(&case, "control-port"), "silent");
    let echoes: Vec<&Value> = case["layers"]
        .as_array()
        .unwrap()
        .iter()
        .flat_map(|layer| layer["facts"].as_array().unwrap())
        .filter(|fact| fact["fact"] == "host-asked" && fact["with"] == "echo")
        .collect();
    assert_eq!(echoes.len(), 1, "asked once");
    assert_eq!(
        (&echoes[0]["sent"], &echoes[0]["received"]),
        (&3.into(), &3.into())
    );
    assert_eq!(answer(&case, "host-answers"), "answers");
}
