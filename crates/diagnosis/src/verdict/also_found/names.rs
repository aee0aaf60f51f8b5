//! What the sources of names show beside the verdict.

use std::collections::BTreeSet;
use std::net::SocketAddr;

use chronaxis_model::fact::Fact;
use chronaxis_model::found::CauseId;
use chronaxis_model::layer::Layer;

use super::super::shape::AlsoFound;
use super::found;
use crate::judge::name_sources::{Sources, compare, listed};
use crate::judge::{Evidence, Judgement, MOST_HOSTS};

pub(super) fn collect(
    evidence: Evidence<'_>,
    judgement: &Judgement,
    cause: Option<CauseId>,
) -> Vec<AlsoFound> {
    let ends = evidence.ends();
    let names: BTreeSet<&str> = ends
        .iter()
        .take(MOST_HOSTS)
        .filter_map(|end| end.name())
        .collect();
    let mut out: Vec<AlsoFound> = names
        .iter()
        .filter_map(|name| difference(evidence, name))
        .filter(|(id, _)| Some(*id) != cause)
        .map(|(id, text)| found(id, Layer::Name, text))
        .collect();
    if judgement.status.works() || !judgement.paths.is_empty() {
        out.extend(silent_resolvers(evidence));
    }
    out
}

fn difference(evidence: Evidence<'_>, name: &str) -> Option<(CauseId, String)> {
    let name_shown = chronaxis_model::redact::visible(name);
    let sources = compare(evidence, name);
    let other = listed(sources.other());
    Some(match sources {
        Sources::One | Sources::Agree => return None,
        Sources::HostsFile { line, .. } => (
            CauseId::HostsFileOverride,
            format!("line {line} of the hosts file decides for {name_shown}; DNS gives {other}"),
        ),
        Sources::Resolvers { by, .. } => (
            CauseId::ResolversDisagree,
            format!(
                "resolver {} gives {other} for {name_shown}, another one does not",
                by.ip()
            ),
        ),
        Sources::System { by, .. } => (
            CauseId::ResolversDisagree,
            format!(
                "resolver {} gives {other} for {name_shown}, but this machine's lookup does not use it",
                by.ip()
            ),
        ),
        Sources::Remembered { .. } => (
            CauseId::StaleAddress,
            format!(
                "DNS now gives {other} for {name_shown}; this machine still uses the old address"
            ),
        ),
    })
}

/// Resolvers that say nothing while another one answers: each costs those who ask it first
/// some seconds.
fn silent_resolvers(evidence: Evidence<'_>) -> Vec<AlsoFound> {
    let answers: BTreeSet<SocketAddr> = evidence
        .resolver_answers(None)
        .map(|(resolver, _)| resolver)
        .collect();
    if answers.is_empty() {
        return Vec::new();
    }
    let mut silent: Vec<(SocketAddr, String)> = Vec::new();
    for (o, fact) in evidence.facts() {
        let (Some(resolver), Fact::ResolverSilent { waited_us, .. }) = (o.about.resolver, fact)
        else {
            continue;
        };
        if !answers.contains(&resolver) && silent.iter().all(|(known, _)| *known != resolver) {
            silent.push((resolver, waited_us.to_string()));
        }
    }
    silent
        .into_iter()
        .map(|(resolver, waited)| {
            let text = format!(
                "resolver {} did not answer for {waited}, while another one did",
                resolver.ip()
            );
            found(CauseId::NameServiceSilent, Layer::Name, text)
        })
        .collect()
}
