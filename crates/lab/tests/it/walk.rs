//! The walk by itself, in the simulated network: when what is tried, and what is left
//! alone.

use std::net::{IpAddr, SocketAddr};

use chronaxis_diagnosis::case::{Case, Vantage};
use chronaxis_diagnosis::run_state::RunState;
use chronaxis_diagnosis::verdict::AlsoFound;
use chronaxis_diagnosis::walk::{SHORT_SILENCE, Walk};
use chronaxis_lab::scene::{PORT, Scene};
use chronaxis_lab::stand_in::Service;
use chronaxis_lab::stand_in::postgresql::Config;
use chronaxis_lab::world::{Action, NameAnswer, Resolver, Rule, World};
use chronaxis_model::endpoint::Endpoint;
use chronaxis_model::layer::{Layer, Micros};
use chronaxis_model::order::{Decider, Ended, Event, Order, Probe};
use chronaxis_model::permit::{Account, Server, Withheld};
use chronaxis_model::redact::Redactor;
use chronaxis_model::secret::Secret;

fn scene(id: &str) -> Scene {
    chronaxis_lab::scenes::find(id).expect("a scene")
}

fn walk_of(scene: &Scene) -> Walk {
    let target = scene.read(scene.port()).unwrap();
    Walk::new(
        target,
        scene.scope(),
        chronaxis_engines::Seed::new([7; 32]),
        Redactor::default(),
        Micros(0),
    )
}

fn case_in(world: &World, scene: &Scene) -> (Case, Micros) {
    let mut walk = walk_of(scene);
    let took = world.play(&mut walk, &mut RunState::default(), |_, _| {});
    let (target, scope, log, touched) = walk.into_log();
    (
        Case::new(target, scope, &log, &touched, Vantage::default(), "test"),
        took,
    )
}

/// Everything that a walk starts, with the time, while every probe goes unanswered.
fn starts_in_silence(walk: &mut Walk) -> Vec<(Micros, String, Micros)> {
    let mut run = RunState::default();
    let mut now = Micros(0);
    let mut open = Vec::new();
    let mut out = Vec::new();
    loop {
        match walk.poll(&mut run, now) {
            Order::Start { probe, what, until } => {
                let text = match &what {
                    Probe::Open { over, .. } => format!("open {}", over.end()),
                    Probe::Knock { to } => format!("knock {to}"),
                    other => format!("{other:?}"),
                };
                out.push((now, text, until));
                open.push((until, probe));
            }
            Order::Wait(until) => {
                assert!(until >= now, "the walk looks forward");
                now = until;
                let due: Vec<_> = open
                    .iter()
                    .filter(|(u, _)| *u <= now)
                    .map(|(_, p)| *p)
                    .collect();
                open.retain(|(u, _)| *u > now);
                for probe in due {
                    let how = Ended::Unanswered;
                    walk.handle(
                        &mut run,
                        now,
                        Event::Ended {
                            probe,
                            how,
                            permit: None,
                        },
                    );
                }
            }
            Order::Over => return out,
            Order::Stop(_) | Order::Close(_) | Order::Settled(_) => {}
        }
    }
}

#[test]
fn attempts_on_a_silent_port_are_spread_over_one_patience() {
    let mut scene = scene("dropped");
    scene.target = "postgresql://purser@198.51.100.7:{port}/sailings".to_owned();
    let starts = starts_in_silence(&mut walk_of(&scene));
    let opens: Vec<_> = starts
        .iter()
        .filter(|(_, what, _)| what.starts_with("open"))
        .collect();
    let times: Vec<u64> = opens.iter().map(|(at, _, _)| at.0).collect();
    assert_eq!(times, [0, 1_333_333, 2_666_666]);
    assert!(
        opens
            .iter()
            .all(|(_, _, until)| *until == Micros(4_000_000)),
        "one patience"
    );
    let knocks: Vec<_> = starts
        .iter()
        .filter(|(_, what, _)| what.starts_with("knock"))
        .collect();
    let knocks: Vec<_> = knocks
        .iter()
        .map(|(at, to, _)| (*at, to.as_str()))
        .collect();
    assert_eq!(
        knocks,
        [
            (SHORT_SILENCE, "knock 198.51.100.7:5431"),
            (
                SHORT_SILENCE.after(SHORT_SILENCE),
                "knock 198.51.100.7:40009"
            ),
        ],
        "the neighbour, and a port far away once that is silent too"
    );
}

