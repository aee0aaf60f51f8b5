//! What was seen on the way and is not the cause.

mod administrator;
mod encryption;
mod lists;
mod names;
mod working;

use chronaxis_engines::{Engine, by_id, engines};
use chronaxis_model::fact::{Beyond, Fact};
use chronaxis_model::found::{CauseId, FindingId, Warning};
use chronaxis_model::layer::Layer;
use chronaxis_model::secret::Blemish;
use chronaxis_model::settings::{Defect, DefectKind, Field};
use chronaxis_model::sourced::Origin;

use super::shape::AlsoFound;
use crate::judge::told::is_told;
use crate::judge::{Evidence, JudgedPath, Judgement, MOST_HOSTS, PathView, Symptom};
use crate::knowledge::causes::warning_words;
use crate::knowledge::questions::{Question, answers};

fn caution(id: Warning, layer: Layer, detail: &str) -> AlsoFound {
    let words = warning_words(id);
    let text = if detail.is_empty() {
        words.to_owned()
    } else {
        format!("{words}: {detail}")
    };
    found(id, layer, text)
}

fn found(id: impl Into<FindingId>, layer: Layer, text: String) -> AlsoFound {
    AlsoFound {
        id: id.into().as_str().to_owned(),
        layer,
        text,
        place: None,
    }
}

pub(super) fn collect(
    evidence: Evidence<'_>,
    judgement: &Judgement,
    cause: Option<CauseId>,
) -> Vec<AlsoFound> {
    let mut out = Vec::new();
    let let_in = evidence
        .facts()
        .any(|(_, fact)| matches!(fact, Fact::LoggedIn { .. }));
    for (seen, fact) in evidence.facts() {
        match fact {
            // That another value stands beside one that works is nothing to look at.
            Fact::SettingDefect(defect)
                if defect.kind == DefectKind::Inactive && judgement.status.works() => {}
            // What is not known here is no placeholder that somebody forgot.
            Fact::SettingDefect(defect)
                if matches!(defect.kind, DefectKind::Unresolved | DefectKind::FileBeyond)
                    && (defect.stops || defect.subject == Field::PASSWORD) => {}
            // Nor is a port on which the engine answers.
            Fact::SettingDefect(defect) if is_port_that_answers(defect, judgement) => {}
            Fact::SettingDefect(defect) if !is_the_cause(defect, judgement, cause) => {
                out.push(AlsoFound {
                    id: defect.cause().as_str().to_owned(),
                    layer: Layer::Settings,
                    text: defect.text.clone(),
                    place: defect.place.clone(),
                });
            }
            Fact::PlaintextWithheld => {
                out.push(caution(Warning::PlaintextWithheld, Layer::Login, ""))
            }
            Fact::BeyondUs { what, detail } => {
                let layer = match what {
                    Beyond::Encryption => Layer::Tls,
                    Beyond::LoginMethod | Beyond::ProofCost => Layer::Login,
                    Beyond::Time => seen.layer,
                };
                out.push(caution(Warning::BeyondUs, layer, detail.as_str()));
            }
            Fact::PasswordAsked { method } if let_in => {
                let target = evidence.target;
                let protocol = by_id(target.engine).protocol;
                if let Some(since) = protocol.method_since(target.client, method) {
                    let client = target.client.as_str();
                    let text = format!(
                        "the settings do not tell the version of {client}: it has the sign-in method {method} from version {since} on, an older one cannot sign in here"
                    );
                    out.push(found(Warning::ClientRulesUnknown, Layer::Login, text));
                }
            }
            Fact::EncryptionAnswered { offered: false, .. } | Fact::EncryptionNotAsked
                if clear_over_network(judgement) =>
            {
                out.push(caution(Warning::TlsOff, Layer::Tls, ""));
            }
            _ => {}
        }
    }
    out.extend(super::told::of_logs(evidence));
    if is_told(evidence) {
        out.extend(super::told::also_found(evidence));
        return out;
    }
    let hosts = evidence.ends().len();
    if hosts > MOST_HOSTS {
        let detail = format!("only the first {MOST_HOSTS} of {hosts} hosts are looked into");
        out.push(caution(Warning::BeyondUs, Layer::Name, &detail));
    }
    let secret = &evidence.target.secret;
    if secret.form.as_ref().is_some_and(|f| f.has(Blemish::Empty)) {
        out.push(caution(Warning::EmptyPassword, Layer::Settings, ""));
    }
    if matches!(
        evidence.target.origins.get("secret"),
        Some(Origin::Target { .. })
    ) {
        out.push(caution(Warning::SecretOnCommandLine, Layer::Settings, ""));
    }
    if let Some(found) = engine_untold(evidence, judgement) {
        out.push(found);
    } else if cause != Some(CauseId::BundleAliasUnknown)
        && let Some(limit) = by_id(evidence.target.engine)
            .protocol
            .unspoken(evidence.target)
    {
        let layer = by_id(evidence.target.engine)
            .protocol
            .last_layer(evidence.target);
        out.push(match layer > Layer::Port {
            // It could go further, and was not told where.
            true => found(CauseId::SettingMissing, layer, limit.to_owned()),
            false => caution(Warning::BeyondUs, layer, limit),
        });
    }
    out.extend(administrator::found_by(evidence, cause));
    let administrators = by_id(evidence.target.engine).spec.administrators;
    let user = evidence.target.user.as_deref().unwrap_or_default();
    let told = evidence
        .target
        .origins
        .get("user")
        .is_some_and(|o| !o.is_default());
    if administrators.contains(&user) && told && judgement.status.works() {
        out.push(caution(
            Warning::AdministratorAccountUsed,
            Layer::Login,
            user,
        ));
    }
    if judgement.status.symptom != Some(Symptom::PortSilent) {
        out.extend(skipped_paths(judgement));
    }
    out.extend(lists::collect(evidence, judgement, cause));
    out.extend(names::collect(evidence, judgement, cause));
    out.extend(lost_packets(evidence, judgement));
    out.extend(encryption::collect(evidence, judgement));
    out.extend(working::collect(evidence, judgement));
    out.dedup_by(|a, b| a.id == b.id && a.text == b.text);
    out
}

