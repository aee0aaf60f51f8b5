//! Every mixture of three hosts, held against a model of the client in a dozen lines:
//! *would this client have got in?*

use std::net::IpAddr;

use chronaxis_diagnosis::case::Case;
use chronaxis_diagnosis::verdict::State;
use chronaxis_lab::rehearsal;
use chronaxis_lab::scene::{PORT, Scene};
use chronaxis_lab::stand_in::Service;
use chronaxis_lab::stand_in::postgresql::{Config, Mood};
use chronaxis_lab::world::{Action, NameAnswer, Rule, World};

/// What one host is like.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Kind {
    Works,
    NoName,
    Refuses,
    Silent,
    Starting,
    OtherPassword,
    Full,
}

const KINDS: [Kind; 7] = [
    Kind::Works,
    Kind::NoName,
    Kind::Refuses,
    Kind::Silent,
    Kind::Starting,
    Kind::OtherPassword,
    Kind::Full,
];

/// Whose rules, and with which patience.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Client {
    Libpq,
    LibpqInTwoSeconds,
    Pgjdbc,
}

/// What happens to a client that takes the hosts in order, as it was measured.
fn gets_in(client: Client, hosts: &[Kind]) -> bool {
    for kind in hosts {
        let goes_on = match kind {
            Kind::Works => return true,
            Kind::NoName | Kind::Refuses | Kind::Starting => true,
            Kind::Silent => client != Client::Libpq,
            Kind::OtherPassword | Kind::Full => client == Client::Pgjdbc,
        };
        if !goes_on {
            return false;
        }
    }
    false
}

fn world(hosts: &[Kind]) -> World {
    let router: IpAddr = "203.0.113.1".parse().unwrap();
    let mut world = World::around("10.8.4.21".parse().unwrap()).router(router, &[]);
    for (i, kind) in hosts.iter().enumerate() {
        let address: IpAddr = format!("198.51.100.{}", i + 7).parse().unwrap();
        if *kind != Kind::NoName {
            world = world.name(&name(i), NameAnswer::Addresses(vec![address]));
        }
        let config = match kind {
            Kind::OtherPassword => Config::sailings("another-one"),
            Kind::Starting => Config::sailings("lantern-oil-42").in_mood(Mood::Starting),
            Kind::Full => Config::sailings("lantern-oil-42").in_mood(Mood::Full),
            _ => Config::sailings("lantern-oil-42"),
        };
        world = match kind {
            Kind::Refuses => world.host(address, &[], &[]),
            Kind::Silent => world.host(address, &[Rule::on_all(Action::Drop)], &[]),
            _ => world.host(address, &[], &[(PORT, Service::Postgresql(config))]),
        };
    }
    world
}

fn name(index: usize) -> String {
    format!("quay-{index}.osmary.example")
}

fn diagnosed(client: Client, hosts: &[Kind]) -> Case {
    let names: Vec<String> = (0..hosts.len()).map(name).collect();
    let names = names.join(",");
    let target = match client {
        Client::Libpq => format!("postgresql://purser:lantern-oil-42@{names}/sailings"),
        Client::LibpqInTwoSeconds => {
            format!("postgresql://purser:lantern-oil-42@{names}/sailings?connect_timeout=2")
        }
        Client::Pgjdbc => {
            format!("jdbc:postgresql://{names}/sailings?user=purser&password=lantern-oil-42")
        }
    };
    let scene = Scene {
        target,
        world: world(hosts),
        ..chronaxis_lab::scenes::find("first-host-hangs").unwrap()
    };
    rehearsal::case_of(&scene).unwrap()
}

#[test]
fn every_mixture_of_three_hosts_ends_as_the_client_would() {
    let mut wrong = Vec::new();
    for client in [Client::Libpq, Client::LibpqInTwoSeconds, Client::Pgjdbc] {
        for a in KINDS {
            for b in KINDS {
                for c in KINDS {
                    let hosts = [a, b, c];
                    let case = diagnosed(client, &hosts);
                    let works = case.verdict.state == State::Working;
                    if works != gets_in(client, &hosts) {
                        wrong.push(format!("{client:?} {hosts:?}: {:?}", case.verdict.state));
                    }
                }
            }
        }
    }
    assert!(
        wrong.is_empty(),
        "{} of 1029:\n{}",
        wrong.len(),
        wrong.join("\n")
    );
}

/// No mixture costs a server more than one failed sign-in, or a second try of a path that
/// answered.
#[test]
fn no_mixture_costs_more_than_it_may() {
    for a in KINDS {
        for b in KINDS {
            let case = diagnosed(Client::Pgjdbc, &[a, b, Kind::OtherPassword]);
            for server in &case.contacts.servers {
                assert!(server.sign_ins <= 1, "{a:?} {b:?}: {server:?}");
                assert!(server.lines <= 3, "{a:?} {b:?}: {server:?}");
            }
            // Of each name the system, and its one resolver for both families.
            assert_eq!(case.contacts.lookups, 9);
        }
    }
}
