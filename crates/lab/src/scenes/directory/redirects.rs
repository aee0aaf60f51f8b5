//! Where a listener sends its clients on: on this machine, and in the simulated network.

use std::net::{IpAddr, Ipv4Addr};

use super::super::{DECK, NEAR, PASSWORD, QUAY, WORKING, broken, counts, far};
use super::{LISTENER, NORTH, SOUTH, alone, at, listener, quay, service, target, with_ports};
use crate::scene::Scene;
use crate::stand_in::Service;
use crate::stand_in::directory::config::Place;
use crate::world::{Action, NameAnswer, Rule, World};

/// The host of the listener, in the simulated network.
const BERTHS: &str = "berths.osmary.example";

/// Where the north quay is inside the company.
const INSIDE: IpAddr = IpAddr::V4(Ipv4Addr::new(10, 8, 7, 2));

/// Every machine itself.
const OWN: IpAddr = IpAddr::V4(Ipv4Addr::LOCALHOST);

/// Where the listener sends the client on, on this machine.
pub(super) fn here() -> Vec<Scene> {
    let both = || {
        listener(vec![
            quay("north-quay", at(NORTH)),
            quay("south-quay", at(SOUTH)),
        ])
    };
    let instance = |name: &str| service(both().at_instance(name));
    let north = || instance("north-quay");
    let sent_to = |port| listener(vec![quay("north-quay", at(port))]);
    let failed = broken("redirect-unreachable", "listener/redirect-failed");
    vec![
        with_ports(
            (
                "sent-to-north-quay",
                "nothing is broken: the listener sends the client on to the instance",
            ),
            target("purser", "berths"),
            &[(LISTENER, service(sent_to(NORTH))), (NORTH, north())],
            WORKING,
            counts(0, 2, 1, 1),
        ),
        with_ports(
            (
                "one-name-two-quays",
                "two instances have the service, and nothing says which is meant",
            ),
            target("purser", "berths"),
            &[
                (LISTENER, service(both())),
                (NORTH, north()),
                (SOUTH, instance("south-quay")),
            ],
            WORKING,
            counts(0, 2, 1, 1),
        ),
        with_ports(
            (
                "south-quay-is-meant",
                "two instances have the service, and the settings name one",
            ),
            target("purser", "berths?instance=south-quay"),
            &[
                (LISTENER, service(both())),
                (NORTH, north()),
                (SOUTH, instance("south-quay")),
            ],
            WORKING,
            counts(0, 2, 1, 1),
        ),
        Scene {
            expect: Some("south-quay"),
            ..with_ports(
                (
                    "north-quay-answers",
                    "another instance answers than the one that is meant (--expect south-quay)",
                ),
                target("purser", "berths"),
                &[
                    (LISTENER, service(both())),
                    (NORTH, north()),
                    (SOUTH, instance("south-quay")),
                ],
                broken("wrong-instance", "session/other-instance"),
                counts(0, 2, 1, 1),
            )
        },
        with_ports(
            (
                "sent-to-a-web-server",
                "a web server answers where the listener sends the client",
            ),
            target("purser", "berths"),
            &[
                (LISTENER, service(sent_to(NORTH))),
                (
                    NORTH,
                    Service::Says(b"HTTP/1.1 400 Bad Request\r\n\r\n".to_vec()),
                ),
            ],
            failed,
            counts(0, 2, 0, 0),
        ),
        with_ports(
            (
                "sent-in-a-circle",
                "listener and instance send the client to each other",
            ),
            target("purser", "berths?instance=north-quay"),
            &[
                (LISTENER, service(sent_to(NORTH))),
                (NORTH, service(sent_to(LISTENER))),
            ],
            failed,
            counts(0, 2, 0, 0),
        ),
        with_ports(
            (
                "sent-on-too-often",
                "every place sends the client on to the next",
            ),
            target("purser", "berths"),
            &[
                (LISTENER, service(sent_to(NORTH))),
                (NORTH, service(sent_to(SOUTH))),
                (SOUTH, service(sent_to(7474))),
                (7474, service(sent_to(7475))),
                (7475, service(sent_to(7476))),
            ],
            failed,
            counts(0, 4, 0, 0),
        ),
        with_ports(
            (
                "sent-to-who-knows-not",
                "the instance there does not know the service",
            ),
            target("purser", "berths"),
            &[
                (LISTENER, service(sent_to(NORTH))),
                (NORTH, service(both().at_instance("south-quay"))),
            ],
            broken("service-unknown", "listener/service-unknown"),
            counts(0, 2, 0, 0),
        ),
    ]
}

/// A world with the listener in it, which sends clients on to this place.
fn listening(host: &str, port: u16) -> World {
    let place = Place::Elsewhere(host.to_owned(), port);
    let config = listener(vec![quay("north-quay", place)]);
    World::around(DECK)
        .name(BERTHS, NameAnswer::Addresses(vec![QUAY]))
        .router(NEAR, &[])
        .host(QUAY, &[], &[(LISTENER, service(config))])
}

fn far_target(rest: &str) -> String {
    format!("directory://purser:{PASSWORD}@{BERTHS}:{{port}}/{rest}")
}

/// Where it sends the client on, in the simulated network.
pub(super) fn far_away() -> Vec<Scene> {
    let inner = "north-quay.inside.osmary.example";
    let failed = broken("redirect-unreachable", "listener/redirect-failed");
    let at_inner = |ports: &[(u16, Service)], rules: &[Rule]| {
        listening(inner, NORTH)
            .name(inner, NameAnswer::Addresses(vec![INSIDE]))
            .host(INSIDE, rules, ports)
    };
    let north = || service(alone());
    vec![
        far(
            "sent-to-inside-name",
            "the listener names a host that only its own network can resolve",
            far_target("berths"),
            listening(inner, NORTH),
            failed,
            counts(6, 1, 0, 0),
        ),
        far(
            "sent-to-absent-host",
            "the listener names an address at which nobody is",
            far_target("berths"),
            listening("10.8.7.9", NORTH),
            failed,
            counts(3, 4, 0, 0),
        ),
        far(
            "sent-to-own-machine",
            "an instance is registered by an address that is every client's own machine",
            far_target("berths"),
            listening("127.0.0.1", NORTH).host(OWN, &[], &[]),
            failed,
            counts(3, 4, 0, 0),
        ),
        far(
            "sent-behind-a-filter",
            "a filter drops what goes to the place that the listener names",
            far_target("berths"),
            at_inner(&[(NORTH, north())], &[Rule::on(NORTH, Action::Drop)]),
            failed,
            counts(6, 4, 0, 0),
        ),
        far(
            "sent-to-closed-port",
            "nothing listens where the listener sends the client",
            far_target("berths"),
            at_inner(&[], &[]),
            failed,
            counts(6, 4, 0, 0),
        ),
        far(
            "sent-by-name-and-well",
            "nothing is broken: the instance is reached by the name that the listener gives",
            far_target("berths"),
            at_inner(&[(NORTH, north())], &[]),
            WORKING,
            counts(6, 2, 1, 1),
        ),
    ]
}
