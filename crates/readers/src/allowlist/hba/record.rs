//! One record of host rules, with the checks that the server makes when it loads the file.

use std::net::IpAddr;
use std::ops::Range;

use chronaxis_allowlist::answer::Spot;
use chronaxis_allowlist::block::{Block, bits};
use chronaxis_allowlist::host_rules::{Address, Kind, Name, Record};
use chronaxis_model::settings::COVER;
use chronaxis_model::shown;

use super::super::expected;
use super::tokens::{Field, Line, Token};
use crate::node::Broken;

const METHODS: [&str; 15] = [
    "trust",
    "reject",
    "scram-sha-256",
    "md5",
    "password",
    "gss",
    "sspi",
    "ident",
    "peer",
    "ldap",
    "radius",
    "cert",
    "pam",
    "bsd",
    "oauth",
];

const OPTIONS: [&str; 29] = [
    "map",
    "clientcert",
    "clientname",
    "pamservice",
    "pam_use_hostname",
    "ldapurl",
    "ldaptls",
    "ldapscheme",
    "ldapserver",
    "ldapport",
    "ldapbinddn",
    "ldapbindpasswd",
    "ldapsearchattribute",
    "ldapsearchfilter",
    "ldapbasedn",
    "ldapprefix",
    "ldapsuffix",
    "krb_realm",
    "include_realm",
    "compat_realm",
    "upn_username",
    "radiusservers",
    "radiussecrets",
    "radiusports",
    "radiusidentifiers",
    "issuer",
    "scope",
    "validator",
    "delegate_ident_mapping",
];

/// Reads a record.
pub(super) fn read(line: &Line, spot: Spot, text: &str) -> Result<Record, Broken> {
    let mut fields = line.fields.iter();
    let end = line.at.end;
    let mut next = |what: &str| -> Result<&Field, Broken> {
        fields.next().ok_or_else(|| {
            let words = format!("the record ends before its {what}");
            Broken::new(
                end,
                words,
                "TYPE DATABASE USER ADDRESS METHOD; no ADDRESS for local",
            )
        })
    };
    let kind_field = next("type")?;
    let kind_token = single(kind_field, "type of connection")?;
    let Some((_, kind)) = Kind::WORDS.iter().find(|(w, _)| *w == kind_token.text) else {
        let words = Kind::WORDS.map(|(w, _)| w);
        let hint = expected(
            &kind_token.text,
            &words,
            "one of local, host, hostssl, hostnossl",
        );
        return Err(Broken::new(
            kind_token.at.start,
            "the record begins with no known type of connection",
            hint,
        ));
    };
    let databases = names(next("database")?);
    let users = names(next("user")?);
    let mut address_at = 0..0;
    let address = match kind {
        Kind::Local => None,
        _ => {
            let token = single(next("address")?, "address")?;
            address_at = token.at.clone();
            Some(match whole(token)? {
                Found::Address(address) => address,
                Found::Bare(ip) => {
                    let mask = single(
                        next("netmask, or a prefix length behind a slash")?,
                        "netmask",
                    )?;
                    address_at.end = mask.at.end;
                    netmask(ip, mask)?
                }
            })
        }
    };
    let method = single(next("method")?, "method")?;
    check_method(*kind, method)?;
    let options: Vec<&Token> = fields.clone().flat_map(|f| &f.tokens).collect();
    complete(method, &options)?;
    for field in fields {
        for token in &field.tokens {
            option(token, *kind, &method.text)?;
        }
    }
    Ok(Record {
        kind: *kind,
        databases,
        users,
        address,
        address_at,
        method: method.text.clone(),
        text: shown_text(line, text),
        spot,
    })
}

fn single<'a>(field: &'a Field, what: &str) -> Result<&'a Token, Broken> {
    match field.tokens.as_slice() {
        [one] => Ok(one),
        [_, second, ..] => Err(Broken::new(
            second.at.start,
            format!("there are several values for the {what}"),
            "one; lists are allowed for databases and users only",
        )),
        [] => Err(Broken::new(0, format!("there is no {what}"), "one")),
    }
}

fn names(field: &Field) -> Vec<Name> {
    let mut out: Vec<Name> = Vec::new();
    for token in &field.tokens {
        out.push(Name {
            text: token.text.clone(),
            quoted: token.quoted,
        });
    }
    out
}

enum Found {
    Address(Address),
    /// An address whose mask is the next word.
    Bare(IpAddr),
}

