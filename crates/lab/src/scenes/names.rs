//! Scenes about names: their sources against each other.

use std::net::{IpAddr, Ipv4Addr};

use chronaxis_model::fact::{AnswerTrouble, NameTrouble};

use super::name_to_port::{QUAY_NAME, at_quay, sailings};
use super::{DECK, FAR, NEAR, PASSWORD, QUAY, WORKING, broken, counts, far, target_at};
use crate::scene::{PORT, Scene};
use crate::stand_in::Service;
use crate::world::{Action, NameAnswer, Resolver, Rule, World};

/// Where the service was before it moved: a host that is up, and serves it no more.
const OLD: IpAddr = IpAddr::V4(Ipv4Addr::new(198, 51, 100, 9));

/// A private address.
const INSIDE: IpAddr = IpAddr::V4(Ipv4Addr::new(192, 168, 40, 7));

/// The company's network, its server, and the host where that was before.
fn moved(name: NameAnswer) -> World {
    World::around(DECK)
        .name(QUAY_NAME, name)
        .router(FAR, &[])
        .host(QUAY, &[], &[(PORT, sailings())])
        .host(OLD, &[], &[])
}

pub(super) fn scenes() -> Vec<Scene> {
    let mut out = failures();
    out.extend(sources());
    out.extend(records());
    out
}

fn failures() -> Vec<Scene> {
    let failing = NameAnswer::Fails(NameTrouble::Failing, "EAI_AGAIN");
    let asked = |resolvers: &[Resolver]| {
        World::around(DECK)
            .name(QUAY_NAME, failing.clone())
            .asking(resolvers)
    };
    vec![
        at_quay(
            "name-without-address",
            "the name exists but has no address",
            World::around(DECK).name(
                QUAY_NAME,
                NameAnswer::Fails(NameTrouble::NoAddress, "EAI_NODATA"),
            ),
            broken("name-has-no-address", "name/no-address"),
            counts(3, 0, 0, 0),
        ),
        Scene {
            target: target_at("qauy.osmary.example:{port}"),
            ..at_quay(
                "near-name-exists",
                "two letters of the name are swapped; the right one exists",
                World::around(DECK).name(QUAY_NAME, NameAnswer::Addresses(vec![QUAY])),
                broken("name-does-not-exist", "name/not-found"),
                counts(16, 0, 0, 0),
            )
        },
        at_quay(
            "resolver-fails",
            "the only resolver answers SERVFAIL",
            asked(&[Resolver::Answers("SERVFAIL")]),
            broken("name-service-failing", "name/failing"),
            counts(3, 0, 0, 0),
        ),
        at_quay(
            "no-resolver-set-up",
            "no resolver is configured on this machine",
            asked(&[]),
            broken("name-service-silent", "name/failing"),
            counts(1, 0, 0, 0),
        ),
        at_quay(
            "resolver-refuses",
            "both resolvers refuse to answer this machine",
            asked(&[Resolver::Answers("REFUSED"), Resolver::Answers("REFUSED")]),
            broken("name-service-failing", "name/failing"),
            counts(5, 0, 0, 0),
        ),
        at_quay(
            "resolver-lies",
            "the resolver answers other questions than it is asked",
            asked(&[Resolver::Garbles(AnswerTrouble::OtherQuestion)]),
            broken("name-service-failing", "name/failing"),
            counts(3, 0, 0, 0),
        ),
        at_quay(
            "resolvers-silent",
            "two resolvers are set up, and neither answers",
            World::around(DECK)
                .name(QUAY_NAME, NameAnswer::Silent)
                .asking(&[Resolver::IsSilent, Resolver::IsSilent]),
            broken("name-service-silent", "name/silent"),
            counts(5, 0, 0, 0),
        ),
    ]
}

