//! The ready paragraph for whoever can fix it: addresses, ports, times in UTC, facts; no
//! secret.

use chronaxis_model::fact::Fact;
use chronaxis_model::found::CauseId;
use chronaxis_model::layer::{Layer, Outcome};

use super::shape::Occasion;
use crate::judge::{Judgement, PathView};
use crate::knowledge::causes::{Cause, Owner};

pub(super) fn paragraph(
    view: &PathView<'_>,
    judgement: &Judgement,
    causes: &[&'static Cause],
    points_to: Option<&str>,
    occasion: &Occasion,
) -> Option<String> {
    let cause = causes.first()?;
    let mut sentences = vec![opening(view, occasion)];
    let faults = judgement
        .layers
        .iter()
        .filter(|l| l.outcome == Outcome::Fault && !l.summary.is_empty());
    for layer in faults {
        sentences.push(format!(
            "At {}: {}.",
            layer.layer,
            layer.summary.to_string().trim_end_matches('.')
        ));
    }
    sentences.extend(network_facts(view, cause));
    sentences.extend(server_facts(view, cause));
    sentences.push(conclusion(causes, points_to));
    Some(sentences.join(" "))
}

/// What it points to, where one cause stands out; else all that are left.
pub(super) fn conclusion(causes: &[&'static Cause], points_to: Option<&str>) -> String {
    let named: Vec<String> = causes
        .iter()
        .map(|c| format!("{} ({})", c.headline.trim_end_matches('.'), c.id))
        .collect();
    if let (Some(what), Some(first)) = (points_to, causes.first()) {
        let what = what.trim_end_matches('.');
        return format!("This points to: {what} ({}).", first.id);
    }
    match named.as_slice() {
        [only] => format!("Most likely: {only}."),
        several => format!("From here it could be any of: {}.", several.join("; or ")),
    }
}

fn opening(view: &PathView<'_>, occasion: &Occasion) -> String {
    let target = view.evidence.target;
    if target.ends.is_empty() {
        return format!(
            "On {} the settings of {} ({}, {}) could not be used as they are; nothing was sent.",
            occasion.started,
            chronaxis_model::redact::visible(&target.label),
            chronaxis_engines::title(target.engine),
            target.form,
        );
    }
    let to = if view.endpoint.ip().is_some() {
        view.endpoint.to_string()
    } else {
        target
            .ends
            .first()
            .map_or_else(|| "the target".to_owned(), ToString::to_string)
    };
    let user = target.user.as_deref().unwrap_or("-");
    let database = target.database.as_deref().unwrap_or("-");
    let engine = chronaxis_engines::by_id(target.engine);
    let instance = engine
        .protocol
        .pinned(target)
        .map_or_else(String::new, |name| {
            format!(", instance {}", chronaxis_model::redact::visible(name))
        });
    format!(
        "On {} the machine {}{} tried {} at {} as user {}, {} {}{instance}.",
        occasion.started,
        occasion.host,
        source(view),
        chronaxis_engines::title(target.engine),
        chronaxis_model::redact::visible(&to),
        chronaxis_model::redact::visible(user),
        engine.spec.database_word,
        chronaxis_model::redact::visible(database),
    )
}

/// This side's address and port, as far as they are known.
fn source(view: &PathView<'_>) -> String {
    let socket = view.find(|fact| match fact {
        Fact::PortConnected { from, .. }
        | Fact::PortRefused { from, .. }
        | Fact::PortUnreachable { from, .. } => *from,
        _ => None,
    });
    let address = view.find(|fact| match fact {
        Fact::RouteFound { source, .. } => Some(*source),
        _ => None,
    });
    match (socket, address) {
        (Some(socket), _) => format!(" (from {} port {}, TCP)", socket.ip(), socket.port()),
        (None, Some(address)) => format!(" (from {address}, TCP)"),
        (None, None) => String::new(),
    }
}

fn network_facts(view: &PathView<'_>, cause: &Cause) -> Vec<String> {
    if cause.layer > Layer::Listener || view.endpoint.ip().is_none() {
        return Vec::new();
    }
    let mut out = Vec::new();
    // What this machine could not try at all says nothing of anybody else.
    let unable = view.find(|fact| matches!(fact, Fact::LocalFailure { .. }).then_some(()));
    if unable.is_some() {
        return out;
    }
    let control = crate::knowledge::questions::Question::ControlPort;
    if let Some(answer) = control.answer(view, crate::judge::Symptom::PortSilent) {
        out.push(format!("For comparison, {}.", answer.text));
    }
    let sent = |fact: &Fact| matches!(fact, Fact::PortTried { .. }).then_some(());
    // A packet that never left is in nobody's log.
    let left = view.find(sent).is_some() && view.next_silent().is_none();
    // Of a line that was answered no filter has anything to tell.
    let left = left && cause.id != CauseId::RedirectUnreachable;
    if cause.owner == Some(Owner::Network) && left {
        out.push(
            "Please check the firewall's log for this source, destination and time.".to_owned(),
        );
    }
    out
}

/// For whoever can look into the server. A fault of the settings needs none of it, but for
/// the umbrella that only the server's log can open.
fn server_facts(view: &PathView<'_>, cause: &Cause) -> Vec<String> {
    if cause.owner != Some(Owner::Dba) && cause.id != CauseId::CredentialsRejected {
        return Vec::new();
    }
    let refusal = view.find(|fact| match fact {
        Fact::ServerRefused { code, routine, .. } => Some((code, routine)),
        _ => None,
    });
    let Some((code, routine)) = refusal else {
        return Vec::new();
    };
    let mut out = Vec::new();
    if let Some(routine) = routine {
        out.push(format!(
            "The server's code is {code}, from its routine {routine}."
        ));
    }
    if cause.layer >= Layer::Login {
        out.push("The server's log at that time says more than the client was told.".to_owned());
    }
    out
}
