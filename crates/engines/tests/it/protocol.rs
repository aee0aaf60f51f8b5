//! PostgreSQL's decoder and conversation: recorded exchanges with a real server, every
//! prefix of them, and random bytes.

use std::collections::VecDeque;

use base64::Engine as _;
use chronaxis_engines::postgresql::codec::{self, Frame, frame};
use chronaxis_engines::postgresql::codes::meaning;
use chronaxis_engines::scram::{self, Binding, Keys, Refused, ServerFirst};
use chronaxis_engines::{
    ClientEnvironment, ConversationPlan, Errand, LinePurpose, LineSeeds, recognise,
};
use chronaxis_model::conversation::{Conversation, Input, Output};
use chronaxis_model::endpoint::Endpoint;
use chronaxis_model::fact::{Awaited, Fact, Meaning};
use chronaxis_model::layer::{Layer, Micros};
use chronaxis_model::permit::{Account, Permit, Permits, Server};
use chronaxis_model::redact::Redactor;
use proptest::prelude::*;

struct Recording {
    name: &'static str,
    target: String,
    /// `(by the client, bytes)`.
    pieces: Vec<(bool, Vec<u8>)>,
}

fn recordings() -> Vec<Recording> {
    macro_rules! files {
        ($($name:literal),*) => { vec![$(($name, include_str!(concat!("../recorded/", $name, ".txt")))),*] };
    }
    let files = files![
        "trust",
        "md5",
        "clear",
        "scram",
        "scram-refused",
        "no-database",
        "no-login",
        "no-host-rule",
        "unknown-role"
    ];
    files
        .into_iter()
        .map(|(name, text)| parse(name, text))
        .collect()
}

fn parse(name: &'static str, text: &str) -> Recording {
    let mut lines = text.lines();
    assert!(
        lines.next().unwrap().starts_with("# PostgreSQL 15"),
        "version and date stand first"
    );
    let target = lines.next().unwrap().trim_start_matches("# ").to_owned();
    let bytes = |hex: &str| -> Vec<u8> {
        (0..hex.len() / 2)
            .map(|i| u8::from_str_radix(&hex[2 * i..2 * i + 2], 16).unwrap())
            .collect()
    };
    let pieces = lines
        .map(|l| (l.starts_with('>'), bytes(&l[2..])))
        .collect();
    Recording {
        name,
        target,
        pieces,
    }
}

impl Recording {
    /// The client's nonce.
    fn nonce(&self) -> [u8; 18] {
        let marker = b"n,,n=,r=";
        let first = self.pieces.iter().find_map(|(_, bytes)| {
            let at = bytes.windows(marker.len()).position(|w| w == marker)?;
            bytes.get(at + marker.len()..)
        });
        first.map_or([0; 18], |nonce| {
            base64::engine::general_purpose::STANDARD
                .decode(nonce)
                .unwrap()
                .try_into()
                .unwrap()
        })
    }

    fn conversation(&self, allow_plaintext: bool) -> (Box<dyn Conversation>, Option<Permit>) {
        let read = recognise(&self.target, None, None).unwrap();
        let target = read
            .engine
            .strings
            .complete(read.draft, &ClientEnvironment::default())
            .unwrap();
        let to = Endpoint::Tcp("127.0.0.1:5432".parse().unwrap());
        let permit = target.secret.as_ref().map(|secret| {
            let account = Account {
                server: Server {
                    endpoint: to.clone(),
                    name: None,
                    here: None,
                },
                user: target.user.clone().unwrap(),
            };
            Permits::default()
                .ask(account, "test", &secret.value)
                .unwrap()
        });
        let conversation = read.engine.protocol.open(ConversationPlan {
            target: &target,
            to: &to,
            seeds: LineSeeds {
                nonce: self.nonce(),
                hello: [0; 32],
                scramble: [0; 32],
                padding: [0; 20],
            },
            patience: Micros::from_millis(4000),
            allow_plaintext,
            redactor: Redactor::new(target.secret.iter().map(|s| &s.value)),
            errand: Errand::Nothing,
            host: "127.0.0.1",
            allow_server_key: false,
            manner: LinePurpose::First,
        });
        (conversation, permit)
    }
}

