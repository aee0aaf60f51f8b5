//! What answers each question: the log, looked at for one path.

mod departure;
mod encryption;
mod names;
mod steps;
mod way;

use chronaxis_engines::by_id;
use chronaxis_model::fact::{Awaited, Fact, Meaning};
use chronaxis_model::layer::{Layer, Micros};
use chronaxis_model::secret::{Blemish, Repair};
use chronaxis_model::settings::DefectKind;

use super::{Answer, Question};
use crate::judge::{PathView, Symptom};

/// An answer, by its word and what was seen.
fn answer(word: &'static str, text: impl Into<String>) -> Option<Answer> {
    Some(Answer {
        word,
        text: text.into(),
    })
}

/// A failure that took longer than this is a silence that somebody turned into an answer.
const SLOW_NAME: Micros = Micros::from_millis(2000);

/// The answer to a question that the log holds for this path, if it holds one.
pub(super) fn answer_to(
    question: Question,
    view: &PathView<'_>,
    symptom: Symptom,
) -> Option<Answer> {
    match question {
        Question::ControlPort => way::control_port(view),
        Question::HostAnswers => way::host_answers(view, symptom),
        Question::TargetPlace => way::target_place(view),
        Question::OtherAddress => way::other_address(view, symptom),
        Question::RefusalSender => way::refusal_sender(view),
        Question::RefusalSays => way::refusal_says(view),
        Question::ValueShape => value_shape(view, symptom),
        Question::NameSpeed => name_speed(view),
        Question::ProofBefore => proof_before(view),
        Question::RoleWords => words(view, ROLE_WORDS),
        Question::StateWords => words(view, STATE_WORDS),
        Question::EncryptionOffer => encryption::encryption_offer(view),
        Question::PortNumber => way::port_number(view),
        Question::MendedPort => way::mended_port(view),
        Question::OwnQueue => way::own_queue(view, symptom),
        Question::PacketLoss => way::packet_loss(view),
        Question::RequestConfirmed => way::request_confirmed(view),
        Question::RefusedBy => refused_by(view),
        Question::PoolerWords => pooler_words(view),
        Question::SentParameters => sent_parameters(view),
        Question::RepairedSecret => repaired_secret(view),
        Question::CertificateDefect => encryption::certificate_defect(view, symptom),
        Question::IssuerKin => encryption::issuer_kin(view, symptom),
        Question::IssuerPlace => encryption::issuer_place(view, symptom),
        Question::DateSpread => encryption::date_spread(view, symptom),
        Question::OwnClock => encryption::own_clock(view, symptom),
        Question::AlertSays => encryption::alert_says(view),
        Question::OldHello => encryption::old_hello(view),
        Question::OwnCertificate => encryption::own_certificate(view, symptom),
        Question::NameSources => names::sources(view, symptom),
        Question::AliasChain => names::alias_chain(view, symptom),
        Question::NearNames => names::near_names(view),
        Question::ResolverWord => names::resolver_word(view, symptom),
        Question::PrivateWay => names::private_way(view),
        Question::PathEnd => steps::path_end(view, symptom),
        Question::RefusalDistance => steps::refusal_distance(view, symptom),
        Question::OwnFilter => steps::own_filter(view, symptom),
        Question::NextDevice => departure::next_device(view, symptom),
        Question::PassedOn => steps::passed_on(view, symptom),
        Question::OpenConnections => steps::open_connections(view, symptom),
        Question::SmallSegments => steps::small_segments(view),
        Question::ListensElsewhere => steps::listens_elsewhere(view, symptom),
        Question::TunnelSay => steps::tunnel(view, symptom),
        Question::HostWords => words(view, HOST_WORDS),
        Question::LineEncryption => encryption::line_encryption(view, symptom),
        Question::WhoAnswers => way::who_answers(view, symptom),
        Question::UsualPort => way::usual_port(view, symptom),
        Question::SettingsSay => settings_say(view, symptom),
        Question::AtTheHost
        | Question::OtherVantage
        | Question::LaterAgain
        | Question::LongerPatience
        | Question::ServerLog => None,
    }
}

