//! What a connection's own lines show beside the form of their values.

mod containers;
mod drivers;
mod inactive;
mod readers;

pub(crate) use containers::{Composition, check as containers};
pub(crate) use drivers::check as drivers;
pub(crate) use inactive::{Unread, commented_out, comments, misspelt, unread};
pub(crate) use readers::{Other, differing};

use chronaxis_engines::by_id;
use chronaxis_model::settings::{Defect, DefectKind, Field};
use chronaxis_model::sourced::Origin;

use crate::connection::Connection;
use crate::entry::{Entry, Quotes};
use crate::format::Format;
use crate::names::Role;
use crate::places::Places;
use crate::reader::Reader;
use crate::traced::{FileId, Traced};

/// A finding about one entry.
pub(crate) fn finding(
    places: &Places<'_>,
    kind: DefectKind,
    subject: &str,
    at: (&Entry, &Traced),
    words: (String, &str),
) -> Defect {
    let secret = matches!(subject, "password" | "string");
    Defect {
        kind,
        subject: Field::of(subject),
        stops: false,
        text: words.0,
        expected: words.1.to_owned(),
        place: Some(places.mark(at.0, at.1, secret)),
        mended: None,
    }
}

/// What findings call the value of a role.
pub(crate) fn subject(role: Role) -> &'static str {
    match role {
        Role::Host => "host",
        Role::Port => "port",
        Role::User => "user",
        Role::Password => "password",
        Role::Database | Role::Name => "database",
        Role::Engine => "driver",
        Role::Url => "string",
        Role::Socket => "socket",
        Role::Option(name) => name,
    }
}

/// Looks at how each value was written.
pub(crate) fn writing(
    places: &Places<'_>,
    connection: &Connection,
    format: Format,
    reader_of: &dyn Fn(FileId) -> Option<&'static Reader>,
    worth: &dyn Fn(&Entry) -> Traced,
) -> Vec<Defect> {
    let mut out = Vec::new();
    for (role, entry) in &connection.entries {
        let text = worth(entry);
        // A value that a program looks up is written by the rules of the file that sets it.
        let reader = reader_of(text.origin(0).0);
        let subject = subject(*role);
        out.extend(readers::cut(places, entry, &text, *role, reader));
        out.extend(readers::kept(places, entry, &text, *role, reader));
        if let Some(eaten) = eaten(*role, entry, &text) {
            let words = format!(
                "in double quotes a backslash starts an escape: the {subject} contains {eaten}"
            );
            let expected = "a doubled backslash, or single quotes around the value";
            let mut defect = finding(
                places,
                DefectKind::BackslashEaten,
                subject,
                (entry, &text),
                (words, expected),
            );
            defect.mended = match *role {
                Role::Password | Role::Url => {
                    places.mended_secret(entry, &text, "each backslash doubled")
                }
                _ => None,
            };
            out.push(defect);
        }
        // Where a client takes a place behind the host, it was taken apart.
        let as_it_stands = connection.value("host").is_none_or(|h| h == text.as_str());
        if *role == Role::Host && as_it_stands {
            out.extend(pasted(places, entry, &text));
        }
        let untold = format == Format::Environment && reader.is_none();
        if untold && blank_behind(places, entry) && *role == Role::Password {
            let words = "there is a space after the password; some readers of such files keep it"
                .to_owned();
            let mut defect = finding(
                places,
                DefectKind::StrayWhitespace,
                "password",
                (entry, &text),
                (words, "no space at the end of the line"),
            );
            defect.mended = places.mended_secret(entry, &text, "and nothing after it");
            out.push(defect);
        }
    }
    out
}

/// What an escape made of a backslash that was probably meant as one.
fn eaten(role: Role, entry: &Entry, text: &Traced) -> Option<&'static str> {
    let sensitive = matches!(
        role,
        Role::Password | Role::Url | Role::User | Role::Socket | Role::Host | Role::Option(_)
    );
    if entry.value.quotes != Quotes::Escaped || !sensitive {
        return None;
    }
    // A line end at the end of a value is another slip.
    let inner = text.as_str().trim_end_matches(['\n', '\r']);
    inner.chars().find_map(|c| match c {
        '\t' => Some("a tab"),
        '\n' | '\r' => Some("a line break"),
        '\u{7}' | '\u{8}' | '\u{b}' | '\u{c}' | '\u{1b}' | '\0' => Some("a control character"),
        _ => None,
    })
}

/// Whether blanks stand between an unquoted value and the end of its line.
fn blank_behind(places: &Places<'_>, entry: &Entry) -> bool {
    let sheet = places.sheets.get(entry.file);
    let rest = sheet.and_then(|s| s.text.string.get(entry.value.at.end..));
    let line = rest.and_then(|r| r.split('\n').next()).unwrap_or_default();
    let line = line.strip_suffix('\r').unwrap_or(line);
    entry.value.quotes == Quotes::None && !line.is_empty() && line.trim().is_empty()
}