/// That nothing says which engine is meant, and who answers.
fn engine_untold(evidence: Evidence<'_>, judgement: &Judgement) -> Option<AlsoFound> {
    if !evidence.engine_untold() {
        return None;
    }
    let path = judgement.decisive.and_then(|i| judgement.paths.get(i));
    let service = path.and_then(|p| PathView::new(evidence, &p.endpoint).other_service());
    let engine = service.and_then(|service| {
        let serves = |e: &&&'static Engine| e.spec.serves(service);
        Some(engines().iter().find(serves)?.spec.id.as_str())
    });
    let detail = match (service, engine) {
        (Some(service), Some(engine)) => format!(
            "no engine was given; {} answers there: run it with --engine {engine} to go further",
            chronaxis_engines::service_title(service)
        ),
        (Some(service), None) => {
            format!(
                "no engine was given; {} answers there",
                chronaxis_engines::service_title(service)
            )
        }
        (None, _) => {
            "no engine was given, and nothing known answers there; say which one with --engine"
                .to_owned()
        }
    };
    Some(caution(Warning::BeyondUs, Layer::Listener, &detail))
}

fn is_port_that_answers(defect: &Defect, judgement: &Judgement) -> bool {
    let by_number = matches!(
        defect.kind,
        DefectKind::PortMistyped | DefectKind::OtherEnginesPort
    );
    let reached = judgement.paths.iter().any(|p| p.walked);
    let beyond = judgement
        .status
        .symptom
        .is_none_or(|s| s.layer() > Layer::Listener);
    by_number && reached && beyond && judgement.status.untold != Some(Layer::Port)
}

/// The ways that this client passes over before it gets in.
fn skipped_paths(judgement: &Judgement) -> Vec<AlsoFound> {
    if !judgement.paths.iter().any(|p| p.walked) {
        return Vec::new();
    }
    let names = judgement.lost_names.iter().map(|lost| {
        let detail = format!(
            "{} ({})",
            chronaxis_model::redact::visible(&lost.name),
            lost.symptom
        );
        caution(Warning::AddressDeadButSkipped, Layer::Name, &detail)
    });
    // Few servers listen on both loopback addresses, and who comes by the first needs no other.
    let beside_loopback = |i: usize, p: &JudgedPath| {
        judgement.decisive.is_some_and(|d| d < i)
            && p.endpoint.ip().is_some_and(|ip| ip.is_loopback())
    };
    let dead = |(i, p): &(usize, &JudgedPath)| {
        (p.taken || judgement.status.works())
            && Some(*i) != judgement.decisive
            && p.status.symptom.is_some()
            && !beside_loopback(*i, p)
    };
    let paths = judgement
        .paths
        .iter()
        .enumerate()
        .filter(dead)
        .map(|(i, p)| {
            let symptom = p.status.symptom.map(|s| s.to_string()).unwrap_or_default();
            let later = judgement.decisive.is_some_and(|d| d < i);
            let when = match later {
                true => "; not needed this time, but DNS may return it first next time",
                false => "",
            };
            let detail = format!("{} ({symptom}){when}", p.endpoint);
            caution(Warning::AddressDeadButSkipped, Layer::Port, &detail)
        });
    names.chain(paths).collect()
}

/// Lost packets on a line that works in spite of them.
fn lost_packets(evidence: Evidence<'_>, judgement: &Judgement) -> Option<AlsoFound> {
    let decisive = judgement.paths.get(judgement.decisive?)?;
    if !judgement.status.works()
        || chronaxis_model::reserved_ranges::is_here(decisive.endpoint.ip()?)
    {
        return None;
    }
    let view = PathView::new(evidence, &decisive.endpoint);
    let answer = Question::PacketLoss.answer(&view, Symptom::PortSlow)?;
    answer
        .is(answers::PacketLoss::Some)
        .then(|| found(CauseId::LinkLossy, Layer::Port, answer.text))
}

fn clear_over_network(judgement: &Judgement) -> bool {
    judgement
        .decisive
        .and_then(|i| judgement.paths.get(i))
        .and_then(|p| p.endpoint.ip())
        .is_some_and(|ip| !chronaxis_model::reserved_ranges::is_here(ip))
}

/// Whether the verdict already speaks of this defect.
fn is_the_cause(defect: &Defect, judgement: &Judgement, cause: Option<CauseId>) -> bool {
    let Some(symptom) = judgement.status.symptom else {
        return false;
    };
    match symptom.layer() {
        Layer::Settings => defect.stops,
        Layer::Bundle => defect.stops && defect.kind.is_of_files(),
        Layer::Name => defect.subject == Field::HOST,
        Layer::Login => matches!(defect.subject.as_str(), "user" | "password"),
        Layer::Session => defect.subject == Field::DATABASE,
        Layer::Port | Layer::Listener => {
            defect.subject == Field::PORT && cause.map(FindingId::Cause) == Some(defect.cause())
        }
        _ => false,
    }
}
