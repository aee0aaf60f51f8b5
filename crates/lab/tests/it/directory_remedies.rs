//! What to do follows how the instance stands, and where it is registered.

use chronaxis_diagnosis::case::Case;
use chronaxis_lab::{rehearsal, scenes};

fn case_of(id: &str) -> Case {
    rehearsal::case_of(&scenes::find(id).unwrap()).unwrap()
}

fn fix(id: &str) -> String {
    case_of(id).verdict.fix.join(" ")
}

#[test]
fn an_instance_that_is_not_ready_is_treated_by_its_state() {
    let starting = fix("service-starting");
    assert!(starting.starts_with("Wait until"), "{starting}");
    let restricted = fix("service-restricted");
    assert!(restricted.contains("sign in with a role"), "{restricted}");
    let stopped = fix("service-stopped");
    assert!(stopped.starts_with("Start the instance."), "{stopped}");
    assert!(!stopped.contains("If any instance will do"), "{stopped}");
}

#[test]
fn an_address_of_every_client_itself_is_for_who_registered_it() {
    let case = case_of("sent-to-own-machine");
    assert_eq!(case.verdict.owner.unwrap().as_str(), "dba");
    let fix = case.verdict.fix.join(" ");
    assert!(
        fix.contains("127.0.0.1 is, for every client, its own machine"),
        "{fix}"
    );
    // Nobody at all at the place: that may be anybody's fault.
    let absent = case_of("sent-to-absent-host");
    assert_ne!(absent.verdict.owner, case.verdict.owner);
    assert!(!absent.verdict.fix.join(" ").contains("own machine"));
}

#[test]
fn the_message_names_the_instance_that_was_asked_for() {
    let message = case_of("instance-unknown").verdict.handover.unwrap();
    assert!(message.contains("service berths, instance "), "{message}");
    let message = case_of("service-misspelt").verdict.handover.unwrap();
    assert!(!message.contains(", instance "), "{message}");
}
