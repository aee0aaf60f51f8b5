//! Where in the text of the settings a fault stands.

use std::io::{self, Write};

use chronaxis_diagnosis::case::Case;
use chronaxis_model::fact::Fact;
use chronaxis_model::layer::Layer;
use chronaxis_model::redact::visible;
use chronaxis_model::settings::{Defect, Place};

use crate::render::page::{BAD, KEYS, WIDTH, entry};

/// Where in the text of the settings the fault stands.
pub(super) fn marks(out: &mut impl Write, case: &Case) -> io::Result<()> {
    for defect in defects(case) {
        writeln!(out)?;
        defect_marked(out, &defect)?;
    }
    Ok(())
}

/// The defects that bear on the verdict, with their places.
fn defects(case: &Case) -> Vec<Defect> {
    let cause = case.verdict.cause.as_deref().unwrap_or_default();
    let in_settings = case.verdict.layer == Some(Layer::Settings) || cause.contains("whitespace");
    let Ok(log) = case.log() else {
        return Vec::new();
    };
    log.iter()
        .filter_map(|o| match o.fact() {
            Some(Fact::SettingDefect(defect))
                if in_settings
                    && (defect.stops
                        || (defect.cause().as_str() == cause && defect.place.is_some())) =>
            {
                Some(defect.clone())
            }
            _ => None,
        })
        .collect()
}

/// A piece of the settings with the mark under it.
pub(in crate::render) fn marked(out: &mut impl Write, place: &Place) -> io::Result<()> {
    let (text, at) = window(place);
    entry(out, "where", &text)?;
    let mark = "^".repeat(place.width.min(WIDTH - KEYS - at.min(WIDTH - KEYS - 1)));
    writeln!(out, "{}{BAD}{mark}{BAD:#}", " ".repeat(KEYS + at))
}

fn defect_marked(out: &mut impl Write, defect: &Defect) -> io::Result<()> {
    if let Some(place) = &defect.place {
        if !place.excerpt.is_empty() {
            marked(out, place)?;
        }
        if let Some(whereabouts) = place.whereabouts() {
            let key = if place.excerpt.is_empty() {
                "where"
            } else {
                ""
            };
            entry(out, key, &visible(&whereabouts))?;
        }
    }
    entry(out, "", &visible(&defect.text))?;
    entry(out, "expected", &visible(&defect.expected))
}

/// The part of a long text round its mark, so that it fits on one line.
fn window(place: &Place) -> (String, usize) {
    let room = WIDTH - KEYS - 1;
    let chars: Vec<char> = place.excerpt.chars().collect();
    if chars.len() <= room {
        return (place.excerpt.clone(), place.at);
    }
    let from = place.at.saturating_sub(room / 3).min(chars.len() - room);
    let mut text: String = chars.iter().skip(from).take(room).collect();
    if from > 0 {
        text = format!("…{}", text.chars().skip(1).collect::<String>());
    }
    (text, place.at - from)
}