/// Everything that a conversation did.
#[derive(Default)]
struct Did {
    sent: Vec<u8>,
    facts: Vec<Fact>,
    over: bool,
}

impl Did {
    fn take(&mut self, conversation: &mut dyn Conversation) {
        while let Some(output) = conversation.poll() {
            match output {
                Output::Send(bytes) => self.sent.extend(bytes),
                Output::Observe(_, fact) => self.facts.push(fact),
                Output::Derive(work) => {
                    let derived = work.run();
                    conversation.handle(Micros(0), Input::Derived(Some(&derived)));
                }
                Output::Over => self.over = true,
                _ => {}
            }
        }
    }
}

/// Plays the server's bytes, cut into pieces of this size, up to `limit` bytes, and then
/// closes the line.
fn play(recording: &Recording, size: usize, limit: usize) -> Did {
    let (mut conversation, permit) = recording.conversation(true);
    let mut did = Did::default();
    let mut now = Micros(0);
    conversation.handle(now, Input::Opened);
    did.take(conversation.as_mut());
    conversation.handle(
        now,
        Input::Go {
            stop: Layer::Session,
            permit,
            withheld: None,
        },
    );
    did.take(conversation.as_mut());
    let mut left = limit;
    for (_, bytes) in recording.pieces.iter().filter(|(client, _)| !client) {
        for chunk in bytes.chunks(size) {
            let chunk = &chunk[..chunk.len().min(left)];
            left -= chunk.len();
            if chunk.is_empty() || did.over {
                break;
            }
            now = now.after(Micros(500));
            conversation.handle(now, Input::Bytes(chunk));
            did.take(conversation.as_mut());
        }
    }
    if !did.over {
        conversation.handle(now, Input::Closed { reset: false });
        did.take(conversation.as_mut());
    }
    did
}

#[test]
fn a_recorded_exchange_is_repeated_byte_for_byte() {
    for recording in recordings() {
        let client: Vec<u8> = recording
            .pieces
            .iter()
            .filter(|(c, _)| *c)
            .flat_map(|(_, b)| b.clone())
            .collect();
        // One byte may not follow the answer about encryption: that piece comes alone, as
        // it did.
        let did = play(&recording, usize::MAX, usize::MAX);
        assert_eq!(did.sent, client, "{}", recording.name);
        assert!(did.over, "{}", recording.name);
        let byte_by_byte = play(&recording, 1, usize::MAX);
        assert_eq!(
            byte_by_byte.sent, client,
            "{}: byte by byte",
            recording.name
        );
        let kinds = |facts: &[Fact]| facts.iter().map(std::mem::discriminant).collect::<Vec<_>>();
        assert_eq!(
            kinds(&byte_by_byte.facts),
            kinds(&did.facts),
            "{}",
            recording.name
        );
    }
}

#[test]
fn recorded_refusals_have_their_meaning() {
    for (name, wanted) in [
        ("scram-refused", Meaning::CredentialsRefused),
        ("no-database", Meaning::DatabaseMissing),
        ("no-login", Meaning::IdentityRefused),
        ("no-host-rule", Meaning::HostNotPermitted),
        ("unknown-role", Meaning::IdentityRefused),
    ] {
        let recording = recordings().into_iter().find(|r| r.name == name).unwrap();
        let did = play(&recording, usize::MAX, usize::MAX);
        let found = did.facts.iter().find_map(|f| match f {
            Fact::ServerRefused { meaning, .. } => Some(*meaning),
            _ => None,
        });
        assert_eq!(found, Some(wanted), "{name}");
    }
}

