//! Who answers on a port: told from a greeting, or from the answer to bytes of ours.

use chronaxis_model::fact::Service;

use crate::registry::engines;
use crate::spec::Greeting;

/// Those that are met where a database is meant, the surest first. What each sends is from
/// its protocol's own documentation; the engines bring their own.
const OTHERS: &[Greeting] = &[
    // RFC 4253, section 4.2.
    Greeting {
        service: Service::new("ssh"),
        speaks: "SSH",
        title: "an SSH server",
        fits: |b| b.starts_with(b"SSH-"),
    },
    // RFC 9112, section 4: a proxy wants to know who asks, or says what it passed on.
    Greeting {
        service: Service::new("http-proxy"),
        speaks: "HTTP proxy",
        title: "an HTTP proxy",
        fits: |b| is_http(b) && is_proxy(b),
    },
    Greeting {
        service: Service::new("http"),
        speaks: "HTTP",
        title: "a web server",
        fits: |b| is_http(b) || is_markup(b),
    },
    // RFC 5321, section 4.2; RFC 959, section 4.2: both greet with 220.
    Greeting {
        service: Service::new("smtp"),
        speaks: "SMTP",
        title: "a mail server (SMTP)",
        fits: |b| replies(b) && (holds(b, b"SMTP") || holds(b, b"ESMTP")),
    },
    Greeting {
        service: Service::new("ftp"),
        speaks: "FTP",
        title: "a file server (FTP)",
        fits: |b| {
            (replies(b) && holds(b, b"FTP")) || b.starts_with(b"220-") || b.starts_with(b"530 ")
        },
    },
    Greeting {
        service: Service::new("smtp"),
        speaks: "SMTP",
        title: "a mail server (SMTP)",
        fits: |b| replies(b) || b.starts_with(b"554 "),
    },
    Greeting {
        service: Service::new("redis"),
        speaks: "Redis",
        title: "a Redis server",
        fits: is_redis,
    },
    // RFC 8446, section 5.1: an alert or a handshake record.
    Greeting {
        service: TLS_SERVICE,
        speaks: "TLS",
        title: "a service that speaks TLS from the first byte",
        fits: |b| matches!(b, [21, 3, 0..=4, 0, 2, ..] | [22, 3, 0..=4, ..]),
    },
    // RFC 1928, section 3, and the older version 4: a refusal.
    Greeting {
        service: Service::new("socks"),
        speaks: "SOCKS",
        title: "a SOCKS proxy",
        fits: |b| {
            matches!(b, [5, 0..=2 | 0xff]) || matches!(b, [0, 0x5b..=0x5d, ..] if b.len() == 8)
        },
    },
    // Known by what it answers behind such a header, never by its first bytes.
    Greeting {
        service: PROXY_HEADER,
        speaks: "PROXY header",
        title: "a service that wants a PROXY header first",
        fits: |_| false,
    },
];

/// Something that speaks TLS at once.
pub const TLS_SERVICE: Service = Service::new("tls");

/// Something that first wants to be told for whom a proxy speaks.
pub(crate) const PROXY_HEADER: Service = Service::new("proxy-header");

fn all() -> impl Iterator<Item = &'static Greeting> {
    let own = engines().iter().flat_map(|engine| engine.spec.greetings);
    own.chain(OTHERS)
}

/// All services that are known, each once, with its name for people.
pub fn services() -> impl Iterator<Item = (Service, &'static str)> {
    let mut seen: Vec<Service> = Vec::new();
    all().filter_map(move |g| {
        let again = seen.contains(&g.service);
        seen.push(g.service);
        (!again).then_some((g.service, g.title))
    })
}

/// Whose bytes these are, as far as they tell.
pub fn answered(bytes: &[u8]) -> Option<Service> {
    let begins = bytes.get(..1024).unwrap_or(bytes);
    let greeting = all().find(|g| !begins.is_empty() && (g.fits)(begins));
    greeting.map(|g| g.service)
}

/// What a service speaks, in a word or two.
pub fn speaks(service: Service) -> &'static str {
    let known = all().find(|g| g.service == service);
    known.map_or(service.as_str(), |g| g.speaks)
}

