//! What answers each question: the log, looked at for one path.

use super::{Answer, Question};
use crate::endpoint::Endpoint;
use crate::engine::by_id;
use crate::fact::{Awaited, Fact, Icmp, Knocked, Meaning, Unreach};
use crate::judge::{After, Habits, PathView, Symptom, after};
use crate::layer::{Layer, Micros};
use crate::secret::{Blemish, Repair};
use crate::settings::{self, DefectKind};

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
        Question::ControlPort => control_port(view),
        Question::TargetPlace => target_place(view),
        Question::OtherAddress => other_address(view, symptom),
        Question::RefusalSender => refusal_sender(view),
        Question::RefusalSays => refusal_says(view),
        Question::ValueShape => value_shape(view, symptom),
        Question::NameSpeed => name_speed(view),
        Question::ProofBefore => proof_before(view),
        Question::RoleWords => words(view, ROLE_WORDS),
        Question::StateWords => words(view, STATE_WORDS),
        Question::EncryptionOffer => encryption_offer(view),
        Question::PortNumber => port_number(view),
        Question::MendedPort => mended_port(view),
        Question::OwnQueue => own_queue(view, symptom),
        Question::PacketLoss => packet_loss(view),
        Question::RequestConfirmed => request_confirmed(view),
        Question::RefusedBy => refused_by(view),
        Question::PoolerWords => pooler_words(view),
        Question::SentParameters => sent_parameters(view),
        Question::RepairedSecret => repaired_secret(view),
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

/// What a knock on another port of the path's host gave, of those that fit.
fn knock(view: &PathView<'_>, fits: impl Fn(u16) -> bool) -> Option<(u16, Knocked, Micros)> {
    let host = view.endpoint.ip()?;
    view.evidence.facts().find_map(|(o, fact)| match fact {
        Fact::ControlPort { answer, elapsed_us } if o.about.address == Some(host) => {
            let port = o.about.port.filter(|p| fits(*p))?;
            Some((port, *answer, *elapsed_us))
        }
        _ => None,
    })
}

/// The port that was probably meant, where the path's own looks like a slip.
fn meant(view: &PathView<'_>) -> Option<(u16, DefectKind)> {
    let usual = by_id(view.evidence.target.engine).usual_port();
    settings::usual_port_meant(view.endpoint.port()?, usual)
}

fn port_number(view: &PathView<'_>) -> Option<Answer> {
    let port = view.endpoint.port()?;
    match meant(view) {
        Some((_, DefectKind::OtherEnginesPort)) => answer(
            "other-engines",
            format!("{port} is the usual port of another engine"),
        ),
        Some((meant, _)) => answer("mistyped", format!("{port} looks like {meant} mistyped")),
        None if port == by_id(view.evidence.target.engine).usual_port() => {
            answer("usual", format!("{port} is the engine's usual port"))
        }
        None => answer("another", format!("{port} is no engine's usual port")),
    }
}

fn mended_port(view: &PathView<'_>) -> Option<Answer> {
    let (meant, _) = meant(view)?;
    let (_, knocked, elapsed) = knock(view, |port| port == meant)?;
    match knocked {
        Knocked::Connected => answer(
            "connected",
            format!("port {meant}, probably meant, connects in {elapsed}"),
        ),
        Knocked::Refused => answer("refused", format!("port {meant}, perhaps meant, refuses")),
        Knocked::Silent | Knocked::Unreachable => answer(
            "silent",
            format!("port {meant}, perhaps meant, does not answer"),
        ),
    }
}

fn own_queue(view: &PathView<'_>, symptom: Symptom) -> Option<Answer> {
    if !matches!(
        symptom,
        Symptom::PortSilent | Symptom::PortRefused | Symptom::ListenerMute
    ) {
        return None;
    }
    let (listening, waiting) = view.find(|fact| match fact {
        Fact::LocalListener { listening, waiting } => Some((*listening, *waiting)),
        _ => None,
    })?;
    match (listening, waiting) {
        (false, _) => answer("nobody", "no program of this machine listens on that port"),
        (true, 0) => answer("empty", "a program listens there, and its queue is empty"),
        (true, n) => answer(
            "waiting",
            format!("a program listens there and leaves {n} connections waiting in its queue"),
        ),
    }
}

