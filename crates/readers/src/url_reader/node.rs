//! Node: its own `URL` (WHATWG, "URL Standard", section 4.4), and what the drivers do with
//! its parts (measured with pg-connection-string 2.14, postgres 3.4, mysql2 3.24).

use super::parts::{
    BadEscape, Parts, Read, decoded, escaped, pairs, refused, split_first, split_last, until,
};
use crate::letters::{Letter, letters, text as text_of, trimmed};

/// The parts of a URL as they stand, percent escapes and all.
struct Split<'a> {
    scheme: String,
    user: &'a [Letter],
    password: Option<&'a [Letter]>,
    host: &'a [Letter],
    port: &'a [Letter],
    path: &'a [Letter],
    query: &'a [Letter],
}

const INVALID: &str = "Node says \"Invalid URL\"";
const MALFORMED: &str = "Node says \"URI malformed\": a \"%\" begins no escape";

fn split(all: &[Letter]) -> Result<Split<'_>, super::Refused> {
    let (scheme, rest) = split_first(all, ':').ok_or(refused("string", INVALID))?;
    let scheme = text_of(scheme).to_ascii_lowercase();
    let plain = |c: char| c.is_ascii_alphanumeric() || matches!(c, '+' | '-' | '.');
    if !scheme.starts_with(|c: char| c.is_ascii_alphabetic()) || !scheme.chars().all(plain) {
        return Err(refused("string", INVALID));
    }
    let (rest, _) = until(rest, &['#']);
    let (rest, query) = until(rest, &['?']);
    let query = query.get(1..).unwrap_or_default();
    let slashes = rest.iter().take(2).filter(|l| l.c == '/').count();
    if slashes < 2 {
        return Ok(Split {
            scheme,
            user: &[],
            password: None,
            host: &[],
            port: &[],
            path: rest,
            query,
        });
    }
    let (authority, path) = until(rest.get(2..).unwrap_or_default(), &['/']);
    let (account, place) = match split_last(authority, '@') {
        Some((account, place)) => (Some(account), place),
        None => (None, authority),
    };
    let (user, password) = match account.map(|a| split_first(a, ':').ok_or(a)) {
        Some(Ok((user, password))) => (user, Some(password)),
        Some(Err(user)) => (user, None),
        None => (&[][..], None),
    };
    let bracket = place.iter().position(|l| l.c == ']').unwrap_or(0);
    let colon = place.iter().skip(bracket).position(|l| l.c == ':');
    let (host, port) = match colon.map(|at| at + bracket) {
        Some(at) => (place.get(..at), place.get(at + 1..)),
        None => (Some(place), None),
    };
    let (host, port) = (host.unwrap_or_default(), port.unwrap_or_default());
    let lonely = account.is_some() || colon.is_some();
    if host.is_empty() && lonely {
        return Err(refused("host", INVALID));
    }
    let number = text_of(port);
    if !number.chars().all(|c| c.is_ascii_digit())
        || (!number.is_empty() && number.parse::<u16>().is_err())
    {
        // What stands before the sign is no port: it is the beginning of a password.
        let authority_end = authority.last().map_or(0, |l| l.at);
        let later = all.iter().any(|l| l.c == '@' && l.at > authority_end);
        let of_account = account.is_none() && later;
        return Err(refused(
            if of_account { "password" } else { "port" },
            INVALID,
        ));
    }
    let in_brackets = host.first().is_some_and(|l| l.c == '[');
    let forbidden = |l: &Letter| {
        matches!(
            l.c,
            '\0' | ' ' | '<' | '>' | '[' | ']' | '\\' | '^' | '|' | '#' | '/' | ':' | '?' | '@'
        )
    };
    let inner = host
        .get(1..host.len().saturating_sub(1))
        .unwrap_or_default();
    let address = text_of(inner).parse::<std::net::Ipv6Addr>().is_ok();
    if (in_brackets && !address) || (!in_brackets && host.iter().any(forbidden)) {
        return Err(refused("host", INVALID));
    }
    Ok(Split {
        scheme,
        user,
        password,
        host,
        port,
        path,
        query,
    })
}

