//! What works, and will be in somebody's way all the same: a replica, and waits that a
//! client with less patience does not have.

use chronaxis_engines::by_id;
use chronaxis_model::fact::{Fact, Instance};
use chronaxis_model::found::{CauseId, Warning};
use chronaxis_model::layer::{Layer, Micros};

use super::{caution, found};
use crate::judge::services::listed;
use crate::judge::{Evidence, Judgement, PathView, SchemaStands, schemas_on_path};
use crate::verdict::shape::AlsoFound;

/// A wait that somebody notices at every start of a program.
const SLOW: Micros = Micros::from_millis(1_000);

pub(super) fn collect(evidence: Evidence<'_>, judgement: &Judgement) -> Vec<AlsoFound> {
    if !judgement.status.works() {
        return Vec::new();
    }
    let mut out: Vec<AlsoFound> = slow_names(evidence).collect();
    let decisive = judgement.decisive.and_then(|i| judgement.paths.get(i));
    if let Some(path) = decisive {
        let view = PathView::new(evidence, &path.endpoint);
        out.extend(slow_greeting(&view));
        out.extend(read_only(&view));
        out.extend(schemas(&view));
        out.extend(nearly_full(&view));
        out.extend(sometimes(&view));
        out.extend(in_turn(evidence, &view));
    }
    out.extend(nothing_yet(evidence));
    out
}

/// A service that several instances offer, where nothing says which is meant.
fn in_turn(evidence: Evidence<'_>, view: &PathView<'_>) -> Option<AlsoFound> {
    let names = evidence.instances_in_question();
    let asked = |fact: &Fact| match fact {
        Fact::Redirected(_) | Fact::LoggedIn { .. } => Some(()),
        _ => None,
    };
    view.find(asked).filter(|()| !names.is_empty())?;
    let service = evidence.target.database.as_deref().unwrap_or_default();
    let text = format!(
        "{} is offered by {}, and the settings do not say which is meant (instance=NAME); --repeat shows which of them answer",
        chronaxis_model::redact::visible(service),
        listed(names.into_iter())
    );
    Some(found(CauseId::ServiceAmbiguous, Layer::Listener, text))
}

/// A listener with which nothing is registered.
fn nothing_yet(evidence: Evidence<'_>) -> Option<AlsoFound> {
    let offered = evidence.services()?;
    let text = "no instance is registered with this listener: it offers no service".to_owned();
    offered
        .services
        .is_empty()
        .then(|| found(CauseId::ServiceNotReady, Layer::Listener, text))
}

/// A resolver that does not answer costs every start some seconds, before another one does.
fn slow_names(evidence: Evidence<'_>) -> impl Iterator<Item = AlsoFound> {
    evidence.facts().filter_map(move |(o, fact)| {
        let Fact::NameResolved { elapsed_us, .. } = fact else {
            return None;
        };
        let name = chronaxis_model::redact::visible(o.about.name.as_deref()?).to_string();
        let slow = elapsed_us.since(evidence.ran_late()) >= SLOW;
        let text = format!(
            "looking up {name} takes {elapsed_us} for every connection: a resolver that this machine asks first does not answer in time"
        );
        slow.then(|| found(CauseId::NameServiceSilent, Layer::Name, text))
    })
}

fn slow_greeting(view: &PathView<'_>) -> Option<AlsoFound> {
    let elapsed = view.find(|fact| match fact {
        Fact::SpokeProtocol { elapsed_us } => Some(*elapsed_us),
        _ => None,
    })?;
    let text = format!(
        "the server took {elapsed} to answer the first request; clients with a shorter timeout give up"
    );
    let slow = elapsed.since(view.evidence.ran_late()) >= SLOW;
    slow.then(|| found(CauseId::ServerSlowToGreet, Layer::Listener, text))
}

/// A replica, where the settings say nothing of what is wanted.
fn read_only(view: &PathView<'_>) -> Option<AlsoFound> {
    let instance = view.find(|fact| match fact {
        Fact::Instance(instance) => Some(instance),
        _ => None,
    })?;
    let text = match (instance.in_recovery, instance.read_only) {
        _ if !view.takes_any() => return None,
        (true, _) => "this server is a replica: it accepts no writes",
        (false, true) => "this server is read-only by default: it refuses writes",
        (false, false) => return None,
    };
    Some(found(
        CauseId::ReadOnlyInstance,
        Layer::Session,
        text.to_owned(),
    ))
}

fn instance<'a>(view: &PathView<'a>) -> Option<&'a Instance> {
    view.find(|fact| match fact {
        Fact::Instance(instance) => Some(&**instance),
        _ => None,
    })
}

/// A search path on which something is missing, or nothing can be used.
fn schemas(view: &PathView<'_>) -> Vec<AlsoFound> {
    let Some(instance) = instance(view) else {
        return Vec::new();
    };
    let target = view.evidence.target;
    let named = by_id(target.engine).strings.names_schema(target);
    let path = schemas_on_path(instance);
    let usable = path
        .iter()
        .any(|(_, stands)| *stands == SchemaStands::Usable);
    let user = &instance.user;
    let found = path.iter().filter_map(|(name, stands)| match stands {
        SchemaStands::Missing if named => Some(found(
            CauseId::SchemaMissing,
            Layer::Session,
            format!("there is no schema {name} in this database, though the settings name it"),
        )),
        SchemaStands::Closed if named || !usable => Some(found(
            CauseId::PrivilegesMissing,
            Layer::Session,
            format!("{user} may not use the schema {name}"),
        )),
        _ => None,
    });
    found.collect()
}

/// From so many hundredths of the connections on, few are left.
const NEARLY_FULL: u64 = 90;

fn nearly_full(view: &PathView<'_>) -> Option<AlsoFound> {
    let around = instance(view)?.surroundings.as_ref()?;
    let places = around.connections?;
    let allowed = places
        .allowed?
        .checked_sub(around.reserved.unwrap_or_default())?;
    let full = u64::from(places.used) * 100 >= u64::from(allowed) * NEARLY_FULL;
    let text = format!(
        "{} of the {allowed} connections that the server has for everybody are in use",
        places.used
    );
    full.then(|| found(CauseId::ServerFull, Layer::Listener, text))
}

/// Some of many tries failed.
fn sometimes(view: &PathView<'_>) -> Option<AlsoFound> {
    let all = view.find(|fact| match fact {
        Fact::Repeated(all) => Some(all),
        _ => None,
    })?;
    let failed = all.runs.saturating_sub(all.working);
    let how = all
        .failures
        .iter()
        .map(|one| format!("{} times {}", one.times, one.what));
    let how: Vec<String> = how.collect();
    let detail = format!("{failed} of {}: {}", all.runs, how.join(", "));
    (failed > 0).then(|| caution(Warning::SometimesFailing, Layer::Session, &detail))
}
