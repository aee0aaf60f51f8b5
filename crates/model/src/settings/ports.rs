//! What the number of a port gives away.

use super::defect::{Defect, DefectKind};
use super::field::Field;
use super::place::Place;

/// The usual ports of the engines, by the name that people use.
const USUAL: &[(u16, &str)] = &[
    (5432, "PostgreSQL"),
    (3306, "MySQL"),
    (1433, "TDS"),
    (27017, "MongoDB"),
];

/// The port that was probably meant, where this one is another engine's usual port, or the
/// engine's own with a digit lost, doubled or swapped.
pub fn usual_port_meant(port: u16, usual: Option<u16>) -> Option<(u16, DefectKind)> {
    let usual = usual?;
    if port == usual {
        return None;
    }
    if USUAL.iter().any(|(known, _)| *known == port) {
        return Some((usual, DefectKind::OtherEnginesPort));
    }
    is_slip_of(&port.to_string(), &usual.to_string()).then_some((usual, DefectKind::PortMistyped))
}

/// Whether a number is another one with a digit lost, doubled or swapped with its
/// neighbour.
fn is_slip_of(typed: &str, meant: &str) -> bool {
    let digits: Vec<char> = meant.chars().collect();
    (0..digits.len()).any(|i| {
        let lost: String = without(&digits, i);
        let mut doubled = digits.clone();
        doubled.insert(i, digits.get(i).copied().unwrap_or_default());
        let mut swapped = digits.clone();
        if i + 1 < swapped.len() {
            swapped.swap(i, i + 1);
        }
        typed == lost
            || typed == String::from_iter(&doubled)
            || typed == String::from_iter(&swapped)
    })
}

fn without(digits: &[char], index: usize) -> String {
    let kept = digits.iter().enumerate().filter(|(i, _)| *i != index);
    kept.map(|(_, c)| *c).collect()
}

/// The finding about a port, if it gives something away. It keeps no client from dialling.
pub fn check_port(port: u16, usual: u16, place: Option<Place>) -> Option<Defect> {
    let (meant, kind) = usual_port_meant(port, Some(usual))?;
    let whose = USUAL.iter().find(|(known, _)| *known == port);
    let text = match whose {
        Some((_, engine)) => format!("{port} is the usual port of {engine}"),
        None => format!("the port {port} looks like a typo for {meant}"),
    };
    Some(Defect {
        kind,
        subject: Field::PORT,
        stops: false,
        text,
        expected: format!("probably {meant}"),
        place,
        mended: None,
    })
}
