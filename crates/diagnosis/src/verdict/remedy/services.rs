//! What to do where the listener does not open a service.

use chronaxis_model::fact::{Fact, RedirectTrouble};
use chronaxis_model::found::CauseId;
use chronaxis_model::redact::visible;
use chronaxis_model::settings::nearest;
use chronaxis_model::sourced::Origin;

use crate::judge::PathView;
use crate::judge::services::{instances, listed};

/// What is known of the listener beyond the cause.
pub(super) fn fix(view: &PathView<'_>, cause: CauseId) -> Option<String> {
    match cause {
        CauseId::ServiceUnknown => unknown(view),
        CauseId::ServiceNotReady => not_ready(view),
        CauseId::ServiceAmbiguous => {
            let names = view.evidence.instances_in_question();
            let first = names.first()?;
            Some(format!(
                "Name the instance that is meant in the settings, for example instance={first}; the service is offered by {}. Or have the others register a service name of their own.",
                listed(names.iter().copied())
            ))
        }
        CauseId::RedirectUnreachable => circle(view),
        _ => None,
    }
}

/// Where the addresses themselves are the fault, wherever one stands.
fn circle(view: &PathView<'_>) -> Option<String> {
    let trouble = view.find(|fact| match fact {
        Fact::RedirectNotFollowed { trouble } => Some(*trouble),
        _ => None,
    })?;
    Some(match trouble {
        RedirectTrouble::Circle | RedirectTrouble::TooOften => {
            "Correct the addresses under which the instances are registered: each must be the place of the instance itself, not of another listener."
                .to_owned()
        }
        RedirectTrouble::NoPlace => {
            "Correct the address under which the instance is registered: a host name or an address, and a port from 1 to 65535."
                .to_owned()
        }
    })
}

/// What it offers, near names first, and where the name in the settings comes from.
fn unknown(view: &PathView<'_>) -> Option<String> {
    let evidence = view.evidence;
    let offered = evidence.services()?;
    let name = evidence.target.database.as_deref()?;
    let place = evidence.target.origins.get("database");
    let place = place.filter(|origin| !matches!(origin, Origin::Default { .. }));
    let place = place.map_or_else(String::new, |origin| format!(" ({})", origin.shown()));
    if let Some(service) = offered.find(name) {
        let pinned = pinned(view).unwrap_or_default();
        return Some(format!(
            "Correct the name of the instance: {} is offered by {}, not by {}.",
            visible(name),
            instances(service),
            visible(&pinned)
        ));
    }
    let names = || offered.services.iter().map(|s| s.name.as_str());
    let near = nearest(name, names());
    let others = names().filter(|other| near != Some(*other));
    let all = listed(near.into_iter().chain(others));
    Some(match near {
        Some(near) => format!(
            "Write {near} for {} in the settings{place}, if that is meant. The listener offers: {all}.",
            visible(name)
        ),
        None if offered.services.is_empty() => {
            "Start the instance, and check that it registers with this listener.".to_owned()
        }
        None => format!(
            "Correct {} in the settings{place}, or have its instance register it with this listener. The listener offers: {all}.",
            visible(name)
        ),
    })
}

fn not_ready(view: &PathView<'_>) -> Option<String> {
    let offered = view.evidence.services()?;
    if offered.services.is_empty() {
        return Some(
            "Start the instance, and check that it registers with this listener: nothing is registered there."
                .to_owned(),
        );
    }
    let service = view.evidence.service_offered()?;
    Some(format!(
        "Start the instance, or open it for all users. The listener says of {}: {}.",
        service.name,
        instances(service)
    ))
}

/// The instance for which was asked.
fn pinned(view: &PathView<'_>) -> Option<String> {
    let target = view.evidence.target;
    let protocol = chronaxis_engines::by_id(target.engine).protocol;
    let redirected = view.find(|fact| match fact {
        Fact::Redirected(redirect) => Some(redirect.instance.to_string()),
        _ => None,
    });
    protocol.pinned(target).map(str::to_owned).or(redirected)
}
