//! PHP's `parse_url` (measured with 8.2), and what Laravel and Doctrine make of it.

use super::parts::{
    BadEscape, Parts, Read, decoded, pairs, refused, split_first, split_last, until,
};
use crate::letters::{Letter, letters, text as text_of};

fn is_blank(c: char) -> bool {
    c == ' '
}

const MALFORMED: &str = "PHP's parse_url gives it up";

/// `parse_url`, its parts decoded.
pub(super) fn parse_url(text: &str) -> Read {
    let all: Vec<Letter> = letters(text, 0)
        .into_iter()
        .map(|l| match l.c.is_ascii_control() {
            true => Letter {
                c: '_',
                as_is: false,
                ..l
            },
            false => l,
        })
        .collect();
    let (scheme, rest) = split_first(&all, ':').ok_or(refused("string", MALFORMED))?;
    let plain = |l: &Letter| l.c.is_ascii_alphanumeric() || matches!(l.c, '+' | '-' | '.');
    let slashes = rest.iter().take(2).filter(|l| l.c == '/').count() == 2;
    if !scheme.iter().all(plain) || !slashes {
        return Err(refused("string", MALFORMED));
    }
    let (place, behind) = until(rest.get(2..).unwrap_or_default(), &['/', '?', '#']);
    let (account, host) = match split_last(place, '@') {
        Some((account, host)) => (Some(account), host),
        None => (None, place),
    };
    let (user, password) = match account.map(|a| split_first(a, ':').ok_or(a)) {
        Some(Ok((user, password))) => (user, Some(password)),
        Some(Err(user)) => (user, None),
        None => (&[][..], None),
    };
    let closed = host.last().is_some_and(|l| l.c == ']');
    let of_port =
        split_last(host, ':').filter(|_| !(closed && host.first().is_some_and(|l| l.c == '[')));
    let (host, port) = of_port.unwrap_or((host, &[]));
    let digits = text_of(port);
    // As C's strtol: what is behind the number does not count.
    let signed = digits.trim_start_matches(is_blank);
    let signed = signed.strip_prefix('+').unwrap_or(signed);
    let number: String = signed.chars().take_while(char::is_ascii_digit).collect();
    let from = digits.len() - signed.len();
    if digits.len() > 5 || (!digits.is_empty() && number.parse::<u16>().is_err()) {
        let cut = account.is_none() && behind.iter().any(|l| l.c == '@');
        return Err(refused(if cut { "password" } else { "port" }, MALFORMED));
    }
    if host.is_empty() {
        return Err(refused("host", MALFORMED));
    }
    let (before, _) = until(behind, &['#']);
    let (path, query) = split_first(before, '?').unwrap_or((before, &[]));
    let raw = |all: &[Letter]| decoded(all, BadEscape::Stays, &[]).unwrap_or_default();
    Ok(Parts {
        scheme: text_of(scheme),
        user: raw(user),
        password: password.map(raw).filter(|p| !p.is_empty()),
        host: host.to_vec(),
        port: port
            .get(from..from + number.len())
            .unwrap_or_default()
            .to_vec(),
        database: raw(path.get(1..).unwrap_or_default()),
        query: pairs(query),
    })
}
