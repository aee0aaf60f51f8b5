//! The verdict: joined over the paths by the client's own rule, and in words that can be
//! acted on.

use std::net::IpAddr;

use chronaxis_diagnosis::case::{Case, Vantage};
use chronaxis_diagnosis::verdict::State;
use chronaxis_diagnosis::walk::Walk;
use chronaxis_engines::recognise;
use chronaxis_lab::scene::{PORT, Scene};
use chronaxis_lab::stand_in::Service;
use chronaxis_lab::stand_in::postgresql::Config;
use chronaxis_lab::world::{Action, NameAnswer, Rule, World};
use chronaxis_model::layer::{Layer, Micros, Outcome};
use chronaxis_model::redact::Redactor;
use chronaxis_model::target::End;

fn case_of(world: &World, scene: &Scene, until: Layer) -> Case {
    let target = scene.read(scene.port()).unwrap();
    let mut scope = scene.scope();
    scope.until = until;
    let redactor = Redactor::new(target.secret.iter().map(|s| &s.value));
    let mut walk = Walk::new(
        target,
        scope,
        chronaxis_engines::Seed::new([7; 32]),
        redactor,
        Micros(0),
    )
    .behind(scene.lists());
    chronaxis_lab::rehearsal::play(scene, world, &mut walk);
    let (target, scope, log, touched) = walk.into_log();
    let vantage = Vantage {
        host: "deck-4".to_owned(),
        started: "2026-11-23T06:40:00.000Z".to_owned(),
        ..Vantage::default()
    };
    Case::new(target, scope, &log, &touched, vantage, "test")
}

fn ip(last: u8) -> IpAddr {
    IpAddr::from([198, 51, 100, last])
}

/// A world in which the name has these addresses, each played by what is said of it.
fn with_addresses(what: &[&str]) -> Case {
    let addresses: Vec<IpAddr> = (1..).take(what.len()).map(ip).collect();
    let mut world = World::around("10.8.4.21".parse().unwrap())
        .name(
            "quay.osmary.example",
            NameAnswer::Addresses(addresses.clone()),
        )
        .router("203.0.113.1".parse().unwrap(), &[]);
    let server = || Service::Postgresql(Config::sailings("lantern-oil-42"));
    for (address, what) in addresses.iter().zip(what) {
        world = match *what {
            "works" => world.host(*address, &[], &[(PORT, server())]),
            "wrong" => {
                let other = Service::Postgresql(Config::sailings("another"));
                world.host(*address, &[], &[(PORT, other)])
            }
            "silent" => world.host(*address, &[Rule::on(PORT, Action::Drop)], &[]),
            "refused" => world.host(*address, &[], &[]),
            "absent" => world,
            other => panic!("{other}"),
        };
    }
    let scene = chronaxis_lab::scenes::find("dropped").unwrap();
    case_of(&world, &scene, Layer::Session)
}

fn gist(case: &Case) -> (State, &str) {
    (
        case.verdict.state,
        case.verdict.symptom.as_deref().unwrap_or("-"),
    )
}

#[test]
fn paths_are_joined_as_the_client_would_meet_them() {
    use State::{Broken, Undecided, Working};
    for (addresses, wanted) in [
        (vec!["works"], (Working, "-")),
        (vec!["works", "silent"], (Working, "-")),
        (vec!["refused", "works"], (Working, "-")),
        (vec!["absent", "works"], (Working, "-")),
        (vec!["silent", "works"], (Broken, "port/silent")),
        (vec!["refused", "silent", "works"], (Broken, "port/silent")),
        (vec!["refused", "refused"], (Undecided, "port/refused")),
        // A refused password ends it for all addresses of the name.
        (
            vec!["wrong", "works"],
            (Broken, "login/credentials-refused"),
        ),
        (
            vec!["refused", "wrong"],
            (Broken, "login/credentials-refused"),
        ),
    ] {
        let case = with_addresses(&addresses);
        assert_eq!(gist(&case), wanted, "{addresses:?}");
        assert_eq!(case.paths.len(), addresses.len());
        assert!(case.contacts.sign_ins <= 1, "{addresses:?}");
    }
}

/// Not every address of a long name is tried; what was not tried says nothing.
#[test]
fn a_name_with_very_many_addresses_is_judged_by_those_tried() {
    let case = with_addresses(&["silent"; 20]);
    assert_eq!(gist(&case), (State::Broken, "port/silent"));
    assert_eq!(case.contacts.lines, 16 * 4);
}

#[test]
fn a_skipped_address_is_a_caution() {
    let case = with_addresses(&["refused", "works"]);
    assert_eq!(case.layers[Layer::Port.index()].outcome, Outcome::Caution);
    let caution = case
        .also_found
        .iter()
        .find(|f| f.id == "address-dead-but-skipped");
    assert!(caution.unwrap().text.contains("198.51.100.1:5432"));
    let whole = with_addresses(&["works"]);
    assert!(
        whole
            .also_found
            .iter()
            .all(|f| f.id != "address-dead-but-skipped")
    );
}

/// What works by its first address is not done before the others had their time, and no
/// later: a name with a dead address is the outage that comes and goes.
#[test]
fn a_dead_address_behind_one_that_works_is_remarked_on() {
    for (other, within_ms) in [("silent", 1_300), ("refused", 600), ("absent", 1_300)] {
        let case = with_addresses(&["works", other]);
        assert_eq!(gist(&case), (State::Working, "-"), "{other}");
        let found =
            |f: &&chronaxis_diagnosis::verdict::AlsoFound| f.id == "address-dead-but-skipped";
        let caution = case.also_found.iter().find(found);
        let text = &caution.unwrap_or_else(|| panic!("{other}")).text;
        assert!(text.contains("198.51.100.2:5432"), "{text}");
        assert!(text.contains("next time"), "{text}");
        let last = case.log().unwrap().iter().map(|o| o.at).max().unwrap();
        assert!(last <= Micros::from_millis(within_ms), "{other}: {last}");
    }
    let both = with_addresses(&["works", "works"]);
    assert!(
        both.also_found
            .iter()
            .all(|f| f.id != "address-dead-but-skipped")
    );
}