/// An address by the system's own rules for numbers: IPv4 of fewer than four parts is one
/// too (`inet_aton`, POSIX).
fn numeric(text: &str) -> Option<IpAddr> {
    if let Ok(ip) = text.parse() {
        return Some(ip);
    }
    let parts: Vec<&str> = text.split('.').collect();
    if parts.len() > 4 {
        return None;
    }
    let number = |part: &str| -> Option<u64> {
        let low = part.to_ascii_lowercase();
        if let Some(hex) = low.strip_prefix("0x") {
            return u64::from_str_radix(hex, 16).ok();
        }
        let digits = !low.is_empty() && low.bytes().all(|b| b.is_ascii_digit());
        match low.len() > 1 && low.starts_with('0') {
            _ if !digits => None,
            true => u64::from_str_radix(&low, 8).ok(),
            false => low.parse().ok(),
        }
    };
    let numbers: Vec<u64> = parts.into_iter().map(number).collect::<Option<_>>()?;
    let (last, before) = numbers.split_last()?;
    let mut out = 0u64;
    for part in before {
        if *part > 255 {
            return None;
        }
        out = (out << 8) | part;
    }
    let left = 8 * (4 - before.len() as u32);
    if *last >= 1 << left {
        return None;
    }
    let all = u32::try_from((out << left) | last).ok()?;
    Some(std::net::Ipv4Addr::from(all).into())
}

fn whole(token: &Token) -> Result<Found, Broken> {
    let keyword = |word: &str| !token.quoted && token.text == word;
    if keyword("all") {
        return Ok(Found::Address(Address::All));
    }
    if keyword("samehost") {
        return Ok(Found::Address(Address::SameHost));
    }
    if keyword("samenet") {
        return Ok(Found::Address(Address::SameNet));
    }
    let at = token.at.start;
    let Some((ip, length)) = token.text.split_once('/') else {
        return Ok(match numeric(&token.text) {
            Some(ip) => Found::Bare(ip),
            None => Found::Address(Address::Name(token.text.clone())),
        });
    };
    let Some(ip) = numeric(ip) else {
        let what = "a prefix length stands behind what is no address, only a name";
        return Err(Broken::new(at, what, "ADDRESS/LENGTH, or a name alone"));
    };
    let most: u8 = if ip.is_ipv6() { 128 } else { 32 };
    let digits = !length.is_empty() && length.bytes().all(|b| b.is_ascii_digit());
    match length.parse::<u8>() {
        Ok(length) if digits && length <= most => {
            let block = Block::prefix(ip, length);
            let host = block.from ^ block.to;
            let mask = Block::all(ip.is_ipv6()).to & !host;
            Ok(Found::Address(Address::Masked { ip, mask }))
        }
        _ => Err(Broken::new(
            at,
            format!("the prefix length is not one from 0 to {most}"),
            "ADDRESS/LENGTH, or ADDRESS and a netmask behind a space",
        )),
    }
}

fn netmask(ip: IpAddr, token: &Token) -> Result<Address, Broken> {
    let expected = "a netmask of the same family, like 255.255.0.0";
    let Some(mask) = numeric(&token.text) else {
        let what = "behind the address comes no netmask";
        return Err(Broken::new(token.at.start, what, expected));
    };
    if mask.is_ipv6() != ip.is_ipv6() {
        let what = "address and netmask are not of the same family";
        return Err(Broken::new(token.at.start, what, expected));
    }
    Ok(Address::Masked {
        ip,
        mask: bits(mask).1,
    })
}

fn check_method(kind: Kind, token: &Token) -> Result<(), Broken> {
    let method = token.text.as_str();
    let wrong = |what: &str, expected: String| Err(Broken::new(token.at.start, what, expected));
    if !METHODS.contains(&method) {
        let hint = expected(
            method,
            &METHODS,
            "scram-sha-256, or another method of the server",
        );
        return wrong("this is no method of authentication", hint);
    }
    match (method, kind) {
        ("gss", Kind::Local) => wrong(
            "gss does not work over a socket file",
            "another method".to_owned(),
        ),
        ("peer", kind) if kind != Kind::Local => wrong(
            "peer works over a socket file only",
            "another method, or local".to_owned(),
        ),
        ("cert", kind) if kind != Kind::HostSsl => wrong(
            "cert works over encrypted connections only",
            "hostssl, or another method".to_owned(),
        ),
        _ => Ok(()),
    }
}

