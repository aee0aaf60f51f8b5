//! What the facts mean: each layer's outcome, and the symptom. No probabilities here;
//! whether it works at all is decided here and nowhere else.
//!
//! One rule for everything: *would the client described have got in?*

mod evidence;
mod judged;
mod path;
mod summary;
mod symptom;

pub use evidence::{Evidence, Scope, dialled_address};
pub use judged::{JudgedPath, Judgement, LayerJudgement, Stand};
pub use path::PathView;
pub use symptom::Symptom;

use crate::fact::{Fact, NameTrouble};
use crate::layer::{Layer, Outcome};
use crate::settings::DefectKind;
use crate::target::End;

/// Judges a log.
pub fn judge(evidence: Evidence<'_>) -> Judgement {
    let early = [settings(evidence), bundle(), name(evidence)];
    let paths: Vec<JudgedPath> = evidence
        .endpoints()
        .into_iter()
        .map(|endpoint| PathView::new(evidence, &endpoint).judge())
        .collect();
    let early_stop = settings_symptom(evidence).or_else(|| name_symptom(evidence));
    let (stand, decisive) = match early_stop {
        Some(symptom) => (
            Stand {
                symptom: Some(symptom),
                untold: None,
            },
            None,
        ),
        None => proved(evidence, join(&paths)),
    };
    let mut layers: Vec<LayerJudgement> = early.to_vec();
    for layer in Layer::ALL.into_iter().filter(|l| *l >= Layer::Route) {
        layers.push(joined(layer, evidence, &paths, decisive, &stand));
    }
    Judgement {
        layers,
        paths,
        stand,
        decisive,
    }
}

/// Nothing failed is not yet success: where the last layer asked for left no trace of its
/// own, it is untold.
fn proved(evidence: Evidence<'_>, joined: (Stand, Option<usize>)) -> (Stand, Option<usize>) {
    let (mut stand, decisive) = joined;
    if !stand.works() {
        return (stand, decisive);
    }
    let endpoints = evidence.endpoints();
    let view = decisive
        .and_then(|i| endpoints.get(i))
        .map(|endpoint| PathView::new(evidence, endpoint));
    stand.untold = Layer::ALL
        .into_iter()
        .filter(|layer| *layer <= evidence.scope.until)
        .find(|layer| !has_trace(evidence, view.as_ref(), *layer));
    (stand, decisive)
}

/// Whether a layer's success was seen.
fn has_trace(evidence: Evidence<'_>, view: Option<&PathView<'_>>, layer: Layer) -> bool {
    let anywhere = |wanted: fn(&Fact) -> bool| evidence.facts().any(|(_, fact)| wanted(fact));
    let on_path = |wanted: fn(&Fact) -> bool| {
        view.is_some_and(|v| v.find(|fact| wanted(fact).then_some(())).is_some())
    };
    match layer {
        Layer::Settings => anywhere(|f| matches!(f, Fact::SettingsRead { .. })),
        Layer::Bundle | Layer::Tls => true,
        Layer::Name => anywhere(|f| matches!(f, Fact::NameNotNeeded | Fact::NameResolved { .. })),
        Layer::Route => {
            let on_socket = view.is_some_and(|v| v.endpoint.ip().is_none());
            on_socket || on_path(|f| matches!(f, Fact::RouteFound { .. }))
        }
        Layer::Port => on_path(|f| matches!(f, Fact::PortConnected { .. })),
        Layer::Listener => on_path(|f| matches!(f, Fact::SpokeProtocol { .. })),
        Layer::Login => on_path(|f| matches!(f, Fact::LoggedIn { .. })),
        Layer::Session => {
            on_path(|f| matches!(f, Fact::Instance(_) | Fact::InstanceUnknown { .. }))
        }
    }
}

/// Would this client have got in? It takes the addresses in order, goes on where one
/// refuses or cannot be reached, and waits where one is silent.
fn join(paths: &[JudgedPath]) -> (Stand, Option<usize>) {
    let walked = paths.iter().position(|p| p.walked);
    let silent = paths
        .iter()
        .position(|p| p.stand.symptom == Some(Symptom::PortSilent));
    if let (Some(walked), Some(silent)) = (walked, silent)
        && silent < walked
    {
        return stand_of(paths, silent);
    }
    if let Some(walked) = walked {
        return stand_of(paths, walked);
    }
    // None connected: of those that failed, the one that got furthest, the client's first
    // among equals; before any has failed, the client's first.
    let furthest = paths
        .iter()
        .enumerate()
        .filter_map(|(i, p)| Some((p.stand.symptom?.layer(), usize::MAX - i, i)))
        .max()
        .map(|(_, _, i)| i)
        .or((!paths.is_empty()).then_some(0));
    furthest.map_or((Stand::default(), None), |i| stand_of(paths, i))
}

fn stand_of(paths: &[JudgedPath], index: usize) -> (Stand, Option<usize>) {
    let stand = paths.get(index).map_or(Stand::default(), |p| p.stand);
    (stand, Some(index))
}

