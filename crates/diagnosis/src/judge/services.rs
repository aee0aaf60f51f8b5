//! What a listener says of the services behind it.

use chronaxis_engines::by_id;
use chronaxis_model::fact::{
    Fact, Instance, InstanceOffered, InstanceState, ServiceOffered, ServicesOffered,
};

use super::evidence::Evidence;

/// Most names that a sentence holds.
const MOST_NAMED: usize = 8;

impl<'a> Evidence<'a> {
    /// The services that the listener offers, where it told them.
    pub fn services(self) -> Option<&'a ServicesOffered> {
        self.seen().find(|fact| match fact {
            Fact::ServicesListed(offered) => Some(&**offered),
            _ => None,
        })
    }

    /// The service that the settings ask for, as the listener lists it.
    pub fn service_offered(self) -> Option<&'a ServiceOffered> {
        let name = self.target.database.as_deref()?;
        self.services()?.find(name)
    }

    /// The instances of the service that may answer, where several may and nothing in the
    /// settings says which.
    pub fn instances_in_question(self) -> Vec<&'a str> {
        let pinned = by_id(self.target.engine).protocol.is_pinned(self.target);
        let Some(offered) = self.service_offered().filter(|_| !pinned) else {
            return Vec::new();
        };
        let may_answer = offered
            .instances
            .iter()
            .filter(|one| one.state == InstanceState::Ready);
        let names: Vec<&str> = may_answer.map(|one| one.name.as_str()).collect();
        match names.len() {
            0 | 1 => Vec::new(),
            _ => names,
        }
    }
}

/// How many services and instances are offered, as it follows who speaks.
pub(super) fn counted(offered: &ServicesOffered) -> String {
    let instances: std::collections::BTreeSet<&str> = offered
        .services
        .iter()
        .flat_map(|service| service.instances.iter().map(|one| one.name.as_str()))
        .collect();
    let many = |count: usize, word: &str| match count {
        1 => format!("1 {word}"),
        _ => format!("{count} {word}s"),
    };
    let least = if offered.complete { "" } else { "at least " };
    match offered.services.len() {
        0 => "; offers no service: none is registered".to_owned(),
        count => format!(
            "; offers {least}{} by {}",
            many(count, "service"),
            many(instances.len(), "instance")
        ),
    }
}

/// The name of an instance that has nothing else to be told by.
pub(super) fn instance_called(instance: &Instance) -> String {
    match (
        &instance.system_identifier,
        &instance.address,
        &instance.host,
    ) {
        (Some(name), None, None) if instance.port.is_none() => format!(", instance {name}"),
        _ => String::new(),
    }
}

/// The instances of a service, with how each stands.
pub fn instances(service: &ServiceOffered) -> String {
    let one = |one: &InstanceOffered| {
        let since = one.since.as_ref();
        let since = since.map_or_else(String::new, |since| format!(" since {since}"));
        format!("{} ({}{since})", one.name, one.state.as_str())
    };
    let each: Vec<String> = service.instances.iter().map(one).collect();
    match each.is_empty() {
        true => "no instance".to_owned(),
        false => each.join(", "),
    }
}

/// Names with commas between, no more than a sentence holds.
pub fn listed<'a>(names: impl Iterator<Item = &'a str>) -> String {
    let all: Vec<&str> = names.collect();
    let shown = all.get(..MOST_NAMED).unwrap_or(&all).join(", ");
    match all.len().saturating_sub(MOST_NAMED) {
        0 => shown,
        more => format!("{shown} and {more} more"),
    }
}
