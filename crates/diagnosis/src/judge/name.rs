//! The names of a target: which of them gave addresses.

use std::net::IpAddr;

use chronaxis_model::fact::{Fact, NameTrouble};
use chronaxis_model::layer::{Layer, Outcome};
use chronaxis_model::reserved_ranges;
use chronaxis_model::target::End;

use super::evidence::{Evidence, MOST_HOSTS};
use super::judged::{LayerJudgement, LostName};
use super::name_sources;
use super::settings;
use super::summary;
use super::symptom::Symptom;

/// The names that gave no address, in the client's order.
pub(super) fn lost(evidence: Evidence<'_>) -> Vec<LostName> {
    let ends = evidence.ends();
    let ends = ends.iter().enumerate().take(MOST_HOSTS);
    ends.filter_map(|(host, end)| {
        let name = end.name()?;
        let symptom = symptom(fact_about(evidence, name)?)?;
        let symptom = match symptom {
            // Nobody said so in a way that can be read.
            Symptom::NameNotFound | Symptom::NameNoAddress if only_garbled(evidence, name) => {
                Symptom::NameFailing
            }
            other => other,
        };
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
    let ends = evidence.ends();
    let mut names = ends
        .iter()
        .take(MOST_HOSTS)
        .filter_map(End::name)
        .peekable();
    names.peek().is_some() && names.all(|name| fact_about(evidence, name).is_some())
}

fn fact_about<'a>(evidence: Evidence<'a>, name: &str) -> Option<&'a Fact> {
    evidence
        .facts()
        .find(|(o, fact)| {
            o.about.name.as_deref() == Some(name)
                && matches!(
                    fact,
                    Fact::NameResolved { .. }
                        | Fact::NameFailed { .. }
                        | Fact::NameSilent { .. }
                        | Fact::LocalFailure { .. }
                )
        })
        .map(|(_, fact)| fact)
}

/// Whether every answer of a resolver about a name was none that can be read.
fn only_garbled(evidence: Evidence<'_>, name: &str) -> bool {
    let about = |o: &chronaxis_model::fact::Observation| o.about.name.as_deref() == Some(name);
    let any =
        |wanted: fn(&Fact) -> bool| evidence.facts().any(|(o, fact)| about(o) && wanted(fact));
    any(|fact| matches!(fact, Fact::ResolverGarbled { .. }))
        && !any(|fact| matches!(fact, Fact::ResolverAnswered(_)))
}

fn symptom(fact: &Fact) -> Option<Symptom> {
    Some(match fact {
        Fact::NameFailed { trouble, .. } => match trouble {
            NameTrouble::NoSuchName | NameTrouble::NotAName => Symptom::NameNotFound,
            NameTrouble::NoAddress => Symptom::NameNoAddress,
            NameTrouble::Failing => Symptom::NameFailing,
        },
        Fact::NameSilent { .. } => Symptom::NameSilent,
        Fact::LocalFailure { .. } => Symptom::PortLocalFailure,
        _ => return None,
    })
}

/// What the layer says: of one name all, of several the first that is lost, or the first.
pub(super) fn layer(evidence: Evidence<'_>, lost: &[LostName]) -> LayerJudgement {
    let layer = Layer::Name;
    if settings::symptom(evidence).is_some() && !settings::came_late(evidence) {
        return LayerJudgement::new(layer, Outcome::Unreached, "");
    }
    if layer > evidence.scope.until {
        return LayerJudgement::new(layer, Outcome::Untested, "not asked for");
    }
    let ends = evidence.ends();
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
    if only_garbled(evidence, first) && judged.outcome == Outcome::Fault {
        judged.summary = format!(
            "{}: the DNS answers cannot be read",
            chronaxis_model::redact::visible(first)
        )
        .into();
    }
    judged.summary.add(&how_found(evidence, first));
    if is_itself(evidence, first) {
        judged.summary.add(", this machine itself");
    }
    let differ = !name_sources::compare(evidence, first).other().is_empty();
    if judged.outcome == Outcome::Ok && differ {
        judged.outcome = Outcome::Caution;
        judged.summary.add("; other sources differ");
    }
    let still = |fact: &Fact| matches!(fact, Fact::SystemStillAsks { .. });
    if evidence
        .facts()
        .any(|(o, fact)| o.about.name.as_deref() == Some(first) && still(fact))
    {
        if judged.outcome == Outcome::Ok {
            judged.outcome = Outcome::Caution;
        }
        let still = "; the system is still waiting for a silent resolver";
        judged.summary.add(still);
    }
    if judged.outcome == Outcome::Fault && evidence.has_no_resolver() {
        let none = "; no resolver is configured on this machine";
        judged.summary.add(none);
    }
    let found = names.len() - lost.len();
    if names.len() > 1 {
        let word = match (lost.len(), found) {
            (0, found) => format!("; {} more found", found - 1),
            (gone, 0) => format!("; {} more fail too", gone - 1),
            (_, found) => format!("; {found} of {} found", names.len()),
        };
        judged.summary.add(&word);
    }
    let some_way = ends.len().min(MOST_HOSTS) > lost.len();
    if judged.outcome == Outcome::Fault && some_way {
        judged.outcome = Outcome::Caution;
    }
    judged
}

/// Whether a name leads to this machine itself, and is none of those that are meant to.
fn is_itself(evidence: Evidence<'_>, name: &str) -> bool {
    let here =
        |all: &[IpAddr]| !all.is_empty() && all.iter().all(|ip| reserved_ranges::is_here(*ip));
    !reserved_ranges::names_here(name) && evidence.resolved_name(name).is_some_and(here)
}

/// By which source or alias a name was found, where that is not the usual one.
fn how_found(evidence: Evidence<'_>, name: &str) -> String {
    if evidence.by_service_records() {
        return ", by service records".to_owned();
    }
    if let Some((_, line)) = evidence.hosts_file(name) {
        return format!(", by line {line} of the hosts file");
    }
    let mut answers = evidence.resolver_answers(Some(name));
    let alias = answers.find_map(|(_, a)| a.aliases.last());
    match (alias, evidence.resolved_name(name)) {
        (Some(alias), Some(_)) => format!(", as an alias for {alias}"),
        (None, None) if !name.trim_end_matches('.').contains('.') => {
            "; a name without a dot needs a search suffix or the hosts file of this machine"
                .to_owned()
        }
        _ => String::new(),
    }
}

fn of_one(layer: Layer, name: &str, fact: &Fact) -> LayerJudgement {
    let host = chronaxis_model::redact::visible(name);
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
        Fact::LocalFailure { error } => fault(format!("this machine could not ask: {error}")),
        Fact::NameSilent { waited_us } => {
            fault(format!("{host}: no DNS answer")).taking(*waited_us)
        }
        _ => LayerJudgement::new(layer, Outcome::Untested, ""),
    }
}