#[test]
fn closed_after_any_byte_it_ends_in_a_fact() {
    for recording in recordings() {
        let total: usize = recording
            .pieces
            .iter()
            .filter(|(c, _)| !c)
            .map(|(_, b)| b.len())
            .sum();
        for limit in 0..total {
            let did = play(&recording, 7, limit);
            assert!(did.over, "{} cut at {limit}", recording.name);
            let ends_well = did.facts.iter().any(|f| {
                matches!(
                    f,
                    Fact::PeerClosed { .. }
                        | Fact::ServerRefused { .. }
                        | Fact::OtherAnswer { .. }
                        | Fact::Instance(_)
                )
            });
            assert!(
                ends_well,
                "{} cut at {limit}: {:?}",
                recording.name, did.facts
            );
        }
    }
}

#[test]
fn without_a_permit_nothing_of_the_secret_goes_out() {
    for recording in recordings() {
        let (mut conversation, _permit) = recording.conversation(true);
        let mut did = Did::default();
        conversation.handle(Micros(0), Input::Opened);
        conversation.handle(
            Micros(0),
            Input::Go {
                stop: Layer::Session,
                permit: None,
                withheld: None,
            },
        );
        did.take(conversation.as_mut());
        for (_, bytes) in recording.pieces.iter().filter(|(client, _)| !client) {
            conversation.handle(Micros(1), Input::Bytes(bytes));
            did.take(conversation.as_mut());
        }
        assert!(!did.facts.contains(&Fact::ProofSent), "{}", recording.name);
        assert!(
            !did.sent.contains(&b'p')
                || !did
                    .sent
                    .windows(5)
                    .any(|w| w[0] == b'p' && w[1..4] == [0, 0, 0]),
            "{}",
            recording.name
        );
    }
}

#[test]
fn clear_bytes_behind_the_answer_about_encryption_are_a_fact_and_an_end() {
    let recording = recordings()
        .into_iter()
        .find(|r| r.name == "scram")
        .unwrap();
    let (mut conversation, permit) = recording.conversation(false);
    conversation.handle(
        Micros(0),
        Input::Go {
            stop: Layer::Session,
            permit,
            withheld: None,
        },
    );
    conversation.handle(Micros(1), Input::Bytes(b"NR\0\0\0\x08\0\0\0\0"));
    let mut did = Did::default();
    did.take(conversation.as_mut());
    assert!(
        did.over
            && did
                .facts
                .iter()
                .any(|f| matches!(f, Fact::OtherAnswer { .. }))
    );
}

#[test]
fn an_endless_server_is_left() {
    let recording = recordings()
        .into_iter()
        .find(|r| r.name == "trust")
        .unwrap();
    let (mut conversation, _) = recording.conversation(false);
    let mut did = Did::default();
    conversation.handle(
        Micros(0),
        Input::Go {
            stop: Layer::Session,
            permit: None,
            withheld: None,
        },
    );
    conversation.handle(Micros(1), Input::Bytes(b"N"));
    let notice = codec::message(b'N', &[b"Sx".as_slice(), &[b'y'; 4000], b"\0\0"].concat());
    for _ in 0..200 {
        conversation.handle(Micros(2), Input::Bytes(&notice));
        did.take(conversation.as_mut());
    }
    assert!(did.over, "after 800 KB of notices");
}

#[test]
fn a_length_beyond_the_bound_is_refused_before_anything_is_waited_for() {
    assert_eq!(frame(b"E\xff\xff\xff\xff"), Frame::Broken);
    assert_eq!(frame(b"R\0\0\0\x03"), Frame::Broken);
    assert_eq!(frame(b"R\0\0\0\x08\0\0\0"), Frame::Short);
    assert_eq!(
        frame(b"R\0\0\0\x08\0\0\0\0!"),
        Frame::Whole(b'R', &[0; 4], 9)
    );
    assert_eq!(frame(b"HTTP/1.1"), Frame::Broken);
    assert_eq!(frame(b""), Frame::Short);
}