/// A connection that took longer than this was not made by its first packet: the system
/// sends it again after one second (RFC 6298, section 2).
const ONE_LOST: Micros = Micros::from_millis(900);

fn packet_loss(view: &PathView<'_>) -> Option<Answer> {
    let counted: u32 = view.count(|fact| match fact {
        Fact::PortConnected {
            retransmits: Some(n),
            ..
        } => Some(*n),
        Fact::LineMeasured { retransmits, .. } => Some(*retransmits),
        _ => None,
    })?;
    let late = knock(view, |_| true).filter(|(_, knocked, elapsed)| {
        matches!(knocked, Knocked::Connected | Knocked::Refused) && *elapsed >= ONE_LOST
    });
    if let Some(attempt) = view.connected_attempt().filter(|n| *n > 1) {
        return answer(
            "some",
            format!("attempt {attempt} was answered, and none before it"),
        );
    }
    match (counted, late) {
        (0, None) => answer("none", "no packet had to be sent again"),
        (0, Some((port, _, elapsed))) => answer(
            "some",
            format!("port {port} of the same host answered after {elapsed}: packets were lost"),
        ),
        (n, _) => answer("some", format!("packets sent again on the line: {n}")),
    }
}

fn request_confirmed(view: &PathView<'_>) -> Option<Answer> {
    view.find(|fact| matches!(fact, Fact::PeerSilent { .. }).then_some(()))?;
    let unconfirmed = view.find(|fact| match fact {
        Fact::LineMeasured { unconfirmed, .. } => Some(*unconfirmed),
        _ => None,
    })?;
    if unconfirmed == 0 {
        answer("confirmed", "the other side's system confirmed our request")
    } else {
        answer(
            "unconfirmed",
            "our request was never confirmed: it did not arrive, or the confirmation did not",
        )
    }
}