/// A service's name, for people.
pub fn service_title(service: Service) -> &'static str {
    let known = all().find(|g| g.service == service);
    known.map_or(service.as_str(), |g| g.title)
}

pub(crate) fn holds(bytes: &[u8], wanted: &[u8]) -> bool {
    bytes.windows(wanted.len()).any(|w| w == wanted)
}

fn is_http(bytes: &[u8]) -> bool {
    bytes.starts_with(b"HTTP/")
}

fn is_markup(bytes: &[u8]) -> bool {
    let low: Vec<u8> = bytes.iter().take(32).map(u8::to_ascii_lowercase).collect();
    low.starts_with(b"<html") || low.starts_with(b"<!doctype html")
}

fn is_proxy(bytes: &[u8]) -> bool {
    let low = bytes.to_ascii_lowercase();
    holds(&low, b"proxy-authenticate:") || holds(&low, b" 407 ") || holds(&low, b"\nvia:")
}

/// A reply of three digits that greets.
fn replies(bytes: &[u8]) -> bool {
    bytes.starts_with(b"220 ") || bytes.starts_with(b"220-")
}

/// An error or a refusal, ended by a line (Redis serialization protocol).
fn is_redis(bytes: &[u8]) -> bool {
    [&b"-ERR"[..], b"-NOAUTH", b"-DENIED", b"-LOADING", b"+PONG"]
        .iter()
        .any(|begin| bytes.starts_with(begin))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn each_service_is_told_by_what_it_says() {
        let greeting = b"\x5d\0\0\0\x0a8.0.36\0\x08\0\0\0abcdefgh\0";
        let mariadb = b"\x5d\0\0\0\x0a5.5.5-10.11.6-MariaDB-0+deb12u1\0\x08\0\0\0";
        let blocked = b"\x69\0\0\0\xff\x69\x04Host '10.8.4.21' is blocked";
        let bouncer = b"E\0\0\0\x3cSFATAL\0C08P01\0Mno such database: sailing\0\0";
        let said: &[(&[u8], Option<Service>)] = &[
            (b"SSH-2.0-harbour\r\n", Some(Service::new("ssh"))),
            (greeting, Some(Service::new("mysql"))),
            (mariadb, Some(Service::new("mariadb"))),
            (blocked, Some(Service::new("mysql"))),
            (
                b"HTTP/1.1 400 Bad Request\r\nServer: north-quay\r\n",
                Some(Service::new("http")),
            ),
            (
                b"<html><body>Bad request</body></html>",
                Some(Service::new("http")),
            ),
            (
                b"HTTP/1.1 407 Proxy Authentication Required\r\n",
                Some(Service::new("http-proxy")),
            ),
            (
                b"HTTP/1.1 403 Forbidden\r\nVia: 1.1 gangway\r\n",
                Some(Service::new("http-proxy")),
            ),
            (
                b"220 mail.osmary.example ESMTP\r\n",
                Some(Service::new("smtp")),
            ),
            (b"220 quay FTP server ready\r\n", Some(Service::new("ftp"))),
            (
                b"-ERR unknown command 'PROXY'\r\n",
                Some(Service::new("redis")),
            ),
            (
                b"It looks like you are trying to access MongoDB over HTTP",
                Some(Service::new("mongodb")),
            ),
            (b"\x04\x01\0\x2b\0\0\x01\0", Some(Service::new("tds"))),
            (b"\x15\x03\x01\0\x02\x02\x46", Some(Service::new("tls"))),
            (b"\x05\xff", Some(Service::new("socks"))),
            (b"\0\x5b\0\0\0\0\0\0", Some(Service::new("socks"))),
            (bouncer, Some(Service::new("pgbouncer"))),
            (
                b"E\0\0\0\x3cSFATAL\0VFATAL\0C28000\0",
                Some(Service::new("postgresql")),
            ),
            (b"N", Some(Service::new("postgresql"))),
            (b"", None),
            (b"\x01\x02\x03\x04 what is this", None),
        ];
        for (bytes, wanted) in said {
            let shown = String::from_utf8_lossy(bytes);
            assert_eq!(answered(bytes), *wanted, "{shown:?}");
        }
    }
}
