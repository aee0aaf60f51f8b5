//! The names of a target: which of them gave addresses.

use super::evidence::{Evidence, MOST_HOSTS};
use super::judged::{LayerJudgement, LostName};
use super::settings;
use super::summary;
use super::symptom::Symptom;
use crate::fact::{Fact, NameTrouble};
use crate::layer::{Layer, Outcome};
use crate::target::End;

/// The names that gave no address, in the client's order.
pub(super) fn lost(evidence: Evidence<'_>) -> Vec<LostName> {
    let ends = evidence.target.ends.iter().enumerate().take(MOST_HOSTS);
    ends.filter_map(|(host, end)| {
        let name = end.name()?;
        let symptom = symptom(fact_about(evidence, name)?)?;
        Some(LostName {
            host,
            name: name.to_owned(),
            symptom,
        })
    })
    .collect()
}

/// Whether it is known of every name what came of it.
pub(super) fn all_answered(evidence: Evidence<'_>) -> bool {
    let ends = evidence.target.ends.iter().take(MOST_HOSTS);
    let mut names = ends.filter_map(End::name).peekable();
    names.peek().is_some() && names.all(|name| fact_about(evidence, name).is_some())
}

fn fact_about<'a>(evidence: Evidence<'a>, name: &str) -> Option<&'a Fact> {
    evidence
        .facts()
        .find(|(o, fact)| {
            o.about.name.as_deref() == Some(name)
                && matches!(
                    fact,
                    Fact::NameResolved { .. } | Fact::NameFailed { .. } | Fact::NameSilent { .. }
                )
        })
        .map(|(_, fact)| fact)
}

fn symptom(fact: &Fact) -> Option<Symptom> {
    Some(match fact {
        Fact::NameFailed { trouble, .. } => match trouble {
            NameTrouble::NoSuchName | NameTrouble::NotAName => Symptom::NameNotFound,
            NameTrouble::NoAddress => Symptom::NameNoAddress,
            NameTrouble::Failing => Symptom::NameFailing,
        },
        Fact::NameSilent { .. } => Symptom::NameSilent,
        _ => return None,
    })
}

/// What the layer says: of one name all, of several the first that is lost, or the first.
pub(super) fn layer(evidence: Evidence<'_>, lost: &[LostName]) -> LayerJudgement {
    let layer = Layer::Name;
    if settings::symptom(evidence).is_some() {
        return LayerJudgement::new(layer, Outcome::Unreached, "");
    }
    if layer > evidence.scope.until {
        return LayerJudgement::new(layer, Outcome::Untested, "not asked for");
    }
    let ends = &evidence.target.ends;
    let names: Vec<&str> = ends.iter().take(MOST_HOSTS).filter_map(End::name).collect();
    let Some(first) = lost
        .first()
        .map(|l| l.name.as_str())
        .or(names.first().copied())
    else {
        let text = match ends.first() {
            Some(End::Socket { .. }) => "a socket file, no name",
            _ => "an address, no name",
        };
        let noted = evidence
            .facts()
            .any(|(_, fact)| matches!(fact, Fact::NameNotNeeded));
        return LayerJudgement::new(layer, Outcome::Untested, if noted { text } else { "" });
    };
    let Some(fact) = fact_about(evidence, first) else {
        return LayerJudgement::new(layer, Outcome::Untested, "");
    };
    let mut judged = of_one(layer, first, fact);
    let found = names.len() - lost.len();
    if names.len() > 1 {
        let word = match (lost.len(), found) {
            (0, found) => format!("; {} more found", found - 1),
            (gone, 0) => format!("; {} more fail too", gone - 1),
            (_, found) => format!("; {found} of {} found", names.len()),
        };
        judged.summary.push_str(&word);
    }
    let some_way = ends.len().min(MOST_HOSTS) > lost.len();
    if judged.outcome == Outcome::Fault && some_way {
        judged.outcome = Outcome::Caution;
    }
    judged
}

fn of_one(layer: Layer, name: &str, fact: &Fact) -> LayerJudgement {
    let host = crate::redact::visible(name);
    let fault = |text: String| LayerJudgement::new(layer, Outcome::Fault, text);
    match fact {
        Fact::NameResolved {
            addresses,
            elapsed_us,
        } => LayerJudgement::new(layer, Outcome::Ok, summary::addresses(&host, addresses))
            .taking(*elapsed_us),
        Fact::NameFailed {
            code,
            trouble,
            elapsed_us,
        } => fault(summary::name_trouble(&host, *trouble, code)).taking(*elapsed_us),
        Fact::NameSilent { waited_us } => {
            fault(format!("{host}: no answer from name service")).taking(*waited_us)
        }
        _ => LayerJudgement::new(layer, Outcome::Untested, ""),
    }
}
