//! What messages and logs answer: the pattern says which question, the table what follows.

use chronaxis_model::fact::{Fact, Signal};
use chronaxis_model::layer::Layer;
use chronaxis_model::settings::check_value;
use chronaxis_model::target::End;

use super::{Answer, Question, Word, answers};
use crate::judge::told::{deciding, entries, has_settings, is_told};
use crate::judge::{Evidence, PathView, Symptom};

/// The answer that a message, or the log of the server, gives.
pub(super) fn answer(question: Question, view: &PathView<'_>, symptom: Symptom) -> Option<Answer> {
    let evidence = view.evidence;
    if let Some(message) = deciding(evidence)
        && let Some(word) = word_of(question, &message.signals)
    {
        let text = format!("{} says: {}", message.title, message.text);
        return Some(Answer { word, text });
    }
    for (log, entry) in entries(evidence) {
        if let Some(word) = word_of(question, &entry.signals) {
            let text = format!("the log of the {} says: {}", log.kind, entry.means);
            return Some(Answer { word, text });
        }
    }
    if !is_told(evidence) {
        return None;
    }
    by_symptom(question, symptom)
        .or_else(|| of_the_way(question, evidence, symptom))
        .or_else(|| shape(question, view, symptom))
        .or_else(|| without_ground(question, evidence))
}

fn word_of(question: Question, signals: &[Signal]) -> Option<Word> {
    let own = signals.iter().find(|s| s.question == question.as_str())?;
    question.words().find(|word| word.as_str() == own.answer)
}

/// What the way in which it stopped says by itself.
fn by_symptom(question: Question, symptom: Symptom) -> Option<Answer> {
    let word = match (question, symptom) {
        (Question::TunnelSay, Symptom::ListenerTunnelDown) => answers::TunnelSay::Told,
        (Question::TunnelSay, Symptom::ListenerTunnelFarEnd) => answers::TunnelSay::Held,
        (Question::TunnelSay, Symptom::ListenerTunnelTaken) => answers::TunnelSay::Shadowed,
        _ => return None,
    };
    Some(Answer {
        word: word.into(),
        text: "the message is one of a tunnel".to_owned(),
    })
}

/// What a message of the way tells by what it leaves out: it names one address, and where no
/// port stands in it, none that anybody would look at twice.
fn of_the_way(question: Question, evidence: Evidence<'_>, symptom: Symptom) -> Option<Answer> {
    let layer = symptom.layer();
    if !matches!(layer, Layer::Route | Layer::Port | Layer::Listener) {
        return None;
    }
    let port = evidence.target.ends.first().and_then(|end| match end {
        End::Host { port, .. } => Some(*port),
        End::Socket { .. } => None,
    });
    let host = evidence.target.ends.first().and_then(|end| match end {
        End::Host { host, .. } => Some(host.as_str()),
        End::Socket { .. } => None,
    });
    let loopback = host.map(|host| {
        let ip = host.trim_matches(['[', ']']).parse::<std::net::IpAddr>();
        host == "localhost" || ip.is_ok_and(|ip| ip.is_loopback())
    });
    let word: Word = match question {
        Question::OnlyTold if layer == Layer::Port => answers::OnlyTold::Told.into(),
        Question::TargetPlace if loopback == Some(true) => answers::TargetPlace::Loopback.into(),
        Question::OtherAddress if layer == Layer::Port => answers::OtherAddress::OnlyOne.into(),
        Question::PortNumber if port.is_none() => answers::PortNumber::Usual.into(),
        _ => return None,
    };
    Some(Answer {
        word,
        text: String::new(),
    })
}

/// The form of the value on which the symptom turns, as far as the text shows it.
fn shape(question: Question, view: &PathView<'_>, symptom: Symptom) -> Option<Answer> {
    if question != Question::ValueShape || has_settings(view.evidence) {
        return None;
    }
    let target = view.evidence.target;
    let host = target.ends.first().and_then(|end| end.name());
    let (subject, value) = match symptom {
        Symptom::NameNotFound | Symptom::NameNoAddress => ("host", host),
        Symptom::SessionNoDatabase | Symptom::ListenerNoService => {
            ("database", target.database.as_deref())
        }
        Symptom::LoginCredentials
        | Symptom::LoginDenied
        | Symptom::LoginIdentity
        | Symptom::LoginHostRefused => ("user", target.user.as_deref()),
        _ => return None,
    };
    let defect = value.and_then(|value| check_value(subject, value, None).into_iter().next());
    let (word, text) = match defect {
        Some(defect) => {
            let word = match defect.kind {
                chronaxis_model::settings::DefectKind::Placeholder => {
                    answers::ValueShape::Placeholder
                }
                chronaxis_model::settings::DefectKind::LookAlike => answers::ValueShape::LookAlike,
                _ => answers::ValueShape::BlankElsewhere,
            };
            (word, defect.text)
        }
        None => (answers::ValueShape::Clean, String::new()),
    };
    Some(Answer {
        word: word.into(),
        text,
    })
}

/// Of what no word speaks, a cause has no ground. An answer without a text is no evidence that
/// anybody would be shown.
fn without_ground(question: Question, evidence: Evidence<'_>) -> Option<Answer> {
    if !question.needs_ground() || may_ask(question, evidence) {
        return None;
    }
    let none = |word: &Word| NO_GROUND.contains(&word.as_str());
    Some(Answer {
        word: question.words().find(none)?,
        text: String::new(),
    })
}

/// The answers that say that nothing spoke of it.
const NO_GROUND: &[&str] = &[
    "nothing",
    "plain",
    "no",
    "not-asked",
    "whole",
    "public",
    "untold",
    "otherwise",
];

/// Whether a question looks at nothing but what is known with a text: the settings that
/// belong to it, and what the target itself shows.
pub(super) fn may_ask(question: Question, evidence: Evidence<'_>) -> bool {
    let of_settings = matches!(
        question,
        Question::ValueShape | Question::SettingsSay | Question::TokenDate
    );
    let listed = evidence
        .facts()
        .any(|(_, fact)| matches!(fact, Fact::ListSays { .. }));
    matches!(
        question,
        Question::AccountLooked
            | Question::DatabaseThere
            | Question::LogNames
            | Question::PortNumber
    ) || (of_settings && has_settings(evidence))
        || (matches!(question, Question::AllowList | Question::ListSpeaks) && listed)
}
