//! Python: `urllib.parse` and what is built on it (measured with Python 3.11,
//! dj-database-url 3.1, django-environ 0.14, asyncpg 0.32, SQLAlchemy 2).

use std::sync::OnceLock;

use regex::Regex;

use super::Refused;
use super::parts::{
    BadEscape, Parts, Read, decoded, escaped, pairs, refused, split_first, split_last, until,
    with_spaces,
};
use crate::letters::{Letter, letters, text as text_of, trimmed_start};

struct Split {
    scheme: String,
    place: Vec<Letter>,
    path: Vec<Letter>,
    query: Vec<Letter>,
    fragment: Option<Vec<Letter>>,
}

/// `urlsplit`.
fn urlsplit(all: &[Letter]) -> Result<Split, Refused> {
    let mut all = trimmed_start(all, |c| c <= ' ').to_vec();
    all.retain(|l| !matches!(l.c, '\t' | '\n' | '\r'));
    let mut rest: &[Letter] = &all;
    let mut scheme = String::new();
    if let Some((lead, behind)) = split_first(&all, ':') {
        let lead = text_of(lead);
        let plain = |c: char| c.is_ascii_alphanumeric() || matches!(c, '+' | '-' | '.');
        if lead.starts_with(|c: char| c.is_ascii_alphabetic()) && lead.chars().all(plain) {
            scheme = lead.to_ascii_lowercase();
            rest = behind;
        }
    }
    let mut place: &[Letter] = &[];
    if rest.iter().take(2).filter(|l| l.c == '/').count() == 2 {
        (place, rest) = until(rest.get(2..).unwrap_or_default(), &['/', '?', '#']);
        let has = |c: char| place.iter().any(|l| l.c == c);
        if has('[') != has(']') {
            return Err(refused("host", "Python says \"Invalid IPv6 URL\""));
        }
        if has('[') {
            let inner = split_first(place, '[').map_or(&[][..], |(_, behind)| behind);
            let inner = text_of(until(inner, &[']']).0);
            if inner.parse::<std::net::Ipv6Addr>().is_err() {
                return Err(refused("host", "Python says that this is no IPv6 address"));
            }
        }
    }
    let (before, fragment) = match split_first(rest, '#') {
        Some((before, fragment)) => (before, Some(fragment.to_vec())),
        None => (rest, None),
    };
    let (path, query) = split_first(before, '?').unwrap_or((before, &[]));
    Ok(Split {
        scheme,
        place: place.to_vec(),
        path: path.to_vec(),
        query: query.to_vec(),
        fragment,
    })
}

type Account<'a> = (&'a [Letter], Option<&'a [Letter]>);

fn account(place: &[Letter]) -> Account<'_> {
    match split_last(place, '@') {
        Some((account, _)) => match split_first(account, ':') {
            Some((user, password)) => (user, Some(password)),
            None => (account, None),
        },
        None => (&[], None),
    }
}

fn host_and_port(place: &[Letter]) -> (Vec<Letter>, &[Letter]) {
    let behind = split_last(place, '@').map_or(place, |(_, behind)| behind);
    let (host, port) = match split_first(behind, '[') {
        Some((_, bracketed)) => {
            let (host, rest) = until(bracketed, &[']']);
            let rest = rest.get(1..).unwrap_or_default();
            let port = split_first(rest, ':').map_or(&[][..], |(_, port)| port);
            (host, port)
        }
        None => split_first(behind, ':').unwrap_or((behind, &[])),
    };
    let (name, zone) = until(host, &['%']);
    let lower = |l: &Letter| Letter {
        c: l.c.to_lowercase().next().unwrap_or(l.c),
        ..*l
    };
    let host = name.iter().map(lower).chain(zone.iter().copied()).collect();
    (host, port)
}

/// A port as `SplitResult.port` takes it.
fn checked_port(port: &[Letter]) -> Result<Vec<Letter>, Refused> {
    let text = text_of(port);
    let digits = text.chars().all(|c| c.is_ascii_digit());
    if !text.is_empty() && (!digits || text.parse::<u32>().is_err()) {
        return Err(refused("port", "Python says that the port is no number"));
    }
    if !text.is_empty() && text.parse::<u16>().is_err() {
        return Err(refused("port", "Python says \"Port out of range\""));
    }
    Ok(port.to_vec())
}

fn unquoted(all: &[Letter]) -> Vec<Letter> {
    decoded(all, BadEscape::Stays, &[]).unwrap_or_default()
}

/// What a password that a `#`, `?` or `/` cuts in two looks like: what stands before is no
/// port.
fn blamed(why: Refused, split: &Split) -> Refused {
    let account_lost = !split.place.iter().any(|l| l.c == '@');
    let behind = [&split.path, &split.query];
    let sign = |all: &Vec<Letter>| all.iter().any(|l| l.c == '@');
    let later = behind.into_iter().any(sign) || split.fragment.as_ref().is_some_and(sign);
    match account_lost && later {
        true => Refused {
            subject: "password",
            ..why
        },
        false => why,
    }
}

