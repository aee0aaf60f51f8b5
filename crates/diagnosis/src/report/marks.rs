//! Where in the text of the settings a fault stands.

use chronaxis_model::fact::{Fact, Observation};
use chronaxis_model::found::CauseId;
use chronaxis_model::layer::Layer;
use chronaxis_model::redact::visible;
use chronaxis_model::settings::{Defect, Place};

use super::entries::Entries;
use super::{Block, Body, Tone, Topic};
use crate::case::Case;

/// The defects that bear on the verdict, each with its place.
pub(super) fn of_case(case: &Case, log: &[Observation]) -> Vec<Block> {
    let defects = defects(case, log);
    defects.into_iter().filter_map(defect).collect()
}

fn defects<'a>(case: &'a Case, log: &'a [Observation]) -> Vec<&'a Defect> {
    let verdict = &case.verdict;
    let cause = verdict.cause.as_deref().unwrap_or_default();
    let by_whitespace = [
        CauseId::StrayWhitespace,
        CauseId::PasswordHasStrayWhitespace,
    ];
    let in_settings = verdict.layer == Some(Layer::Settings)
        || by_whitespace.into_iter().any(|id| verdict.is(id));
    let bears = |defect: &Defect| {
        in_settings
            && (defect.stops || (defect.cause().as_str() == cause && defect.place.is_some()))
    };
    log.iter()
        .filter_map(|o| match o.fact() {
            Some(Fact::SettingDefect(defect)) if bears(defect) => Some(defect),
            _ => None,
        })
        .collect()
}

/// A piece of the settings with its mark; nothing where nothing may be shown of it.
pub(super) fn marked(out: &mut Entries, place: &Place) {
    let body = Body::Marked {
        excerpt: place.excerpt.clone(),
        at: place.at,
        width: place.width,
    };
    out.add("where", body, Tone::Bad);
}

fn defect(defect: &Defect) -> Option<Block> {
    let mut out = Entries::default();
    if let Some(place) = &defect.place {
        if !place.excerpt.is_empty() {
            marked(&mut out, place);
        }
        if let Some(whereabouts) = place.whereabouts() {
            let key = if out.is_empty() { "where" } else { "" };
            out.text(key, visible(&whereabouts));
        }
    }
    out.text("", visible(&defect.text));
    out.text("expected", visible(&defect.expected));
    out.section(Topic::Place)
}
