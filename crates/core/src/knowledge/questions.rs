//! What can be asked, the closed set of answers, and what answers it.

use crate::endpoint::Endpoint;
use crate::fact::{Awaited, Fact, Icmp, Knocked, Meaning, Unreach};
use crate::judge::{PathView, Symptom};
use crate::layer::Micros;
use crate::secret::Blemish;
use crate::settings::DefectKind;

/// A question of the inference.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Question {
    /// What the port below did.
    ControlPort,
    /// Whether the address is this machine's own.
    TargetPlace,
    /// Whether another address of the name works.
    OtherAddress,
    /// Who sent the ICMP message.
    RefusalSender,
    /// What the ICMP message says.
    RefusalSays,
    /// The form of the value on which this symptom turns.
    ValueShape,
    /// How fast name service failed.
    NameSpeed,
    /// Whether a proof was accepted before the refusal.
    ProofBefore,
    /// What the server's untranslated words say of the account.
    RoleWords,
    /// What the server's untranslated words say of its state.
    StateWords,
    /// Whether the server offers encryption.
    EncryptionOffer,
    /// What the same port does when asked on the host itself.
    AtTheHost,
    /// What the same port does when asked from another network.
    OtherVantage,
    /// What the same attempt brings a minute later.
    LaterAgain,
    /// What the server's log says.
    ServerLog,
}

/// One answer, with what was seen.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Answer {
    /// One of the question's answers.
    pub word: &'static str,
    /// What was seen, in words.
    pub text: String,
}

fn answer(word: &'static str, text: impl Into<String>) -> Option<Answer> {
    Some(Answer {
        word,
        text: text.into(),
    })
}

/// A failure that took longer than this is a silence that somebody turned into an answer.
const SLOW_NAME: Micros = Micros::from_millis(2000);

impl Question {
    /// All of them.
    pub const ALL: &'static [Question] = &[
        Question::ControlPort,
        Question::TargetPlace,
        Question::OtherAddress,
        Question::RefusalSender,
        Question::RefusalSays,
        Question::ValueShape,
        Question::NameSpeed,
        Question::ProofBefore,
        Question::RoleWords,
        Question::StateWords,
        Question::EncryptionOffer,
        Question::AtTheHost,
        Question::OtherVantage,
        Question::LaterAgain,
        Question::ServerLog,
    ];

    /// Its id.
    pub fn as_str(self) -> &'static str {
        match self {
            Question::ControlPort => "control-port",
            Question::TargetPlace => "target-place",
            Question::OtherAddress => "other-address",
            Question::RefusalSender => "refusal-sender",
            Question::RefusalSays => "refusal-says",
            Question::ValueShape => "value-shape",
            Question::NameSpeed => "name-speed",
            Question::ProofBefore => "proof-before",
            Question::RoleWords => "role-words",
            Question::StateWords => "state-words",
            Question::EncryptionOffer => "encryption-offer",
            Question::AtTheHost => "at-the-host",
            Question::OtherVantage => "other-vantage",
            Question::LaterAgain => "later-again",
            Question::ServerLog => "server-log",
        }
    }

    /// The closed set of its answers.
    pub fn answers(self) -> &'static [&'static str] {
        match self {
            Question::ControlPort => &["connected", "refused", "silent", "unreachable"],
            Question::TargetPlace => &["this-machine", "elsewhere"],
            Question::OtherAddress => &["works", "fails", "only-one"],
            Question::RefusalSender => &["the-host", "a-device", "this-machine"],
            Question::RefusalSays => &["port", "prohibited", "host", "network"],
            Question::ValueShape => &["clean", "blank", "placeholder", "left-out"],
            Question::NameSpeed => &["quick", "slow"],
            Question::ProofBefore => &["accepted", "none-asked"],
            Question::RoleWords => &["no-such-role", "may-not-sign-in"],
            Question::StateWords => &["starting", "stopping"],
            Question::EncryptionOffer => &["offered", "refused"],
            Question::AtTheHost | Question::OtherVantage => &["connected", "refused", "silent"],
            Question::LaterAgain => &["works", "same", "refused"],
            Question::ServerLog => &[
                "wrong-password",
                "no-such-role",
                "no-password-set",
                "expired",
                "nothing",
            ],
        }
    }

    /// How dear an answer is: 1 for a command typed here, more for another machine or
    /// another person.
    pub fn cost(self) -> f64 {
        match self {
            Question::AtTheHost | Question::ServerLog => 3.0,
            Question::OtherVantage => 2.0,
            _ => 1.0,
        }
    }

    /// The answer that the log holds for this path, if it holds one. A question answers
    /// only where it bears on the symptom; each fact feeds one question.
    pub fn answer(self, view: &PathView<'_>, symptom: Symptom) -> Option<Answer> {
        match self {
            Question::ControlPort => control_port(view),
            Question::TargetPlace => target_place(view),
            Question::OtherAddress => other_address(view),
            Question::RefusalSender => refusal_sender(view),
            Question::RefusalSays => refusal_says(view),
            Question::ValueShape => value_shape(view, symptom),
            Question::NameSpeed => name_speed(view),
            Question::ProofBefore => proof_before(view),
            Question::RoleWords => words(
                view,
                &[
                    (Meaning::IdentityRefused, "does not exist", "no-such-role"),
                    (
                        Meaning::IdentityRefused,
                        "is not permitted to log in",
                        "may-not-sign-in",
                    ),
                ],
            ),
            Question::StateWords => words(
                view,
                &[
                    (Meaning::NotReady, "starting up", "starting"),
                    (
                        Meaning::NotReady,
                        "not yet accepting connections",
                        "starting",
                    ),
                    (Meaning::NotReady, "not accepting connections", "starting"),
                    (Meaning::NotReady, "in recovery mode", "starting"),
                    (Meaning::NotReady, "shutting down", "stopping"),
                ],
            ),
            Question::EncryptionOffer => encryption_offer(view),
            Question::AtTheHost
            | Question::OtherVantage
            | Question::LaterAgain
            | Question::ServerLog => None,
        }
    }
}

fn control_port(view: &PathView<'_>) -> Option<Answer> {
    let host = view.endpoint.ip()?;
    let (port, knocked, elapsed) = view.evidence.facts().find_map(|(o, fact)| match fact {
        Fact::ControlPort { answer, elapsed_us } if o.about.address == Some(host) => {
            Some((o.about.port?, *answer, *elapsed_us))
        }
        _ => None,
    })?;
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

fn other_address(view: &PathView<'_>) -> Option<Answer> {
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
        Some(other) => answer("works", format!("{other}, of the same name, connects")),
        None if others.is_empty() => answer("only-one", "the name has no other address"),
        None => answer("fails", "no other address of the name connects"),
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
            _ => {}
        }
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
        Fact::EncryptionAnswered { offered, .. } => Some(*offered),
        _ => None,
    })?;
    if offered {
        answer("offered", "the server offers encryption")
    } else {
        answer("refused", "the server offers no encryption")
    }
}
