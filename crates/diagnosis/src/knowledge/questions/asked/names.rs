//! Questions about names: their sources against each other.

use chronaxis_model::endpoint::Endpoint;
use chronaxis_model::fact::{AnswerTrouble, Fact, Knocked, RecordKind};
use chronaxis_model::layer::Layer;

use super::super::{Answer, answers};
use super::answer;
use crate::judge::name_sources::{Sources, compare, listed};
use crate::judge::{PathView, Symptom};

/// The names on which this path, or this symptom, turns.
fn names_of(view: &PathView<'_>, symptom: Symptom) -> Vec<String> {
    let evidence = view.evidence;
    let ends = evidence.ends();
    if symptom.layer() > Layer::Name {
        let way = evidence
            .ways()
            .into_iter()
            .find(|w| w.endpoint == view.endpoint);
        let name = way.and_then(|w| Some(ends.get(w.host)?.name()?.to_owned()));
        return name.into_iter().collect();
    }
    let told = ends.iter().filter_map(|end| end.name());
    let lost = told.filter(|name| evidence.resolved_name(name).is_none());
    lost.map(str::to_owned).collect()
}

/// Whether one of these addresses connects on a port of the target.
fn connects(view: &PathView<'_>, other: &[std::net::IpAddr]) -> Option<std::net::IpAddr> {
    view.evidence.facts().find_map(|(o, fact)| match fact {
        Fact::ControlPort {
            answer: Knocked::Connected,
            ..
        } => o.about.address.filter(|ip| other.contains(ip)),
        _ => None,
    })
}

pub(in crate::knowledge::questions) fn sources(
    view: &PathView<'_>,
    symptom: Symptom,
) -> Option<Answer> {
    let names = names_of(view, symptom);
    let nothing = || {
        answer(
            answers::NameSources::Nothing,
            "there is only one source for the address",
        )
    };
    let Some(name) = names.first() else {
        return nothing();
    };
    let shown = chronaxis_model::redact::visible(name);
    let sources = compare(view.evidence, name);
    let working = connects(view, sources.other());
    let proof = match working {
        Some(ip) => format!("; {ip} connects on this port"),
        None => String::new(),
    };
    let used = view.evidence.resolved_name(name);
    let lost = used.is_none();
    let used = listed(used.unwrap_or_default());
    match &sources {
        Sources::One => nothing(),
        Sources::Agree => answer(
            answers::NameSources::Agree,
            format!("all sources give the same address for {shown}"),
        ),
        Sources::HostsFile { line, other } => {
            let word = match working {
                Some(_) => answers::NameSources::HostsFileHides,
                None => answers::NameSources::HostsFileDiffers,
            };
            let text = format!(
                "line {line} of the hosts file gives {used}; DNS gives {}{proof}",
                listed(other)
            );
            answer(word, text)
        }
        Sources::Resolvers { by, other } => {
            let word = match working.is_some() || lost {
                true => answers::NameSources::ResolversHide,
                false => answers::NameSources::ResolversDiffer,
            };
            let in_use = match lost {
                true => "no address".to_owned(),
                false => used,
            };
            let text = format!(
                "resolver {} gives {} for {shown}, and the one in use gives {in_use}{proof}",
                by.ip(),
                listed(other)
            );
            answer(word, text)
        }
        Sources::System { by, other } => {
            let text = format!(
                "resolver {} gives {} for {shown}, but this machine's own lookup finds nothing{proof}",
                by.ip(),
                listed(other)
            );
            answer(answers::NameSources::SystemHides, text)
        }
        Sources::Remembered { other } => {
            let word = match working {
                Some(_) => answers::NameSources::CacheHides,
                None => answers::NameSources::CacheDiffers,
            };
            let text = format!(
                "this machine uses {used}, which is no longer in DNS; DNS gives {}{proof}",
                listed(other)
            );
            answer(word, text)
        }
    }
}