const ROLE_WORDS: &[(Meaning, &str, &str)] = &[
    (Meaning::IdentityRefused, "does not exist", "no-such-role"),
    (
        Meaning::IdentityRefused,
        "is not permitted to log in",
        "may-not-sign-in",
    ),
    (
        Meaning::IdentityRefused,
        "ertificate authentication failed",
        "certificate",
    ),
    (
        Meaning::IdentityRefused,
        "Peer authentication failed",
        "own-account",
    ),
    (
        Meaning::IdentityRefused,
        "Ident authentication failed",
        "own-account",
    ),
];

const HOST_WORDS: &[(Meaning, &str, &str)] = &[
    (
        Meaning::HostNotPermitted,
        "valid client certificate",
        "certificate",
    ),
    (Meaning::HostNotPermitted, "pg_hba.conf", "no-rule"),
];

const STATE_WORDS: &[(Meaning, &str, &str)] = &[
    (Meaning::NotReady, "starting up", "starting"),
    (
        Meaning::NotReady,
        "not yet accepting connections",
        "starting",
    ),
    (Meaning::NotReady, "not accepting connections", "starting"),
    (Meaning::NotReady, "in recovery mode", "starting"),
    (Meaning::NotReady, "shutting down", "stopping"),
];

/// The refusals whose meaning their code alone does not tell.
fn unclear_refusal<'a>(view: &PathView<'a>) -> Option<(bool, &'a str)> {
    view.find(|fact| match fact {
        Fact::ServerRefused {
            meaning: Meaning::ProtocolRefused | Meaning::ServerInternal | Meaning::Other,
            routine,
            message,
            ..
        } => Some((routine.is_some(), message.as_str())),
        _ => None,
    })
}

fn refused_by(view: &PathView<'_>) -> Option<Answer> {
    match unclear_refusal(view)? {
        (true, _) => answer("server", "the refusal names a routine of the server"),
        (false, _) => answer(
            "pooler",
            "the refusal names no routine of the server, which is typical of a pooler",
        ),
    }
}

/// Words are the last resort, here as elsewhere; a pooler's are never translated.
fn pooler_words(view: &PathView<'_>) -> Option<Answer> {
    const KNOWN: &[(&str, &str)] = &[
        ("no such database", "database"),
        ("startup parameter", "parameter"),
        ("startup packet", "parameter"),
        ("authentication failed", "credentials"),
        ("no such user", "credentials"),
        ("no more connections allowed", "limit"),
        // Its pool is full, or the server behind it cannot be reached: said alike.
        ("query_wait_timeout", "waited"),
        ("does not exist", "database"),
        ("cannot connect to server", "backend"),
        ("server login", "backend"),
        ("server conn crashed", "backend"),
    ];
    let (by_server, message) = unclear_refusal(view)?;
    let (_, word) = KNOWN.iter().find(|(words, _)| message.contains(words))?;
    if by_server {
        return None;
    }
    answer(word, format!("the pooler says: {message}"))
}

fn sent_parameters(view: &PathView<'_>) -> Option<Answer> {
    unclear_refusal(view)?;
    let sent = by_id(view.evidence.target.engine)
        .protocol
        .start_parameters(view.evidence.target);
    if sent.is_empty() {
        return answer(
            "none",
            "the client sends nothing but user and database at the start",
        );
    }
    answer(
        "some",
        format!("the client sends at the start: {}", sent.join(", ")),
    )
}

fn repaired_secret(view: &PathView<'_>) -> Option<Answer> {
    let tried = view.all(|fact| match fact {
        Fact::RepairTried { repair, accepted } => Some((*repair, *accepted)),
        _ => None,
    });
    match tried.iter().find(|(_, accepted)| *accepted) {
        Some((repair, _)) => {
            let word = match repair {
                Repair::BlanksOff | Repair::QuotesOff => "blanks-off",
                Repair::PercentDecoded => "decoded",
            };
            answer(word, format!("the password {} is accepted", repair.title()))
        }
        None if tried.is_empty() => None,
        None => answer(
            "none",
            "no corrected form of the password is accepted either",
        ),
    }
}

