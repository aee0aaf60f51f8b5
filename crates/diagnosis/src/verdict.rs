//! The verdict: what follows from the judgement and the weights, in words.

mod also_found;
mod described;
mod handover;
mod look_for;
mod network;
mod next_test;
mod redirects;
mod remedy;
mod shape;
mod told;

pub use network::{Attempted, Hop, Neighbour, NetworkReport, WayTo};
pub use next_test::open_questions;
pub use redirects::PlaceVerdict;
pub use shape::{
    AlsoFound, Because, Moved, NextTest, Occasion, RuledOut, ShownCause, State, Verdict,
};

use chronaxis_model::endpoint::Endpoint;
use chronaxis_model::found::CauseId;
use chronaxis_model::invariant;
use chronaxis_model::layer::Layer;
use chronaxis_model::settings::Defect;

use crate::inference::{self, Answers, Candidate, Weighed};
use crate::judge::told::{endpoint, is_told};
use crate::judge::{
    Evidence, JudgedPath, Judgement, PathView, Symptom, judge_place, password_unknown, places,
    unknown,
};
use crate::knowledge::causes;
use crate::knowledge::questions::Question;

/// Above this a further test before the fix is not worth the time.
const SURE: f64 = 0.875;

/// A path with the first cause of its own.
#[derive(Clone, Debug, PartialEq)]
pub struct PathVerdict {
    /// Its symptom.
    pub symptom: Option<Symptom>,
    /// Its first cause.
    pub cause: Option<CauseId>,
    /// That cause's probability.
    pub probability: Option<f64>,
}

/// Everything that follows from a log.
#[derive(Clone, Debug)]
pub struct Assessment {
    /// The layers, the paths, how it stands.
    pub judgement: Judgement,
    /// Each path's own first cause, in the order of the judgement's paths.
    pub paths: Vec<PathVerdict>,
    /// The verdict.
    pub verdict: Verdict,
    /// The causes in the running.
    pub causes: Vec<ShownCause>,
    /// The causes that are out.
    pub ruled_out: Vec<RuledOut>,
    /// What else was seen.
    pub also_found: Vec<AlsoFound>,
    /// The places to which the client was sent on, each by itself.
    pub redirects: Vec<PlaceVerdict>,
}

/// Judges a log, weighs the causes, and puts the result into words.
pub fn assess(evidence: Evidence<'_>, occasion: &Occasion) -> Assessment {
    match places(evidence) {
        Some(chain) => redirects::assess(evidence, &chain, occasion),
        None => assess_place(evidence, occasion),
    }
}

/// The same of one place, wherever the client was sent from there.
fn assess_place(evidence: Evidence<'_>, occasion: &Occasion) -> Assessment {
    let judgement = judge_place(evidence);
    let view = decisive_view(evidence, &judgement);
    let weighed = judgement.status.symptom.map(|symptom| {
        let answers = answers_for(&view, symptom);
        let weighed = inference::weigh(symptom, &answers);
        (symptom, answers, weighed)
    });
    let decisive = judgement.decisive.zip(weighed.as_ref());
    let paths = path_verdicts(evidence, &judgement, decisive);
    let first = weighed.as_ref().and_then(|(_, _, w)| w.candidates.first());
    let also_found = also_found::collect(evidence, &judgement, first.map(|c| c.id));
    let verdict = verdict_of(evidence, &judgement, &view, weighed.as_ref(), occasion);
    let (causes, ruled_out) = match &weighed {
        Some((_, _, weighed)) => shown_causes(weighed),
        None => (Vec::new(), Vec::new()),
    };
    Assessment {
        judgement,
        paths,
        verdict,
        causes,
        ruled_out,
        also_found,
        redirects: Vec::new(),
    }
}

/// The answers that the log holds for a path and a symptom.
pub fn answers_for(view: &PathView<'_>, symptom: Symptom) -> Answers {
    Question::ALL
        .iter()
        .filter_map(|q| Some((*q, q.answer(view, symptom)?)))
        .collect()
}

/// The path that decides, or a stand-in without facts where none was reached.
pub fn decisive_view<'a>(evidence: Evidence<'a>, judgement: &Judgement) -> PathView<'a> {
    if is_told(evidence) {
        return PathView::new(evidence, &endpoint(evidence));
    }
    let decisive = judgement.decisive;
    let known = decisive.is_none_or(|i| i < judgement.paths.len());
    invariant::holds(known, "the path that decides is one of the paths");
    let endpoint = decisive
        .and_then(|i| judgement.paths.get(i))
        .map_or(Endpoint::Socket(String::new()), |p| p.endpoint.clone());
    PathView::new(evidence, &endpoint)
}