pub(in crate::knowledge::questions) fn alias_chain(
    view: &PathView<'_>,
    symptom: Symptom,
) -> Option<Answer> {
    let names = names_of(view, symptom);
    let evidence = view.evidence;
    let broken = evidence
        .resolver_answers(None)
        .find(|(_, a)| a.chain_breaks());
    if let Some((_, one)) = broken {
        let last = one.aliases.last().map_or("", |name| name.as_str());
        let text = match one.circle {
            true => format!("the aliases of {} form a circle", visible(&one.asked)),
            false => format!(
                "{} is an alias for {last}, which does not exist",
                visible(&one.asked)
            ),
        };
        return answer(answers::AliasChain::Breaks, text);
    }
    let followed = evidence.resolver_answers(None).find_map(|(by, a)| {
        let last = a.aliases.last()?;
        let mut ends = evidence.resolver_answers(None);
        let denied = ends.any(|(other, b)| {
            other == by && b.denies() && b.asked == last.as_str() && b.asked != a.asked
        });
        denied.then(|| (a.asked.clone(), last.clone()))
    });
    if let Some((asked, last)) = followed {
        let text = format!(
            "{} is an alias for {last}, which does not exist",
            visible(&asked)
        );
        return answer(answers::AliasChain::Breaks, text);
    }
    let places = evidence.service_hosts();
    let lost = names.iter().find(|name| places.contains(name));
    if let Some(name) = lost.filter(|_| symptom.layer() == Layer::Name) {
        let text = format!(
            "a service record points to {}, which has no address",
            visible(name)
        );
        return answer(answers::AliasChain::Breaks, text);
    }
    answer(
        answers::AliasChain::Whole,
        "no alias or service record points to a missing name",
    )
}

fn visible(text: &str) -> String {
    chronaxis_model::redact::visible(text)
}

pub(in crate::knowledge::questions) fn near_names(
    view: &PathView<'_>,
    _: Symptom,
) -> Option<Answer> {
    let asked: Vec<(&str, bool, bool)> = view
        .evidence
        .facts()
        .filter_map(|(_, fact)| match fact {
            Fact::NearNameAsked {
                asked,
                control,
                exists,
            } => Some((asked.as_str(), *control, *exists)),
            _ => None,
        })
        .collect();
    if asked.iter().any(|(_, control, exists)| *control && *exists) {
        return answer(
            answers::NearNames::Everything,
            "this resolver says that every name exists, so similar names prove nothing",
        );
    }
    let near: Vec<String> = asked
        .iter()
        .filter(|(_, control, exists)| !control && *exists)
        .map(|(name, ..)| visible(name))
        .collect();
    match (near.is_empty(), asked.len()) {
        (_, 0) => None,
        (true, count) => {
            let count = count - asked.iter().filter(|(_, control, _)| *control).count();
            let text = format!(
                "none of {count} similar names exists either (tried: {})",
                crate::near_names::LOOKED_FOR
            );
            answer(answers::NearNames::None, text)
        }
        (false, _) => answer(
            answers::NearNames::Exists,
            format!("a similar name exists: {}", near.join(", ")),
        ),
    }
}

