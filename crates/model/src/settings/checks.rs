//! What can be seen in a single value.

use std::ops::Range;

use super::defect::{Defect, DefectKind};
use super::field::Field;
use super::place::Excerpt;
use crate::secret::{Blemish, Secret, is_invisible, is_placeholder};

/// Whether a host is the word that stands for one in a template: `HOST`, in capitals.
fn is_template_word(value: &str) -> bool {
    matches!(
        value,
        "HOST" | "HOSTNAME" | "SERVER" | "DBHOST" | "DB_HOST" | "SERVERNAME"
    )
}

/// Looks at one value and says what is wrong with its form. `span` is where it stands in
/// the excerpt, if it stands there. None of these keeps a client from dialling, except a
/// placeholder in the host, which no name service may be asked about.
pub fn check_value(
    subject: &str,
    value: &str,
    excerpt: Option<(&Excerpt<'_>, Range<usize>)>,
) -> Vec<Defect> {
    // Made only for a defect: a string may hold thousands of values.
    let place = || excerpt.as_ref().map(|(text, span)| text.mark(span.clone()));
    // Of a password not even its length stands here: the case tells its shape elsewhere.
    let shown = if crate::shown::may_show(subject, value) {
        format!(": \"{}\"", crate::redact::visible(value))
    } else {
        String::new()
    };
    let mut found = Vec::new();
    let mut add = |kind, stops, text: String, expected: &str| {
        found.push(Defect {
            kind,
            subject: Field::of(subject),
            stops,
            text,
            expected: expected.to_owned(),
            place: place(),
            mended: None,
        });
    };
    if is_placeholder(value) || (subject == "host" && is_template_word(value)) {
        let what = format!("the {subject} is a placeholder{shown}");
        add(
            DefectKind::Placeholder,
            subject == "host",
            what,
            "the real value",
        );
        return found;
    }
    if let Some(what) = whitespace_of(value) {
        let text = format!("the {subject} {what}{shown}");
        add(
            DefectKind::StrayWhitespace,
            false,
            text,
            "the value without it",
        );
    }
    if subject != "password"
        && let Some((odd, plain)) = look_alike(value)
    {
        let text = format!(
            "the {subject} has a {} that is not the letter {plain}{shown}",
            named(odd)
        );
        let expected = format!("the letter {plain} of the Latin script, typed anew");
        add(DefectKind::LookAlike, false, text, &expected);
    }
    found
}

/// Letters of other scripts that nobody can tell from a Latin one (Unicode Technical
/// Standard 39, "confusables"; those that look the same in common fonts).
const LOOK_ALIKES: &[(&str, &str)] = &[
    (
        "Cyrillic",
        "аaеeоoрpсcуyхxіiјjѕsһhԁdԛqԝwАAВBЕEКKМMНHОOРPСCТTХX",
    ),
    ("Greek", "οoαaνvρpιiΑAΒBΕEΗHΙIΚKΜMΝNΟOΡPΤTΥYΧXΖZ"),
];

/// The first letter that only looks like a Latin one, in a value that has Latin letters
/// too; with the letter that it looks like. A value all in another script is what it is.
fn look_alike(value: &str) -> Option<(char, char)> {
    if !value.chars().any(|c| c.is_ascii_alphabetic()) {
        return None;
    }
    value.chars().filter(|c| !c.is_ascii()).find_map(|odd| {
        if matches!(odd, 'ａ'..='ｚ' | 'Ａ'..='Ｚ') {
            let plain = char::from_u32(odd as u32 - 0xfee0)?;
            return Some((odd, plain));
        }
        LOOK_ALIKES.iter().find_map(|(_, pairs)| {
            let chars: Vec<char> = pairs.chars().collect();
            let pair = chars.chunks(2).find(|p| p.first() == Some(&odd))?;
            Some((odd, *pair.get(1)?))
        })
    })
}

/// The script of such a letter, with its code point.
fn named(odd: char) -> String {
    let script = LOOK_ALIKES
        .iter()
        .find(|(_, pairs)| pairs.contains(odd))
        .map_or("full-width", |(script, _)| script);
    format!("{script} letter (U+{:04X})", odd as u32)
}

fn whitespace_of(value: &str) -> Option<&'static str> {
    let shape = Secret::new(value).shape();
    if shape.has(Blemish::TrailingBlank) {
        let line_end = value.ends_with(['\n', '\r']);
        return Some(if line_end {
            "ends with a line break"
        } else {
            "ends with a space"
        });
    }
    if shape.has(Blemish::LeadingBlank) {
        return Some("begins with a space");
    }
    if shape.has(Blemish::Quoted) && value.len() > 2 {
        return Some("is in quotes that are part of the value");
    }
    value
        .chars()
        .any(is_invisible)
        .then_some("contains an invisible character")
}

/// The known word that a misspelt one was probably meant to be.
pub fn nearest<'a>(word: &str, known: impl IntoIterator<Item = &'a str>) -> Option<&'a str> {
    let word = word.to_lowercase();
    known
        .into_iter()
        .map(|k| (strsim::jaro_winkler(&word, k), k))
        .filter(|(likeness, _)| *likeness > 0.75)
        .max_by(|a, b| a.0.total_cmp(&b.0))
        .map(|(_, k)| k)
}
