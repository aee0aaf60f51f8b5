//! Idle sessions, through a real packet filter that forgets them.

use chronaxis_lab::stand_in::Service;
use chronaxis_lab::stand_in::postgresql::Config;

use crate::support::gist;
use crate::support::namespaces::{Net, SERVER};
use crate::support::real::tally;

#[test]
fn a_filter_on_the_way_forgets_a_session_that_is_idle() {
    if !Net::available() {
        return;
    }
    let net = Net::new("ia");
    let sailings = Service::Postgresql(Config::sailings("lantern-oil-42"));
    let _server = net.serve(SERVER, 5432, sailings);
    let target = format!("postgresql://purser:lantern-oil-42@{SERVER}:5432/sailings");
    let hold = |seconds: &str| {
        let args = [
            "diagnose",
            "--hold",
            seconds,
            "--patience",
            "2",
            "--output",
            "json",
            &target,
        ];
        let case = net.run(&args).case();
        (gist(&case), case)
    };
    assert_eq!(hold("4").0, "working - -", "nothing forgets it");
    net.router_forgets_after(3);
    assert_eq!(hold("2").0, "working - -", "it is used in time");
    let (found, case) = hold("6");
    assert_eq!(found, "broken idle-cut session/idle-cut", "{case:#}");
    tally("namespace", "idle session forgotten");
    let fix = case["verdict"]["fix"].to_string();
    assert!(fix.contains("keepalives_idle"), "{fix}");
    let said = case["verdict"]["handover"].as_str().unwrap();
    assert!(said.contains("idle"), "{said}");
}