fn joined(
    layer: Layer,
    evidence: Evidence<'_>,
    paths: &[JudgedPath],
    decisive: Option<usize>,
    stand: &Stand,
) -> LayerJudgement {
    if layer > evidence.scope.until {
        return LayerJudgement::new(layer, Outcome::Untested, "not asked for");
    }
    let decided = decisive
        .and_then(|i| paths.get(i))
        .and_then(|p| p.layers.iter().find(|l| l.layer == layer));
    let Some(decided) = decided else {
        let outcome = if stand.symptom.is_some() {
            Outcome::Unreached
        } else {
            Outcome::Untested
        };
        return LayerJudgement::new(layer, outcome, "");
    };
    if decided.outcome == Outcome::Unreached
        && let Some(elsewhere) = reached_elsewhere(layer, paths)
    {
        return elsewhere;
    }
    let mut decided = decided.clone();
    let others = paths.len().saturating_sub(1);
    if layer == Layer::Port && others > 0 {
        let dead = paths
            .iter()
            .enumerate()
            .filter(|(i, p)| Some(*i) != decisive && p.stand.symptom.is_some())
            .count();
        if dead > 0 && decided.outcome == Outcome::Ok {
            decided.outcome = Outcome::Caution;
        }
        let word = match (dead, decided.outcome) {
            (0, _) => format!("; {others} more answer"),
            (dead, Outcome::Fault) if dead == others => format!("; {others} more fail too"),
            (dead, _) => format!("; {dead} of {others} more do not answer"),
        };
        decided.summary.push_str(&word);
    }
    decided
}

/// What a layer says on another path, where this client does not get that far on the one
/// that it takes.
fn reached_elsewhere(layer: Layer, paths: &[JudgedPath]) -> Option<LayerJudgement> {
    let walked = paths.iter().find(|p| p.walked)?;
    let judged = walked.layers.iter().find(|l| l.layer == layer)?;
    let seen = matches!(
        judged.outcome,
        Outcome::Ok | Outcome::Caution | Outcome::Fault
    );
    seen.then(|| LayerJudgement {
        summary: format!("{}, by {} only", judged.summary, walked.endpoint),
        ..judged.clone()
    })
}

fn settings_symptom(evidence: Evidence<'_>) -> Option<Symptom> {
    evidence.facts().find_map(|(_, fact)| match fact {
        Fact::SettingDefect(defect) if defect.stops => Some(match defect.kind {
            DefectKind::Unreadable => Symptom::SettingsUnreadable,
            DefectKind::SchemeUnknown => Symptom::SettingsScheme,
            DefectKind::Missing => Symptom::SettingsMissing,
            DefectKind::Placeholder => Symptom::SettingsPlaceholder,
            DefectKind::StrayWhitespace => Symptom::SettingsWhitespace,
            DefectKind::NotEscaped => Symptom::SettingsNotEscaped,
        }),
        _ => None,
    })
}

fn settings(evidence: Evidence<'_>) -> LayerJudgement {
    let layer = Layer::Settings;
    let defects: Vec<_> = evidence
        .facts()
        .filter_map(|(_, fact)| match fact {
            Fact::SettingDefect(defect) => Some(defect),
            _ => None,
        })
        .collect();
    if let Some(defect) = defects.iter().find(|d| d.stops).or(defects.first()) {
        let outcome = if defect.stops {
            Outcome::Fault
        } else {
            Outcome::Caution
        };
        return LayerJudgement::new(layer, outcome, defect.text.clone());
    }
    let skipped = evidence.facts().find_map(|(_, fact)| match fact {
        Fact::PasswordFileSkipped { file, mode } => Some((file, mode)),
        _ => None,
    });
    if let Some((file, mode)) = skipped {
        let text = format!("password file {file} skipped: mode {mode} lets others read it");
        return LayerJudgement::new(layer, Outcome::Caution, text);
    }
    LayerJudgement::new(layer, Outcome::Ok, summary::settings(evidence))
}

fn bundle() -> LayerJudgement {
    LayerJudgement::new(Layer::Bundle, Outcome::Untested, "none given")
}

fn name_symptom(evidence: Evidence<'_>) -> Option<Symptom> {
    evidence.facts().find_map(|(_, fact)| match fact {
        Fact::NameFailed { trouble, .. } => Some(match trouble {
            NameTrouble::NoSuchName | NameTrouble::NotAName => Symptom::NameNotFound,
            NameTrouble::NoAddress => Symptom::NameNoAddress,
            NameTrouble::Failing => Symptom::NameFailing,
        }),
        Fact::NameSilent { .. } => Some(Symptom::NameSilent),
        _ => None,
    })
}

fn name(evidence: Evidence<'_>) -> LayerJudgement {
    let layer = Layer::Name;
    if settings_symptom(evidence).is_some() {
        return LayerJudgement::new(layer, Outcome::Unreached, "");
    }
    if layer > evidence.scope.until {
        return LayerJudgement::new(layer, Outcome::Untested, "not asked for");
    }
    let host = summary::host(evidence.target);
    evidence
        .facts()
        .find_map(|(_, fact)| {
            Some(match fact {
                Fact::NameNotNeeded => {
                    let text = if matches!(evidence.target.ends.first(), Some(End::Socket { .. })) {
                        "a socket file, no name"
                    } else {
                        "an address, no name"
                    };
                    LayerJudgement::new(layer, Outcome::Untested, text)
                }
                Fact::NameResolved {
                    addresses,
                    elapsed_us,
                } => LayerJudgement::new(layer, Outcome::Ok, summary::addresses(&host, addresses))
                    .taking(*elapsed_us),
                Fact::NameFailed {
                    code,
                    trouble,
                    elapsed_us,
                } => LayerJudgement::new(
                    layer,
                    Outcome::Fault,
                    summary::name_trouble(&host, *trouble, code),
                )
                .taking(*elapsed_us),
                Fact::NameSilent { waited_us } => LayerJudgement::new(
                    layer,
                    Outcome::Fault,
                    format!("{host}: no answer from name service"),
                )
                .taking(*waited_us),
                _ => return None,
            })
        })
        .unwrap_or_else(|| LayerJudgement::new(layer, Outcome::Untested, ""))
}
