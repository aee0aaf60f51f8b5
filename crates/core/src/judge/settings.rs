//! The settings: what their text shows by itself.

use super::evidence::Evidence;
use super::judged::LayerJudgement;
use super::summary;
use super::symptom::Symptom;
use crate::fact::Fact;
use crate::layer::{Layer, Outcome};
use crate::settings::{Defect, DefectKind};

/// The defect that keeps the client from dialling at all.
pub(super) fn symptom(evidence: Evidence<'_>) -> Option<Symptom> {
    evidence.facts().find_map(|(_, fact)| match fact {
        Fact::SettingDefect(defect) if defect.stops => Some(match defect.kind {
            DefectKind::Placeholder | DefectKind::Unresolved => Symptom::SettingsPlaceholder,
            DefectKind::SchemeUnknown => Symptom::SettingsScheme,
            DefectKind::Missing => Symptom::SettingsMissing,
            DefectKind::StrayWhitespace => Symptom::SettingsWhitespace,
            DefectKind::NotEscaped | DefectKind::CutShort => Symptom::SettingsNotEscaped,
            DefectKind::LibraryMissing => Symptom::SettingsNoLibrary,
            DefectKind::FileMissing => Symptom::BundleIncomplete,
            DefectKind::FileElsewhere => Symptom::BundleElsewhere,
            DefectKind::FileUnusable => Symptom::BundleUnusable,
            DefectKind::FileOpen => Symptom::BundleOpen,
            // None of the others keeps a client from dialling; were one said to, it would
            // be for what is written.
            _ => Symptom::SettingsUnreadable,
        }),
        _ => None,
    })
}

/// Whether a defect is one of the files that the settings point to.
fn is_of_bundle(defect: &Defect) -> bool {
    matches!(
        defect.kind,
        DefectKind::FileMissing
            | DefectKind::FileElsewhere
            | DefectKind::FileUnusable
            | DefectKind::FileOpen
    )
}

/// Whether a defect is a guess from the number of a port: only what happens on it tells.
fn is_of_port(defect: &Defect) -> bool {
    let guess = matches!(
        defect.kind,
        DefectKind::PortMistyped | DefectKind::OtherEnginesPort
    );
    guess && !defect.stops
}

/// What the layer of certificates and keys says.
pub(super) fn bundle(evidence: Evidence<'_>) -> LayerJudgement {
    let layer = Layer::Bundle;
    let defect = evidence.facts().find_map(|(_, fact)| match fact {
        Fact::SettingDefect(defect) if is_of_bundle(defect) => Some(defect),
        _ => None,
    });
    if let Some(defect) = defect {
        return LayerJudgement::new(layer, Outcome::Fault, defect.text.clone());
    }
    let how = evidence.target.encryption;
    let told = ["sslrootcert", "ssl_ca"];
    let file = told
        .iter()
        .find_map(|key| evidence.target.options.get(*key));
    match (file, how.own_certificate) {
        (None, false) => LayerJudgement::new(layer, Outcome::Untested, "none given"),
        (Some(file), own) => {
            let more = if own { ", and the client's own" } else { "" };
            let text = format!("authorities from {}{more}", crate::redact::visible(file));
            LayerJudgement::new(layer, Outcome::Ok, text)
        }
        (None, true) => LayerJudgement::new(layer, Outcome::Ok, "the client's own certificate"),
    }
}

/// What the layer says.
pub(super) fn layer(evidence: Evidence<'_>) -> LayerJudgement {
    let layer = Layer::Settings;
    let defects: Vec<_> = evidence
        .facts()
        .filter_map(|(_, fact)| match fact {
            Fact::SettingDefect(defect) if !is_of_bundle(defect) && !is_of_port(defect) => {
                Some(defect)
            }
            _ => None,
        })
        .collect();
    let weightiest = defects.iter().rev().max_by_key(|d| (d.stops, d.weight()));
    if let Some(defect) = weightiest {
        let outcome = if defect.stops {
            Outcome::Fault
        } else {
            Outcome::Caution
        };
        return LayerJudgement::new(layer, outcome, defect.text.clone());
    }
    let skipped = evidence.facts().find_map(|(_, fact)| match fact {
        Fact::PasswordFileSkipped { file, mode } => Some((file, mode)),
        _ => None,
    });
    if let Some((file, mode)) = skipped {
        let text = format!("password file {file} skipped: mode {mode} lets others read it");
        return LayerJudgement::new(layer, Outcome::Caution, text);
    }
    LayerJudgement::new(layer, Outcome::Ok, summary::settings(evidence))
}
