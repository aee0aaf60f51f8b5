//! The right line that does not count: commented out, or under a name that nothing reads.

use std::collections::BTreeSet;

use chronaxis_model::settings::{Defect, DefectKind, Field};
use strsim::jaro_winkler;

use super::{finding, subject};
use crate::connection::Connection;
use crate::entry::{Entry, Value};
use crate::names::{Role, named};
use crate::places::Places;
use crate::text::Text;
use crate::traced::{FileId, Traced};

/// A line that is commented out and looks like a setting.
#[derive(Clone, Debug)]
pub(crate) struct Comment {
    key: String,
    value: Traced,
    key_at: usize,
    at: std::ops::Range<usize>,
}

/// Signs with which formats begin a comment.
const SIGNS: &[&str] = &["#", "//", ";", "--", "!"];

/// The settings of a text that are commented out.
pub(crate) fn comments(text: &Text) -> Vec<Comment> {
    let mut out = Vec::new();
    for (start, line) in text.lines() {
        let bare = line.trim_start();
        let Some(sign) = SIGNS.iter().find(|sign| bare.starts_with(**sign)) else {
            continue;
        };
        let inner = bare
            .trim_start_matches(sign.chars().next().unwrap_or('#'))
            .trim_start();
        let inner = inner.strip_prefix("export ").unwrap_or(inner);
        let call = inner.strip_prefix("define(");
        let inner = call.map_or(inner, |arguments| arguments.trim_end_matches([')', ';']));
        let at = start + line.find(inner).unwrap_or(0);
        let signs: &[char] = if call.is_some() { &[','] } else { &['=', ':'] };
        let Some(between) = inner.find(signs) else {
            continue;
        };
        let key = inner.get(..between).unwrap_or_default();
        let key_bare = key.trim().trim_matches(['"', '\'']);
        let word = |c: char| c.is_ascii_alphanumeric() || matches!(c, '_' | '-' | '.');
        if key_bare.is_empty() || !key_bare.chars().all(word) {
            continue;
        }
        let raw = inner.get(between + 1..).unwrap_or_default();
        let raw = raw.strip_prefix('>').unwrap_or(raw);
        let value = raw
            .trim()
            .trim_end_matches([',', ';'])
            .trim_matches(['"', '\'']);
        if value.is_empty() {
            continue;
        }
        let from = at + inner.find(value).unwrap_or(between + 1);
        out.push(Comment {
            key: key_bare.to_owned(),
            value: Traced::verbatim(value, from),
            key_at: at,
            at: from..from + value.len(),
        });
    }
    out
}

/// What a draft calls the value of a role.
fn key_of(role: Role) -> &'static str {
    match role {
        Role::Database | Role::Name => "dbname",
        role => subject(role),
    }
}

/// What comments say beside the values that count.
pub(crate) struct CommentedOut {
    /// Where a value is wrong or missing, and a comment has one that looks right.
    pub(crate) findings: Vec<Defect>,
    /// Where a comment has another value than a sound one.
    pub(crate) alternatives: Vec<Defect>,
}

/// Looks at the comments that are about this connection's own keys.
pub(crate) fn commented_out(
    places: &Places<'_>,
    connection: &Connection,
    file: FileId,
    comments: &[Comment],
) -> CommentedOut {
    let mut out = CommentedOut {
        findings: Vec::new(),
        alternatives: Vec::new(),
    };
    let wrong = |subject: &str| {
        let of_it = |d: &&Defect| d.subject.as_str() == subject && d.kind != DefectKind::Missing;
        connection
            .draft
            .defects
            .iter()
            .chain(&connection.findings)
            .any(|d| of_it(&d) && d.weight() == chronaxis_model::settings::Weight::Fault)
    };
    let lacks = |key: &str| {
        let known = connection.value(key).is_some()
            || (key == "password" && connection.draft.secret.is_some());
        let waits = connection
            .unknown
            .iter()
            .any(|u| u.subject.as_str() == key || u.subject == Field::STRING);
        !known && !waits
    };
    for comment in comments {
        let beside = connection
            .entries
            .iter()
            .find(|(_, e)| e.file == file && e.key() == comment.key);
        let (role, is_wrong) = match beside {
            Some((role, _)) => (*role, wrong(subject(*role)) || lacks(key_of(*role))),
            None => {
                // Only a key of this connection's own names can be what it lacks.
                let of_it = connection.entries.iter().find_map(|(_, e)| {
                    let (own, other) = (named(e.key())?, named(&comment.key)?);
                    let near = e.file == file && own.prefix == other.prefix;
                    near.then_some(other.role)
                });
                let Some(role) = of_it else { continue };
                let may = matches!(
                    role,
                    Role::Host
                        | Role::Port
                        | Role::Database
                        | Role::Name
                        | Role::Password
                        | Role::User
                );
                (role, may && lacks(key_of(role)))
            }
        };
        let value = comment.value.as_str();
        let plausible = !chronaxis_model::secret::is_placeholder(value) && !value.contains(' ');
        let other = matches!(
            role,
            Role::Host | Role::Port | Role::Database | Role::Name | Role::User
        ) && connection
            .value(key_of(role))
            .is_some_and(|own| own.trim() != value);
        if !plausible || !(is_wrong || other) {
            continue;
        }
        let mut traced = comment.value.clone();
        traced.in_file(file);
        let mut entry = Entry::new(
            vec![comment.key.clone()],
            comment.key_at..comment.key_at + comment.key.len(),
            Value::text(
                traced.clone(),
                comment.at.clone(),
                crate::entry::Quotes::None,
            ),
        );
        entry.file = file;
        let subject = subject(role);
        let words = format!("a line with another {subject} is commented out");
        let expected = "this line active, if it is the right one";
        let mut defect = finding(
            places,
            DefectKind::Inactive,
            subject,
            (&entry, &traced),
            (words, expected),
        );
        // Who knows what a comment holds: its value is not shown.
        defect.place = Some(places.mark(&entry, &traced, !matches!(role, Role::Host | Role::Port)));
        if is_wrong {
            out.findings.push(defect);
        } else {
            out.alternatives.push(defect);
        }
    }
    out
}

