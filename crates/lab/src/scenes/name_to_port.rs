//! Scenes from the name to the port. Most need a network that loopback is not.

use super::{
    DECK, FAR, NEAR, PASSWORD, QUAY, WORKING, broken, counts, far, here, target_at, undecided,
    undisturbed,
};
use crate::scene::{Expected, PORT, Scene};
use crate::stand_in::postgresql::Config;
use crate::stand_in::{Counts, Service};
use crate::world::{Action, NameAnswer, Rule, World};

pub(super) const QUAY_NAME: &str = "quay.osmary.example";

pub(super) fn company() -> World {
    World::around(DECK).name(QUAY_NAME, NameAnswer::Addresses(vec![QUAY]))
}

pub(super) fn sailings() -> Service {
    Service::Postgresql(Config::sailings(PASSWORD))
}

pub(super) fn at_quay(
    id: &'static str,
    what: &'static str,
    world: World,
    expected: Expected,
    counts: Counts,
) -> Scene {
    let target = target_at(&format!("{QUAY_NAME}:{{port}}"));
    far(id, what, target, world, expected, counts)
}

pub(super) fn scenes() -> Vec<Scene> {
    let mut out = names();
    out.extend(filters());
    out.extend(addresses());
    out.extend(slips_and_losses());
    out.push(undisturbed(here(
        "closed-port",
        "nothing listens on the port",
        None,
        broken("nothing-listening", "port/refused"),
        counts(0, 4, 0, 0),
    )));
    out.push(here(
        "hung-server",
        "the server does not accept connections from its queue",
        Some(Service::Hung),
        broken("server-hung", "port/silent"),
        counts(0, 4, 0, 0),
    ));
    out
}

fn names() -> Vec<Scene> {
    vec![
        at_quay(
            "unknown-name",
            "the host name does not exist",
            World::around(DECK),
            broken("name-does-not-exist", "name/not-found"),
            counts(15, 0, 0, 0),
        ),
        Scene {
            target: format!("host='{QUAY_NAME} ' port={{port}} dbname=sailings user=purser"),
            ..at_quay(
                "name-with-blank",
                "a space was pasted after the host name",
                company(),
                broken("stray-whitespace", "name/not-found"),
                counts(15, 0, 0, 0),
            )
        },
        Scene {
            target: format!(
                "postgresql://purser:{PASSWORD}@qu\u{430}y.osmary.example:{{port}}/sailings"
            ),
            ..at_quay(
                "look-alike-name",
                "a letter of the host name is Cyrillic",
                company(),
                broken("look-alike-letter", "name/not-found"),
                counts(3, 0, 0, 0),
            )
        },
        at_quay(
            "silent-names",
            "no resolver answers",
            World::around(DECK).name(QUAY_NAME, NameAnswer::Silent),
            broken("name-service-silent", "name/silent"),
            counts(3, 0, 0, 0),
        ),
    ]
}

fn filters() -> Vec<Scene> {
    let behind = |rules: &[Rule]| {
        company()
            .router(NEAR, &[])
            .router(FAR, rules)
            .host(QUAY, &[], &[(PORT, sailings())])
    };
    vec![
        at_quay(
            "dropped",
            "a router drops packets to the port; the port below gets through to the host",
            behind(&[Rule::on(PORT, Action::Drop)]),
            broken("firewall-drops", "port/silent"),
            counts(3, 4, 0, 0),
        ),
        at_quay(
            "dropped-altogether",
            "a router drops everything to the host",
            behind(&[Rule::on_all(Action::Drop)]),
            undecided("allow-list-excludes-client", "port/silent"),
            counts(3, 5, 0, 0),
        ),
        at_quay(
            "rejected-by-router",
            "a router refuses by ICMP: administratively prohibited",
            behind(&[Rule::on(PORT, Action::RejectIcmp(3, 13))]),
            broken("firewall-rejects", "port/prohibited"),
            counts(3, 4, 0, 0),
        ),
        at_quay(
            "reset-by-router",
            "a router refuses by a reset in the host's name",
            behind(&[Rule::on(PORT, Action::RejectReset)]),
            broken("firewall-rejects", "port/refused"),
            counts(3, 4, 0, 0),
        ),
        at_quay(
            "rejected-by-host",
            "the host's own firewall refuses with ICMP: port unreachable",
            company().router(FAR, &[]).host(
                QUAY,
                &[Rule::on(PORT, Action::RejectIcmp(3, 3))],
                &[(PORT, sailings())],
            ),
            broken("host-filter-rejects", "port/prohibited"),
            counts(3, 4, 0, 0),
        ),
    ]
}

fn slips_and_losses() -> Vec<Scene> {
    let greeting = b"J\0\0\0\x0a8.0.36\0".to_vec();
    let losing = |packets| {
        company()
            .router(FAR, &[Rule::on_all(Action::Lose(packets))])
            .host(QUAY, &[], &[(PORT, sailings())])
    };
    let at = |port: u16, options: &str| {
        format!("postgresql://purser:{PASSWORD}@{QUAY_NAME}:{port}/sailings{options}")
    };
    vec![
        Scene {
            target: at(3306, ""),
            ..at_quay(
                "other-engines-port",
                "the port is another engine's, which answers there; the right one is open",
                company().router(FAR, &[]).host(
                    QUAY,
                    &[],
                    &[(PORT, sailings()), (3306, Service::Greets(greeting))],
                ),
                broken("port-of-other-engine", "listener/other-answer"),
                counts(3, 3, 0, 0),
            )
        },
        Scene {
            target: at(5342, ""),
            ..at_quay(
                "swapped-digits",
                "two digits of the port are swapped; the right one is open",
                company()
                    .router(FAR, &[])
                    .host(QUAY, &[], &[(PORT, sailings())]),
                broken("port-mistyped", "port/refused"),
                counts(3, 5, 0, 0),
            )
        },
        Scene {
            target: at(PORT, "?connect_timeout=2"),
            ..at_quay(
                "lossy-and-impatient",
                "two packets are lost on the way, and the settings wait two seconds",
                losing(2),
                broken("link-lossy", "port/slow"),
                counts(3, 4, 1, 1),
            )
        },
        at_quay(
            "lossy-link",
            "a packet is lost on the way; it works all the same",
            losing(1),
            WORKING,
            counts(3, 2, 1, 1),
        ),
    ]
}

fn addresses() -> Vec<Scene> {
    let other = "198.51.100.8".parse().unwrap_or(QUAY);
    let two = |first, second| {
        World::around(DECK)
            .name(QUAY_NAME, NameAnswer::Addresses(vec![first, second]))
            .router(FAR, &[])
            .host(QUAY, &[], &[(PORT, sailings())])
    };
    vec![
        at_quay(
            "absent-host",
            "no host has the address; the last router says so",
            company().router(FAR, &[]),
            broken("host-down", "port/unreachable"),
            counts(3, 5, 0, 0),
        ),
        at_quay(
            "no-way-there",
            "this machine has no route to that network",
            World {
                cut_off: Some("ENETUNREACH"),
                ..company()
            },
            broken("no-route", "route/none"),
            counts(3, 0, 0, 0),
        ),
        at_quay(
            "dead-address-first",
            "the first address of the name drops everything, the second works",
            two(other, QUAY).host(other, &[Rule::on_all(Action::Drop)], &[]),
            broken("some-addresses-dead", "port/silent"),
            counts(3, 6, 1, 1),
        ),
        at_quay(
            "closed-address-first",
            "the first address of the name refuses, and this client goes on to the second",
            two(other, QUAY).host(other, &[], &[]),
            WORKING,
            counts(3, 5, 1, 1),
        ),
    ]
}