/// Without outer spaces and control characters, and without any line end or tab.
fn cleaned(text: &str) -> Vec<Letter> {
    let all = letters(text, 0);
    let mut out = trimmed(&all, |c| c <= ' ').to_vec();
    out.retain(|l| !matches!(l.c, '\t' | '\n' | '\r'));
    out
}

fn component(all: &[Letter], subject: &'static str) -> Result<Vec<Letter>, super::Refused> {
    decoded(all, BadEscape::Refused, &[]).map_err(|()| refused(subject, MALFORMED))
}

fn without_brackets(host: &[Letter]) -> &[Letter] {
    match host.first() {
        Some(first) if first.c == '[' => host.get(1..host.len() - 1).unwrap_or_default(),
        _ => host,
    }
}

/// Characters that `decodeURI` leaves encoded (ECMA-262, section 19.2.6.3).
const RESERVED: &[char] = &[';', '/', '?', ':', '@', '&', '=', '+', '$', ',', '#'];

/// `pg`.
pub(super) fn postgres(text: &str) -> Read {
    let mut all = cleaned(text);
    let own = letters(text, 0);
    let odd = own.iter().enumerate().any(|(at, l)| {
        let next = |n: usize| own.get(at + n).map(|l| l.c);
        let hex = |c: Option<char>| c.map(|c| c.is_ascii_hexdigit());
        let escape = (hex(next(1)), hex(next(2)));
        let broken = escape.0 == Some(false) || escape == (Some(true), Some(false));
        l.c == ' ' || (l.c == '%' && broken)
    });
    // Then it escapes the text itself, and leaves escapes alone that are two digits.
    let own_escapes = odd;
    if odd {
        all = own.iter().map(hidden).collect();
    }
    let with_host = |all: &[Letter]| {
        let at = all
            .windows(2)
            .position(|w| matches!(w, [a, b] if a.c == '@' && b.c == '/'))?;
        let mut out = all.get(..=at)?.to_vec();
        let dummy = Letter {
            c: '_',
            ..*all.get(at)?
        };
        out.push(dummy);
        out.extend(all.get(at + 1..)?);
        Some(out)
    };
    let patched;
    let (parts, dummy) = match split(&all) {
        Ok(parts) => (parts, false),
        Err(why) => {
            patched = with_host(&all).ok_or(why)?;
            (split(&patched)?, true)
        }
    };
    let part = |all: &[Letter], subject: &'static str, kept: &[char]| {
        if own_escapes {
            let all: Vec<Letter> = all.iter().map(shown).collect();
            return Ok(two_digits(&all, kept));
        }
        decoded(all, BadEscape::Refused, kept).map_err(|()| refused(subject, MALFORMED))
    };
    let query = match own_escapes {
        true => pairs(&parts.query.iter().map(shown).collect::<Vec<_>>()),
        false => pairs(parts.query),
    };
    let told = |key: &str| {
        let found = query.iter().rev().find(|(k, v)| k == key && !v.is_empty());
        found.map(|(_, value)| value.clone())
    };
    let host = match dummy {
        true => &[][..],
        false => without_brackets(parts.host),
    };
    let database = parts.path.get(1..).unwrap_or_default();
    let password = part(parts.password.unwrap_or_default(), "password", &[])?;
    let password = told("password").unwrap_or(password);
    Ok(Parts {
        scheme: parts.scheme,
        user: match told("user") {
            Some(user) => user,
            None => part(parts.user, "user", &[])?,
        },
        password: Some(password).filter(|p| !p.is_empty()),
        host: match told("host") {
            Some(host) => host,
            None => part(host, "host", &[])?,
        },
        port: told("port").unwrap_or_else(|| parts.port.to_vec()),
        database: part(database, "database", RESERVED)?,
        query,
    })
}

/// Where letters are kept that `encodeURI` escapes (ECMA-262, section 19.2.6.4): they end
/// nothing then.
const HIDDEN: u32 = 0xf_0000;

fn hidden(letter: &Letter) -> Letter {
    let c = letter.c;
    let stays = c.is_ascii_alphanumeric() || ";,/?:@&=+$-_.!~*'()#%".contains(c);
    let away = char::from_u32(HIDDEN + u32::from(c)).filter(|_| !stays && c.is_ascii());
    Letter {
        c: away.unwrap_or(c),
        ..*letter
    }
}

