//! What the listener says of the services behind it.

use chronaxis_model::fact::Fact;

use super::super::{Answer, answers};
use super::answer;
use crate::judge::services::{instances, listed};
use crate::judge::{PathView, Symptom};

pub(in crate::knowledge::questions) fn offered(
    view: &PathView<'_>,
    symptom: Symptom,
) -> Option<Answer> {
    if symptom != Symptom::ListenerNoService {
        return None;
    }
    if let Some(offered) = view.evidence.services() {
        if offered.services.is_empty() {
            return answer(
                answers::ServicesOffered::NothingYet,
                "the listener offers no service at all: no instance is registered with it",
            );
        }
        return match view.evidence.service_offered() {
            Some(service) => answer(
                answers::ServicesOffered::Others,
                format!(
                    "the listener offers {} by {}",
                    service.name,
                    instances(service)
                ),
            ),
            None => {
                let all = offered.services.iter().map(|s| s.name.as_str());
                let text = format!("the listener offers {}", listed(all));
                answer(answers::ServicesOffered::Others, text)
            }
        };
    }
    let withheld = |fact: &Fact| matches!(fact, Fact::ServicesWithheld { .. });
    view.evidence.seen().any(withheld).then(|| Answer {
        word: answers::ServicesOffered::Withheld.into(),
        text: "the listener does not list what it offers".to_owned(),
    })
}

pub(in crate::knowledge::questions) fn same_service(
    view: &PathView<'_>,
    symptom: Symptom,
) -> Option<Answer> {
    if symptom != Symptom::SessionOtherInstance {
        return None;
    }
    let met = view.find(|fact| match fact {
        Fact::Repeated(all) => Some(all.instances.len()),
        _ => None,
    });
    let names = view.evidence.instances_in_question();
    match met {
        Some(2..) if !names.is_empty() => answer(
            answers::SameService::Several,
            format!(
                "the listener offers this service by {}, nothing in the settings says which, and more than one answered",
                listed(names.into_iter())
            ),
        ),
        _ => answer(
            answers::SameService::Otherwise,
            "no two instances were met that a listener offers by the same name",
        ),
    }
}
