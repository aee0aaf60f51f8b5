//! The settings: what their text shows by itself.

use super::evidence::Evidence;
use super::judged::LayerJudgement;
use super::summary;
use super::symptom::Symptom;
use crate::fact::Fact;
use crate::layer::{Layer, Outcome};
use crate::settings::DefectKind;

/// The defect that keeps the client from dialling at all.
pub(super) fn symptom(evidence: Evidence<'_>) -> Option<Symptom> {
    evidence.facts().find_map(|(_, fact)| match fact {
        Fact::SettingDefect(defect) if defect.stops => Some(match defect.kind {
            DefectKind::Unreadable
            | DefectKind::LookAlike
            | DefectKind::OtherEnginesPort
            | DefectKind::PortMistyped => Symptom::SettingsUnreadable,
            DefectKind::SchemeUnknown => Symptom::SettingsScheme,
            DefectKind::Missing => Symptom::SettingsMissing,
            DefectKind::Placeholder => Symptom::SettingsPlaceholder,
            DefectKind::StrayWhitespace => Symptom::SettingsWhitespace,
            DefectKind::NotEscaped => Symptom::SettingsNotEscaped,
        }),
        _ => None,
    })
}

/// What the layer says.
pub(super) fn layer(evidence: Evidence<'_>) -> LayerJudgement {
    let layer = Layer::Settings;
    let defects: Vec<_> = evidence
        .facts()
        .filter_map(|(_, fact)| match fact {
            Fact::SettingDefect(defect) => Some(defect),
            _ => None,
        })
        .collect();
    if let Some(defect) = defects.iter().find(|d| d.stops).or(defects.first()) {
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
