//! Words in the place of a walk: how an attempt stopped, by what a message says of it.
//!
//! What a message says is a fact like any other. What lies before the layer of which it
//! speaks must have worked, or the message could not have come about; nothing more is taken
//! for known.

use chronaxis_model::endpoint::Endpoint;
use chronaxis_model::fact::{
    Awaited, Fact, LogEntryRead, LogStands, MessageRead, MessageRole, ServerLogRead,
};
use chronaxis_model::layer::{Layer, Outcome};
use chronaxis_model::target::End;

use super::evidence::Evidence;
use super::judged::{JudgedPath, Judgement, LayerJudgement, Status};
use super::path::refusal_symptom;
use super::settings;
use super::symptom::Symptom;

/// Longest piece of a message that a summary shows, in characters.
const LONGEST_SHOWN: usize = 100;

/// Whether this is about what a text says, and nobody went anywhere.
pub fn is_told(evidence: Evidence<'_>) -> bool {
    evidence
        .facts()
        .any(|(_, fact)| matches!(fact, Fact::MessageRead(_) | Fact::TextRead { .. }))
}

/// All messages that were recognised, in their order.
pub fn messages(evidence: Evidence<'_>) -> impl Iterator<Item = &MessageRead> {
    evidence.facts().filter_map(|(_, fact)| match fact {
        Fact::MessageRead(message) => Some(&**message),
        _ => None,
    })
}

/// The message that says how it stopped.
pub fn deciding(evidence: Evidence<'_>) -> Option<&MessageRead> {
    messages(evidence).find(|message| message.role == MessageRole::Decides)
}

/// The logs that were given for this run.
pub fn logs(evidence: Evidence<'_>) -> impl Iterator<Item = &ServerLogRead> {
    evidence.facts().filter_map(|(_, fact)| match fact {
        Fact::ServerLogRead(log) => Some(&**log),
        _ => None,
    })
}

/// What the server wrote of this attempt, in logs that are believed.
pub fn entries(evidence: Evidence<'_>) -> impl Iterator<Item = (&ServerLogRead, &LogEntryRead)> {
    logs(evidence)
        .filter(|log| log.stands == LogStands::Matched)
        .flat_map(|log| log.entries.iter().map(move |entry| (log, entry)))
}

/// How a message says that the attempt stopped.
pub fn symptom_of(message: &MessageRead) -> Option<Symptom> {
    let by_words = message.symptom.as_deref().and_then(Symptom::from_id);
    let by_code = || Some(refusal_symptom(message.meaning?, Awaited::Admission));
    by_words.or_else(by_code)
}

/// Where the attempt went, as far as the text tells.
pub fn endpoint(evidence: Evidence<'_>) -> Endpoint {
    let dialled = evidence.facts().find_map(|(o, fact)| match fact {
        Fact::MessageRead(_) => Some((o.about.address?, o.about.port?)),
        _ => None,
    });
    if let Some(dialled) = dialled {
        return Endpoint::Tcp(dialled.into());
    }
    match evidence.target.ends.first() {
        Some(End::Socket { socket }) => Endpoint::Socket(socket.clone()),
        Some(end @ End::Host { port, .. }) => match end.dialled_address() {
            Some(ip) => Endpoint::Tcp((ip, *port).into()),
            None => Endpoint::Socket(String::new()),
        },
        None => Endpoint::Socket(String::new()),
    }
}

/// Judges what a text says.
pub(super) fn judge(evidence: Evidence<'_>) -> Judgement {
    let decides = deciding(evidence);
    let symptom = decides.and_then(symptom_of);
    let status = Status {
        symptom,
        // Nothing failed that is known of, and nothing is known to have worked.
        untold: symptom.is_none().then_some(Layer::Settings),
    };
    let layers = Layer::ALL
        .into_iter()
        .map(|layer| match symptom {
            _ if layer == Layer::Settings && has_settings(evidence) => settings::layer(evidence),
            Some(symptom) if layer == symptom.layer() => {
                let said = decides.map_or(String::new(), shown);
                LayerJudgement::new(layer, Outcome::Fault, said)
            }
            Some(symptom) if layer > symptom.layer() => {
                LayerJudgement::new(layer, Outcome::Unreached, "")
            }
            Some(symptom) if worked_before(layer, symptom) => LayerJudgement::new(
                layer,
                Outcome::Ok,
                "worked, or the message would be another",
            ),
            _ => LayerJudgement::new(layer, Outcome::Untested, ""),
        })
        .collect();
    let paths = match (symptom, endpoint(evidence)) {
        (Some(_), endpoint @ Endpoint::Tcp(_)) => vec![JudgedPath {
            endpoint,
            layers: Vec::new(),
            status,
            walked: false,
            second_choice: false,
            host: 0,
            taken: true,
        }],
        _ => Vec::new(),
    };
    Judgement {
        layers,
        paths,
        lost_names: Vec::new(),
        status,
        decisive: None,
    }
}

/// Whether the settings that belong to the text were read too.
pub fn has_settings(evidence: Evidence<'_>) -> bool {
    evidence
        .facts()
        .any(|(_, fact)| matches!(fact, Fact::SettingsRead { .. }))
}

/// Whether a layer must have worked where a later one failed. Encryption may have been off,
/// a bundle or a name may have had no part in it.
fn worked_before(layer: Layer, symptom: Symptom) -> bool {
    let by_network = symptom.layer() > Layer::Port && !is_of_the_program(symptom);
    matches!(layer, Layer::Route | Layer::Port | Layer::Listener)
        && layer < symptom.layer()
        && by_network
}

/// Whether it is the program itself that gave up, whatever the server did.
fn is_of_the_program(symptom: Symptom) -> bool {
    matches!(
        symptom,
        Symptom::SessionPoolEmpty
            | Symptom::SessionPoolWait
            | Symptom::ListenerTunnelDown
            | Symptom::ListenerTunnelTaken
    )
}

/// A message in short.
fn shown(message: &MessageRead) -> String {
    let text = message.text.as_str();
    match text.char_indices().nth(LONGEST_SHOWN) {
        Some((at, _)) => format!("{}…", text.get(..at).unwrap_or_default()),
        None => text.to_owned(),
    }
}