#[test]
fn the_deadline_bounds_everything() {
    let scene = scene("dropped");
    let mut scope = scene.scope();
    scope.deadline_us = Micros::from_millis(900);
    let target = scene.read(scene.port()).unwrap();
    let mut walk = Walk::new(
        target,
        scope,
        chronaxis_engines::Seed::new([7; 32]),
        Redactor::default(),
        Micros(0),
    );
    let took = scene
        .world
        .fresh()
        .play(&mut walk, &mut RunState::default(), |_, _| {});
    assert!(took <= Micros::from_millis(900), "{took}");
}

#[test]
fn eight_silent_addresses_take_one_patience() {
    let scene = scene("dropped");
    let addresses: Vec<IpAddr> = (20..28).map(|n| IpAddr::from([198, 51, 100, n])).collect();
    let mut world = World::around("10.8.4.21".parse().unwrap()).name(
        "quay.osmary.example",
        NameAnswer::Addresses(addresses.clone()),
    );
    for address in &addresses {
        world = world.host(*address, &[Rule::on_all(Action::Drop)], &[]);
    }
    let (case, took) = case_in(&world, &scene);
    assert!(took < Micros::from_millis(4400), "{took}");
    assert_eq!(case.paths.len(), 8);
    assert_eq!(case.verdict.symptom.as_deref(), Some("port/silent"));
    assert_eq!(
        case.contacts.lines,
        8 * 4 + 2,
        "three attempts and a control port each, and a far port of the first two"
    );
}

#[test]
fn a_path_that_connects_gets_one_line_and_no_control_port() {
    let (case, _) = case_in(&scene("healthy").world.fresh(), &scene("healthy"));
    assert_eq!(case.contacts.lines, 1);
    let asked_control = case.layers[4]
        .facts
        .iter()
        .any(|f| f["fact"] == "control-port");
    assert!(!asked_control);
}

#[test]
fn port_one_has_a_control_port_too() {
    let mut scene = scene("dropped");
    scene.target = "postgresql://purser@198.51.100.7:1/sailings".to_owned();
    let starts = starts_in_silence(&mut walk_of(&scene));
    assert!(
        starts
            .iter()
            .any(|(_, what, _)| what == "knock 198.51.100.7:2")
    );
}

#[test]
fn only_the_first_open_path_is_walked() {
    let scene = scene("dropped");
    let (first, second): (IpAddr, IpAddr) = (
        "198.51.100.7".parse().unwrap(),
        "198.51.100.8".parse().unwrap(),
    );
    let server = || Service::Postgresql(Config::sailings("lantern-oil-42"));
    let world = World::around("10.8.4.21".parse().unwrap())
        .name(
            "quay.osmary.example",
            NameAnswer::Addresses(vec![first, second]),
        )
        .host(first, &[], &[(PORT, server())])
        .host(second, &[], &[(PORT, server())]);
    let (case, _) = case_in(&world, &scene);
    assert_eq!(case.verdict.state.as_str(), "working");
    assert_eq!(world.counted.now().sign_ins, 1, "one address signs in");
    assert_eq!(world.counted.now().lines, 2, "both are tried side by side");
}

#[test]
fn layers_settle_in_order_and_once() {
    for scene in chronaxis_lab::scenes::all() {
        let mut walk = walk_of(&scene);
        let mut seen = Vec::new();
        scene
            .world
            .fresh()
            .play(&mut walk, &mut RunState::default(), |_, layer| {
                seen.push(layer)
            });
        assert_eq!(seen, Layer::ALL, "{}", scene.id);
    }
}