#[test]
fn the_codes_of_start_up_and_sign_in() {
    use Awaited::{Admission, Greeting, SessionStart};
    for (code, routine, awaited, wanted) in [
        (
            "28P01",
            "auth_failed",
            Admission,
            Meaning::CredentialsRefused,
        ),
        // Before anything was asked for: by a certificate or the account of the system.
        ("28000", "auth_failed", Greeting, Meaning::IdentityRefused),
        (
            "28000",
            "auth_failed",
            Admission,
            Meaning::CredentialsRefused,
        ),
        (
            "28000",
            "ClientAuthentication",
            Greeting,
            Meaning::HostNotPermitted,
        ),
        (
            "28000",
            "InitializeSessionUserId",
            SessionStart,
            Meaning::IdentityRefused,
        ),
        ("53300", "InitProcess", Greeting, Meaning::ServerFull),
        ("53300", "InitPostgres", SessionStart, Meaning::ServerFull),
        (
            "53300",
            "InitializeSessionUserId",
            SessionStart,
            Meaning::AccountLimit,
        ),
        (
            "53300",
            "CheckMyDatabase",
            SessionStart,
            Meaning::AccountLimit,
        ),
        (
            "3D000",
            "InitPostgres",
            SessionStart,
            Meaning::DatabaseMissing,
        ),
        (
            "42501",
            "CheckMyDatabase",
            SessionStart,
            Meaning::DatabaseNotPermitted,
        ),
        (
            "42501",
            "set_config_option",
            SessionStart,
            Meaning::StartupParameterRefused,
        ),
        (
            "55000",
            "CheckMyDatabase",
            SessionStart,
            Meaning::DatabaseClosed,
        ),
        ("57P03", "ProcessStartupPacket", Greeting, Meaning::NotReady),
        (
            "57P01",
            "ProcessInterrupts",
            SessionStart,
            Meaning::Stopping,
        ),
        ("57014", "ProcessInterrupts", Greeting, Meaning::TooSlow),
        (
            "42704",
            "find_option",
            SessionStart,
            Meaning::StartupParameterRefused,
        ),
        (
            "22023",
            "parse_and_validate_value",
            SessionStart,
            Meaning::StartupParameterRefused,
        ),
        (
            "0A000",
            "ProcessStartupPacket",
            Greeting,
            Meaning::VersionRefused,
        ),
        (
            "0A000",
            "InitPostgres",
            SessionStart,
            Meaning::StartupParameterRefused,
        ),
        ("53200", "", SessionStart, Meaning::OutOfResources),
        ("58P01", "", SessionStart, Meaning::ServerInternal),
        ("XX000", "", Greeting, Meaning::ServerInternal),
        ("28999", "", Greeting, Meaning::IdentityRefused),
        ("99999", "", Greeting, Meaning::Other),
        ("", "", Greeting, Meaning::Other),
    ] {
        assert_eq!(
            meaning(code, routine.as_bytes(), awaited),
            wanted,
            "{code} {routine}"
        );
    }
}

/// A whole exchange between the two halves, and its costs.
#[test]
fn scram_fits_its_other_half_and_bounds_its_cost() {
    let seed = *b"eighteen bytes now";
    let opening = scram::Opening { user: "", seed };
    let bare = opening
        .first(&Binding::Without, false)
        .replacen("n,,", "", 1);
    let nonce = base64::engine::general_purpose::STANDARD.encode(seed);
    let first = format!("r={nonce}server,s=c2FsdA==,i=4096");
    let read = ServerFirst::read(first.as_bytes(), seed).unwrap();
    let (last, signature) =
        scram::client_final(&read, opening, "lantern", (&Binding::Without, false));
    let keys = Keys::of("lantern", b"salt", 4096);
    assert_eq!(
        scram::server_verify(&keys, &bare, &first, &last),
        Some(signature)
    );
    let other = Keys::of("lanterns", b"salt", 4096);
    assert_eq!(scram::server_verify(&other, &bare, &first, &last), None);

    let read = |text: String| ServerFirst::read(text.as_bytes(), seed).unwrap_err();
    assert_eq!(
        read(format!("r={nonce}x,s=c2FsdA==,i=4000000000")),
        Refused::TooCostly(4_000_000_000)
    );
    assert_eq!(
        read(format!("r={nonce}x,s=c2FsdA==,i=99999999999")),
        Refused::Malformed
    );
    assert_eq!(
        read(format!("r={nonce},s=c2FsdA==,i=4096")),
        Refused::Malformed
    );
    assert_eq!(
        read("r=another,s=c2FsdA==,i=4096".to_owned()),
        Refused::Malformed
    );
    assert_eq!(read(format!("r={nonce}x,s=!,i=4096")), Refused::Malformed);
    assert_eq!(
        read(format!("r={nonce}x,s=c2FsdA==,i=0")),
        Refused::Malformed
    );
}

