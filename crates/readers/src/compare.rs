//! Which descriptions are plainly meant to be the same connection, and where they differ.

use std::collections::BTreeMap;

use chronaxis_engines::{Engine, by_id, engines};
use chronaxis_model::settings::{Defect, DefectKind, Field};
use chronaxis_model::shown;
use chronaxis_model::sourced::Origin;

use crate::connection::Connection;
use crate::format::Format;

/// How passwords compare. Nothing else is ever said of them.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Likeness {
    /// They differ.
    Different,
    /// They differ by outer blanks or by case alone.
    ByBlanksOrCase,
}

/// One value of a field, and who says it.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Said {
    /// The value; for a password, a letter for each different one.
    pub value: String,
    /// The connection, by its number, and where it says so.
    pub by: Vec<(usize, Origin)>,
}

/// A field on which descriptions differ.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Difference {
    /// The field: `host`, `port`, `database`, `user`, `password`, or an option.
    pub field: String,
    /// The values, the most common first.
    pub values: Vec<Said>,
    /// For passwords.
    pub likeness: Option<Likeness>,
}

/// Descriptions of one connection that differ.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Disagreement {
    /// What they are about.
    pub about: String,
    /// The connections, by their numbers.
    pub connections: Vec<usize>,
    /// Fields on which they differ.
    pub fields: Vec<Difference>,
}

/// Names that say nothing of what is meant.
const PLAIN_NAMES: &[&str] = &[
    "default",
    "client",
    "db",
    "database",
    "database_url",
    "datasource",
    "connection",
    "url",
    "dsn",
    "env",
    "main",
    "primary",
];

/// Whether a name says nothing of what is meant; that of an engine does not either.
fn is_plain(name: &str) -> bool {
    let of_engine = |e: &&Engine| {
        e.spec.schemes.contains(&name)
            || e.spec.variable_leads.contains(&name)
            || e.spec.whole_words.contains(&name)
    };
    PLAIN_NAMES.contains(&name) || engines().iter().any(of_engine)
}

/// Where a connection ends, as far as it is told: published ports and names of services
/// are taken together with what they stand for; and whether it is such a service.
pub(crate) type Ends = (Option<String>, Option<u16>, bool);

fn is_loopback(ends: &Ends) -> bool {
    ends.0.as_deref() == Some("localhost")
}

/// Groups of connections that are plainly meant to be the same, two or more each.
pub(crate) fn alike(connections: &[Connection], ends: &[Ends]) -> Vec<Vec<usize>> {
    let mut group: Vec<usize> = (0..connections.len()).collect();
    for (i, a) in connections.iter().enumerate() {
        for (j, b) in connections.iter().enumerate().skip(i + 1) {
            let (Some(x), Some(y)) = (ends.get(i), ends.get(j)) else {
                continue;
            };
            if are_alike(a, b, x, y) {
                let (from, to) = (group.get(j).copied(), group.get(i).copied());
                // One that says nothing of its host must not bring together what another
                // place tells apart.
                let apart = |m: usize, n: usize| {
                    let of = |at: usize| ends.get(at).filter(|_| group.get(at).copied().is_some());
                    matches!((of(m), of(n)), (Some(p), Some(q)) if are_apart(p, q))
                };
                let members = |id: Option<usize>| {
                    let all = group.iter().enumerate();
                    all.filter(move |(_, g)| Some(**g) == id)
                        .map(|(at, _)| at)
                        .collect::<Vec<_>>()
                };
                let clash = members(from)
                    .into_iter()
                    .any(|m| members(to).into_iter().any(|n| apart(m, n)));
                if clash {
                    continue;
                }
                if let (Some(from), Some(to)) = (from, to) {
                    for one in group.iter_mut().filter(|g| **g == from) {
                        *one = to;
                    }
                }
            }
        }
    }
    let mut out: BTreeMap<usize, Vec<usize>> = BTreeMap::new();
    for (index, of) in group.into_iter().enumerate() {
        out.entry(of).or_default().push(index);
    }
    out.into_values()
        .filter(|members| members.len() > 1)
        .collect()
}

/// Whether two ends are plainly not the same: a composition's own database is another one
/// than that of a host elsewhere.
fn are_apart(x: &Ends, y: &Ends) -> bool {
    x.2 != y.2 && !is_loopback(x) && !is_loopback(y) && x.0.is_some() && y.0.is_some()
}