/// A scheme, a port or a whole URL in the host's place.
fn pasted(places: &Places<'_>, entry: &Entry, text: &Traced) -> Option<Defect> {
    let value = text.as_str().trim();
    let (what, host) = if let Some((_, rest)) = value.split_once("://") {
        let rest = rest.rsplit_once('@').map_or(rest, |(_, host)| host);
        let end = rest.find(['/', ':', '?']).unwrap_or(rest.len());
        (
            "there is a whole URL where only the host belongs",
            rest.get(..end)?,
        )
    } else if value.starts_with('/') {
        return None;
    } else if let Some((host, _)) = value.split_once('/') {
        ("there is a path after the host", host.split(':').next()?)
    } else {
        let (host, port) = value.split_once(':')?;
        let digits = !port.is_empty() && port.chars().all(|c| c.is_ascii_digit());
        if !digits || host.contains(',') || host.is_empty() {
            return None;
        }
        ("the host has a port in it", host)
    };
    if host.is_empty() || crate::resolve::is_unknown(host) {
        return None;
    }
    let defect = finding(
        places,
        DefectKind::Unreadable,
        "host",
        (entry, text),
        (what.to_owned(), "the host's name or address alone"),
    );
    // The pasted text may hold a password: the mark covers it.
    let covered = value.contains('@');
    Some(Defect {
        stops: true,
        place: Some(places.mark(entry, text, covered)),
        mended: places.mended(entry, text, host),
        ..defect
    })
}

/// What the connection lacks, or has too much of.
pub(crate) fn whole(
    places: &Places<'_>,
    connection: &Connection,
    format: Format,
    mode_of: &dyn Fn(&str) -> Option<u32>,
) -> Vec<Defect> {
    let mut out = Vec::new();
    let first = connection.entries.first();
    let place = first.map(|(_, entry)| places.point(entry.file, entry.key_at.start));
    let mut note = |kind: DefectKind, subject: &str, text: String, expected: &str| {
        out.push(Defect {
            kind,
            subject: Field::of(subject),
            stops: false,
            text,
            expected: expected.to_owned(),
            place: place.clone(),
            mended: None,
        });
    };
    let partial = matches!(
        format,
        Format::PasswordFile | Format::ServiceFile | Format::OptionFile | Format::Odbc
    );
    let knows_not = |subject: &str| {
        connection
            .unknown
            .iter()
            .any(|u| u.subject.as_str() == subject || u.subject == Field::STRING)
    };
    let names_database = connection
        .engine
        .is_some_and(|id| by_id(id).spec.has_databases);
    if names_database && !partial && connection.value("dbname").is_none() && !knows_not("database")
    {
        let text = "no database is named; the client uses its own default".to_owned();
        note(DefectKind::Missing, "database", text, "the database's name");
    }
    let mut readable = None;
    let secret = connection.draft.secret.as_ref();
    if let Some(told) = secret {
        let empty = told.value.expose().is_empty();
        if empty {
            note(
                DefectKind::EmptyPassword,
                "password",
                "the password is empty".to_owned(),
                "a password, or no password setting at all",
            );
        }
        if let Origin::File {
            file, line, column, ..
        } = &told.origin
            && mode_of(file).is_some_and(|mode| mode & 0o004 != 0)
            && !empty
            && !connection.is_sample()
        {
            let nothing = chronaxis_model::settings::Excerpt::new("", Vec::new());
            readable = Some(Defect {
                kind: DefectKind::SecretReadable,
                subject: Field::PASSWORD,
                stops: false,
                text: "the file contains a password, and everybody on this machine can read it"
                    .to_owned(),
                expected: format!(
                    "chmod 600 {}, or keep the password somewhere else",
                    chronaxis_model::shell::quoted(file)
                ),
                place: Some(nothing.mark(0..0).in_file(file, *line, *column)),
                mended: None,
            });
        }
    }
    let open = mode_of(&connection.file).is_some_and(|mode| mode & 0o077 != 0);
    if format == Format::PasswordFile && open {
        let text = "other users can read this file, so PostgreSQL's library ignores it";
        let expected = "chmod 600: then it is used";
        note(
            DefectKind::Ineffective,
            "password",
            text.to_owned(),
            expected,
        );
    }
    let administrators = connection
        .engine
        .map_or(&[][..], |id| by_id(id).spec.administrators);
    if let Some(user) = connection
        .value("user")
        .filter(|user| administrators.contains(user))
    {
        let text = format!("{user} is an administrator account");
        note(
            DefectKind::Administrator,
            "user",
            text,
            "a separate account for the program",
        );
    }
    out.extend(readable);
    out
}

/// Variables in values that nothing here sets.
pub(crate) fn unresolved(
    places: &Places<'_>,
    connection: &Connection,
    worth: &dyn Fn(&Entry) -> Traced,
) -> Vec<Defect> {
    let mut out = Vec::new();
    for (role, entry) in &connection.entries {
        let text = worth(entry);
        let waits = crate::resolve::waits_for(text.as_str());
        let look = entry
            .value
            .looks()
            .find(|look| waits.contains(&look.name) && !look.by_program && !look.required);
        if let Some(look) = look {
            let subject = subject(*role);
            let name = &look.name;
            let words = match entry.value.parts.len() > 1 && *role == Role::Password {
                true => "a $ in the password is read as the start of a variable, and nothing here sets a variable of that name".to_owned(),
                false => {
                    format!("nothing here sets the variable {name}, which the {subject} comes from")
                }
            };
            let expected = "the variable set where this is read, or a default after its name";
            out.push(finding(
                places,
                DefectKind::Unresolved,
                subject,
                (entry, &text),
                (words, expected),
            ));
        }
    }
    out
}
