//! What to do where the listener does not open a service.

use chronaxis_model::fact::{
    Fact, InstanceOffered, InstanceState, RedirectTrouble, ServiceOffered,
};
use chronaxis_model::found::CauseId;
use chronaxis_model::redact::visible;
use chronaxis_model::settings::nearest;
use chronaxis_model::sourced::Origin;

use crate::judge::services::{instances, listed};
use crate::judge::{PathView, WrongAddress, registered_wrongly};

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
        CauseId::RedirectUnreachable => registration(view),
        _ => None,
    }
}

/// Where the addresses themselves are the fault, wherever one stands.
fn registration(view: &PathView<'_>) -> Option<String> {
    Some(match registered_wrongly(view)? {
        WrongAddress::LeadsNowhere(RedirectTrouble::NoPlace) => {
            "Correct the address under which the instance is registered: a host name or an address, and a port from 1 to 65535."
                .to_owned()
        }
        WrongAddress::LeadsNowhere(_) => {
            "Correct the addresses under which the instances are registered: each must be the place of the instance itself, not of another listener."
                .to_owned()
        }
        WrongAddress::LeadsHome(redirect) => format!(
            "Correct the address under which the instance is registered: {} is, for every client, its own machine. Register one that clients can reach.",
            visible(redirect.host.as_str())
        ),
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
    let asked = pinned(view);
    let is_asked = |one: &&InstanceOffered| {
        asked
            .as_deref()
            .is_none_or(|name| name == one.name.as_str())
    };
    let mut states = service.instances.iter().filter(is_asked).map(|i| i.state);
    let first = states.next();
    let state = first.filter(|state| states.all(|other| other == *state));
    let what = match state {
        Some(InstanceState::Starting) => {
            "Wait until the instance has started; if that takes long, its own log says what it waits for."
        }
        Some(InstanceState::Restricted) => {
            "Open the instance for all users, or sign in with a role that it takes meanwhile."
        }
        Some(InstanceState::Stopped) => "Start the instance.",
        _ => "Start the instance, or open it for all users.",
    };
    Some(format!(
        "{what}{} The listener says of {}: {}.",
        ready_beside(view, service).unwrap_or_default(),
        service.name,
        instances(service)
    ))
}

/// Another instance that takes connections, where the settings themselves ask for this one.
fn ready_beside(view: &PathView<'_>, service: &ServiceOffered) -> Option<String> {
    let target = view.evidence.target;
    target.origins.get("instance")?;
    let protocol = chronaxis_engines::by_id(target.engine).protocol;
    let asked = protocol.pinned(target)?;
    let ready =
        |one: &&InstanceOffered| one.state == InstanceState::Ready && one.name.as_str() != asked;
    let other = service.instances.iter().find(ready)?;
    Some(format!(
        " If any instance will do, leave out instance={} in the settings: {} is ready.",
        visible(asked),
        visible(other.name.as_str())
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