fn sources() -> Vec<Scene> {
    let right = || NameAnswer::Addresses(vec![QUAY]);
    let without_the_old = || {
        World::around(DECK)
            .name(QUAY_NAME, right())
            .router(FAR, &[])
            .host(QUAY, &[], &[(PORT, sailings())])
    };
    vec![
        at_quay(
            "hosts-file-wrong",
            "the hosts file still has the host's former address",
            moved(right()).hosts(QUAY_NAME, &[OLD]),
            broken("hosts-file-override", "port/refused"),
            counts(3, 5, 0, 0),
        ),
        at_quay(
            "hosts-file-dead",
            "the hosts file has the address of a machine that is gone",
            without_the_old().hosts(QUAY_NAME, &[OLD]),
            broken("hosts-file-override", "port/unreachable"),
            counts(3, 6, 0, 0),
        ),
        at_quay(
            "hosts-file-silent",
            "the hosts file has an address from which nothing comes back",
            without_the_old()
                .host(OLD, &[Rule::on_all(Action::Drop)], &[])
                .hosts(QUAY_NAME, &[OLD]),
            broken("hosts-file-override", "port/silent"),
            counts(3, 6, 0, 0),
        ),
        at_quay(
            "hosts-file-right",
            "the hosts file has another address, and that works",
            moved(NameAnswer::Addresses(vec![OLD])).hosts(QUAY_NAME, &[QUAY]),
            WORKING,
            counts(3, 1, 1, 1),
        ),
        at_quay(
            "resolver-denies",
            "the first resolver says the name does not exist, the second one knows it",
            World::around(DECK)
                .asking(&[
                    Resolver::Knows,
                    Resolver::KnowsOnly(vec![(QUAY_NAME, right())]),
                ])
                .router(FAR, &[])
                .host(QUAY, &[], &[(PORT, sailings())]),
            broken("resolvers-disagree", "name/not-found"),
            counts(17, 1, 0, 0),
        ),
        at_quay(
            "resolver-behind",
            "the first resolver gives the former address, the second one the new",
            moved(NameAnswer::Addresses(vec![OLD])).asking(&[
                Resolver::Knows,
                Resolver::KnowsOnly(vec![(QUAY_NAME, right())]),
            ]),
            broken("resolvers-disagree", "port/refused"),
            counts(5, 5, 0, 0),
        ),
        at_quay(
            "second-resolver-dead",
            "the second of two resolvers is silent; the first one answers, and it works",
            moved(right()).asking(&[Resolver::Knows, Resolver::IsSilent]),
            WORKING,
            counts(5, 1, 1, 1),
        ),
        at_quay(
            "remembered-address",
            "this machine still uses the old address; DNS gives the new one",
            World {
                remembered: vec![(QUAY_NAME, OLD)],
                ..moved(right())
            },
            broken("stale-address", "port/refused"),
            counts(3, 5, 0, 0),
        ),
        at_quay(
            "system-asks-nobody",
            "DNS gives the address, but this machine's lookup does not ask it",
            World::around(DECK)
                .asking(&[Resolver::KnowsOnly(vec![(
                    QUAY_NAME,
                    NameAnswer::Addresses(vec![QUAY]),
                )])])
                .router(FAR, &[])
                .host(QUAY, &[], &[(PORT, sailings())]),
            broken("resolvers-disagree", "name/not-found"),
            counts(3, 1, 0, 0),
        ),
        at_quay(
            "private-from-outside",
            "DNS gives a private address, and packets to it leave for the public network",
            World::around(DECK)
                .name(QUAY_NAME, NameAnswer::Addresses(vec![INSIDE]))
                .router(NEAR, &[])
                .router(FAR, &[]),
            broken("private-address-from-outside", "port/unreachable"),
            counts(3, 5, 0, 0),
        ),
    ]
}

fn records() -> Vec<Scene> {
    let lookout = "lookout.osmary.example";
    let by_records = format!("mongodb+srv://purser:{PASSWORD}@{lookout}/berths");
    let asked = "_mongodb._tcp.lookout.osmary.example";
    let berth = "berth-1.osmary.example";
    let records = |port| NameAnswer::Services(vec![(0, berth, port)]);
    vec![
        at_quay(
            "alias-into-void",
            "the name is an alias for one that does not exist",
            World::around(DECK).name(
                QUAY_NAME,
                NameAnswer::Alias(vec!["old-quay.osmary.example"], Vec::new()),
            ),
            broken("alias-chain-broken", "name/not-found"),
            counts(3, 0, 0, 0),
        ),
        far(
            "service-records",
            "hosts and port come from service records, and the port is open",
            by_records.clone(),
            World::around(DECK)
                .name(asked, records(27_017))
                .name(lookout, NameAnswer::Services(Vec::new()))
                .name(berth, NameAnswer::Addresses(vec![QUAY]))
                .router(FAR, &[])
                .host(QUAY, &[], &[(27_017, Service::Mute)]),
            WORKING,
            counts(3, 1, 0, 0),
        ),
        far(
            "service-record-void",
            "a service record leads to a host that does not exist",
            by_records,
            World::around(DECK)
                .name(asked, records(27_017))
                .name(lookout, NameAnswer::Services(Vec::new())),
            broken("alias-chain-broken", "name/not-found"),
            counts(3, 0, 0, 0),
        ),
        Scene {
            target: target_at("quay:{port}"),
            ..at_quay(
                "suffix-lost",
                "a name without its domain, and no search suffix that would complete it",
                World::around(DECK).name(QUAY_NAME, NameAnswer::Addresses(vec![QUAY])),
                broken("name-does-not-exist", "name/not-found"),
                counts(3, 0, 0, 0),
            )
        },
    ]
}