/// Which value a symptom turns on.
fn value_in_question(symptom: Symptom) -> &'static [&'static str] {
    match symptom {
        Symptom::NameNotFound | Symptom::NameNoAddress => &["host"],
        Symptom::PortSocketMissing | Symptom::PortSocketRefused => &["host"],
        Symptom::LoginCredentials | Symptom::LoginDenied => &["password", "user"],
        Symptom::LoginIdentity => &["user"],
        Symptom::LoginHostRefused => &["user", "database"],
        Symptom::SessionNoDatabase => &["database"],
        _ => &[],
    }
}

/// Which values a symptom may turn on, wherever they were told.
fn turns_on(symptom: Symptom) -> &'static [&'static str] {
    match symptom.layer() {
        Layer::Name => &["host"],
        Layer::Route | Layer::Port | Layer::Listener | Layer::Tls => &["host", "port", "socket"],
        Layer::Login => &["password", "user", "database", "host", "string"],
        Layer::Session => &["database", "user"],
        Layer::Settings | Layer::Bundle => &[],
    }
}

fn settings_say(view: &PathView<'_>, symptom: Symptom) -> Option<Answer> {
    let subjects = turns_on(symptom);
    // A value that shows a slip of its own needs no other place to explain it.
    let slips = |subject: &str| {
        let own = |d: &chronaxis_model::settings::Defect| {
            let form = matches!(
                d.kind,
                DefectKind::StrayWhitespace | DefectKind::Placeholder | DefectKind::LookAlike
            );
            form && d.subject == subject
        };
        view.evidence
            .facts()
            .any(|(_, fact)| matches!(fact, Fact::SettingDefect(d) if own(d)))
    };
    let said = |wanted: DefectKind| {
        view.evidence.facts().find_map(|(_, fact)| match fact {
            Fact::SettingDefect(d)
                if d.kind == wanted
                    && subjects.contains(&d.subject.as_str())
                    && !(wanted == DefectKind::SourcesDisagree && slips(&d.subject)) =>
            {
                Some(d.text.clone())
            }
            _ => None,
        })
    };
    // What is sure of itself before what may be meant so.
    let words = [
        (DefectKind::LoopbackElsewhere, "loopback"),
        (DefectKind::ContainerNameOutside, "container-name"),
        (DefectKind::BackslashEaten, "backslash"),
        (DefectKind::Inactive, "inactive"),
        (DefectKind::SourcesDisagree, "another-place"),
    ];
    let found = words
        .into_iter()
        .find_map(|(kind, word)| Some((word, said(kind)?)));
    match found {
        Some(("inactive", text)) => match inactive_port_that_answers(view) {
            Some(port) => answer(
                "inactive-answers",
                format!("{text}, and the engine answers on that one: {port}"),
            ),
            None => answer("inactive", text),
        },
        Some((word, text)) => answer(word, text),
        None => answer("nothing", "nothing else in the settings explains it"),
    }
}

/// The port of a line that does not count, where that is the very port on which the engine
/// answers.
fn inactive_port_that_answers(view: &PathView<'_>) -> Option<u16> {
    let facts = || view.evidence.facts();
    let inactive: Vec<u16> = facts()
        .filter_map(|(_, fact)| match fact {
            Fact::SettingDefect(d) if d.kind == DefectKind::Inactive && d.subject == "port" => {
                let place = d.place.as_ref()?;
                let marked = place.excerpt.chars().skip(place.at).take(place.width);
                marked.collect::<String>().parse().ok()
            }
            _ => None,
        })
        .collect();
    facts().find_map(|(o, fact)| {
        let port = match fact {
            Fact::EngineElsewhere { speaks: true } => o.about.port,
            Fact::ListenerHere(listening) => listening.on.map(|on| on.port()),
            _ => None,
        };
        port.filter(|port| inactive.contains(port))
    })
}

