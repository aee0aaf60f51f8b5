//! The settings: what their text shows by itself.

use chronaxis_engines::by_id;
use chronaxis_model::fact::Fact;
use chronaxis_model::layer::{Layer, Outcome};
use chronaxis_model::settings::{Defect, DefectKind, Field};

use super::evidence::Evidence;
use super::judged::LayerJudgement;
use super::summary;
use super::symptom::Symptom;

/// The defect that keeps the client from dialling at all.
pub(super) fn symptom(evidence: Evidence<'_>) -> Option<Symptom> {
    evidence.facts().find_map(|(_, fact)| match fact {
        Fact::SettingDefect(defect)
            if defect.stops && !is_unknown(defect) && is_reached(evidence, defect) =>
        {
            Some(match defect.kind {
                DefectKind::Placeholder => Symptom::SettingsPlaceholder,
                DefectKind::SchemeUnknown => Symptom::SettingsScheme,
                DefectKind::Missing => Symptom::SettingsMissing,
                DefectKind::StrayWhitespace | DefectKind::CommentKept => {
                    Symptom::SettingsWhitespace
                }
                DefectKind::NotEscaped | DefectKind::CutShort => Symptom::SettingsNotEscaped,
                DefectKind::LibraryMissing => Symptom::SettingsNoLibrary,
                DefectKind::SettingRefused => Symptom::SettingsParameter,
                DefectKind::FileMissing => Symptom::BundleIncomplete,
                DefectKind::FileElsewhere => Symptom::BundleElsewhere,
                DefectKind::FileUnusable => Symptom::BundleUnusable,
                DefectKind::FileOpen => Symptom::BundleOpen,
                DefectKind::FileLocked => Symptom::BundleLocked,
                DefectKind::FileMismatch => Symptom::BundleMismatch,
                DefectKind::AliasUnknown => Symptom::BundleAlias,
                // None of the others keeps a client from dialling; were one said to, it would
                // be for what is written.
                _ => Symptom::SettingsUnreadable,
            })
        }
        _ => None,
    })
}

/// Whether a value is not known here, and may well be where the program runs.
fn is_unknown(defect: &Defect) -> bool {
    matches!(defect.kind, DefectKind::Unresolved | DefectKind::FileBeyond)
}

/// The value without which nothing can be dialled from here, and that may well be known where
/// the program runs.
pub fn unknown(evidence: Evidence<'_>) -> Option<&Defect> {
    evidence.facts().find_map(|(_, fact)| match fact {
        Fact::SettingDefect(defect) if defect.stops && is_unknown(defect) => Some(defect),
        _ => None,
    })
}

/// That the password is not known here, and may well be where the program runs.
pub fn password_unknown(evidence: Evidence<'_>) -> Option<&Defect> {
    evidence.facts().find_map(|(_, fact)| match fact {
        Fact::SettingDefect(defect) if is_unknown(defect) && defect.subject == Field::PASSWORD => {
            Some(defect)
        }
        _ => None,
    })
}

/// Whether what stops the client comes after it has dialled: a file that it opens late.
pub(super) fn came_late(evidence: Evidence<'_>) -> bool {
    evidence.target.encryption.stopped_late && is_offered(evidence)
}

fn is_offered(evidence: Evidence<'_>) -> bool {
    let offered = |fact: &Fact| matches!(fact, Fact::EncryptionAnswered { offered: true, .. });
    evidence.facts().any(|(_, fact)| offered(fact))
}

/// Whether the client came to what stops it: some open their files only once the server
/// says that it encrypts.
fn is_reached(evidence: Evidence<'_>, defect: &Defect) -> bool {
    if defect.needed_for() > evidence.scope.until {
        return false;
    }
    let late = evidence.target.encryption.stopped_late && defect.kind.is_of_files();
    if !late || evidence.scope.until < Layer::Listener {
        return true;
    }
    is_offered(evidence)
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
        Fact::SettingDefect(defect) if defect.kind.is_of_files() => Some(defect),
        _ => None,
    });
    if let Some(defect) = defect {
        let outcome = match defect.stops && is_reached(evidence, defect) {
            true => Outcome::Fault,
            false => Outcome::Caution,
        };
        return LayerJudgement::new(layer, outcome, defect.text.clone());
    }
    let how = &evidence.target.encryption;
    let target = evidence.target;
    let file = by_id(target.engine).strings.tls_files(target).authorities;
    match (file, how.own_certificate) {
        (None, false) => LayerJudgement::new(layer, Outcome::Untested, "none given"),
        (Some(file), own) => {
            let more = if own { ", and the client's own" } else { "" };
            let text = format!(
                "CA certificates from {}{more}",
                chronaxis_model::redact::visible(file)
            );
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
            Fact::SettingDefect(defect) if !defect.kind.is_of_files() && !is_of_port(defect) => {
                Some(defect)
            }
            _ => None,
        })
        .collect();
    let weightiest = defects.iter().rev().max_by_key(|d| (d.stops, d.weight()));
    if let Some(defect) = weightiest {
        let outcome = if is_unknown(defect) && defect.stops {
            Outcome::Untested
        } else if defect.stops && is_reached(evidence, defect) {
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
        let text = format!("password file {file} ignored: mode {mode} lets others read it");
        return LayerJudgement::new(layer, Outcome::Caution, text);
    }
    LayerJudgement::new(layer, Outcome::Ok, summary::settings(evidence))
}