/// What was shown when a layer settled is what the case says in the end.
#[test]
fn a_settled_layer_does_not_change() {
    use chronaxis_diagnosis::judge::judge;
    for scene in chronaxis_lab::scenes::all() {
        let mut walk = walk_of(&scene);
        let mut shown = Vec::new();
        scene
            .world
            .fresh()
            .play(&mut walk, &mut RunState::default(), |walk, layer| {
                shown.push(judge(walk.evidence()).layers[layer.index()].clone());
            });
        let last = judge(walk.evidence());
        for (then, now) in shown.iter().zip(&last.layers) {
            assert_eq!(then, now, "{}", scene.id);
        }
    }
}

#[test]
fn a_permit_is_given_once_and_comes_back() {
    let account = || Account {
        server: Server {
            endpoint: Endpoint::Tcp(SocketAddr::from(([127, 0, 0, 1], 5432))),
            name: None,
            here: None,
        },
        user: "purser".to_owned(),
    };
    let (one, other) = (Secret::new("low-tide"), Secret::new("ebb-tide"));
    let mut run = RunState::default();
    let permit = run.permits.ask(account(), "sailings", &one).unwrap();
    assert_eq!(
        run.permits.ask(account(), "fares", &one).unwrap_err(),
        Withheld::Spent,
        "it is out"
    );
    run.permits.settle(permit);
    let mut permit = run
        .permits
        .ask(account(), "sailings", &one)
        .expect("unspent, it cost nothing");
    permit.spend();
    permit.accepted();
    run.permits.settle(permit);
    let mut permit = run
        .permits
        .ask(account(), "sailings", &one)
        .expect("accepted, it cost nothing");
    permit.spend();
    run.permits.settle(permit);
    let before = run.permits.ask(account(), "fares", &one).unwrap_err();
    assert_eq!(before, Withheld::RefusedBefore("sailings".to_owned()));
    assert_eq!(
        run.permits.ask(account(), "fares", &other).unwrap_err(),
        Withheld::Spent
    );
    let elsewhere = Account {
        user: "deckhand".to_owned(),
        ..account()
    };
    assert!(
        run.permits.ask(elsewhere, "fares", &one).is_ok(),
        "another account has its own"
    );
}

#[test]
fn a_walk_that_stops_before_the_sign_in_takes_no_permit() {
    let scene = scene("healthy");
    let mut run = RunState::default();
    for until in [Layer::Tls, Layer::Session] {
        let target = scene.read(scene.port()).unwrap();
        let mut scope = scene.scope();
        scope.until = until;
        let mut walk = Walk::new(
            target,
            scope,
            chronaxis_engines::Seed::new([7; 32]),
            Redactor::default(),
            Micros(0),
        );
        let world = scene.world.fresh();
        world.play(&mut walk, &mut run, |_, _| {});
        let signed_in = u32::from(until == Layer::Session);
        assert_eq!(world.counted.now().sessions, signed_in, "{until}");
    }
}

/// A resolver that says nothing costs every start some seconds: it works, and is said.
#[test]
fn a_slow_lookup_is_remarked() {
    let scene = scene("first-resolver-dead");
    let (case, _) = case_in(&scene.world.fresh(), &scene);
    assert_eq!(case.verdict.state.as_str(), "working");
    let slow = |f: &&AlsoFound| f.text.starts_with("looking up quay.osmary.example takes");
    let found = case.also_found.iter().find(slow).expect("a remark");
    assert_eq!(found.id, "name-service-silent");
    // The same with a resolver that answers at once.
    let world = scene.world.fresh().asking(&[Resolver::Knows]);
    let (case, _) = case_in(&world, &scene);
    assert!(
        case.also_found
            .iter()
            .all(|f| f.id != "name-service-silent")
    );
}