/// The first cause of each path: of the decisive one, if its symptom is that of the whole,
/// what was weighed already.
fn path_verdicts(
    evidence: Evidence<'_>,
    judgement: &Judgement,
    decisive: Option<(usize, &(Symptom, Answers, Weighed))>,
) -> Vec<PathVerdict> {
    let weighed = |index: usize, path: &JudgedPath| {
        let symptom = path.status.symptom?;
        if let Some((decisive, (known, _, weighed))) = decisive
            && (decisive, *known) == (index, symptom)
        {
            return weighed.candidates.first().map(|c| (c.id, c.probability));
        }
        let view = PathView::new(evidence, &path.endpoint);
        inference::likeliest(symptom, &answers_for(&view, symptom))
    };
    let verdict = |(index, path): (usize, &JudgedPath)| {
        let first = weighed(index, path);
        PathVerdict {
            symptom: path.status.symptom,
            cause: first.map(|(id, _)| id),
            probability: first.map(|(_, probability)| round(probability)),
        }
    };
    judgement.paths.iter().enumerate().map(verdict).collect()
}

fn verdict_of(
    evidence: Evidence<'_>,
    judgement: &Judgement,
    view: &PathView<'_>,
    weighed: Option<&(Symptom, Answers, Weighed)>,
    occasion: &Occasion,
) -> Verdict {
    let status = judgement.status;
    let first = weighed.and_then(|(_, _, w)| w.candidates.first());
    let decided = weighed.is_some_and(|(_, _, w)| w.decided());
    let state = match (status.works(), status.untold, decided) {
        (true, _, _) => State::Working,
        (false, None, true) => State::Broken,
        (false, _, _) => State::Undecided,
    };
    let entry = first.and_then(|c| causes::cause(c.id));
    let symptom = status.symptom;
    let unsure = state == State::Undecided || first.is_some_and(|c| c.probability < SURE);
    let next_test = weighed
        .filter(|_| unsure)
        .and_then(|(symptom, answers, _)| next_test::choose(view, *symptom, answers))
        .or_else(|| next_test::for_untold(evidence, status))
        .or_else(|| symptom.and_then(|_| next_test::after_the_fix(evidence)));
    let named: Vec<&'static causes::Cause> = weighed
        .iter()
        .flat_map(|(_, _, weighed)| plausible(weighed))
        .filter_map(|c| causes::cause(c.id))
        .collect();
    let headline = match (is_told(evidence), first) {
        (true, None) => told::headline(evidence),
        _ => headline(view, judgement, state, first, weighed),
    };
    let points_to = (state == State::Broken).then_some(headline.as_str());
    let (handover, network, next_test) = match is_told(evidence) {
        true => (
            told::handover(evidence, &named, points_to, occasion),
            None,
            told::next_test(evidence),
        ),
        false => (
            handover::paragraph(view, judgement, &named, points_to, occasion),
            network::report(view, symptom, &named, occasion).map(Box::new),
            next_test,
        ),
    };
    let untold = status.untold.filter(|_| !is_told(evidence));
    Verdict {
        state,
        as_far_as: evidence.scope.until,
        seen_at: symptom.map(Symptom::layer).or(untold),
        symptom: symptom.map(|s| s.to_string()),
        cause: first.map(|c| c.id.as_str().to_owned()),
        layer: entry.map(|e| e.layer),
        probability: first.map(|c| round(c.probability)),
        headline,
        owner: entry.and_then(|e| e.owner),
        fix: remedy::fix(view, entry),
        handover,
        network,
        next_test,
    }
}

