//! Scenes with a list of rules at hand: the same silence, told apart by what the list says,
//! and lists that are not the reason.

use super::name_to_port::{at_quay, company, sailings};
use super::{FAR, NEAR, PASSWORD, QUAY, WORKING, broken, counts};
use crate::scene::{Expected, PORT, Scene};
use crate::stand_in::postgresql::{Config, Mood};
use crate::stand_in::{Counts, Service};
use crate::world::{Action, Rule, World};

const OFFICES: &str = r#"[allowlist]
name = "sailings, inbound"

[[rule]]
ports = "5432"
peers = ["10.9.0.0/16"]
note = "offices"
"#;

const POOLER_ONLY: &str = r#"[allowlist]
name = "sailings, inbound"

[[rule]]
ports = "6432"
peers = ["10.8.0.0/16"]
note = "through the pooler"
"#;

const ENDED: &str = r#"[allowlist]
name = "sailings, inbound"

[[rule]]
ports = "5432"
peers = ["10.8.0.0/16"]
until = 2026-10-31
note = "until the move"
"#;

const ONE_WAY: &str = r#"[allowlist]
name = "subnet of the databases"
kind = "stateless"

[[rule]]
direction = "inbound"
ports = "5432"
peers = ["10.8.0.0/16"]

[[rule]]
direction = "outbound"
ports = "443"
peers = ["0.0.0.0/0"]
"#;

const COVERS: &str = r#"[[rule]]
ports = "5432"
peers = ["10.8.0.0/16"]
"#;

const HOST_RULES: &str = "\
local   all             all                                     peer
host    sailings        purser          10.9.0.0/16             scram-sha-256
host    all             harbourmaster   10.8.0.0/16             scram-sha-256
";

/// A list in the way: every packet to the host is dropped at the router before it, but for
/// this port, where there is one; echoes too, which count as port 0.
fn behind(open: Option<u16>) -> World {
    let ranges = match open {
        None => vec![(0, u16::MAX)],
        Some(port) => vec![(0, port - 1), (port + 1, u16::MAX)],
    };
    let rules: Vec<Rule> = ranges
        .into_iter()
        .map(|ports| Rule {
            ports,
            action: Action::Drop,
        })
        .collect();
    reached(&rules)
}

fn reached(rules: &[Rule]) -> World {
    company().router(NEAR, &[]).router(FAR, rules).host(
        QUAY,
        &[],
        &[(PORT, sailings()), (6432, sailings())],
    )
}

fn listed(
    id: &'static str,
    what: &'static str,
    list: (&'static str, &'static str),
    world: World,
    (expected, counts): (Expected, Counts),
) -> Scene {
    Scene {
        lists: vec![list],
        ..at_quay(id, what, world, expected, counts)
    }
}

pub(super) fn scenes() -> Vec<Scene> {
    let silent = |cause| (broken(cause, "port/silent"), counts(3, 5, 0, 0));
    vec![
        listed(
            "list-without-client",
            "the allow-list has another office's range",
            ("inbound.toml", OFFICES),
            behind(None),
            silent("allow-list-excludes-client"),
        ),
        listed(
            "list-for-other-port",
            "the allow-list lets this client reach the pooler's port only",
            ("inbound.toml", POOLER_ONLY),
            behind(Some(6432)),
            silent("allow-list-wrong-port"),
        ),
        listed(
            "list-rule-ended",
            "the rule for this client ended last month",
            ("inbound.toml", ENDED),
            behind(None),
            silent("allow-list-rule-off"),
        ),
        listed(
            "list-without-way-back",
            "a stateless list lets requests in, and no replies out",
            ("subnet.toml", ONE_WAY),
            behind(None),
            silent("return-path-blocked"),
        ),
        listed(
            "list-lets-in",
            "the allow-list lets this client in, and another firewall drops the port",
            ("inbound.toml", COVERS),
            reached(&[Rule::on(PORT, Action::Drop)]),
            (broken("firewall-drops", "port/silent"), counts(3, 4, 0, 0)),
        ),
        listed(
            "list-not-in-force",
            "the list would keep this client out, and it gets in",
            ("inbound.toml", OFFICES),
            reached(&[]),
            (WORKING, counts(3, 1, 1, 1)),
        ),
        listed(
            "list-of-host-rules",
            "the server's own host rules are at hand, and have no record for this client",
            ("pg_hba.conf", HOST_RULES),
            company().host(
                QUAY,
                &[],
                &[(
                    PORT,
                    Service::Postgresql(Config::sailings(PASSWORD).in_mood(Mood::NoHostRule)),
                )],
            ),
            (
                broken("client-host-not-permitted", "login/host-refused"),
                counts(3, 1, 0, 0),
            ),
        ),
    ]
}