/// What resolvers say that were asked one by one.
pub(in crate::knowledge::questions) fn resolver_word(
    view: &PathView<'_>,
    symptom: Symptom,
) -> Option<Answer> {
    if symptom.layer() != Layer::Name {
        return None;
    }
    let names = names_of(view, symptom);
    let about = |name: Option<&str>| name.is_some_and(|n| names.iter().any(|lost| lost == n));
    let mut facts: Vec<_> = view
        .evidence
        .facts()
        .filter(|(o, _)| about(o.about.name.as_deref()))
        .filter_map(|(o, fact)| Some((o.about.resolver?, fact)))
        .collect();
    facts.sort_by_key(|(resolver, _)| *resolver);
    let found = |pick: &dyn Fn(&Fact) -> Option<String>| {
        facts
            .iter()
            .find_map(|(resolver, fact)| Some((resolver.ip(), pick(fact)?)))
    };
    let failed = found(&|fact| match fact {
        Fact::ResolverAnswered(a) if !a.is_clear() => Some(a.code.clone()),
        _ => None,
    });
    if let Some((by, code)) = failed {
        return answer(
            answers::ResolverWord::Failed,
            format!("resolver {by} answers {code}"),
        );
    }
    let garbled = found(&|fact| match fact {
        Fact::ResolverGarbled { trouble, .. } => Some(AnswerTrouble::text(*trouble).to_owned()),
        _ => None,
    });
    if let Some((by, what)) = garbled {
        return answer(
            answers::ResolverWord::Garbled,
            format!("resolver {by}: {what}"),
        );
    }
    let denied = found(&|fact| match fact {
        Fact::ResolverAnswered(a) if a.denies() => Some(match &a.zone {
            Some(zone) => format!("denies the name, for zone {zone}"),
            None => "denies the name".to_owned(),
        }),
        _ => None,
    });
    if let Some((by, what)) = denied {
        return answer(
            answers::ResolverWord::Denied,
            format!("resolver {by} {what}"),
        );
    }
    let unreached = found(&|fact| match fact {
        Fact::ResolverSilent { waited_us, .. } => Some(format!("is silent for {waited_us}")),
        Fact::ResolverUnreachable {
            icmp: Some(icmp), ..
        } => Some(format!(
            "cannot be reached: {}, says {}",
            icmp.title(),
            icmp.sender
        )),
        Fact::ResolverUnreachable { error, .. } => Some(format!("cannot be reached ({error})")),
        _ => None,
    });
    let gives = found(&|fact| match fact {
        Fact::ResolverAnswered(a) if !a.addresses.is_empty() => Some(String::new()),
        _ => None,
    });
    let empty = found(&|fact| match fact {
        Fact::ResolverAnswered(a)
            if a.addresses.is_empty() && a.services.is_empty() && a.kind != RecordKind::Txt =>
        {
            Some("knows the name but has no address for it".to_owned())
        }
        _ => None,
    });
    if facts.is_empty() && view.evidence.has_no_resolver() {
        return answer(
            answers::ResolverWord::Silent,
            "no resolver is configured on this machine",
        );
    }
    match (empty.filter(|_| gives.is_none()), unreached) {
        (Some((by, what)), None) => answer(
            answers::ResolverWord::Empty,
            format!("resolver {by} {what}"),
        ),
        (None, Some((by, what))) => answer(
            answers::ResolverWord::Silent,
            format!("resolver {by} {what}"),
        ),
        _ => None,
    }
}

/// Whether this endpoint is an address that the target names itself.
pub(in crate::knowledge::questions) fn private_way(
    view: &PathView<'_>,
    _: Symptom,
) -> Option<Answer> {
    use chronaxis_model::reserved_ranges::{is_private, same_site};
    let to = match &view.endpoint {
        Endpoint::Tcp(to) => to.ip(),
        Endpoint::Socket(_) => {
            return answer(answers::PrivateWay::Public, "it does not go over a network");
        }
    };
    if !is_private(to) {
        return answer(
            answers::PrivateWay::Public,
            format!("{to} is no private address"),
        );
    }
    let public = view.evidence.facts().find_map(|(o, fact)| match fact {
        Fact::PathStep { by: Some(by), .. }
            if o.about.address == Some(to) && *by != to && !is_private(*by) =>
        {
            Some(*by)
        }
        Fact::PortUnreachable {
            icmp: Some(icmp), ..
        } if o.about.address == Some(to) && !is_private(icmp.sender) => Some(icmp.sender),
        _ => None,
    });
    if let Some(by) = public.filter(|by| !by.is_loopback()) {
        let text = format!("{to} is private, and packets to it reach {by}, outside the network");
        return answer(answers::PrivateWay::IntoPublic, text);
    }
    let way = view.find(|fact| match fact {
        Fact::RouteFound { source, prefix, .. } => Some((*source, *prefix)),
        _ => None,
    });
    match way {
        Some((source, _)) if !is_private(source) && !source.is_loopback() => answer(
            answers::PrivateWay::IntoPublic,
            format!("{to} is private, and packets to it leave from the public {source}"),
        ),
        Some((source, Some(0))) if !same_site(source, to) => answer(
            answers::PrivateWay::DefaultWay,
            format!("{to} is private, and leaves from {source} by the default route"),
        ),
        _ => answer(
            answers::PrivateWay::OwnNetwork,
            format!("{to} is an address of this network"),
        ),
    }
}
