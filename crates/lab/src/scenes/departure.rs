//! Scenes about the first stretch of the way, and about ports that are passed on: who is
//! silent is then another one than the host.

use std::net::{IpAddr, Ipv4Addr};

use super::name_to_port::{at_quay, company, sailings};
use super::{FAR, NEAR, QUAY, broken, counts, undecided};
use crate::scene::{PORT, Scene};
use crate::stand_in::Service;
use crate::world::{Action, FirstStretch, Router, Rule, Speech, World};

/// The machine to which the quay's port is passed on.
const SHED: IpAddr = IpAddr::V4(Ipv4Addr::new(198, 51, 100, 9));

/// The quay behind two routers, of which the second has these rules.
fn behind(rules: &[Rule], ports: &[(u16, Service)]) -> World {
    company()
        .router(NEAR, &[])
        .router(FAR, rules)
        .host(QUAY, &[], ports)
}

fn leaving_by(first_stretch: FirstStretch) -> World {
    World {
        first_stretch,
        ..behind(&[], &[(PORT, sailings())])
    }
}

pub(super) fn scenes() -> Vec<Scene> {
    let mut out = first_stretch();
    out.extend(passed_on());
    out
}

fn first_stretch() -> Vec<Scene> {
    let nothing_said = |router: Router| Router {
        speech: Speech::Never,
        ..router
    };
    let dark = behind(&[Rule::on_all(Action::Drop)], &[(PORT, sailings())]);
    vec![
        at_quay(
            "next-device-silent",
            "the device that this machine sends everything to is switched off",
            leaving_by(FirstStretch::NobodyThere),
            broken("no-route", "port/unreachable"),
            counts(3, 5, 0, 0),
        ),
        at_quay(
            "link-down",
            "the cable is out, and this machine still remembers the next device",
            leaving_by(FirstStretch::LinkDown),
            broken("no-route", "port/silent"),
            counts(3, 5, 0, 0),
        ),
        at_quay(
            "neighbour-absent",
            "the address belongs to this machine's own network, and nobody has it",
            company(),
            broken("host-down", "port/unreachable"),
            counts(3, 5, 0, 0),
        ),
        at_quay(
            "route-prohibits",
            "a route of this machine itself prohibits that network",
            World {
                cut_off: Some("EACCES"),
                ..company()
            },
            broken("no-route", "route/none"),
            counts(3, 0, 0, 0),
        ),
        at_quay(
            "silent-all-the-way",
            "a router drops everything, and no device says where packets end",
            World {
                routers: dark.routers.into_iter().map(nothing_said).collect(),
                hosts: dark.hosts,
                ..company()
            },
            undecided("allow-list-excludes-client", "port/silent"),
            counts(3, 5, 0, 0),
        ),
    ]
}

fn passed_on() -> Vec<Scene> {
    let to_shed = [Rule::on(PORT, Action::PassOn(SHED))];
    vec![
        at_quay(
            "passed-on-to-nobody",
            "a router passes the port on to a machine that is switched off",
            behind(&to_shed, &[]),
            broken("host-down", "port/unreachable"),
            counts(3, 4, 0, 0),
        ),
        at_quay(
            "passed-on-and-dropped",
            "a router passes the port on to a machine that drops it",
            behind(&to_shed, &[]).host(SHED, &[Rule::on_all(Action::Drop)], &[(PORT, sailings())]),
            undecided("firewall-drops", "port/silent"),
            counts(3, 4, 0, 0),
        ),
    ]
}