/// Whether a file gives them names of their own, side by side: whoever writes two sections
/// means two connections, often to one database.
fn are_named_apart(a: &Connection, b: &Connection) -> bool {
    let of_names = matches!(
        Format::of(&a.file),
        Format::ServiceFile | Format::Odbc | Format::OptionFile | Format::Python
    );
    a.file_id == b.file_id && of_names && a.name != b.name
}

fn are_alike(a: &Connection, b: &Connection, x: &Ends, y: &Ends) -> bool {
    if are_named_apart(a, b) {
        return false;
    }
    let engines = a.engine.is_none() || b.engine.is_none() || a.engine == b.engine;
    if !engines || a.stage != b.stage || (a.file_id == b.file_id && a.name == b.name) {
        return false;
    }
    let same = |key: &str| match (a.value(key), b.value(key)) {
        (Some(p), Some(q)) => Some(p.trim().eq_ignore_ascii_case(q.trim())),
        _ => None,
    };
    let weigh = |known: Option<bool>, yes: i32, no: i32| match known {
        Some(true) => yes,
        Some(false) => -no,
        None => 0,
    };
    let name = |c: &Connection| c.name.to_ascii_lowercase();
    let named = name(a) == name(b) && !is_plain(&name(a));
    let place = match (x, y) {
        ((Some(p), ..), (Some(q), ..)) => Some(p.eq_ignore_ascii_case(q)),
        _ => None,
    };
    let port = match (x.1, y.1) {
        (Some(p), Some(q)) => Some(p == q),
        _ => None,
    };
    let database = same("dbname");
    let score = weigh(database, 3, 2)
        + weigh(same("user"), 2, 1)
        + weigh(place, 2, 1)
        + weigh(port, 1, 0)
        + i32::from(named) * 2;
    // A different database under a different name on the same server is another one.
    let other = database == Some(false) && !named;
    // Another account for the same database is another program's.
    let others_account = same("user") == Some(false) && !named;
    score >= 4 && !other && !others_account && !are_apart(x, y)
}

/// The fields on which a group differs.
pub(crate) fn differences(
    connections: &[Connection],
    ends: &[Ends],
    members: &[usize],
) -> Vec<Difference> {
    let mut out = Vec::new();
    let mut keys: Vec<String> = ["host", "port", "dbname", "user"]
        .map(str::to_owned)
        .to_vec();
    for option in members
        .iter()
        .filter_map(|m| connections.get(*m))
        .flat_map(|c| c.draft.values.keys())
    {
        if !keys.contains(option) && option != "socket" {
            keys.push(option.clone());
        }
    }
    // The same file lies elsewhere for a container.
    let containers = |c: &Connection| c.inside.as_ref().map(|(_, service)| service.clone());
    let mut places = members
        .iter()
        .filter_map(|m| connections.get(*m))
        .map(containers);
    let first = places.next();
    let one_place = places.all(|p| Some(p) == first);
    let of_files = |key: &str| engines().iter().any(|e| e.spec.file_options.contains(&key));
    keys.retain(|key| one_place || !of_files(key));
    for key in keys {
        let mut said: Vec<Said> = Vec::new();
        for member in members {
            let Some(connection) = connections.get(*member) else {
                continue;
            };
            let Some((value, origin)) = value_of(connection, ends.get(*member), &key) else {
                continue;
            };
            match said.iter_mut().find(|s| s.value == value) {
                Some(known) => known.by.push((*member, origin)),
                None => said.push(Said {
                    value,
                    by: vec![(*member, origin)],
                }),
            }
        }
        if said.len() > 1 {
            said.sort_by_key(|s| std::cmp::Reverse(s.by.len()));
            out.push(Difference {
                field: if key == "dbname" {
                    "database".to_owned()
                } else {
                    key
                },
                values: said,
                likeness: None,
            });
        }
    }
    out.extend(passwords(connections, members));
    out
}

