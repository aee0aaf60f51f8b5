//! Whether a session is one in which the program that was described can work.

use chronaxis_engines::by_id;
use chronaxis_model::endpoint::Endpoint;
use chronaxis_model::fact::{Fact, IdleEnd, IdleSession, Instance, Repeats, SchemaSeen, Subject};

use super::evidence::Evidence;
use super::path::PathView;
use super::symptom::Symptom;

/// How a schema on the search path stands.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum SchemaStands {
    /// It is there, and may be used.
    Usable,
    /// It is not there.
    Missing,
    /// It is there, and may not be used.
    Closed,
}

/// The schemas of the session's search path, and how they stand; the server's own are left
/// out, and the one that is called like the user where there is none.
pub fn schemas_on_path(instance: &Instance) -> Vec<(String, SchemaStands)> {
    let Some(around) = &instance.surroundings else {
        return Vec::new();
    };
    let (Some(all), Some(path)) = (&around.schemas, &around.search_path) else {
        return Vec::new();
    };
    let seen = |name: &str| all.iter().find(|one| one.name.as_str() == name);
    let stands = |found: Option<&SchemaSeen>| match found {
        None => SchemaStands::Missing,
        Some(one) if one.may_use => SchemaStands::Usable,
        Some(_) => SchemaStands::Closed,
    };
    let mut out = Vec::new();
    for part in path.as_str().split(',') {
        let quoted = part.trim();
        let bare = quoted
            .strip_prefix('"')
            .and_then(|rest| rest.strip_suffix('"'));
        let name = bare.map_or_else(|| quoted.to_lowercase(), |name| name.replace("\"\"", "\""));
        let of_user = name == "$user";
        let name = match of_user {
            true => instance.user.as_str().to_owned(),
            false => name,
        };
        let found = seen(&name);
        let own = name.is_empty() || name.starts_with("pg_") || name == "information_schema";
        if !(own || of_user && found.is_none()) {
            out.push((name, stands(found)));
        }
    }
    out
}

/// Why a program could not work in it: it is another server than the one that is meant, or of
/// the schemas that its settings name none is usable.
pub(super) fn symptom(evidence: Evidence<'_>, instance: &Instance) -> Option<Symptom> {
    let meant = evidence.scope.expect.as_deref();
    if meant.is_some_and(|text| {
        let place = evidence
            .facts()
            .any(|(seen, fact)| matches!(fact, Fact::Instance(_)) && is_place(&seen.about, text));
        instance.is_called(text) == Some(false) && !place
    }) {
        return Some(Symptom::SessionOtherInstance);
    }
    let target = evidence.target;
    if !by_id(target.engine).strings.names_schema(target) {
        return None;
    }
    let path = schemas_on_path(instance);
    let any = |stands: SchemaStands| path.iter().any(|(_, one)| *one == stands);
    if path.is_empty() || any(SchemaStands::Usable) {
        return None;
    }
    Some(match any(SchemaStands::Closed) {
        true => Symptom::SessionNoPrivileges,
        false => Symptom::SessionNoSchema,
    })
}

/// What of the search path cannot be used, and what there is.
pub(super) fn unusable(instance: &Instance) -> String {
    let path = schemas_on_path(instance);
    let words = path.iter().map(|(name, stands)| match stands {
        SchemaStands::Closed => format!("schema {name} may not be used"),
        _ => format!("there is no schema {name}"),
    });
    let words: Vec<String> = words.collect();
    let usable: Vec<&str> = schemas(instance)
        .filter(|one| one.may_use)
        .map(|one| one.name.as_str())
        .take(6)
        .collect();
    let there = match usable.is_empty() {
        true => String::new(),
        false => format!("; there is {}", usable.join(", ")),
    };
    format!(", {}{there}", words.join(", "))
}

/// The schemas of the database.
fn schemas(instance: &Instance) -> impl Iterator<Item = &SchemaSeen> {
    let around = instance.surroundings.iter();
    around.flat_map(|around| around.schemas.iter().flatten())
}

/// Whether instances answered in turn that are not one, or others than the one that is meant:
/// a primary and its replicas are one.
pub(super) fn met_others(evidence: Evidence<'_>, repeats: &Repeats) -> Option<Symptom> {
    if let Some(meant) = evidence.scope.expect.as_deref() {
        let others = repeats.instances.iter().any(|met| {
            let names = [Some(met.id.as_str()), met.name.as_ref().map(|n| n.as_str())];
            let place = met.address.as_str();
            let host = place.rsplit_once(':').map_or(place, |(host, _)| host);
            let known = names.into_iter().flatten().chain([place, host]);
            !met.id.as_str().is_empty() && !known.into_iter().any(|n| n.eq_ignore_ascii_case(meant))
        });
        return others.then_some(Symptom::SessionOtherInstance);
    }
    let mut writable: Vec<&str> = repeats
        .instances
        .iter()
        .filter(|met| !met.read_only && !met.id.as_str().is_empty())
        .map(|met| met.id.as_str())
        .collect();
    writable.sort_unstable();
    writable.dedup();
    (writable.len() > 1).then_some(Symptom::SessionOtherInstance)
}

/// What several sessions, or a long one, add to the summary of a session.
pub(super) fn lasting(view: &PathView<'_>) -> String {
    let words = view.all(|fact| match fact {
        Fact::Repeated(all) => {
            let ids = all.instances.iter().map(|met| met.id.as_str());
            let different: std::collections::BTreeSet<&str> = ids.collect();
            let instances = match different.len() {
                0 | 1 => "one instance".to_owned(),
                many => format!("{many} instances"),
            };
            Some(format!(
                "{} of {} attempts worked, {instances}",
                all.working, all.runs
            ))
        }
        Fact::KeptIdle(idle) => Some(of_idle(idle)),
        _ => None,
    });
    words.into_iter().map(|word| format!("; {word}")).collect()
}

fn of_idle(idle: &IdleSession) -> String {
    let after = idle.ended_us.unwrap_or(idle.survived_us);
    match &idle.end {
        IdleEnd::Lived => format!("still good after {after} idle"),
        IdleEnd::Silent => format!("dead after {after} idle: no answer any more"),
        IdleEnd::Closed { reset: true } => format!("reset after {after} idle"),
        IdleEnd::Closed { reset: false } => format!("closed after {after} idle"),
        IdleEnd::Said { code, .. } => format!("ended by the server after {after} idle ({code})"),
    }
}

/// Whether a text is the place that a fact is about: its address, with its port or without.
fn is_place(about: &Subject, text: &str) -> bool {
    let Some(place) = Endpoint::of(about) else {
        return false;
    };
    let ip = place.ip().map(|ip| ip.to_string());
    place.to_string() == text || ip.is_some_and(|ip| ip == text)
}
