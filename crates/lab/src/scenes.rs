//! The scenes of Osmary Ferries, a file a layer.

mod backing;
mod crossings;
mod departure;
mod directory;
mod encryption;
mod files;
mod further;
mod listener;
mod lists;
mod login;
mod mysql;
mod name_to_port;
mod names;
mod pooler;
mod second_look;
mod services;
mod session;
mod settings;
mod several;
mod this_machine;
mod way;

use std::net::{IpAddr, Ipv4Addr};

use chronaxis_diagnosis::verdict::State;

use crate::scene::{Expected, PORT, Scene, Second, Stage};
use crate::stand_in::{Counts, Service};
use crate::world::World;

/// The password of every account in the scenes.
const PASSWORD: &str = "lantern-oil-42";

/// A host of the company, in the simulated network.
const QUAY: IpAddr = IpAddr::V4(Ipv4Addr::new(198, 51, 100, 7));

/// The router next to the client, and the one next to the hosts.
const NEAR: IpAddr = IpAddr::V4(Ipv4Addr::new(10, 8, 0, 1));
const FAR: IpAddr = IpAddr::V4(Ipv4Addr::new(203, 0, 113, 1));

/// The client.
const DECK: IpAddr = IpAddr::V4(Ipv4Addr::new(10, 8, 4, 21));

const HERE: IpAddr = IpAddr::V4(Ipv4Addr::LOCALHOST);

/// All scenes, in the order of the way.
pub fn all() -> Vec<Scene> {
    [
        settings::scenes(),
        names::scenes(),
        name_to_port::scenes(),
        way::scenes(),
        lists::scenes(),
        crossings::scenes(),
        departure::scenes(),
        this_machine::scenes(),
        several::scenes(),
        listener::scenes(),
        pooler::scenes(),
        login::scenes(),
        session::scenes(),
        second_look::scenes(),
        further::scenes(),
        encryption::scenes(),
        mysql::scenes(),
        services::scenes(),
        directory::scenes(),
        files::scenes(),
    ]
    .concat()
}

/// The test of the built program, with real routers, filters, name servers or programs,
/// that backs a scene of the simulated network: `file::test`. None for those that only
/// memory can play: a clock that is wrong, a store of names, and the like.
pub fn backed_by(id: &str) -> Option<&'static str> {
    backing::of(id)
}

/// The scene of this id.
pub fn find(id: &str) -> Option<Scene> {
    all().into_iter().find(|s| s.id == id)
}

fn counts(lookups: u32, lines: u32, sign_ins: u32, sessions: u32) -> Counts {
    Counts {
        lookups,
        lines,
        sign_ins,
        sessions,
    }
}

fn broken(cause: &'static str, symptom: &'static str) -> Expected {
    Expected {
        state: State::Broken,
        cause: Some(cause),
        symptom: Some(symptom),
    }
}

fn undecided(cause: &'static str, symptom: &'static str) -> Expected {
    Expected {
        state: State::Undecided,
        cause: Some(cause),
        symptom: Some(symptom),
    }
}

const WORKING: Expected = Expected {
    state: State::Working,
    cause: None,
    symptom: None,
};

/// A target as most have it.
fn usual_target() -> String {
    target_at("127.0.0.1:{port}")
}

/// A scene in the simulated network, with this target.
fn far(
    id: &'static str,
    what: &'static str,
    target: String,
    world: World,
    expected: Expected,
    counts: Counts,
) -> Scene {
    Scene {
        id,
        what,
        target,
        world,
        stage: Stage::Simulated,
        repairs: false,
        server_key: false,
        files: Vec::new(),
        lists: Vec::new(),
        expect: None,
        second: Second::Nothing,
        expected,
        counts,
    }
}

/// A target with this host, as most have it.
fn target_at(hosts: &str) -> String {
    format!("postgresql://purser:{PASSWORD}@{hosts}/sailings")
}

/// The same scene in the simulated network: on loopback, a server of this machine on another
/// port would be found, and rightly named.
fn undisturbed(scene: Scene) -> Scene {
    Scene {
        stage: Stage::Simulated,
        ..scene
    }
}

/// A scene on loopback with one service on the usual port.
fn here(
    id: &'static str,
    what: &'static str,
    service: Option<Service>,
    expected: Expected,
    counts: Counts,
) -> Scene {
    let ports: Vec<(u16, Service)> = service.into_iter().map(|s| (PORT, s)).collect();
    Scene {
        id,
        what,
        target: usual_target(),
        world: World::around(HERE).host(HERE, &[], &ports),
        stage: Stage::Loopback,
        repairs: false,
        server_key: false,
        files: Vec::new(),
        lists: Vec::new(),
        expect: None,
        second: Second::Nothing,
        expected,
        counts,
    }
}
