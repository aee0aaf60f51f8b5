//! What the targets of a run share, and how the shared steps of a way are read.

use std::net::SocketAddr;

use chronaxis_diagnosis::judge::Evidence;
use chronaxis_diagnosis::judge::way::steps_to;
use chronaxis_diagnosis::run_cache::{Claim, RunCache, Shared};
use chronaxis_diagnosis::run_state::RunState;
use chronaxis_lab::{rehearsal, scenes};
use chronaxis_model::endpoint::Endpoint;
use chronaxis_model::fact::{Fact, Observation, StepAnswer};
use chronaxis_model::layer::{Layer, Micros};

fn place(text: &str) -> SocketAddr {
    text.parse().unwrap()
}

#[test]
fn what_one_target_asks_no_other_asks_again() {
    let mut board = RunCache::default();
    let name = Shared::Name("quay.osmary.example".to_owned());
    assert_eq!(board.claim(&name, 1), Claim::Yours);
    assert_eq!(board.claim(&name, 1), Claim::Pending);
    board.release(&name);
    assert_eq!(
        board.claim(&name, 1),
        Claim::Yours,
        "given back, it may be asked"
    );
    board.publish(name.clone(), Vec::new());
    assert_eq!(board.claim(&name, 1), Claim::Known(Vec::new()));
    board.release(&name);
    assert_eq!(
        board.claim(&name, 1),
        Claim::Known(Vec::new()),
        "what is known stays"
    );
    let (one, other) = (place("198.51.100.7:5431"), place("198.51.100.7:5432"));
    assert_eq!(board.claim_knock(one, true, 1), Claim::Yours);
    assert_eq!(
        board.claim_knock(other, true, 1),
        Claim::Pending,
        "any port would do"
    );
    assert_eq!(
        board.claim_knock(other, false, 1),
        Claim::Yours,
        "this very port"
    );
}

/// An address of a network is walked to on a port; its steps then stand for those that end
/// alike, and it is said so.
#[test]
fn the_steps_of_a_few_stand_for_a_network() {
    let mut board = RunCache::default();
    let at = |n: u8| place(&format!("198.51.100.{n}:5432"));
    assert_eq!(board.claim_steps(at(2), false, 1), Claim::Yours);
    assert_eq!(board.claim_steps(at(4), false, 1), Claim::Pending);
    let step = |answer| Fact::PathStep {
        ttl: 1,
        least: None,
        answer,
        by: Some("10.8.4.1".parse().unwrap()),
        elapsed_us: Micros(300),
    };
    let silent = step(StepAnswer::Expired);
    let about = Endpoint::Tcp(at(2)).subject();
    board.publish(
        Shared::Steps(at(2)),
        vec![(Layer::Port, about, silent.clone())],
    );
    let Claim::Known(seen) = board.claim_steps(at(4), false, 1) else {
        panic!("the others' steps are known");
    };
    let like = Fact::PathLike {
        address: at(2).ip(),
    };
    assert_eq!(seen[0].2, like);
    assert_eq!(seen[0].1.address, Some(at(4).ip()));
    assert_eq!(seen[0].1.port, Some(5432));
    assert_eq!(seen[1].2, silent);
    for (elsewhere, why) in [
        ("203.0.113.9:5432", "another network"),
        ("198.51.100.4:5433", "another port may meet another rule"),
    ] {
        let claim = board.claim_steps(place(elsewhere), false, 1);
        assert_eq!(claim, Claim::Yours, "{why}");
    }
    assert_eq!(
        board.claim_steps(at(5), true, 1),
        Claim::Yours,
        "a way that ends in silence does not stand for one that is refused"
    );
    let about = Endpoint::Tcp(at(5)).subject();
    let refused = step(StepAnswer::Refused);
    board.publish(Shared::Steps(at(5)), vec![(Layer::Port, about, refused)]);
    for (answers, walked) in [(true, 5), (false, 2)] {
        let Claim::Known(seen) = board.claim_steps(at(6), answers, 1) else {
            panic!("one that ended alike is known");
        };
        let like = Fact::PathLike {
            address: at(walked).ip(),
        };
        assert_eq!(seen[0].2, like);
    }
}

