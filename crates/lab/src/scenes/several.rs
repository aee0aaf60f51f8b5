//! Scenes with several hosts or addresses: which of them this client takes, and whether it
//! goes on.

use super::{DECK, FAR, PASSWORD, QUAY, WORKING, broken, counts, far, target_at};
use crate::scene::{Expected, PORT, Scene};
use crate::stand_in::postgresql::{Config, Mood};
use crate::stand_in::{Counts, Service};
use crate::world::{Action, NameAnswer, Rule, World};

const NORTH: &str = "north-quay.osmary.example";
const SOUTH: &str = "south-quay.osmary.example";

fn sailings() -> Config {
    Config::sailings(PASSWORD)
}

/// North first, south second, each with what answers there; none: it drops everything.
fn quays(north: Option<Config>, south: Option<Config>) -> World {
    let second = "198.51.100.8".parse().unwrap_or(QUAY);
    let mut world = World::around(DECK)
        .name(NORTH, NameAnswer::Addresses(vec![QUAY]))
        .name(SOUTH, NameAnswer::Addresses(vec![second]))
        .router(FAR, &[]);
    for (address, config) in [(QUAY, north), (second, south)] {
        world = match config {
            Some(config) => world.host(address, &[], &[(PORT, Service::Postgresql(config))]),
            None => world.host(address, &[Rule::on_all(Action::Drop)], &[]),
        };
    }
    world
}

fn at_quays(
    id: &'static str,
    what: &'static str,
    options: &str,
    world: World,
    expected: Expected,
    counts: Counts,
) -> Scene {
    let target = target_at(&format!("{NORTH}:{{port}},{SOUTH}:{{port}}")) + options;
    far(id, what, target, world, expected, counts)
}

pub(super) fn scenes() -> Vec<Scene> {
    let mut out = failing();
    out.extend(attributes());
    out.extend(other_clients());
    out
}

fn failing() -> Vec<Scene> {
    let wrong = || Config::sailings("another-one");
    vec![
        at_quays(
            "first-host-hangs",
            "the first of two hosts drops everything, and this client waits there",
            "",
            quays(None, Some(sailings())),
            broken("some-addresses-dead", "port/silent"),
            counts(6, 6, 1, 1),
        ),
        at_quays(
            "first-host-timed-out",
            "the first of two hosts drops everything; the settings give it three seconds",
            "?connect_timeout=3",
            quays(None, Some(sailings())),
            WORKING,
            counts(6, 6, 1, 1),
        ),
        at_quays(
            "first-host-starting",
            "the first of two hosts is starting, and this client goes on to the second",
            "",
            quays(Some(sailings().in_mood(Mood::Starting)), Some(sailings())),
            WORKING,
            counts(6, 2, 1, 1),
        ),
        at_quays(
            "first-host-refuses",
            "the first of two hosts has another password, and this client ends there",
            "",
            quays(Some(wrong()), Some(sailings())),
            broken("credentials-rejected", "login/credentials-refused"),
            counts(6, 2, 1, 0),
        ),
        at_quays(
            "first-name-lost",
            "the first of two names does not exist, and this client goes on to the second",
            "",
            World {
                names: quays(None, None)
                    .names
                    .into_iter()
                    .filter(|(name, _)| name != NORTH)
                    .collect(),
                ..quays(None, Some(sailings()))
            },
            WORKING,
            counts(6, 1, 1, 1),
        ),
        at_quays(
            "any-of-two-hosts",
            "the settings take the hosts in any order, and one has another password",
            "?load_balance_hosts=random",
            quays(Some(sailings()), Some(wrong())),
            broken("credentials-rejected", "login/credentials-refused"),
            counts(6, 2, 2, 1),
        ),
    ]
}

fn attributes() -> Vec<Scene> {
    vec![
        at_quays(
            "standby-second",
            "a standby is wanted, and the second host is one",
            "?target_session_attrs=standby",
            quays(Some(sailings()), Some(sailings().standby())),
            WORKING,
            counts(6, 2, 2, 2),
        ),
        at_quays(
            "no-standby",
            "a standby is wanted, and no host is one",
            "?target_session_attrs=standby",
            quays(Some(sailings()), Some(sailings())),
            broken("wrong-instance", "session/writable"),
            counts(6, 2, 2, 2),
        ),
        at_quays(
            "standby-preferred",
            "a standby is preferred; there is none, and the primary does",
            "?target_session_attrs=prefer-standby",
            quays(Some(sailings()), Some(sailings())),
            WORKING,
            counts(6, 2, 2, 2),
        ),
        at_quays(
            "only-replicas",
            "a writable server is wanted, and both hosts are replicas",
            "?target_session_attrs=read-write",
            quays(Some(sailings().standby()), Some(sailings().standby())),
            broken("read-only-instance", "session/read-only"),
            counts(6, 2, 2, 2),
        ),
    ]
}

fn other_clients() -> Vec<Scene> {
    let second = "198.51.100.8".parse().unwrap_or(QUAY);
    let two = World::around(DECK)
        .name(NORTH, NameAnswer::Addresses(vec![second, QUAY]))
        .router(FAR, &[])
        .host(second, &[], &[])
        .host(QUAY, &[], &[(PORT, Service::Postgresql(sailings()))]);
    let jdbc =
        format!("jdbc:postgresql://{NORTH}:{{port}}/sailings?user=purser&password={PASSWORD}");
    vec![
        Scene {
            target: jdbc,
            ..at_quays(
                "first-address-only",
                "the first address of the name refuses, and this driver takes no other",
                "",
                two,
                broken("some-addresses-dead", "port/refused"),
                counts(3, 5, 0, 0),
            )
        },
        Scene {
            target: format!(
                "jdbc:postgresql://{NORTH}:{{port}},{SOUTH}:{{port}}/sailings?user=purser&password={PASSWORD}"
            ),
            ..at_quays(
                "driver-goes-on",
                "the first of two hosts is full, and this driver goes on after any failure",
                "",
                quays(Some(sailings().in_mood(Mood::Full)), Some(sailings())),
                WORKING,
                counts(6, 2, 1, 1),
            )
        },
    ]
}