/// A variable that is set somewhere and that nothing reads.
pub(crate) struct Unread<'a> {
    pub(crate) entry: &'a Entry,
    pub(crate) text: Traced,
}

/// Values that wait for a variable while another one of nearly its name is set, and read by
/// nothing.
pub(crate) fn unread(
    places: &Places<'_>,
    connection: &Connection,
    set: &[Unread<'_>],
    read: &BTreeSet<String>,
) -> Vec<Defect> {
    let mut out = Vec::new();
    for unknown in &connection.unknown {
        for variable in &unknown.variables {
            let near = set.iter().find(|u| {
                let key = u.entry.key();
                !read.contains(key) && is_near(variable, key)
            });
            if let Some(near) = near {
                let words = format!(
                    "{} is set here but nothing reads it; the program reads {variable}, which nothing sets",
                    near.entry.key()
                );
                let expected = format!("{variable}=…");
                out.push(finding(
                    places,
                    DefectKind::Inactive,
                    unknown.subject.as_str(),
                    (near.entry, &near.text),
                    (words, &expected),
                ));
                if let Some(Defect { place, .. }) = out.last_mut() {
                    let shows = matches!(
                        unknown.subject.as_str(),
                        "host" | "port" | "database" | "user"
                    );
                    *place = Some(places.mark(near.entry, &near.text, !shows));
                }
            }
        }
    }
    out
}

/// The words of keys that a slip is told by, and what each says.
const WORDS: &[(&str, Role)] = &[
    ("host", Role::Host),
    ("hostname", Role::Host),
    ("port", Role::Port),
    ("user", Role::User),
    ("username", Role::User),
    ("password", Role::Password),
    ("passwd", Role::Password),
    ("database", Role::Database),
    ("dbname", Role::Database),
    ("name", Role::Database),
];

/// Keys beside those of a connection that are a slip of the one that it lacks: `PGPROT` where
/// there is no `PGPORT`.
pub(crate) fn misspelt(
    places: &Places<'_>,
    connection: &Connection,
    beside: &[Entry],
    worth: &dyn Fn(&Entry) -> Traced,
) -> Vec<Defect> {
    let lead = connection.entries.iter().find_map(|(role, e)| {
        let known = !matches!(role, Role::Url | Role::Engine);
        named(e.key()).filter(|n| known && !n.prefix.is_empty())
    });
    let Some(lead) = lead
        .map(|n| n.prefix)
        .filter(|_| !connection.is_of_string())
    else {
        return Vec::new();
    };
    let own = |e: &Entry| connection.entries.iter().any(|(_, o)| o.key() == e.key());
    let mut out = Vec::new();
    for entry in beside.iter().filter(|e| e.active && !own(e)) {
        let key = entry.key();
        let Some(rest) = key.get(lead.len()..).filter(|_| {
            let same = |head: &str| head.eq_ignore_ascii_case(&lead);
            key.get(..lead.len()).is_some_and(same)
        }) else {
            continue;
        };
        let rest = rest
            .trim_start_matches(['_', '-', '.'])
            .to_ascii_lowercase();
        let slip = WORDS
            .iter()
            .find(|(word, _)| strsim::damerau_levenshtein(&rest, word) == 1);
        let Some((word, role)) = slip.filter(|_| named(key).is_none()) else {
            continue;
        };
        let lacks = match role {
            Role::Password => connection.draft.secret.is_none(),
            role => connection.value(key_of(*role)).is_none(),
        };
        if !lacks {
            continue;
        }
        let text = worth(entry);
        let subject = subject(*role);
        let right = match key.contains(|c: char| c.is_ascii_lowercase()) {
            true => (*word).to_owned(),
            false => word.to_ascii_uppercase(),
        };
        let between = key.get(lead.len()..).unwrap_or_default();
        let sign = between
            .get(..between.len() - rest.len())
            .unwrap_or_default();
        let meant = format!("{lead}{sign}{right}");
        let words = format!("{key} is set here and is no name that is read; {meant} is not set");
        let mut defect = finding(
            places,
            DefectKind::Inactive,
            subject,
            (entry, &text),
            (words, &meant),
        );
        defect.place = Some(places.mark(entry, &text, !matches!(role, Role::Host | Role::Port)));
        out.push(defect);
    }
    out
}

/// Whether two names of variables are probably meant to be one: the same role, under nearly
/// the same prefix.
fn is_near(wanted: &str, there: &str) -> bool {
    let (Some(a), Some(b)) = (named(wanted), named(there)) else {
        return jaro_winkler(&wanted.to_lowercase(), &there.to_lowercase()) > 0.93;
    };
    let alike = |role: Role| {
        if role == Role::Name {
            Role::Database
        } else {
            role
        }
    };
    let (x, y) = (a.prefix.to_lowercase(), b.prefix.to_lowercase());
    let related = x == y || jaro_winkler(&x, &y) > 0.8 || x.contains(&y) || y.contains(&x);
    alike(a.role) == alike(b.role) && related
}
