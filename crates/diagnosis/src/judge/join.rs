//! Would this client have got in? Its ways, joined in its own order.

use chronaxis_model::layer::{Layer, Outcome};
use chronaxis_model::target::ShownTarget;

use super::evidence::Evidence;
use super::going_on::{After, after, policy};
use super::judged::{JudgedPath, LayerJudgement, LostName, Status};
use super::symptom::Symptom;

/// What stood in the client's way before it got in, if it did.
struct Failed {
    symptom: Symptom,
    path: Option<usize>,
}

/// Goes along the ways as the client does: on where one fails in a way that lets it, no
/// further where one holds it. Gives how it stands, and the path that decides.
pub(super) fn join(
    target: &ShownTarget,
    paths: &[JudgedPath],
    lost: &[LostName],
) -> (Status, Option<usize>) {
    let got_somewhere = |from: usize| paths.iter().skip(from).any(|p| p.taken && p.walked);
    let holds = |index: usize, symptom: Symptom| {
        after(target, symptom) == After::Stops
            && (!is_silence(symptom) || got_somewhere(index) || shuffled_past(target, paths))
    };
    if policy(target).shuffles
        && let Some(held) = first_where(paths, |i, p| p.status.symptom.is_some_and(|s| holds(i, s)))
    {
        return stand_of(paths, held);
    }
    let mut failed: Vec<Failed> = Vec::new();
    let mut unknown = false;
    let mut second_choice = None;
    let mut passed_host = None;
    for (index, path) in paths.iter().enumerate().filter(|(_, p)| p.taken) {
        if passed_host == Some(path.host) {
            continue;
        }
        match path.status.symptom {
            None if !path.walked => unknown = true,
            // What stands before it in the client's order may have held it.
            None if unknown => {
                let status = Status {
                    symptom: None,
                    untold: path.status.untold.or(Some(Layer::Port)),
                };
                return (status, Some(index));
            }
            None if path.second_choice => second_choice = second_choice.or(Some(index)),
            None => return stand_of(paths, index),
            Some(symptom) if holds(index, symptom) => return stand_of(paths, index),
            Some(symptom) => {
                if after(target, symptom) == After::NextHost {
                    passed_host = Some(path.host);
                }
                failed.push(Failed {
                    symptom,
                    path: Some(index),
                });
            }
        }
    }
    if let Some(index) = second_choice {
        return stand_of(paths, index);
    }
    failed.extend(lost.iter().map(|l| Failed {
        symptom: l.symptom,
        path: None,
    }));
    furthest(paths, &failed)
}

/// None let it in: of those that failed, the one that got furthest, the client's first
/// among equals; before any has failed, the client's first.
fn furthest(paths: &[JudgedPath], failed: &[Failed]) -> (Status, Option<usize>) {
    let mut best: Option<&Failed> = None;
    for one in failed {
        if best.is_none_or(|b| one.symptom.layer() > b.symptom.layer()) {
            best = Some(one);
        }
    }
    let first = first_where(paths, |_, p| p.taken);
    // A lost name is passed over; what comes of the other hosts is not known yet.
    let best = best.filter(|b| b.path.is_some() || first.is_none());
    match best {
        Some(Failed {
            path: Some(index), ..
        }) => stand_of(paths, *index),
        Some(lost) => {
            let status = Status {
                symptom: Some(lost.symptom),
                untold: None,
            };
            (status, None)
        }
        None => match first {
            Some(index) => stand_of(paths, index),
            None => (Status::default(), None),
        },
    }
}

/// A silent way holds a client only if there is one that it would have got in by: where
/// all are silent, it is one and the same failure.
fn is_silence(symptom: Symptom) -> bool {
    matches!(symptom, Symptom::PortSilent | Symptom::PortSocketSilent)
}

/// Where the order is another each time, any way that leads somewhere stands behind.
fn shuffled_past(target: &ShownTarget, paths: &[JudgedPath]) -> bool {
    policy(target).shuffles && paths.iter().any(|p| p.walked)
}

fn first_where(paths: &[JudgedPath], fits: impl Fn(usize, &JudgedPath) -> bool) -> Option<usize> {
    paths
        .iter()
        .enumerate()
        .position(|(i, p)| p.taken && fits(i, p))
}

fn stand_of(paths: &[JudgedPath], index: usize) -> (Status, Option<usize>) {
    let status = paths.get(index).map_or(Status::default(), |p| p.status);
    (status, Some(index))
}

pub(super) fn layer(
    layer: Layer,
    evidence: Evidence<'_>,
    paths: &[JudgedPath],
    decisive: Option<usize>,
    status: &Status,
) -> LayerJudgement {
    let who_answers = layer == Layer::Listener && evidence.engine_untold();
    if layer > evidence.scope.until && !who_answers {
        return LayerJudgement::new(layer, Outcome::Untested, "not asked for");
    }
    let decided = decisive
        .and_then(|i| paths.get(i))
        .and_then(|p| p.layers.iter().find(|l| l.layer == layer));
    let Some(decided) = decided else {
        let outcome = if status.symptom.is_some() {
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
            .filter(|(i, p)| Some(*i) != decisive && p.status.symptom.is_some())
            .count();
        if dead > 0 && decided.outcome == Outcome::Ok {
            decided.outcome = Outcome::Caution;
        }
        let waits = status
            .symptom
            .is_some_and(|s| is_silence(s) && after(evidence.target, s) == After::Stops);
        let word = match (dead, decided.outcome) {
            (0, Outcome::Fault) if waits => {
                "; this client waits there, though others answer".to_owned()
            }
            (0, _) if others == 1 => "; the other one answers".to_owned(),
            (0, _) => format!("; the {others} others answer"),
            (dead, Outcome::Fault) if dead == others => format!("; {others} more fail too"),
            (dead, _) => format!("; {dead} of {others} more do not answer"),
        };
        decided.summary.add(&word);
    }
    decided
}

/// What a layer says on another path, where this client does not get that far on the one
/// that it takes.
fn reached_elsewhere(layer: Layer, paths: &[JudgedPath]) -> Option<LayerJudgement> {
    let walked = paths.iter().find(|p| p.walked)?;
    let judged = walked.layers.iter().find(|l| l.layer == layer)?;
    let seen = judged.outcome != Outcome::Unreached && !judged.summary.is_empty();
    seen.then(|| LayerJudgement {
        summary: format!("{}, by {} only", judged.summary, walked.endpoint).into(),
        ..judged.clone()
    })
}
