//! Answers of name servers, read: what a message says, and that no bytes make the reader
//! panic or say more than stands there.

use chronaxis_model::fact::{AnswerTrouble, Fact, RecordKind};
use chronaxis_model::layer::Micros;
use chronaxis_model::redact::Redactor;
use chronaxis_probe::name_service::{Asked, Reading, question, read};
use chronaxis_probe::name_sources::{in_hosts, resolvers_in};
use proptest::prelude::*;

fn asked(kind: RecordKind) -> Asked {
    Asked {
        name: "quay.osmary.example".to_owned(),
        kind,
        number: 0x1234,
    }
}

fn reading(bytes: &[u8], kind: RecordKind) -> Reading {
    read(bytes, &asked(kind), &Redactor::default(), Micros(700))
}

/// The question as an answer with these flags and records.
fn answer(kind: RecordKind, flags: [u8; 2], records: &[Vec<u8>]) -> Vec<u8> {
    let mut out = question(&asked(kind)).unwrap();
    out[2..4].copy_from_slice(&flags);
    let count = u16::try_from(records.len()).unwrap();
    out[6..8].copy_from_slice(&count.to_be_bytes());
    out.extend(records.concat());
    out
}

/// A record for a name that is written out.
fn record(owner: &str, kind: u16, data: &[u8]) -> Vec<u8> {
    let mut out = name(owner);
    out.extend(kind.to_be_bytes());
    out.extend([0, 1, 0, 0, 0, 60]);
    out.extend(u16::try_from(data.len()).unwrap().to_be_bytes());
    out.extend(data);
    out
}

fn name(text: &str) -> Vec<u8> {
    let label = |l: &str| [&[u8::try_from(l.len()).unwrap()], l.as_bytes()].concat();
    let mut out: Vec<u8> = text.split('.').flat_map(label).collect();
    out.push(0);
    out
}

const FINE: [u8; 2] = [0x81, 0x80];

fn whole(bytes: &[u8], kind: RecordKind) -> chronaxis_model::fact::ResolverAnswer {
    match reading(bytes, kind) {
        Reading::Answer(answer) => *answer,
        other => panic!("{other:?}"),
    }
}

#[test]
fn aliases_are_followed_to_the_addresses_at_their_end() {
    let records = [
        record("quay.osmary.example", 5, &name("pier.osmary.example")),
        record("pier.osmary.example", 1, &[198, 51, 100, 7]),
        record("other.osmary.example", 1, &[198, 51, 100, 66]),
    ];
    let found = whole(&answer(RecordKind::A, FINE, &records), RecordKind::A);
    assert_eq!(found.code, "NOERROR");
    assert_eq!(found.aliases[0].as_str(), "pier.osmary.example");
    let addresses: Vec<String> = found.addresses.iter().map(ToString::to_string).collect();
    assert_eq!(addresses, ["198.51.100.7"]);
    assert_eq!(found.passed_over, 1, "what is about another name");
    assert_eq!(found.keep_s, Some(60));
    assert!(!found.circle && !found.chain_breaks());
}

#[test]
fn a_circle_and_an_alias_into_the_void_are_seen() {
    let circle = [
        record("quay.osmary.example", 5, &name("pier.osmary.example")),
        record("pier.osmary.example", 5, &name("quay.osmary.example")),
    ];
    let found = whole(&answer(RecordKind::A, FINE, &circle), RecordKind::A);
    assert!(found.circle && found.chain_breaks());
    let denied = answer(RecordKind::A, [0x81, 0x83], &circle[..1]);
    let found = whole(&denied, RecordKind::A);
    assert!(found.denies() && found.chain_breaks() && !found.circle);
    let plainly = whole(&answer(RecordKind::A, [0x81, 0x83], &[]), RecordKind::A);
    assert!(plainly.denies() && !plainly.chain_breaks());
}

#[test]
fn places_of_services_come_best_first() {
    let place = |priority: u8, host: &str| {
        let data = [vec![0, priority, 0, 0, 0x69, 0x89], name(host)].concat();
        record("quay.osmary.example", 33, &data)
    };
    let records = [
        place(20, "south.osmary.example"),
        place(10, "north.osmary.example"),
    ];
    let found = whole(&answer(RecordKind::Srv, FINE, &records), RecordKind::Srv);
    let hosts: Vec<&str> = found.services.iter().map(|s| s.host.as_str()).collect();
    assert_eq!(hosts, ["north.osmary.example", "south.osmary.example"]);
    assert_eq!(found.services[0].port, 27017);
}

