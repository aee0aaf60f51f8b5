//! Ruby's `URI`, by the older rules that Rails keeps for its connections (RFC 2396;
//! measured with Ruby 3.1).

use super::parts::{
    BadEscape, Parts, Read, decoded, pairs, refused, split_first, split_last, until,
};
use crate::letters::{Letter, letters, text as text_of};

const BAD: &str = "Ruby says \"bad URI\"";

/// RFC 2396, "unreserved" and "escaped", and further signs that may stand in a part.
fn may_be(all: &[Letter], also: &str) -> bool {
    all.iter().enumerate().all(|(at, l)| {
        let hex = |n: usize| all.get(at + n).is_some_and(|l| l.c.is_ascii_hexdigit());
        match l.c {
            '%' => hex(1) && hex(2),
            c => c.is_ascii_alphanumeric() || "-_.!~*'()".contains(c) || also.contains(c),
        }
    })
}

/// `URI.parse` as Rails resolves a URL.
pub(super) fn rails(text: &str) -> Read {
    let all = letters(text, 0);
    let (scheme, rest) = split_first(&all, ':').ok_or(refused("string", BAD))?;
    let plain = |l: &Letter| l.c.is_ascii_alphanumeric() || matches!(l.c, '+' | '-' | '.');
    let begins = scheme.first().is_some_and(|l| l.c.is_ascii_alphabetic());
    if !begins || !scheme.iter().all(plain) {
        return Err(refused("string", BAD));
    }
    let slashes = rest.iter().take(2).filter(|l| l.c == '/').count() == 2;
    if !slashes {
        return Err(refused("string", BAD));
    }
    let (place, behind) = until(rest.get(2..).unwrap_or_default(), &['/', '?', '#']);
    let (account, host) = match split_last(place, '@') {
        Some((account, host)) => (Some(account), host),
        None => (None, place),
    };
    let lost = account.is_none() && behind.iter().any(|l| l.c == '@');
    if !may_be(account.unwrap_or_default(), ";:&=+$,") {
        return Err(refused("password", BAD));
    }
    let bracketed = host.first().is_some_and(|l| l.c == '[');
    let (name, port) = match bracketed {
        true => {
            let end = host.iter().position(|l| l.c == ']').unwrap_or(0);
            let (name, rest) = host.split_at((end + 1).min(host.len()));
            let inner = text_of(name.get(1..name.len() - 1).unwrap_or_default());
            if inner.parse::<std::net::Ipv6Addr>().is_err() {
                return Err(refused("host", BAD));
            }
            match rest.first().map(|l| l.c) {
                None => (name, &[][..]),
                Some(':') => (name, rest.get(1..).unwrap_or_default()),
                Some(_) => return Err(refused("host", BAD)),
            }
        }
        false => split_first(host, ':').unwrap_or((host, &[])),
    };
    let digits = port.iter().all(|l| l.c.is_ascii_digit());
    let nowhere = host.is_empty() && account.is_none();
    let whole =
        bracketed || is_host(name) || (nowhere && behind.first().is_some_and(|l| l.c == '/'));
    if !digits || !whole {
        // What is no host and port may still be a registry's name (RFC 2396, section 3.2.1),
        // which Ruby's parser takes, and nobody can connect to.
        return Err(refused(if lost { "password" } else { "host" }, BAD));
    }
    let (before, fragment) = match split_first(behind, '#') {
        Some((before, fragment)) => (before, fragment),
        None => (behind, &[][..]),
    };
    let (path, query) = split_first(before, '?').unwrap_or((before, &[]));
    let in_query = ";/?:@&=+$,[]";
    if !may_be(path, ":@&=+$,/;") || !may_be(query, in_query) || !may_be(fragment, in_query) {
        return Err(refused(if lost { "password" } else { "database" }, BAD));
    }
    let (user, password) = match account.map(|a| split_first(a, ':').ok_or(a)) {
        Some(Ok((user, password))) => (user, Some(password)),
        Some(Err(user)) => (user, None),
        None => (&[][..], None),
    };
    let raw = |all: &[Letter]| decoded(all, BadEscape::Stays, &[]).unwrap_or_default();
    Ok(Parts {
        scheme: text_of(scheme).to_ascii_lowercase(),
        user: raw(user),
        password: password.map(raw).filter(|p| !p.is_empty()),
        host: name.to_vec(),
        port: port.to_vec(),
        database: raw(path.get(1..).unwrap_or_default()),
        query: pairs(query),
    })
}

/// Letters, digits, dashes, dots and escapes: what Ruby takes for a host. (No low line: the
/// names of services may have some.)
fn is_host(all: &[Letter]) -> bool {
    let plain = |l: &Letter| l.c.is_ascii_alphanumeric() || matches!(l.c, '-' | '.' | '%');
    !all.is_empty() && all.iter().all(plain) && may_be(all, "")
}
