//! What the facts mean: each layer's outcome, and the symptom. No probabilities here;
//! whether it works at all is decided here and nowhere else.
//!
//! One rule for everything: *would the client described have got in?*

mod evidence;
mod fall_back;
mod going_on;
mod join;
mod judged;
mod name;
pub mod name_sources;
mod path;
mod redirects;
pub mod services;
mod session;
mod settings;
mod summary;
mod symptom;
pub mod told;
pub mod way;

pub use evidence::{Again, Evidence, MOST_HOSTS, Scope, Seen, Way};
pub use fall_back::falls_back;
pub use going_on::{After, after, policy};
pub use judged::{JudgedPath, Judgement, LayerJudgement, LostName, Status};
pub use path::{NextSilent, PathView};
pub use redirects::{
    Place, WrongAddress, at_the_deciding_place, is_unreached, places, registered_wrongly, sent_on,
};
pub use session::{SchemaStands, schemas_on_path};
pub use settings::{password_unknown, unknown};
pub use summary::Summary;
pub use symptom::{Symptom, optional_symptom_schema};

use chronaxis_engines::by_id;
use chronaxis_model::fact::Fact;
use chronaxis_model::layer::Layer;

/// Judges a log; of one that leads over several places, each by itself, and then the whole.
pub fn judge(evidence: Evidence<'_>) -> Judgement {
    match places(evidence) {
        Some(chain) => redirects::judge(&chain, judge_place),
        None => judge_place(evidence),
    }
}

/// Judges the log of one place, wherever the client was sent from there.
pub fn judge_place(evidence: Evidence<'_>) -> Judgement {
    if told::is_told(evidence) {
        return told::judge(evidence);
    }
    let lost_names = name::lost(evidence);
    let paths: Vec<JudgedPath> = evidence
        .ways()
        .into_iter()
        .map(|way| PathView::new(evidence, &way.endpoint).judge(&way))
        .collect();
    let own = settings::symptom(evidence);
    let late = settings::came_late(evidence);
    let (mut status, decisive) = match own.filter(|_| !late) {
        Some(symptom) => (
            Status {
                symptom: Some(symptom),
                untold: None,
            },
            None,
        ),
        None if settings::unknown(evidence).is_some() => (
            Status {
                symptom: None,
                untold: Some(Layer::Settings),
            },
            None,
        ),
        None => proved(evidence, join::join(evidence.target, &paths, &lost_names)),
    };
    let mut layers = vec![
        settings::layer(evidence),
        settings::bundle(evidence),
        name::layer(evidence, &lost_names),
    ];
    for layer in Layer::ALL.into_iter().filter(|l| *l >= Layer::Route) {
        layers.push(join::layer(layer, evidence, &paths, decisive, &status));
    }
    // What was dialled before that stands in its own layers.
    if late {
        status.symptom = own;
        status.untold = None;
    }
    Judgement {
        layers,
        paths,
        lost_names,
        status,
        decisive,
    }
}

/// Nothing failed is not yet success: where the last layer asked for left no trace of its
/// own, it is untold.
fn proved(evidence: Evidence<'_>, joined: (Status, Option<usize>)) -> (Status, Option<usize>) {
    let (mut status, decisive) = joined;
    if !status.works() {
        return (status, decisive);
    }
    let endpoints = evidence.endpoints();
    let view = decisive
        .and_then(|i| endpoints.get(i))
        .map(|endpoint| PathView::new(evidence, endpoint));
    let sent_on = |v: &PathView<'_>| v.find(|f| matches!(f, Fact::Redirected(_)).then_some(()));
    // Whoever is sent on signs in elsewhere.
    let until = match view.as_ref().and_then(sent_on) {
        Some(()) => evidence.scope.until.min(Layer::Tls),
        None => evidence.scope.until,
    };
    status.untold = Layer::ALL
        .into_iter()
        .filter(|layer| *layer <= until)
        .find(|layer| !has_trace(evidence, view.as_ref(), *layer));
    (status, decisive)
}

/// Whether a layer's success was seen.
fn has_trace(evidence: Evidence<'_>, view: Option<&PathView<'_>>, layer: Layer) -> bool {
    let anywhere = |wanted: fn(&Fact) -> bool| evidence.facts().any(|(_, fact)| wanted(fact));
    let on_path = |wanted: fn(&Fact) -> bool| {
        view.is_some_and(|v| v.find(|fact| wanted(fact).then_some(())).is_some())
    };
    match layer {
        Layer::Settings => anywhere(|f| matches!(f, Fact::SettingsRead { .. })),
        Layer::Bundle => true,
        // On a line that is meant to be encrypted; elsewhere there is nothing to see.
        Layer::Tls if by_id(evidence.target.engine).spec.only_encryption => {
            on_path(|f| matches!(f, Fact::LineSecured { .. }))
        }
        Layer::Tls => true,
        Layer::Name => {
            anywhere(|f| matches!(f, Fact::NameNotNeeded)) || name::all_answered(evidence)
        }
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
