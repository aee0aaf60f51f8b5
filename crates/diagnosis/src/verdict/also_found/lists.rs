//! Lists of rules that keep the client out and are not the cause: some other fault is first,
//! or it got in all the same.

use chronaxis_model::endpoint::Endpoint;
use chronaxis_model::fact::{Fact, ListWord};
use chronaxis_model::found::{CauseId, Warning};
use chronaxis_model::layer::Layer;
use chronaxis_model::settings::Place;

use super::AlsoFound;
use crate::judge::{Evidence, Judgement};

pub(super) fn collect(
    evidence: Evidence<'_>,
    judgement: &Judgement,
    cause: Option<CauseId>,
) -> Vec<AlsoFound> {
    let mut out = moved(evidence);
    for (seen, fact) in evidence.facts() {
        let Fact::ListSays {
            list,
            client,
            word,
            line,
            rule,
            why,
        } = fact
        else {
            continue;
        };
        let Some(id) = word.cause().filter(|id| Some(*id) != cause) else {
            continue;
        };
        let path = judgement.paths.iter().find(|p| match &p.endpoint {
            Endpoint::Tcp(to) => {
                Some(to.ip()) == seen.about.address && Some(to.port()) == seen.about.port
            }
            Endpoint::Socket(_) => false,
        });
        // The server's own rules are past once it asks for a proof or lets somebody in; those
        // before it, once the port has answered.
        let passed = path.is_some_and(|p| match (*word, p.status.symptom) {
            (_, None) => p.walked,
            (ListWord::HostRules, Some(symptom)) => symptom.layer() > Layer::Login,
            (_, Some(symptom)) => symptom.layer() > Layer::Port,
        });
        let end = match passed {
            true => {
                ", and yet it got through: the rules in force are not those of this file, or something before them lets it in"
            }
            false => "; by these rules it does not get through",
        };
        let text = format!("{list} turns {client} away ({why}){end}");
        out.push(AlsoFound {
            id: id.as_str().to_owned(),
            layer: match word {
                ListWord::HostRules => Layer::Login,
                _ => Layer::Route,
            },
            text,
            place: line.map(|line| {
                let excerpt = rule
                    .as_ref()
                    .map_or(String::new(), |r| r.as_str().to_owned());
                Place {
                    at: 0,
                    width: excerpt.chars().count().max(1),
                    excerpt,
                    file: Some(list.as_str().to_owned()),
                    line: Some(line),
                    column: Some(1),
                }
            }),
        });
    }
    out
}

/// Names in lists that lead elsewhere than they did.
fn moved(evidence: Evidence<'_>) -> Vec<AlsoFound> {
    let mut out: Vec<AlsoFound> = Vec::new();
    for (_, fact) in evidence.facts() {
        let Fact::ListNameMoved { list, line, what } = fact else {
            continue;
        };
        let text = format!("{list}: {what}");
        if out.iter().any(|known| known.text == text) {
            continue;
        }
        out.push(AlsoFound {
            id: Warning::PeerNameChanged.as_str().to_owned(),
            layer: Layer::Route,
            text,
            place: line.map(|line| Place::of_file(list.as_str(), Some(line), Some(1))),
        });
    }
    out
}