fn headline(
    view: &PathView<'_>,
    judgement: &Judgement,
    state: State,
    first: Option<&Candidate>,
    weighed: Option<&(Symptom, Answers, Weighed)>,
) -> String {
    let evidence = view.evidence;
    let entry = first.and_then(|c| causes::cause(c.id));
    match (state, entry) {
        (State::Working, _) => format!(
            "Everything works, up to and including {}.",
            evidence.scope.until
        ),
        (State::Broken, Some(entry)) => match view.other_service() {
            Some(service) if entry.id == CauseId::WrongServiceOnPort => {
                let (who, engine) = (
                    chronaxis_engines::service_title(service),
                    chronaxis_engines::title(evidence.target.engine),
                );
                let who = who.strip_prefix('a').unwrap_or(who);
                format!("A{who} is listening on that port, not {engine}.")
            }
            _ => match (entry.id, view.next_silent()) {
                (CauseId::NoRoute, Some(silent)) => sentence(&silent.text()),
                (CauseId::ServiceUnknown, _) if evidence.service_offered().is_some() => {
                    "The listener offers this service, but not by that instance.".to_owned()
                }
                (CauseId::ResolversDisagree, _) if remedy::is_deaf(evidence) => {
                    "This machine's lookup does not use the DNS answer.".to_owned()
                }
                _ => entry.headline.to_owned(),
            },
        },
        (_, Some(entry)) if judgement.status.untold.is_some() => {
            match password_unknown(evidence).filter(|_| entry.id == CauseId::PasswordMissing) {
                Some(unknown) => sentence(&unknown.text),
                None => entry.headline.to_owned(),
            }
        }
        (_, Some(_)) => {
            let names: Vec<CauseId> = weighed
                .map(|(_, _, w)| plausible(w).map(|c| c.id).collect())
                .unwrap_or_default();
            match names.as_slice() {
                [only] if *only == CauseId::SomethingElse => {
                    "It failed in a way that matches no known cause.".to_owned()
                }
                [only] => {
                    format!("Could not narrow it down further: {only}, or a less likely cause.")
                }
                [before @ .., last] => {
                    let before: Vec<&str> = before.iter().map(|id| id.as_str()).collect();
                    format!(
                        "Could not narrow it down further: {} or {last}.",
                        before.join(", ")
                    )
                }
                [] => "It failed in a way that matches no known cause.".to_owned(),
            }
        }
        (_, None) if let Some(unknown) = settings_unknown(evidence, judgement) => {
            sentence(&unknown.text)
        }
        (_, None) => {
            let layer = judgement.status.untold.unwrap_or(evidence.scope.until);
            format!("Everything up to {layer} works; {layer} itself could not be tested from here.")
        }
    }
}

/// The value that is not known here, where that is what keeps it from being tested.
fn settings_unknown<'a>(evidence: Evidence<'a>, judgement: &Judgement) -> Option<&'a Defect> {
    unknown(evidence).filter(|_| judgement.status.untold == Some(Layer::Settings))
}

/// Words as a sentence of their own.
fn sentence(words: &str) -> String {
    let mut letters = words.chars();
    let first = letters.next().map(char::to_uppercase);
    first
        .into_iter()
        .flatten()
        .chain(letters)
        .chain(['.'])
        .collect()
}

/// Most candidates that a sentence names.
pub const MOST_NAMED: usize = 3;

/// Whether a person would still name a cause of this probability, where the likeliest one has
/// that.
pub fn is_plausible(probability: f64, top: f64) -> bool {
    probability >= 0.1 && probability * 4.0 >= top
}

/// The candidates that a person would still name.
fn plausible(weighed: &Weighed) -> impl Iterator<Item = &Candidate> {
    let top = weighed.candidates.first().map_or(0.0, |c| c.probability);
    let rest_leads = weighed
        .candidates
        .first()
        .is_some_and(|c| c.id == CauseId::SomethingElse);
    weighed
        .candidates
        .iter()
        .filter(move |c| rest_leads || c.id != CauseId::SomethingElse)
        .filter(move |c| is_plausible(c.probability, top))
        .take(MOST_NAMED)
}

fn shown_causes(weighed: &Weighed) -> (Vec<ShownCause>, Vec<RuledOut>) {
    let mut causes = Vec::new();
    let mut ruled_out = Vec::new();
    for candidate in &weighed.candidates {
        let entry = causes::cause(candidate.id);
        let moved = |wanted: fn(f64) -> bool| -> Vec<Moved> {
            candidate
                .reasons
                .iter()
                .filter(|r| wanted(r.factor) && !r.answer.text.is_empty())
                .map(|r| Moved {
                    question: r.question.as_str().to_owned(),
                    answer: r.answer.word.as_str().to_owned(),
                    factor: round(r.factor),
                    text: r.answer.text.clone(),
                })
                .collect()
        };
        let against = moved(|f| f < 1.0);
        // The honest rest stays in the running, however small: nothing can rule it out.
        if candidate.probability < 0.01
            && candidate.id != CauseId::SomethingElse
            && let Some(worst) = against.first()
        {
            ruled_out.push(RuledOut {
                id: candidate.id.as_str().to_owned(),
                because: Because {
                    question: worst.question.clone(),
                    answer: worst.answer.clone(),
                    text: worst.text.clone(),
                },
            });
        }
        causes.push(ShownCause {
            id: candidate.id.as_str().to_owned(),
            layer: entry.map_or(Layer::Settings, |e| e.layer),
            owner: entry.and_then(|e| e.owner),
            probability: round(candidate.probability),
            speaks_for: moved(|f| f > 1.0),
            against,
        });
    }
    (causes, ruled_out)
}

/// Four digits are more than the table knows.
fn round(value: f64) -> f64 {
    (value * 1e4).round() / 1e4
}