/// A value in the form in which it is compared.
fn value_of(connection: &Connection, ends: Option<&Ends>, key: &str) -> Option<(String, Origin)> {
    let told = connection.draft.value(key);
    let origin = || told.map(|t| t.origin.clone());
    match key {
        "host" => Some((ends?.0.clone()?, origin()?)),
        "port" => {
            let port = ends?.1?.to_string();
            // The usual port that nobody wrote is the same as the one that somebody did.
            let usual = || Origin::Default {
                name: "the usual port".to_owned(),
            };
            Some((port, origin().unwrap_or_else(usual)))
        }
        _ => Some((told?.value.clone(), origin()?)),
    }
}

fn passwords(connections: &[Connection], members: &[usize]) -> Option<Difference> {
    let mut said: Vec<(&str, Said)> = Vec::new();
    for member in members {
        let Some(told) = connections
            .get(*member)
            .and_then(|c| c.draft.secret.as_ref())
        else {
            continue;
        };
        let text = told.value.expose();
        let by = (*member, told.origin.clone());
        match said.iter_mut().find(|(known, _)| *known == text) {
            Some((_, same)) => same.by.push(by),
            None => {
                let letter = char::from(b'A' + u8::try_from(said.len().min(25)).unwrap_or(25));
                let value = format!("password {letter}");
                said.push((
                    text,
                    Said {
                        value,
                        by: vec![by],
                    },
                ));
            }
        }
    }
    if said.len() < 2 {
        return None;
    }
    let bare = |text: &str| {
        let blank = |c: char| c.is_whitespace() || chronaxis_model::secret::is_invisible(c);
        text.trim_matches(blank).to_lowercase()
    };
    let first = bare(said.first()?.0);
    let close = said.iter().all(|(text, _)| bare(text) == first);
    Some(Difference {
        field: "password".to_owned(),
        values: said.into_iter().map(|(_, said)| said).collect(),
        likeness: Some(if close {
            Likeness::ByBlanksOrCase
        } else {
            Likeness::Different
        }),
    })
}

/// Where a connection ends, in a form that compares.
pub(crate) fn ends(
    connection: &Connection,
    published: &dyn Fn(&Connection, &str, u16) -> Option<String>,
) -> Ends {
    let host = connection
        .value("host")
        .map(|h| h.trim().to_ascii_lowercase());
    let usual = connection.engine.and_then(|id| by_id(id).spec.usual_port);
    let waits = connection
        .unknown
        .iter()
        .any(|u| matches!(u.subject.as_str(), "port" | "string"));
    let port = match connection.value("port") {
        Some(text) => text.trim().parse().ok(),
        None if waits => None,
        None => usual,
    };
    if let (Some(host), Some(port)) = (&host, port)
        && let Some(service) = published(connection, host, port)
    {
        return (Some(service), usual, true);
    }
    let loopback = |h: &str| matches!(h, "localhost" | "127.0.0.1" | "::1");
    let host = host.map(|h| {
        if loopback(&h) {
            "localhost".to_owned()
        } else {
            h
        }
    });
    (host, port, false)
}

/// What each member of a disagreement has to say of the others: a defect for each field.
pub(crate) fn as_defects(disagreement: &Disagreement, member: usize) -> Vec<Defect> {
    let mut out = Vec::new();
    for difference in &disagreement.fields {
        let own = difference
            .values
            .iter()
            .find(|s| s.by.iter().any(|(m, _)| *m == member));
        let other = difference
            .values
            .iter()
            .find(|s| s.by.iter().all(|(m, _)| *m != member));
        let (Some(own), Some(other)) = (own, other) else {
            continue;
        };
        let (Some((_, here)), Some((_, there))) =
            (own.by.iter().find(|(m, _)| *m == member), other.by.first())
        else {
            continue;
        };
        let secret = difference.likeness.is_some();
        let field = &difference.field;
        let text = match secret {
            true => format!(
                "the {field} here ({}) differs from the one there ({})",
                here.shown(),
                there.shown()
            ),
            false => format!(
                "the {field} is {} here ({}) and {} there ({})",
                shown::value(field, &own.value),
                here.shown(),
                shown::value(field, &other.value),
                there.shown()
            ),
        };
        out.push(Defect {
            kind: DefectKind::SourcesDisagree,
            subject: Field::of(field),
            stops: false,
            text,
            expected: "the same value in both places".to_owned(),
            place: None,
            mended: None,
        });
    }
    out
}