/// `dj-database-url`.
pub(super) fn dj_database_url(text: &str) -> Read {
    let split = urlsplit(&letters(text, 0))?;
    let (user, password) = account(&split.place);
    let (host, port) = host_and_port(&split.place);
    let port = checked_port(port).map_err(|why| blamed(why, &split))?;
    Ok(Parts {
        scheme: split.scheme.clone(),
        user: unquoted(user),
        password: password.map(unquoted).filter(|p| !p.is_empty()),
        host: unquoted(&host),
        port,
        database: unquoted(split.path.get(1..).unwrap_or_default()),
        query: pairs(&split.query),
    })
}

/// `env.db()` of `django-environ`.
pub(super) fn django_environ(text: &str) -> Read {
    let all = letters(text, 0);
    // A URL that cannot be split, or has no path, is escaped and read again.
    let mut split = urlsplit(&all).or_else(|_| urlsplit(&quoted(&all)))?;
    if split.path.is_empty() {
        split = urlsplit(&quoted(&joined(&split)))?;
    }
    let (user, password) = account(&split.place);
    let (host, port) = host_and_port(&split.place);
    let spaced = with_spaces(split.path.get(1..).unwrap_or_default());
    let family = matches!(
        split.scheme.as_str(),
        "postgres" | "postgresql" | "psql" | "pgsql" | "postgis"
    );
    let (host, port) = match host_list(&split.place, family) {
        Some(several) => several,
        None => {
            let port = checked_port(port).map_err(|why| blamed(why, &split))?;
            (host, port)
        }
    };
    let mut database = unquoted(&spaced);
    let mut host = host;
    // A path in the path is the folder of a socket, and the database behind it.
    if family
        && database.first().is_some_and(|l| l.c == '/')
        && let Some((folder, name)) = split_last(&database.clone(), '/')
    {
        host = folder.to_vec();
        database = name.to_vec();
    }
    Ok(Parts {
        scheme: split.scheme.clone(),
        user: unquoted(user),
        password: password.map(unquoted).filter(|p| !p.is_empty()),
        host,
        port,
        database,
        query: pairs(&split.query),
    })
}

/// Several hosts with commas between, of a PostgreSQL URL.
fn host_list(place: &[Letter], family: bool) -> Option<(Vec<Letter>, Vec<Letter>)> {
    let behind = split_last(place, '@').map_or(place, |(_, behind)| behind);
    let behind = unquoted(behind).into_iter().filter(|_| family);
    let behind: Vec<Letter> = behind.collect();
    let comma = *behind.iter().find(|l| l.c == ',')?;
    let (mut hosts, mut ports) = (Vec::new(), Vec::new());
    for (number, host) in behind.split(|l| l.c == ',').enumerate() {
        let with_port = split_last(host, ':')
            .filter(|(_, port)| !port.is_empty() && port.iter().all(|l| l.c.is_ascii_digit()));
        let (host, port) = with_port.unwrap_or((host, &[]));
        if number > 0 {
            hosts.push(comma);
        }
        hosts.extend(host);
        if !port.is_empty() {
            if !ports.is_empty() {
                ports.push(comma);
            }
            ports.extend(port);
        }
    }
    Some((hosts, ports))
}

/// A text with all but letters, digits and `:/?&=@_.-~` escaped, percent signs too.
fn quoted(all: &[Letter]) -> Vec<Letter> {
    escaped(all, |c| {
        c.is_ascii_alphanumeric() || ":/?&=@_.-~".contains(c)
    })
}

/// A URL put together again from what it was split into.
fn joined(split: &Split) -> Vec<Letter> {
    let sign = |text: &str, at: usize| -> Vec<Letter> {
        let all = text.chars();
        all.map(|c| Letter { c, at, as_is: true }).collect()
    };
    let at = split.place.first().map_or(0, |l| l.at);
    let mut out = sign(&split.scheme, 0);
    out.extend(sign("://", 0));
    out.extend(&split.place);
    out.extend(&split.path);
    if !split.query.is_empty() {
        out.extend(sign("?", at));
        out.extend(&split.query);
    }
    if let Some(fragment) = split.fragment.as_ref().filter(|f| !f.is_empty()) {
        out.extend(sign("#", at));
        out.extend(fragment);
    }
    out
}