fn value_shape(view: &PathView<'_>, symptom: Symptom) -> Option<Answer> {
    let subjects = value_in_question(symptom);
    if subjects.is_empty() {
        return None;
    }
    let defect = view.evidence.facts().find_map(|(_, fact)| match fact {
        Fact::SettingDefect(d) if subjects.contains(&d.subject.as_str()) => Some(d),
        _ => None,
    });
    if let Some(defect) = defect {
        match defect.kind {
            DefectKind::StrayWhitespace if matters(view, symptom) => {
                return answer("blank", defect.text.clone());
            }
            DefectKind::Placeholder => return answer("placeholder", defect.text.clone()),
            DefectKind::LookAlike => return answer("look-alike", defect.text.clone()),
            _ => {}
        }
    }
    let form = view.evidence.target.secret.form.as_ref();
    let of_password = matches!(symptom, Symptom::LoginCredentials | Symptom::LoginDenied);
    if of_password && form.is_some_and(|f| f.has(Blemish::PercentEncoded)) {
        return answer("percent", "the password contains a percent escape");
    }
    let told = |subject: &str| {
        let origin = view.evidence.target.origins.get(subject);
        origin.map(|origin| !origin.is_default())
    };
    // Who names a socket file needs no host.
    let socket_told = told("socket") == Some(true);
    let left_out = subjects
        .iter()
        .find(|s| told(s) == Some(false) && !(**s == "host" && socket_told));
    // What no rule fits was named.
    let named = symptom == Symptom::LoginHostRefused;
    if let Some(subject) = left_out.filter(|_| !named) {
        return answer(
            "left-out",
            format!("the {subject} is not in the settings; the client used its default"),
        );
    }
    answer(
        "clean",
        format!("no visible mistake in the {}", subjects.join(" or the ")),
    )
}

/// SASLprep drops zero-width characters and maps a no-break space to a space (RFC 4013,
/// sections 2.1 and 2.2): under SCRAM only what is left at an edge fails.
fn matters(view: &PathView<'_>, symptom: Symptom) -> bool {
    let by_scram = view.find(|fact| match fact {
        Fact::PasswordAsked { method } => Some(method.starts_with("SCRAM")),
        _ => None,
    });
    let form = view.evidence.target.secret.form.as_ref();
    let plain_blank = form.is_some_and(|f| {
        f.has(Blemish::LeadingBlank) || f.has(Blemish::TrailingBlank) || f.has(Blemish::Quoted)
    });
    symptom != Symptom::LoginCredentials || by_scram != Some(true) || plain_blank
}

fn name_speed(view: &PathView<'_>) -> Option<Answer> {
    let elapsed = view.evidence.facts().find_map(|(_, fact)| match fact {
        Fact::NameFailed { elapsed_us, .. } => Some(*elapsed_us),
        _ => None,
    })?;
    if elapsed < SLOW_NAME {
        answer("quick", format!("the failure came after {elapsed}"))
    } else {
        answer(
            "slow",
            format!("the failure came after {elapsed}, as after a timeout"),
        )
    }
}

fn proof_before(view: &PathView<'_>) -> Option<Answer> {
    let (_, awaited) = view.refusal()?;
    let sent = view
        .find(|fact| matches!(fact, Fact::ProofSent).then_some(()))
        .is_some();
    let admitted = awaited == Awaited::SessionStart;
    match (sent, admitted) {
        (true, true) => answer("accepted", "the password was accepted before the refusal"),
        (false, _) => answer("none-asked", "no password was asked for"),
        (true, false) => None,
    }
}

/// Words are the last resort: they are translated, and say something only where they are
/// the untranslated ones.
fn words(view: &PathView<'_>, known: &[(Meaning, &str, &'static str)]) -> Option<Answer> {
    view.find(|fact| match fact {
        Fact::ServerRefused {
            meaning, message, ..
        } => known
            .iter()
            .find(|(m, words, _)| m == meaning && message.as_str().contains(words))
            .map(|(_, _, word)| (*word, message.as_str())),
        _ => None,
    })
    .and_then(|(word, message)| answer(word, format!("the server says: {message}")))
}
