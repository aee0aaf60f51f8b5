//! The second line of a client that goes on in another way: which does, after what, and
//! never with a second proof.

use chronaxis_diagnosis::case::Case;
use chronaxis_lab::certificates::CertificateKind;
use chronaxis_lab::rehearsal::case_of;
use chronaxis_lab::scene::{PORT, Scene};
use chronaxis_lab::stand_in::Service;
use chronaxis_lab::stand_in::encrypted::{Course, Side};
use chronaxis_lab::stand_in::postgresql::{Config, Method, Mood};
use chronaxis_lab::world::World;

fn play(target: &str, server: Config) -> Case {
    let here = "127.0.0.1".parse().unwrap();
    let scene = Scene {
        target: target.to_owned(),
        world: World::around(here).host(here, &[], &[(PORT, Service::Postgresql(server))]),
        ..chronaxis_lab::scenes::find("encrypted-and-checked").unwrap()
    };
    case_of(&scene).unwrap()
}

fn good() -> Config {
    Config::sailings("lantern-oil-42").encrypting(Side::with(CertificateKind::Good))
}

/// The same string for each client, with this password.
fn targets(password: &str) -> [(&'static str, String); 4] {
    let url = |scheme: &str| format!("{scheme}://purser:{password}@127.0.0.1/sailings");
    let jdbc = format!("jdbc:postgresql://127.0.0.1/sailings?user=purser&password={password}");
    [
        ("libpq", url("postgresql")),
        ("asyncpg", url("postgresql+asyncpg")),
        ("pg8000", url("postgresql+pg8000")),
        ("pgjdbc", jdbc),
    ]
}

#[test]
fn a_refused_password_is_never_sent_twice() {
    for (client, target) in targets("tide-table-9") {
        let case = play(&target, good());
        let lines = if matches!(client, "libpq" | "asyncpg") {
            2
        } else {
            1
        };
        assert_eq!(case.contacts.lines, lines, "{client}");
        assert_eq!(case.contacts.sign_ins, 1, "{client}");
        assert_eq!(case.verdict.cause.as_deref(), Some("credentials-rejected"));
    }
}

/// A server that lets nobody in over an encrypted line asks no password in clear.
#[test]
fn trust_in_clear_behind_a_refusal() {
    let refused = good().in_mood(Mood::NoHostRule);
    for (client, target) in targets("tide-table-9") {
        let case = play(&target, refused.clone());
        let lines = if client == "pg8000" { 1 } else { 2 };
        assert_eq!(case.contacts.lines, lines, "{client}");
        assert_eq!(case.contacts.sign_ins, 0, "{client}");
    }
}

#[test]
fn a_failed_handshake() {
    for (client, target) in targets("lantern-oil-42") {
        let broken = good().encrypting(Side::with(CertificateKind::Good).going(Course::Garbled));
        let case = play(&target, broken.by(Method::Trust));
        let works = case.verdict.cause.is_none();
        assert_eq!(works, client == "libpq", "{client}");
        let symptom = case.verdict.symptom.as_deref();
        assert_eq!(symptom, (!works).then_some("tls/garbled"), "{client}");
    }
}