/// Where the ways that are known end otherwise, a few more are walked, and no more.
#[test]
fn a_network_is_not_walked_to_without_end() {
    let mut board = RunCache::default();
    let at = |n: u8| place(&format!("198.51.100.{n}:5432"));
    let walked = (1..=20)
        .filter(|n| {
            let claim = board.claim_steps(at(*n), true, 1);
            board.publish(Shared::Steps(at(*n)), Vec::new());
            claim == Claim::Yours
        })
        .count();
    assert_eq!(walked, 4);
}

#[test]
fn one_walk_at_a_time_asks_once_more() {
    let mut board = RunCache::default();
    assert!(board.claim_again(1));
    assert!(!board.claim_again(1));
    board.release_again();
    assert!(board.claim_again(1));
}

/// The steps of another address count for the port for which they were walked, and own
/// steps to another port stay own.
#[test]
fn the_steps_of_another_address_stand_for_one_port() {
    let step = |address: &str, port: u16, ttl, answer, by: Option<&str>| {
        let fact = Fact::PathStep {
            ttl,
            least: None,
            answer,
            by: by.map(|by| by.parse().unwrap()),
            elapsed_us: Micros(300),
        };
        let about = Endpoint::Tcp(place(&format!("{address}:{port}"))).subject();
        Observation::new(Layer::Port, Micros(0), about, fact)
    };
    let (own, other) = ("198.51.100.9", "198.51.100.7");
    let like = Fact::PathLike {
        address: other.parse().unwrap(),
    };
    let about = Endpoint::Tcp(place(&format!("{own}:5431"))).subject();
    let log = vec![
        step(own, 5432, 1, StepAnswer::Expired, Some("10.8.4.1")),
        step(own, 5432, 2, StepAnswer::Silent, None),
        step(own, 5432, 2, StepAnswer::Silent, None),
        Observation::new(Layer::Port, Micros(0), about, like),
        step(other, 5431, 1, StepAnswer::Silent, None),
        step(other, 5431, 1, StepAnswer::Expired, Some("10.8.0.1")),
        step(other, 5432, 1, StepAnswer::Refused, None),
    ];
    let case = rehearsal::case_of(&scenes::find("dropped").unwrap()).unwrap();
    let evidence = Evidence {
        target: &case.target,
        scope: &case.scope,
        log: &log,
    };
    let to_port = |port| steps_to(evidence, own.parse().unwrap(), port).unwrap();
    let mine = to_port(5432);
    assert_eq!(mine.last_device(), Some((1, "10.8.4.1".parse().unwrap())));
    assert_eq!(mine.silent_twice, [2]);
    let theirs = to_port(5431);
    assert_eq!(theirs.last_device(), Some((1, "10.8.0.1".parse().unwrap())));
    assert!(theirs.silent_twice.is_empty(), "it came when asked again");
    assert_eq!(theirs.steps.len(), 1);
}

#[test]
fn those_told_the_same_sign_in_by_their_order() {
    let mut run = RunState::default();
    for order in [0, 1, 5] {
        run.permits.line_up("purser at quay", order);
    }
    run.permits.line_up("purser at pier", 0);
    assert!(!run.permits.is_behind("purser at quay", 0));
    assert!(run.permits.is_behind("purser at quay", 1));
    run.permits.leave_line("purser at quay", 0);
    assert!(!run.permits.is_behind("purser at quay", 1));
    assert!(run.permits.is_behind("purser at quay", 5));
}

/// Servers that count lines which are given up see two walks at one time, one once a line
/// was lost, and after four none are made at all.
#[test]
fn few_walks_go_to_a_server_that_counts() {
    let mut run = RunState::default();
    let server = Endpoint::Tcp(place("198.51.100.7:3306"));
    let both = [server.clone()];
    assert!(run.permits.may_walk(&both, 1) && run.permits.may_walk(&both, 1));
    assert!(!run.permits.may_walk(&both, 1));
    run.permits.walked(&both);
    run.permits.count_given_up(server.clone());
    assert!(
        !run.permits.may_walk(&both, 1),
        "one is under way, and a line was lost"
    );
    run.permits.walked(&both);
    assert!(run.permits.may_walk(&both, 1));
    assert_eq!(run.permits.spares(&server), None);
    for _ in 0..3 {
        run.permits.count_given_up(server.clone());
    }
    assert_eq!(run.permits.spares(&server), Some(4));
}