#[test]
fn what_is_no_answer_is_told_apart() {
    let good = answer(RecordKind::A, FINE, &[]);
    let with = |at: usize, byte: u8| {
        let mut bytes = good.clone();
        bytes[at] = byte;
        reading(&bytes, RecordKind::A)
    };
    let trouble = Reading::Trouble;
    assert_eq!(with(0, 0xff), trouble(AnswerTrouble::OtherNumber));
    assert_eq!(with(2, 0x01), trouble(AnswerTrouble::NoAnswer));
    assert_eq!(with(13, b'x'), trouble(AnswerTrouble::OtherQuestion));
    assert_eq!(with(2, 0x83), Reading::CutOff);
    assert_eq!(
        reading(&[], RecordKind::A),
        trouble(AnswerTrouble::Malformed)
    );
    assert_eq!(
        reading(&good, RecordKind::Aaaa),
        trouble(AnswerTrouble::OtherQuestion),
        "another kind"
    );
    assert!(
        question(&Asked {
            name: "a".repeat(70),
            ..asked(RecordKind::A)
        })
        .is_none()
    );
}

/// Every prefix of an answer is one that is malformed or cut off, and nothing else.
#[test]
fn a_prefix_of_an_answer_is_none() {
    let records = [record("quay.osmary.example", 1, &[198, 51, 100, 7])];
    let bytes = answer(RecordKind::A, FINE, &records);
    for end in 0..bytes.len() {
        let found = reading(&bytes[..end], RecordKind::A);
        assert!(!matches!(found, Reading::Answer(_)), "{end}: {found:?}");
    }
}

proptest! {
    #[test]
    fn any_bytes_end_in_a_reading(bytes in proptest::collection::vec(any::<u8>(), 0..600)) {
        let _ = reading(&bytes, RecordKind::A);
    }

    /// An answer with bytes changed at random: bounded, and only of addresses of its kind.
    #[test]
    fn a_spoilt_answer_says_no_more_than_an_answer_can(at in proptest::collection::vec((0usize..90, any::<u8>()), 1..8)) {
        let records = [
            record("quay.osmary.example", 5, &name("pier.osmary.example")),
            record("pier.osmary.example", 1, &[198, 51, 100, 7]),
        ];
        let mut bytes = answer(RecordKind::A, FINE, &records);
        for (at, byte) in at {
            if let Some(place) = bytes.get_mut(at) {
                *place = byte;
            }
        }
        if let Reading::Answer(found) = reading(&bytes, RecordKind::A) {
            prop_assert!(found.addresses.len() <= 64);
            prop_assert!(found.addresses.iter().all(|ip| ip.is_ipv4()));
            prop_assert!(found.services.is_empty() && found.texts.is_empty());
        }
    }

    #[test]
    fn any_files_of_this_machine_are_read(text in proptest::collection::vec(any::<u8>(), 0..400)) {
        let _ = in_hosts(&text, "quay.osmary.example");
        let _ = resolvers_in(&text);
    }
}

#[test]
fn a_hosts_file_is_read_as_the_system_reads_it() {
    let text = b"# quay.osmary.example\n127.0.0.1 localhost\n198.51.100.7\tQuay.Osmary.Example quay # here\n2001:db8::7 quay.osmary.example\nnowhere quay.osmary.example\n";
    let Some(Fact::HostsFileSays { addresses, line }) = in_hosts(text, "quay.osmary.example")
    else {
        panic!("it is there");
    };
    assert_eq!(line, 3);
    assert_eq!(addresses.len(), 2);
    assert_eq!(in_hosts(text, "pier.osmary.example"), None);
}

#[test]
fn a_resolver_configuration_is_read_as_the_system_reads_it() {
    let text = b"domain old.example\nsearch osmary.example quay.osmary.example.\nnameserver 192.0.2.53\nnameserver 2001:db8::53\nnameserver 192.0.2.54\nnameserver 192.0.2.55\noptions ndots:2\n";
    let Fact::ResolversFound(found) = resolvers_in(text) else {
        panic!("a configuration");
    };
    let places: Vec<String> = found.resolvers.iter().map(ToString::to_string).collect();
    assert_eq!(
        places,
        ["192.0.2.53:53", "[2001:db8::53]:53", "192.0.2.54:53"]
    );
    assert_eq!(found.search, ["osmary.example", "quay.osmary.example"]);
    assert_eq!(found.ndots, 2);
    let Fact::ResolversFound(none) = resolvers_in(b"") else {
        panic!("a configuration");
    };
    assert!(none.resolvers.is_empty(), "nothing is made up");
}
