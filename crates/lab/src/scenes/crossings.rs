//! Ten situations between name and port, written from the catalogue of causes alone and
//! kept before their first run: they were not tuned to the table, nor it to them.

use std::net::IpAddr;

use super::name_to_port::{QUAY_NAME, at_quay, company, sailings};
use super::{DECK, FAR, HERE, NEAR, PASSWORD, QUAY, WORKING, broken, counts};
use crate::scene::{PORT, Scene};
use crate::stand_in::{Service, mysql};
use crate::world::{Action, NameAnswer, Resolver, Rule, World};

const MYSQL: u16 = 3306;

fn ip(text: &str) -> IpAddr {
    text.parse().unwrap_or(QUAY)
}

/// The company's network, where the quay's name has these addresses.
fn with_addresses(addresses: &[&str]) -> World {
    let all = addresses.iter().map(|a| ip(a)).collect();
    World::around(DECK)
        .name(QUAY_NAME, NameAnswer::Addresses(all))
        .router(NEAR, &[])
        .router(FAR, &[])
}

fn manifest() -> Service {
    Service::Mysql(mysql::Config::manifest(PASSWORD))
}

pub(super) fn scenes() -> Vec<Scene> {
    let mut out = sources();
    out.extend(addresses());
    out.extend(filters());
    out
}

/// Where the address comes from.
fn sources() -> Vec<Scene> {
    let former = NameAnswer::Addresses(vec![ip("198.51.100.9")]);
    let served = || with_addresses(&["198.51.100.7"]).host(QUAY, &[], &[(PORT, sailings())]);
    vec![
        at_quay(
            "resolver-behind-gone",
            "the first resolver gives the former address, where no host is any more",
            World::around(DECK)
                .name(QUAY_NAME, former)
                .asking(&[
                    Resolver::Knows,
                    Resolver::KnowsOnly(vec![(QUAY_NAME, NameAnswer::Addresses(vec![QUAY]))]),
                ])
                .router(FAR, &[])
                .host(QUAY, &[], &[(PORT, sailings())]),
            broken("resolvers-disagree", "port/unreachable"),
            counts(5, 6, 0, 0),
        ),
        at_quay(
            "hosts-file-to-itself",
            "the hosts file sends the name to this machine, where nothing listens",
            served().hosts(QUAY_NAME, &[HERE]).host(HERE, &[], &[]),
            broken("hosts-file-override", "port/refused"),
            counts(3, 5, 0, 0),
        ),
        at_quay(
            "first-resolver-dead",
            "the first of two resolvers says nothing; the second knows the name",
            served().asking(&[Resolver::IsSilent, Resolver::Knows]),
            WORKING,
            counts(5, 1, 1, 1),
        ),
    ]
}

/// Which address this client takes.
fn addresses() -> Vec<Scene> {
    let dropping = [Rule::on_all(Action::Drop)];
    let dropped = [Rule::on(PORT, Action::Drop)];
    vec![
        at_quay(
            "third-address-alive",
            "the first address refuses, the second drops everything, the third works",
            with_addresses(&["198.51.100.8", "198.51.100.9", "198.51.100.7"])
                .host(ip("198.51.100.8"), &[], &[])
                .host(ip("198.51.100.9"), &dropping, &[])
                .host(QUAY, &[], &[(PORT, sailings())]),
            broken("some-addresses-dead", "port/silent"),
            counts(3, 10, 1, 1),
        ),
        at_quay(
            "both-addresses-drop",
            "both addresses of the name are up, and the port is dropped at each",
            with_addresses(&["198.51.100.7", "198.51.100.8"])
                .host(QUAY, &dropped, &[(PORT, sailings())])
                .host(ip("198.51.100.8"), &dropped, &[(PORT, sailings())]),
            broken("firewall-drops", "port/silent"),
            counts(3, 8, 0, 0),
        ),
        Scene {
            target: format!("mysql+pymysql://purser:{PASSWORD}@{QUAY_NAME}:{{port}}/manifest"),
            ..at_quay(
                "six-drops-four-works",
                "the IPv6 address drops everything, the IPv4 one works, and this driver goes on",
                with_addresses(&["2001:db8::7", "198.51.100.7"])
                    .host(ip("2001:db8::7"), &dropping, &[])
                    .host(QUAY, &[], &[(MYSQL, manifest())]),
                WORKING,
                counts(3, 6, 1, 1),
            )
        },
        Scene {
            target: format!("mongodb://purser:{PASSWORD}@{QUAY_NAME}:27017/lookout"),
            ..at_quay(
                "cameras-host-absent",
                "no host has the address of the cameras' database; the last router says so",
                with_addresses(&["198.51.100.7"]),
                broken("host-down", "port/unreachable"),
                counts(3, 5, 0, 0),
            )
        },
    ]
}

/// Who refuses.
fn filters() -> Vec<Scene> {
    let inside =
        || World::around(DECK).name(QUAY_NAME, NameAnswer::Addresses(vec![ip("192.168.40.7")]));
    vec![
        at_quay(
            "private-no-way",
            "a private address leaves towards the public network, whose router knows no way",
            inside()
                .router(NEAR, &[])
                .router(FAR, &[Rule::on_all(Action::RejectIcmp(3, 0))]),
            broken("private-address-from-outside", "port/unreachable"),
            counts(3, 4, 0, 0),
        ),
        at_quay(
            "host-says-prohibited",
            "the host's own filter refuses by ICMP: communication prohibited",
            company().router(NEAR, &[]).router(FAR, &[]).host(
                QUAY,
                &[Rule::on(PORT, Action::RejectIcmp(3, 13))],
                &[(PORT, sailings())],
            ),
            broken("host-filter-rejects", "port/prohibited"),
            counts(3, 4, 0, 0),
        ),
        Scene {
            target: format!("mysql://purser:{PASSWORD}@{QUAY_NAME}:{{port}}/manifest"),
            ..at_quay(
                "own-filter-drops-all",
                "this machine's own filter drops whatever goes out to anybody",
                World {
                    own_rules: vec![Rule::on_all(Action::Drop)],
                    ..with_addresses(&["198.51.100.7"]).host(QUAY, &[], &[(MYSQL, manifest())])
                },
                broken("local-firewall-blocks", "port/silent"),
                counts(3, 5, 0, 0),
            )
        },
    ]
}