/// The refusals whose meaning their code alone does not tell.
fn unclear_refusal<'a>(view: &PathView<'a>) -> Option<(bool, &'a str)> {
    view.find(|fact| match fact {
        Fact::ServerRefused {
            meaning: Meaning::ProtocolRefused | Meaning::Other,
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
        (false, _) => answer("pooler", "the refusal names no routine, as a pooler's does"),
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
        ("query_wait_timeout", "limit"),
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
    let sent = by_id(view.evidence.target.engine).start_parameters(view.evidence.target);
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
            "no repaired form of the password is accepted either",
        ),
    }
}

fn control_port(view: &PathView<'_>) -> Option<Answer> {
    let meant = meant(view).map(|(port, _)| port);
    let (port, knocked, elapsed) = knock(view, |port| Some(port) != meant)?;
    match knocked {
        Knocked::Connected => answer(
            "connected",
            format!("port {port} of the same host connects in {elapsed}: the host is up"),
        ),
        Knocked::Refused => answer(
            "refused",
            format!("port {port} of the same host refuses in {elapsed}: the host is up"),
        ),
        Knocked::Silent => answer(
            "silent",
            format!("port {port} of the same host is silent too"),
        ),
        Knocked::Unreachable => answer(
            "unreachable",
            format!("port {port} of the same host cannot be reached either"),
        ),
    }
}

fn target_place(view: &PathView<'_>) -> Option<Answer> {
    let ip = view.endpoint.ip()?;
    let own = view.find(|fact| match fact {
        Fact::RouteFound { source } => Some(*source == ip),
        _ => None,
    });
    if ip.is_loopback() || own == Some(true) {
        return answer("this-machine", format!("{ip} is this machine itself"));
    }
    own.and_then(|_| answer("elsewhere", format!("{ip} is another machine")))
}

/// Asked only where the client is held by this address: it waits there, or takes no other.
fn other_address(view: &PathView<'_>, symptom: Symptom) -> Option<Answer> {
    let target = view.evidence.target;
    let goes_on = after(target, symptom) != After::Stops;
    if symptom.layer() > Layer::Port || (goes_on && !Habits::of(target).first_address_only) {
        return None;
    }
    let others: Vec<Endpoint> = view
        .evidence
        .endpoints()
        .into_iter()
        .filter(|e| *e != view.endpoint)
        .collect();
    let works = |e: &&Endpoint| {
        PathView::new(view.evidence, e)
            .find(|fact| matches!(fact, Fact::PortConnected { .. }).then_some(()))
            .is_some()
    };
    match others.iter().find(works) {
        Some(other) => answer("works", format!("{other}, of the same target, connects")),
        None if others.is_empty() => answer("only-one", "the target has no other address"),
        None => answer("fails", "no other address of the target connects"),
    }
}

fn icmp(view: &PathView<'_>) -> Option<Icmp> {
    view.find(|fact| match fact {
        Fact::PortRefused { icmp, .. } | Fact::PortUnreachable { icmp, .. } => *icmp,
        _ => None,
    })
}

fn refusal_sender(view: &PathView<'_>) -> Option<Answer> {
    let sender = icmp(view)?.sender;
    let own = view.find(|fact| match fact {
        Fact::RouteFound { source } => Some(*source == sender),
        _ => None,
    });
    if view.endpoint.ip() == Some(sender) {
        return answer(
            "the-host",
            format!("{sender}, the host itself, sent the refusal"),
        );
    }
    if own == Some(true) || sender.is_loopback() {
        return answer(
            "this-machine",
            format!("{sender}, this machine itself, gave up on it"),
        );
    }
    answer(
        "a-device",
        format!("{sender}, a device on the way, sent the refusal"),
    )
}

fn refusal_says(view: &PathView<'_>) -> Option<Answer> {
    let icmp = icmp(view)?;
    let text = format!(
        "ICMP type {} code {}: {}",
        icmp.kind,
        icmp.code,
        icmp.title()
    );
    let word = match icmp.says() {
        Unreach::Port => "port",
        Unreach::Prohibited => "prohibited",
        Unreach::Host => "host",
        Unreach::Network => "network",
        Unreach::Other => return None,
    };
    answer(word, text)
}

/// Which value a symptom turns on.
fn value_in_question(symptom: Symptom) -> &'static [&'static str] {
    match symptom {
        Symptom::NameNotFound | Symptom::NameNoAddress => &["host"],
        Symptom::PortSocketMissing | Symptom::PortSocketRefused => &["host"],
        Symptom::LoginCredentials => &["password", "user"],
        Symptom::LoginIdentity => &["user"],
        Symptom::SessionNoDatabase => &["database"],
        _ => &[],
    }
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
    if symptom == Symptom::LoginCredentials && form.is_some_and(|f| f.has(Blemish::PercentEncoded))
    {
        return answer("percent", "the password has a percent escape in it");
    }
    let left_out = subjects.iter().find(|s| {
        let origin = view.evidence.target.origins.get(**s);
        origin.is_some_and(crate::told::Origin::is_default)
    });
    if let Some(subject) = left_out {
        return answer(
            "left-out",
            format!("the {subject} is not in the settings; the client's default was taken"),
        );
    }
    answer(
        "clean",
        format!(
            "the form of the {} shows no slip",
            subjects.join(" or the ")
        ),
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
            format!("the failure came after {elapsed}, as after silence"),
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

fn encryption_offer(view: &PathView<'_>) -> Option<Answer> {
    let offered = view.find(|fact| match fact {
        Fact::EncryptionAnswered { offered, .. } | Fact::EncryptionOffer { offered } => {
            Some(*offered)
        }
        _ => None,
    })?;
    if offered {
        answer("offered", "the server offers encryption")
    } else {
        answer("refused", "the server offers no encryption")
    }
}
