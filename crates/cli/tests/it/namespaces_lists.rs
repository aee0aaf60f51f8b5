//! Lists of rules at hand, and real filters that do what they say: the verdict goes by both.

use chronaxis_lab::stand_in::Service;
use chronaxis_lab::stand_in::postgresql::{Config, Mood};
use serde_json::Value;

use crate::support::namespaces::{Net, SERVER, scene_by};
use crate::support::open_to_all;

fn sailings() -> Config {
    Config::sailings("lantern-oil-42")
}

/// Plays a scene with its own list, in this net.
fn play(net: &Net, scene: &str) -> Value {
    let folder = tempfile::tempdir().unwrap();
    open_to_all(folder.path());
    let lists = chronaxis_lab::scenes::find(scene).expect("a scene").lists;
    let (name, text) = lists.first().expect("a list");
    let path = folder.path().join(name);
    std::fs::write(&path, text).unwrap();
    let target = format!("postgresql://purser:lantern-oil-42@{SERVER}:5432/sailings");
    scene_by(net, scene, &["--rules", path.to_str().unwrap()], &target)
}

#[test]
fn a_list_that_a_filter_keeps() {
    if !Net::available() {
        return;
    }
    for (scene, rule) in [
        ("list-without-client", "ip saddr 10.8.4.0/24 drop"),
        (
            "list-for-other-port",
            "ip saddr 10.8.4.0/24 tcp dport != 6432 drop",
        ),
        ("list-rule-ended", "ip saddr 10.8.4.0/24 drop"),
    ] {
        let net = Net::new("l");
        let _server = net.serve(SERVER, 5432, Service::Postgresql(sailings()));
        net.at_router(rule);
        let case = play(&net, scene);
        let fix = case["verdict"]["fix"][0].as_str().unwrap();
        assert!(fix.contains("chronaxis allowlist --rules"), "{fix}");
        assert!(fix.contains("--client 10.8.4.21"), "{fix}");
    }
}

/// The request passes, the server answers, and the answer is thrown away on its way back.
#[test]
fn a_way_back_that_is_closed() {
    if !Net::available() {
        return;
    }
    let net = Net::new("l");
    let _server = net.serve(SERVER, 5432, Service::Postgresql(sailings()));
    net.at_router(&format!("ip saddr {SERVER} drop"));
    play(&net, "list-without-way-back");
}

#[test]
fn a_list_that_is_not_the_reason() {
    if !Net::available() {
        return;
    }
    let net = Net::new("l");
    let _server = net.serve(SERVER, 5432, Service::Postgresql(sailings()));
    let case = play(&net, "list-not-in-force");
    let found = case["also_found"].as_array().unwrap();
    assert!(
        found
            .iter()
            .any(|f| f["id"] == "allow-list-excludes-client"),
        "{found:?}"
    );
    let net = Net::new("l");
    let _server = net.serve(SERVER, 5432, Service::Postgresql(sailings()));
    let _neighbour = net.serve(SERVER, 5431, Service::Mute);
    net.at_router("tcp dport 5432 drop");
    play(&net, "list-lets-in");
    let net = Net::new("l");
    let denied = sailings().in_mood(Mood::NoHostRule);
    let _server = net.serve(SERVER, 5432, Service::Postgresql(denied));
    play(&net, "list-of-host-rules");
}
