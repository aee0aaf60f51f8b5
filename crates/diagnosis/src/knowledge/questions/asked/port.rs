//! Questions about the port: whether its number is the one that was meant, and who answers.

use chronaxis_engines::by_id;
use chronaxis_model::fact::{Fact, Knocked, Spoke};
use chronaxis_model::layer::{Layer, Micros};
use chronaxis_model::settings::{self, DefectKind};

use super::super::{Answer, answers};
use super::answer;
use crate::judge::way::comparison;
use crate::judge::{PathView, Symptom};

/// What a knock on another port of the path's host gave, of those that fit.
pub(super) fn knock(
    view: &PathView<'_>,
    fits: impl Fn(u16) -> bool,
) -> Option<(u16, Knocked, Micros)> {
    let host = view.endpoint.ip()?;
    comparison(view.evidence, host, fits)
}

/// The port that was probably meant, where the path's own looks like a slip.
pub(super) fn meant(view: &PathView<'_>) -> Option<(u16, DefectKind)> {
    let usual = by_id(view.evidence.target.engine).spec.usual_port;
    settings::usual_port_meant(view.endpoint.port()?, usual)
}

pub(in crate::knowledge::questions) fn port_number(
    view: &PathView<'_>,
    _: Symptom,
) -> Option<Answer> {
    let port = view.port_tried()?;
    if by_id(view.evidence.target.engine).spec.usual_port.is_none() {
        return answer(
            answers::PortNumber::Another,
            "this protocol has no usual port",
        );
    }
    match meant(view) {
        Some((_, DefectKind::OtherEnginesPort)) => answer(
            answers::PortNumber::OtherEngines,
            format!("{port} is the usual port of another engine"),
        ),
        Some((meant, _)) => answer(
            answers::PortNumber::Mistyped,
            format!("{port} looks like a typo for {meant}"),
        ),
        None if Some(port) == by_id(view.evidence.target.engine).spec.usual_port => answer(
            answers::PortNumber::Usual,
            format!("{port} is the engine's usual port"),
        ),
        None => answer(
            answers::PortNumber::Another,
            format!("{port} is not a usual port of any engine"),
        ),
    }
}

pub(in crate::knowledge::questions) fn mended_port(
    view: &PathView<'_>,
    _: Symptom,
) -> Option<Answer> {
    let (meant, _) = meant(view)?;
    let host = view.endpoint.ip()?;
    let asked = view.evidence.facts().find_map(|(o, fact)| match fact {
        Fact::EngineElsewhere { speaks }
            if o.about.address == Some(host) && o.about.port == Some(meant) =>
        {
            Some(*speaks)
        }
        _ => None,
    });
    if let Some(speaks) = asked {
        let engine = chronaxis_engines::title(view.evidence.target.engine);
        return match speaks {
            true => answer(
                answers::MendedPort::Connected,
                format!("{engine} answers on port {meant}"),
            ),
            false => answer(
                answers::MendedPort::Refused,
                format!("{engine} does not answer on port {meant}"),
            ),
        };
    }
    let (_, knocked, elapsed) = knock(view, |port| port == meant)?;
    match knocked {
        Knocked::Connected => answer(
            answers::MendedPort::Connected,
            format!("port {meant}, probably meant, connects in {elapsed}"),
        ),
        Knocked::Refused => answer(
            answers::MendedPort::Refused,
            format!("port {meant}, possibly meant, refuses"),
        ),
        Knocked::Silent | Knocked::Unreachable => answer(
            answers::MendedPort::Silent,
            format!("port {meant}, possibly meant, does not answer"),
        ),
    }
}

pub(in crate::knowledge::questions) fn who_answers(
    view: &PathView<'_>,
    symptom: Symptom,
) -> Option<Answer> {
    if symptom.layer() != Layer::Listener {
        return None;
    }
    if let Some(service) = view.other_service() {
        return answer(
            answers::WhoAnswers::AnotherService,
            format!(
                "by its first bytes it is {}",
                chronaxis_engines::service_title(service)
            ),
        );
    }
    let spoke = view.all(|fact| match fact {
        Fact::ServiceAsked { spoke, .. } => Some(*spoke),
        _ => None,
    });
    // An answer that nobody can place is something, and tells no more.
    let nothing = !spoke.is_empty() && !spoke.contains(&Spoke::Answered);
    if !nothing {
        return None;
    }
    answer(
        answers::WhoAnswers::NobodyKnown,
        "it answers none of the requests that were tried",
    )
}

pub(in crate::knowledge::questions) fn usual_port(
    view: &PathView<'_>,
    symptom: Symptom,
) -> Option<Answer> {
    let host = view.endpoint.ip()?;
    let mut asked: Vec<(u16, bool)> = view
        .evidence
        .facts()
        .filter_map(|(o, fact)| match fact {
            Fact::EngineElsewhere { speaks } if o.about.address == Some(host) => {
                Some((o.about.port?, *speaks))
            }
            _ => None,
        })
        .collect();
    if asked.is_empty() {
        return None;
    }
    // Several instances of this machine: that they answer is said by its own table.
    let elsewhere = super::steps::listens_elsewhere(view, symptom);
    if elsewhere.is_some_and(|a| a.is(answers::ListensElsewhere::OtherInstances)) {
        return None;
    }
    asked.sort_unstable();
    let engine = chronaxis_engines::title(view.evidence.target.engine);
    if let Some((port, _)) = asked.iter().find(|(_, speaks)| *speaks) {
        return answer(
            answers::UsualPort::Speaks,
            format!("{engine} answers on port {port} of the same host"),
        );
    }
    let ports: Vec<String> = asked.iter().map(|(port, _)| port.to_string()).collect();
    let ports = ports.join(", ");
    answer(
        answers::UsualPort::DoesNot,
        format!("{engine} does not answer on port {ports} of the same host either"),
    )
}