fn shown(letter: &Letter) -> Letter {
    let back = u32::from(letter.c)
        .checked_sub(HIDDEN)
        .and_then(char::from_u32);
    Letter {
        c: back.filter(char::is_ascii).unwrap_or(letter.c),
        ..*letter
    }
}

/// Escapes of two decimal digits alone are decoded; all else is the text itself.
fn two_digits(all: &[Letter], kept: &[char]) -> Vec<Letter> {
    let mut out = Vec::new();
    let mut at = 0;
    while let Some(letter) = all.get(at) {
        let digits = all
            .get(at + 1..at + 3)
            .filter(|d| letter.c == '%' && d.iter().all(|l| l.c.is_ascii_digit()));
        let whole = digits.and_then(|_| all.get(at..at + 3));
        match whole.map(|w| decoded(w, BadEscape::Stays, kept)) {
            Some(Ok(meant)) => {
                out.extend(meant);
                at += 3;
            }
            _ => {
                out.push(*letter);
                at += 1;
            }
        }
    }
    out
}

/// `postgres`, which some know as postgres.js.
pub(super) fn postgres_js(text: &str) -> Read {
    let all = cleaned(text);
    let place = all.iter().skip_while(|l| l.c != '/').skip(2);
    let place: Vec<Letter> = place.copied().collect();
    let (authority, _) = until(&place, &['/', '?']);
    let (_, hosts) = split_first(authority, '@').unwrap_or((&[], authority));
    component(hosts, "host")?;
    let several = hosts.iter().any(|l| l.c == ',');
    let single: Vec<Letter> = match several {
        true => {
            let drop_from = hosts.iter().find(|l| l.c == ',').map_or(0, |l| l.at);
            let drop_to = hosts.last().map_or(0, |l| l.at);
            let inside = |l: &&Letter| l.at < drop_from || l.at > drop_to;
            all.iter().filter(inside).copied().collect()
        }
        false => all.clone(),
    };
    let parts = split(&single)?;
    let database = parts.path.get(1..).unwrap_or_default();
    let password = component(parts.password.unwrap_or_default(), "password")?;
    // It cuts each place at its first colon, whatever that belongs to.
    let own;
    let hosts = match several {
        true => hosts,
        false => {
            own = encoded(parts.host, "");
            &own
        }
    };
    let (mut names, mut ports) = (Vec::new(), Vec::new());
    for place in hosts.split(|l| l.c == ',') {
        let mut pieces = place.split(|l| l.c == ':');
        let comma = place.first().map(|l| Letter { c: ',', ..*l });
        if !names.is_empty() {
            names.extend(comma);
            ports.extend(comma);
        }
        names.extend(pieces.next().unwrap_or_default());
        let own = pieces.next().filter(|port| !port.is_empty());
        ports.extend(own.unwrap_or(parts.port));
    }
    if ports.iter().all(|l| l.c == ',') {
        ports.clear();
    }
    Ok(Parts {
        scheme: parts.scheme,
        user: component(parts.user, "user")?,
        password: Some(password).filter(|p| !p.is_empty()),
        host: names,
        port: ports,
        // The path is handed on as the URL has it.
        database: encoded(database, " \"#<>?`{}"),
        query: pairs(parts.query),
    })
}

/// A host or path as `URL` keeps it (WHATWG, "percent-encode sets"), with these signs
/// escaped.
fn encoded(all: &[Letter], signs: &str) -> Vec<Letter> {
    escaped(all, |c| {
        c.is_ascii() && !c.is_ascii_control() && !signs.contains(c)
    })
}

/// `mysql2`, and its kin.
pub(super) fn mysql(text: &str) -> Read {
    let all = cleaned(text);
    let parts = split(&all)?;
    let database = parts.path.get(1..).unwrap_or_default();
    let password = component(parts.password.unwrap_or_default(), "password")?;
    Ok(Parts {
        scheme: parts.scheme,
        user: component(parts.user, "user")?,
        password: Some(password).filter(|p| !p.is_empty()),
        host: component(without_brackets(parts.host), "host")?,
        port: parts.port.to_vec(),
        database: component(database, "database")?,
        query: pairs(parts.query),
    })
}
