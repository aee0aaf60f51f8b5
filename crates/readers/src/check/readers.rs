//! What the readers of an environment file make of its lines.

use chronaxis_model::settings::{Defect, DefectKind};
use chronaxis_model::shown;

use super::{finding, subject};
use crate::connection::Connection;
use crate::entry::{Entry, Parsed, Quotes};
use crate::names::Role;
use crate::places::Places;
use crate::reader::{self, Reader, Unset};
use crate::resolve::{is_unknown, with_names};
use crate::traced::{FileId, Traced};

/// A reader other than the one by which values are taken, and its reading of the file.
pub(crate) struct Other {
    pub(crate) reader: &'static Reader,
    pub(crate) parsed: Parsed,
    /// Whether the project gives it the file, rather than nothing telling who reads it.
    pub(crate) told: bool,
}

/// Where a reader's rules make another value of a line than what stands there.
pub(crate) fn cut(
    places: &Places<'_>,
    entry: &Entry,
    text: &Traced,
    role: Role,
    reader: Option<&'static Reader>,
) -> Option<Defect> {
    let at = entry.value.cut?;
    let subject = subject(role);
    let secret = matches!(role, Role::Password | Role::Url);
    let who = reader.map_or("a comment sign", |r| r.title);
    let what = match reader {
        Some(_) => format!("{who} cuts the {subject} at \"#\"; what follows it is ignored"),
        None => format!("{who} cuts off the {subject}; what follows it is ignored"),
    };
    let expected = "quotes around the value, if the sign is part of it";
    let mut defect = finding(
        places,
        DefectKind::CutShort,
        subject,
        (entry, text),
        (what, expected),
    );
    let meant = places.line_from(entry.file, entry.value.at.start);
    if at >= entry.value.at.start
        && let Some((written, how)) = reader.and_then(|r| reader::written(r, meant.trim_end()))
    {
        defect.mended = match secret {
            true => places.mended_secret(entry, text, how),
            // What looks like nothing that is known may be a secret in the wrong place.
            false => places
                .line_as(entry, &written)
                .or_else(|| places.mended_secret(entry, text, how)),
        };
    }
    Some(defect)
}

/// A comment behind a value that its reader takes for a part of it.
pub(crate) fn kept(
    places: &Places<'_>,
    entry: &Entry,
    text: &Traced,
    role: Role,
    reader: Option<&'static Reader>,
) -> Option<Defect> {
    let reader = reader.filter(|_| entry.value.cut.is_none())?;
    let (value, comment) = text.as_str().split_once(" #")?;
    let begins = comment.starts_with(|c: char| c == ' ' || c.is_alphabetic());
    // Within quotes it is meant; a sign at the very end may be.
    let quoted = entry.value.quotes != Quotes::None || text.as_str().starts_with(['"', '\'']);
    if quoted || !begins || value.trim().is_empty() {
        return None;
    }
    // Of a URL the last part takes it.
    let subject = match role {
        Role::Url if text.as_str().contains('?') => "parameters",
        Role::Url => "database",
        role => subject(role),
    };
    let secret = matches!(role, Role::Password | Role::Url);
    let mut defect = finding(
        places,
        DefectKind::CommentKept,
        subject,
        (entry, text),
        (
            format!(
                "{} knows no comment behind a value: what begins with \"#\" is part of the {subject}",
                reader.title
            ),
            "the comment on a line of its own",
        ),
    );
    defect.mended = match secret {
        true => places.mended_secret(entry, text, "without the comment"),
        false => places.line_as(entry, value.trim_end()),
    };
    Some(defect)
}

/// Whether other readers of a file get other values than the one whose values are taken.
pub(crate) fn differing(
    places: &Places<'_>,
    connection: &Connection,
    (file, taken): (FileId, Option<&'static Reader>),
    others: &[Other],
    worth: &dyn Fn(&Entry) -> Traced,
) -> Vec<Defect> {
    let mut out = Vec::new();
    let of_file = connection.entries.iter().filter(|(_, e)| e.file == file);
    for (role, entry) in of_file {
        let own = worth(entry);
        let own_text = as_got(taken, own.as_str());
        let mut said: Vec<(&'static str, Option<String>)> = Vec::new();
        for other in others {
            if other.parsed.refused.is_some() && !other.told {
                continue;
            }
            let found = other.parsed.entries.iter().rev();
            let found = found.clone().find(|e| e.key() == entry.key());
            let value = found.map(|e| as_got(Some(other.reader), worth(e).as_str()));
            let refused = other.parsed.refused.is_some();
            if value.as_ref() != Some(&own_text) || refused {
                said.push((other.reader.title, value.filter(|_| !refused)));
            }
        }
        let subject = subject(*role);
        if said.is_empty() || out.iter().any(|d: &Defect| d.subject.as_str() == subject) {
            continue;
        }
        let secret = matches!(role, Role::Password | Role::Url);
        let own_words = words(subject, secret, Some(&own_text));
        let mut sentences: Vec<(String, Vec<&str>)> = Vec::new();
        for (title, value) in &said {
            let words = words(subject, secret, value.as_deref());
            match sentences.iter_mut().find(|(known, _)| *known == words) {
                Some((_, titles)) => titles.push(title),
                None => sentences.push((words, vec![title])),
            }
        }
        let who = match taken {
            Some(reader) => reader.title,
            None => "most readers",
        };
        let others: Vec<String> = sentences
            .iter()
            .map(|(words, titles)| {
                let verb = if titles.len() == 1 { "gets" } else { "get" };
                format!("{} {verb} {words}", listed(titles))
            })
            .collect();
        let verb = if taken.is_some() { "gets" } else { "get" };
        let text = format!(
            "not every reader gets the same {subject}: {who} {verb} {own_words}; {}",
            others.join("; ")
        );
        out.push(finding(
            places,
            DefectKind::ReadersDiffer,
            subject,
            (entry, &own),
            (text, "a value written so that all of them read the same"),
        ));
    }
    out
}

fn listed(titles: &[&str]) -> String {
    match titles.split_last() {
        Some((last, rest)) if !rest.is_empty() => format!("{} and {last}", rest.join(", ")),
        _ => titles.join(""),
    }
}

/// A value as a reader hands it on where nothing else sets the variables in it.
fn as_got(reader: Option<&'static Reader>, text: &str) -> String {
    if !is_unknown(text) {
        return text.to_owned();
    }
    let stays = reader.is_some_and(|r| r.unset == Unset::Stays);
    with_names(text, |name| match stays {
        true => format!("${{{name}}}"),
        false => String::new(),
    })
}

fn words(subject: &str, secret: bool, value: Option<&str>) -> String {
    match value {
        None => "nothing".to_owned(),
        Some("") => "an empty one".to_owned(),
        Some(value) if secret => match value.chars().count() {
            1 => "1 character".to_owned(),
            count => format!("{count} characters"),
        },
        Some(value) => shown::quoted(subject, value),
    }
}