#[test]
fn each_path_has_its_own_symptom_and_cause() {
    let case = with_addresses(&["refused", "silent", "works"]);
    let symptoms: Vec<_> = case.paths.iter().map(|p| p.symptom.as_deref()).collect();
    assert_eq!(symptoms, [Some("port/refused"), Some("port/silent"), None]);
    assert_eq!(case.paths[1].cause.as_deref(), Some("some-addresses-dead"));
    assert_eq!(case.paths[2].cause, None);
}

#[test]
fn every_unreached_layer_is_empty() {
    for scene in chronaxis_lab::scenes::all() {
        let case = case_of(&scene.world.fresh(), &scene, Layer::Session);
        assert_eq!(case.layers.len(), 9);
        assert!(
            case.ruled_out.iter().all(|r| r.id != "something-else"),
            "{}",
            scene.id
        );
        for layer in case
            .layers
            .iter()
            .filter(|l| l.outcome == Outcome::Unreached)
        {
            assert!(
                layer.facts.is_empty() && layer.elapsed_us.is_none(),
                "{} {}",
                scene.id,
                layer.layer
            );
        }
        if case.verdict.state == State::Working {
            assert!(
                case.layers.iter().all(|l| l.outcome != Outcome::Fault),
                "{}",
                scene.id
            );
            assert!(case.verdict.cause.is_none() && case.causes.is_empty());
        }
    }
}

/// Whatever command is given to test next reads back as the same connection.
#[test]
fn every_next_command_can_be_run() {
    let mut read_back = 0;
    for scene in chronaxis_lab::scenes::all() {
        let case = case_of(&scene.world.fresh(), &scene, Layer::Session);
        if case.verdict.state == State::Working {
            continue;
        }
        let next = case
            .verdict
            .next_test
            .as_ref()
            .unwrap_or_else(|| panic!("{}: a next test", scene.id));
        let Some(command) = &next.command else {
            continue;
        };
        let words = command.strip_prefix("chronaxis diagnose ").expect(command);
        assert!(!command.contains("lantern"), "{command}");
        let text = match words.split_once('\'') {
            Some((_, quoted)) => quoted
                .strip_suffix('\'')
                .unwrap_or(quoted)
                .replace(r"'\''", "'"),
            None => words.rsplit(' ').next().unwrap_or_default().to_owned(),
        };
        if text == "-" || words.ends_with("--until port") {
            continue;
        }
        let read = recognise(&text, None, None).unwrap_or_else(|e| panic!("{text}: {e}"));
        let target = read
            .engine
            .strings
            .complete(read.draft, &scene.surroundings())
            .unwrap();
        assert_eq!(target.ends, case.target.ends, "{}: {text}", scene.id);
        assert_eq!(target.user, case.target.user, "{}", scene.id);
        assert_eq!(target.database, case.target.database, "{}", scene.id);
        read_back += 1;
    }
    assert!(read_back > 15, "{read_back}");
}

#[test]
fn a_hand_over_has_what_the_other_side_needs_and_no_secret() {
    for scene in chronaxis_lab::scenes::all() {
        let case = case_of(&scene.world.fresh(), &scene, Layer::Session);
        let Some(text) = &case.verdict.handover else {
            assert!(case.verdict.cause.is_none(), "{}", scene.id);
            continue;
        };
        assert!(
            text.contains("2026-11-23T06:40:00.000Z"),
            "{}: the time: {text}",
            scene.id
        );
        assert!(!text.contains("lantern"), "{}: {text}", scene.id);
        if case.verdict.seen_at == Some(Layer::Port) {
            assert!(
                text.contains("from 10.8.4.21") || text.contains("from 127.0.0.1"),
                "{}: {text}",
                scene.id
            );
            let port = case.target.ends.iter().find_map(|end| match end {
                End::Host { port, .. } => Some(format!(":{port}")),
                End::Socket { .. } => None,
            });
            assert!(text.contains(&port.unwrap()), "{}: {text}", scene.id);
        }
    }
}

#[test]
fn an_undecided_verdict_names_its_candidates() {
    let case = with_addresses(&["refused"]);
    assert_eq!(case.verdict.state, State::Undecided);
    for id in ["nothing-listening", "host-filter-rejects"] {
        assert!(
            case.verdict.headline.contains(id),
            "{}",
            case.verdict.headline
        );
    }
    let handover = case.verdict.handover.as_deref().unwrap();
    assert!(
        handover.contains("(nothing-listening); or ") && handover.contains("(host-filter-rejects)"),
        "{handover}"
    );
    let sum: f64 = case.causes.iter().map(|c| c.probability).sum();
    assert!((sum - 1.0).abs() < 0.001, "{sum}");
    let sorted = case
        .causes
        .windows(2)
        .all(|w| w[0].probability >= w[1].probability);
    assert!(sorted);
}

#[test]
fn what_was_not_asked_for_is_untested() {
    let scene = chronaxis_lab::scenes::find("healthy").unwrap();
    for until in Layer::ALL {
        let case = case_of(&scene.world.fresh(), &scene, until);
        assert_eq!(case.verdict.state, State::Working, "{until}");
        assert_eq!(case.verdict.as_far_as, until);
        for layer in case.layers.iter().filter(|l| l.layer > until) {
            assert_eq!(layer.outcome, Outcome::Untested, "{until}: {}", layer.layer);
        }
    }
}