/// asyncpg.
pub(super) fn asyncpg(text: &str) -> Read {
    let split = urlsplit(&letters(text, 0))?;
    if !matches!(split.scheme.as_str(), "postgresql" | "postgres") {
        return Err(refused(
            "scheme",
            "asyncpg takes the schemes postgresql and postgres alone",
        ));
    }
    let (account, places) = split_first(&split.place, '@').unwrap_or((&[], &split.place));
    let (user, password) = split_first(account, ':').unwrap_or((account, &[]));
    let (mut hosts, mut ports): (Vec<Letter>, Vec<Letter>) = (Vec::new(), Vec::new());
    for (number, place) in places.split(|l| l.c == ',').enumerate() {
        let Some(first) = place.first() else {
            match places.is_empty() {
                true => break,
                false => return Err(refused("host", "asyncpg does not take an empty host")),
            }
        };
        let (host, port) = match first.c {
            '[' => {
                let (host, rest) = until(place.get(1..).unwrap_or_default(), &[']']);
                let port = split_first(rest, ':').map_or(&[][..], |(_, port)| port);
                // What is behind the number is passed over there.
                let digits = port.iter().take_while(|l| l.c.is_ascii_digit()).count();
                (host, port.get(..digits).unwrap_or_default())
            }
            _ => split_first(place, ':').unwrap_or((place, &[])),
        };
        let port = unquoted(port);
        let digits = text_of(&port);
        if !digits.is_empty() && digits.trim().parse::<u32>().is_err() {
            let why = refused("port", "asyncpg says that the port is no number");
            return Err(blamed(why, &split));
        }
        if number > 0 {
            let comma = |at: usize| Letter {
                c: ',',
                at,
                as_is: false,
            };
            hosts.push(comma(first.at));
            ports.push(comma(first.at));
        }
        hosts.extend(unquoted(host));
        ports.extend(port);
    }
    if ports.iter().all(|l| l.c == ',') {
        ports.clear();
    }
    if !split.query.is_empty() && !strictly(&split.query) {
        return Err(refused(
            "string",
            "asyncpg says \"bad query field\": every parameter needs a \"=\"",
        ));
    }
    let path = match split.path.first() {
        Some(slash) if slash.c == '/' => split.path.get(1..).unwrap_or_default(),
        _ => &split.path,
    };
    let query = pairs(&split.query);
    // Parameters fill in what the URL itself leaves open.
    let or_told = |own: Vec<Letter>, keys: &[&str]| {
        let told = query
            .iter()
            .rev()
            .find(|(key, _)| keys.contains(&key.as_str()));
        match told.filter(|_| own.is_empty()) {
            Some((_, value)) => value.clone(),
            None => own,
        }
    };
    Ok(Parts {
        scheme: split.scheme.clone(),
        user: or_told(unquoted(user), &["user"]),
        password: Some(or_told(unquoted(password), &["password"])).filter(|p| !p.is_empty()),
        host: or_told(hosts, &["host"]),
        port: or_told(ports, &["port"]),
        database: or_told(unquoted(path), &["dbname", "database"]),
        query,
    })
}

fn strictly(query: &[Letter]) -> bool {
    query
        .split(|l| l.c == '&')
        .all(|pair| pair.iter().any(|l| l.c == '='))
}

/// SQLAlchemy's own expression.
fn pattern() -> Option<&'static Regex> {
    static PATTERN: OnceLock<Option<Regex>> = OnceLock::new();
    PATTERN
        .get_or_init(|| {
            let pieces = [
                r"^([\w+]+)://",
                r"(?:([^:/]*)(?::([^@]*))?@)?",
                r"(?:(?:\[([^/?]+)\]|([^/:?]+))?(?::([^/?]*))?)?",
                r"(?:/([^?]*))?(?:\?(.*))?",
            ];
            Regex::new(&pieces.concat()).ok()
        })
        .as_ref()
}

/// SQLAlchemy's `make_url`.
pub(super) fn sqlalchemy(text: &str) -> Read {
    let why = refused("string", "SQLAlchemy cannot parse it");
    let found = pattern().and_then(|p| p.captures(text)).ok_or(why)?;
    let group = |number: usize| -> Option<Vec<Letter>> {
        let found = found.get(number)?;
        Some(letters(found.as_str(), found.start()))
    };
    let port = group(6).unwrap_or_default();
    let digits = text_of(&port);
    if group(6).is_some() && digits.is_empty() {
        return Err(refused(
            "port",
            "SQLAlchemy says that the port must be a number: nothing stands behind the \":\"",
        ));
    }
    // What Python's `int` takes.
    let number = digits
        .trim()
        .trim_start_matches(['+', '-'])
        .replace('_', "");
    if !digits.is_empty() && (number.is_empty() || !number.chars().all(char::is_numeric)) {
        return Err(refused(
            "port",
            "SQLAlchemy says that the port is no number",
        ));
    }
    let plain = |all: Option<Vec<Letter>>| all.map(|all| unquoted(&all));
    Ok(Parts {
        scheme: found
            .get(1)
            .map(|m| m.as_str().to_owned())
            .unwrap_or_default(),
        user: plain(group(2)).unwrap_or_default(),
        password: plain(group(3)),
        host: group(5).or(group(4)).unwrap_or_default(),
        port,
        database: plain(group(7)).unwrap_or_default(),
        query: pairs(&group(8).unwrap_or_default()),
    })
}