/// What a method cannot do without, and what does not go together.
fn complete(method: &Token, options: &[&Token]) -> Result<(), Broken> {
    let has = |name: &str| {
        let mut names = options.iter().filter_map(|o| o.text.split_once('='));
        names.any(|(known, _)| known == name)
    };
    let wrong = |what: &str, expected: &str| Err(Broken::new(method.at.start, what, expected));
    match method.text.as_str() {
        "ldap" if !has("ldapserver") && !has("ldapurl") && !has("ldapbasedn") => {
            wrong("ldap needs a server", "ldapserver=… or ldapurl=…")
        }
        "ldap" => {
            let simple = has("ldapprefix") || has("ldapsuffix");
            let search = [
                "ldapbasedn",
                "ldapbinddn",
                "ldapbindpasswd",
                "ldapsearchattribute",
                "ldapsearchfilter",
                "ldapurl",
            ];
            let search = search.into_iter().any(has);
            match (simple, search) {
                (true, true) => wrong(
                    "ldapprefix and ldapsuffix do not go together with options of a search",
                    "the one or the other",
                ),
                (false, false) => wrong(
                    "ldap needs a base for its search, a prefix or a suffix",
                    "ldapbasedn=…, ldapprefix=… or ldapsuffix=…",
                ),
                _ => Ok(()),
            }
        }
        "radius" if !has("radiusservers") || !has("radiussecrets") => wrong(
            "radius needs servers and secrets",
            "radiusservers=… radiussecrets=…",
        ),
        _ => Ok(()),
    }
}

/// The methods that take an option; none where all do.
fn takers(name: &str) -> &'static [&'static str] {
    match name {
        "map" => &["ident", "peer", "gss", "sspi", "cert", "oauth"],
        "clientcert" | "clientname" => &[],
        "krb_realm" | "include_realm" => &["gss", "sspi"],
        "compat_realm" | "upn_username" => &["sspi"],
        "issuer" | "scope" | "validator" | "delegate_ident_mapping" => &["oauth"],
        name if name.starts_with("ldap") => &["ldap"],
        name if name.starts_with("radius") => &["radius"],
        name if name.starts_with("pam") => &["pam"],
        _ => &[],
    }
}

fn option(token: &Token, kind: Kind, method: &str) -> Result<(), Broken> {
    let Some((name, value)) = token.text.split_once('=') else {
        return Err(Broken::new(
            token.at.start,
            "an option has no =",
            "NAME=VALUE; a space before a comment sign, quotes round blanks",
        ));
    };
    let wrong = |what: String, expected: &str| Err(Broken::new(token.at.start, what, expected));
    if !OPTIONS.contains(&name) {
        let what = format!("there is no option {}", shown::key(name, OPTIONS));
        return wrong(what, "an option of that method");
    }
    let takers = takers(name);
    if !takers.is_empty() && !takers.contains(&method) {
        let what = format!("the method {method} takes no option {name}");
        return wrong(what, &format!("one of the methods {}", takers.join(", ")));
    }
    if name == "clientcert" {
        if kind != Kind::HostSsl {
            let what = "clientcert works over encrypted connections only";
            return wrong(what.to_owned(), "hostssl");
        }
        if !matches!(value, "verify-ca" | "verify-full") {
            let what = "clientcert has no known value";
            return wrong(what.to_owned(), "verify-ca or verify-full");
        }
        // That the server has a file of authorities is for it to know.
    }
    Ok(())
}

/// Where the secrets of a line stand.
pub(super) fn secrets(line: &Line, text: &str) -> Vec<Range<usize>> {
    let tokens = line.fields.iter().flat_map(|f| &f.tokens);
    let secret = tokens.filter_map(|token| {
        let raw = text.get(token.at.clone())?;
        let equals = raw.find('=')?;
        let name = raw.get(..equals)?.trim_start_matches('"');
        shown::is_secret_key(name).then(|| token.at.start + equals + 1..token.at.end)
    });
    secret.collect()
}

/// The line as it may be shown, on one line.
fn shown_text(line: &Line, text: &str) -> String {
    let covered = secrets(line, text);
    let mut out = String::new();
    let mut at = line.at.start;
    for range in covered {
        out.push_str(text.get(at..range.start).unwrap_or_default());
        out.push_str(COVER);
        at = range.end;
    }
    out.push_str(text.get(at..line.at.end).unwrap_or_default());
    let words: Vec<&str> = out
        .split(|c: char| c.is_whitespace())
        .filter(|w| !w.is_empty() && *w != "\\")
        .collect();
    chronaxis_model::redact::visible(&words.join(" "))
}