/// The derived key of RFC 7677, section 3: the proof for its exchange is known.
#[test]
fn scram_derives_the_keys_of_the_standard() {
    let salt = base64::engine::general_purpose::STANDARD
        .decode("W22ZaJ0SNY7soEsUEjb6gQ==")
        .unwrap();
    let keys = Keys::of("pencil", &salt, 4096);
    let client_first = "n=user,r=rOprNGfwEbeRWgbNEkqO";
    let server_first =
        "r=rOprNGfwEbeRWgbNEkqO%hvYDpWUa2RaTCAfuxFIlj)hNlF$k0,s=W22ZaJ0SNY7soEsUEjb6gQ==,i=4096";
    let client_final = "c=biws,r=rOprNGfwEbeRWgbNEkqO%hvYDpWUa2RaTCAfuxFIlj)hNlF$k0,p=dHzbZapWIk4jUhN+Ute9ytag9zjfMHgsqmmiz7AndVQ=";
    let signature = scram::server_verify(&keys, client_first, server_first, client_final);
    assert_eq!(
        signature.as_deref(),
        Some("v=6rriTRBi23WpRR/wtup+mMhUZUn/dB5nLTJRsjl95G4=")
    );
}

proptest! {
    #[test]
    fn any_bytes_end_in_a_fact(mut chunks in proptest::collection::vec(proptest::collection::vec(any::<u8>(), 0..300), 0..8), answer in prop_oneof![Just(b"N".to_vec()), Just(b"".to_vec())], index in 0usize..9) {
        let recording = &recordings()[index];
        let (mut conversation, permit) = recording.conversation(true);
        let mut did = Did::default();
        conversation.handle(Micros(0), Input::Opened);
        conversation.handle(Micros(0), Input::Go { stop: Layer::Session, permit, withheld: None });
        let mut queue: VecDeque<Vec<u8>> = VecDeque::from([answer]);
        queue.extend(chunks.drain(..));
        for chunk in queue {
            conversation.handle(Micros(1), Input::Bytes(&chunk));
        }
        conversation.handle(Micros(2), Input::TimedOut);
        did.take(conversation.as_mut());
        prop_assert!(did.over);
        prop_assert!(!did.facts.is_empty());
    }

    /// A real exchange in which some bytes are changed.
    #[test]
    fn a_spoilt_exchange_ends_in_a_fact(at in 0usize..900, value in any::<u8>(), index in 0usize..9) {
        let mut recording = recordings().swap_remove(index);
        let mut left = at;
        for (_, bytes) in recording.pieces.iter_mut().filter(|(c, _)| !c) {
            if let Some(byte) = bytes.get_mut(left) {
                *byte = value;
                break;
            }
            left -= bytes.len();
        }
        prop_assert!(play(&recording, 64, usize::MAX).over);
    }

    #[test]
    fn decoders_take_any_bytes(bytes in proptest::collection::vec(any::<u8>(), 0..400)) {
        let _ = frame(&bytes);
        let _ = codec::Fields::read(&bytes);
        let _ = codec::asked(&bytes);
        let _ = codec::row(&bytes);
        let _ = ServerFirst::read(&bytes, [0; 18]);
    }
}
