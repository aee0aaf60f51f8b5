//! Questions about names: their sources against each other.

use super::super::Answer;
use super::answer;
use crate::endpoint::Endpoint;
use crate::fact::{AnswerTrouble, Fact, Knocked, RecordKind};
use crate::judge::name_sources::{Sources, compare, listed};
use crate::judge::{PathView, Symptom};
use crate::layer::Layer;

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

pub(super) fn sources(view: &PathView<'_>, symptom: Symptom) -> Option<Answer> {
    let names = names_of(view, symptom);
    let nothing = || answer("nothing", "there is one source for where to go");
    let Some(name) = names.first() else {
        return nothing();
    };
    let shown = crate::redact::visible(name);
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
        Sources::Agree => answer("agree", format!("all sources give the same for {shown}")),
        Sources::HostsFile { line, other } => {
            let word = match working {
                Some(_) => "hosts-file-hides",
                None => "hosts-file-differs",
            };
            let text = format!(
                "line {line} of the hosts file gives {used}; name service gives {}{proof}",
                listed(other)
            );
            answer(word, text)
        }
        Sources::Resolvers { by, other } => {
            let word = match working.is_some() || lost {
                true => "resolvers-hide",
                false => "resolvers-differ",
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
                "resolver {} gives {} for {shown}, and this machine's system says that there is none{proof}",
                by.ip(),
                listed(other)
            );
            answer("system-hides", text)
        }
        Sources::Remembered { other } => {
            let word = match working {
                Some(_) => "cache-hides",
                None => "cache-differs",
            };
            let text = format!(
                "this machine goes by {used}, which name service no longer gives; it gives {}{proof}",
                listed(other)
            );
            answer(word, text)
        }
    }
}

pub(super) fn alias_chain(view: &PathView<'_>, symptom: Symptom) -> Option<Answer> {
    let names = names_of(view, symptom);
    let evidence = view.evidence;
    let broken = evidence
        .resolver_answers(None)
        .find(|(_, a)| a.chain_breaks());
    if let Some((_, one)) = broken {
        let last = one.aliases.last().map_or("", |name| name.as_str());
        let text = match one.circle {
            true => format!("the aliases of {} lead in a circle", visible(&one.asked)),
            false => format!(
                "{} is an alias for {last}, which does not exist",
                visible(&one.asked)
            ),
        };
        return answer("breaks", text);
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
        return answer("breaks", text);
    }
    let places = evidence.service_hosts();
    let lost = names.iter().find(|name| places.contains(name));
    if let Some(name) = lost.filter(|_| symptom.layer() == Layer::Name) {
        let text = format!(
            "a service record leads to {}, which has no address",
            visible(name)
        );
        return answer("breaks", text);
    }
    answer("whole", "no alias or service record leads into the void")
}

fn visible(text: &str) -> String {
    crate::redact::visible(text)
}

pub(super) fn near_names(view: &PathView<'_>) -> Option<Answer> {
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
            "everything",
            "this name service says of every name that it exists: near ones prove nothing",
        );
    }
    let near: Vec<String> = asked
        .iter()
        .filter(|(_, control, exists)| !control && *exists)
        .map(|(name, ..)| visible(name))
        .collect();
    match (near.is_empty(), asked.len()) {
        (_, 0) => None,
        (true, _) => answer("none", "no name near it exists either"),
        (false, _) => answer("exists", format!("near it there is {}", near.join(", "))),
    }
}

/// What resolvers say that were asked one by one.
pub(super) fn resolver_word(view: &PathView<'_>, symptom: Symptom) -> Option<Answer> {
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
        return answer("failed", format!("resolver {by} answers {code}"));
    }
    let garbled = found(&|fact| match fact {
        Fact::ResolverGarbled { trouble, .. } => Some(AnswerTrouble::text(*trouble).to_owned()),
        _ => None,
    });
    if let Some((by, what)) = garbled {
        return answer("garbled", format!("resolver {by}: {what}"));
    }
    let denied = found(&|fact| match fact {
        Fact::ResolverAnswered(a) if a.denies() => Some(match &a.zone {
            Some(zone) => format!("denies the name, for zone {zone}"),
            None => "denies the name".to_owned(),
        }),
        _ => None,
    });
    if let Some((by, what)) = denied {
        return answer("denied", format!("resolver {by} {what}"));
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
            Some("knows the name, and no address for it".to_owned())
        }
        _ => None,
    });
    if facts.is_empty() && view.evidence.has_no_resolver() {
        return answer("silent", "this machine is set up to ask no resolver");
    }
    match (empty.filter(|_| gives.is_none()), unreached) {
        (Some((by, what)), None) => answer("empty", format!("resolver {by} {what}")),
        (None, Some((by, what))) => answer("silent", format!("resolver {by} {what}")),
        _ => None,
    }
}

/// Whether this endpoint is an address that the target names itself.
pub(super) fn private_way(view: &PathView<'_>) -> Option<Answer> {
    use crate::special::{is_private, same_site};
    let to = match &view.endpoint {
        Endpoint::Tcp(to) => to.ip(),
        Endpoint::Socket(_) => return answer("public", "it does not go over a network"),
    };
    if !is_private(to) {
        return answer("public", format!("{to} is no private address"));
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
        let text = format!("{to} is private, and packets to it come to {by}, outside");
        return answer("into-public", text);
    }
    let way = view.find(|fact| match fact {
        Fact::RouteFound { source, prefix, .. } => Some((*source, *prefix)),
        _ => None,
    });
    match way {
        Some((source, _)) if !is_private(source) && !source.is_loopback() => answer(
            "into-public",
            format!("{to} is private, and packets to it leave from the public {source}"),
        ),
        Some((source, Some(0))) if !same_site(source, to) => answer(
            "default-way",
            format!("{to} is private, and leaves from {source} by the default route"),
        ),
        _ => answer("own-network", format!("{to} is an address of this site")),
    }
}
