//! What was seen on the way and is not the cause.

use super::remedy::cause_of;
use super::shape::AlsoFound;
use crate::engine::by_id;
use crate::fact::{Beyond, Fact};
use crate::judge::{Evidence, Judgement, Symptom};
use crate::knowledge::causes::CAUTIONS;
use crate::layer::Layer;
use crate::secret::Blemish;
use crate::settings::Defect;
use crate::told::Origin;

fn caution(id: &str, layer: Layer, detail: &str) -> AlsoFound {
    let words = CAUTIONS
        .iter()
        .find(|(known, _)| *known == id)
        .map_or("", |(_, words)| words);
    let text = if detail.is_empty() {
        words.to_owned()
    } else {
        format!("{words}: {detail}")
    };
    AlsoFound {
        id: id.to_owned(),
        layer,
        text,
        place: None,
    }
}

pub(super) fn collect(evidence: Evidence<'_>, judgement: &Judgement) -> Vec<AlsoFound> {
    let mut out = Vec::new();
    for (_, fact) in evidence.facts() {
        match fact {
            Fact::SettingDefect(defect) if !is_the_cause(defect, judgement) => {
                out.push(AlsoFound {
                    id: cause_of(defect).to_owned(),
                    layer: Layer::Settings,
                    text: defect.text.clone(),
                    place: defect.place.clone(),
                })
            }
            Fact::PlaintextWithheld => out.push(caution("plaintext-withheld", Layer::Login, "")),
            Fact::BeyondUs { what, detail } => {
                let layer = match what {
                    Beyond::Encryption => Layer::Tls,
                    Beyond::LoginMethod | Beyond::ProofCost => Layer::Login,
                };
                out.push(caution("beyond-us", layer, detail.as_str()));
            }
            Fact::EncryptionAnswered { offered: false, .. } | Fact::EncryptionNotAsked
                if clear_over_network(judgement) =>
            {
                out.push(caution("tls-off", Layer::Tls, ""));
            }
            _ => {}
        }
    }
    let secret = &evidence.target.secret;
    if secret.form.as_ref().is_some_and(|f| f.has(Blemish::Empty)) {
        out.push(caution("empty-password", Layer::Settings, ""));
    }
    if matches!(
        evidence.target.origins.get("secret"),
        Some(Origin::Target { .. })
    ) {
        out.push(caution("secret-on-command-line", Layer::Settings, ""));
    }
    let administrators = by_id(evidence.target.engine).administrators();
    let user = evidence.target.user.as_deref().unwrap_or_default();
    if administrators.contains(&user) && judgement.stand.works() {
        out.push(caution("administrator-account-used", Layer::Login, user));
    }
    if judgement.stand.symptom != Some(Symptom::PortSilent) {
        out.extend(skipped_paths(judgement));
    }
    out.dedup_by(|a, b| a.id == b.id && a.text == b.text);
    out
}

fn skipped_paths(judgement: &Judgement) -> impl Iterator<Item = AlsoFound> {
    let walked = judgement.paths.iter().any(|p| p.walked);
    judgement
        .paths
        .iter()
        .enumerate()
        .filter(move |(i, p)| walked && Some(*i) != judgement.decisive && p.stand.symptom.is_some())
        .map(|(_, p)| {
            let symptom = p.stand.symptom.map(|s| s.to_string()).unwrap_or_default();
            let detail = format!("{} ({symptom})", p.endpoint);
            caution("address-dead-but-skipped", Layer::Port, &detail)
        })
}

fn clear_over_network(judgement: &Judgement) -> bool {
    judgement
        .decisive
        .and_then(|i| judgement.paths.get(i))
        .and_then(|p| p.endpoint.ip())
        .is_some_and(|ip| !ip.is_loopback())
}

/// Whether the verdict already speaks of this defect.
fn is_the_cause(defect: &Defect, judgement: &Judgement) -> bool {
    let Some(symptom) = judgement.stand.symptom else {
        return false;
    };
    match symptom.layer() {
        Layer::Settings => defect.stops,
        Layer::Name => defect.subject == "host",
        Layer::Login => matches!(defect.subject.as_str(), "user" | "password"),
        Layer::Session => defect.subject == "database",
        _ => false,
    }
}
