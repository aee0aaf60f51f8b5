//! Who answers on a port: told from a greeting, or from the answer to bytes of ours.

use crate::fact::Service;

/// What the first bytes of a service look like.
struct Mark {
    service: Service,
    fits: fn(&[u8]) -> bool,
}

/// The table, the surest first. What each sends is from its protocol's own
/// documentation.
const MARKS: &[Mark] = &[
    // RFC 4253, section 4.2.
    Mark {
        service: Service::Ssh,
        fits: |b| b.starts_with(b"SSH-"),
    },
    Mark {
        service: Service::Mariadb,
        fits: |b| is_mysql(b) && holds(b, b"MariaDB"),
    },
    Mark {
        service: Service::Mysql,
        fits: is_mysql,
    },
    // Its own words for the web, before any other answer of the web.
    Mark {
        service: Service::Mongodb,
        fits: |b| holds(b, b"MongoDB"),
    },
    // RFC 9112, section 4: a proxy wants to know who asks, or says what it passed on.
    Mark {
        service: Service::HttpProxy,
        fits: |b| is_http(b) && is_proxy(b),
    },
    Mark {
        service: Service::Http,
        fits: |b| is_http(b) || is_markup(b),
    },
    // RFC 5321, section 4.2; RFC 959, section 4.2: both greet with 220.
    Mark {
        service: Service::Smtp,
        fits: |b| replies(b) && (holds(b, b"SMTP") || holds(b, b"ESMTP")),
    },
    Mark {
        service: Service::Ftp,
        fits: |b| replies(b) && holds(b, b"FTP"),
    },
    Mark {
        service: Service::Ftp,
        fits: |b| b.starts_with(b"220-") || b.starts_with(b"530 "),
    },
    Mark {
        service: Service::Smtp,
        fits: |b| replies(b) || b.starts_with(b"554 "),
    },
    Mark {
        service: Service::Redis,
        fits: is_redis,
    },
    // MS-TDS, section 2.2.3.1: a tabular result, end of message, whole in one packet.
    Mark {
        service: Service::Tds,
        fits: |b| matches!(b, [4, 1, _, _, 0, 0, ..]),
    },
    // RFC 8446, section 5.1: an alert or a handshake record.
    Mark {
        service: Service::Tls,
        fits: |b| matches!(b, [21, 3, 0..=4, 0, 2, ..] | [22, 3, 0..=4, ..]),
    },
    // RFC 1928, section 3, and the older version 4: a refusal.
    Mark {
        service: Service::Socks,
        fits: |b| {
            matches!(b, [5, 0..=2 | 0xff]) || matches!(b, [0, 0x5b..=0x5d, ..] if b.len() == 8)
        },
    },
    Mark {
        service: Service::Pgbouncer,
        fits: |b| is_postgresql(b) && !holds(b, b"\0R") && holds(b, b"C08P01"),
    },
    Mark {
        service: Service::Postgresql,
        fits: |b| is_postgresql(b) || matches!(b, b"S" | b"N"),
    },
];

/// Whose bytes these are, as far as they tell.
pub fn answered(bytes: &[u8]) -> Option<Service> {
    let begins = bytes.get(..1024).unwrap_or(bytes);
    let mark = MARKS
        .iter()
        .find(|m| !begins.is_empty() && (m.fits)(begins));
    mark.map(|m| m.service)
}

fn holds(bytes: &[u8], wanted: &[u8]) -> bool {
    bytes.windows(wanted.len()).any(|w| w == wanted)
}

/// A packet of a server of this family: the greeting of protocol 10, or the refusal that
/// comes in its place.
fn is_mysql(bytes: &[u8]) -> bool {
    match bytes {
        [length, _, 0, 0, 10, version, ..] => *length > 20 && version.is_ascii_digit(),
        [length, 0, 0, 0, 0xff, _, code, ..] => *length > 3 && (3..=0x10).contains(code),
        _ => false,
    }
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

/// An ErrorResponse with a severity field first.
fn is_postgresql(bytes: &[u8]) -> bool {
    matches!(bytes, [b'E', 0, 0, _, _, b'S', ..])
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
            (b"SSH-2.0-harbour\r\n", Some(Service::Ssh)),
            (greeting, Some(Service::Mysql)),
            (mariadb, Some(Service::Mariadb)),
            (blocked, Some(Service::Mysql)),
            (
                b"HTTP/1.1 400 Bad Request\r\nServer: north-quay\r\n",
                Some(Service::Http),
            ),
            (
                b"<html><body>Bad request</body></html>",
                Some(Service::Http),
            ),
            (
                b"HTTP/1.1 407 Proxy Authentication Required\r\n",
                Some(Service::HttpProxy),
            ),
            (
                b"HTTP/1.1 403 Forbidden\r\nVia: 1.1 gangway\r\n",
                Some(Service::HttpProxy),
            ),
            (b"220 mail.osmary.example ESMTP\r\n", Some(Service::Smtp)),
            (b"220 quay FTP server ready\r\n", Some(Service::Ftp)),
            (b"-ERR unknown command 'PROXY'\r\n", Some(Service::Redis)),
            (
                b"It looks like you are trying to access MongoDB over HTTP",
                Some(Service::Mongodb),
            ),
            (b"\x04\x01\0\x2b\0\0\x01\0", Some(Service::Tds)),
            (b"\x15\x03\x01\0\x02\x02\x46", Some(Service::Tls)),
            (b"\x05\xff", Some(Service::Socks)),
            (b"\0\x5b\0\0\0\0\0\0", Some(Service::Socks)),
            (bouncer, Some(Service::Pgbouncer)),
            (
                b"E\0\0\0\x3cSFATAL\0VFATAL\0C28000\0",
                Some(Service::Postgresql),
            ),
            (b"N", Some(Service::Postgresql)),
            (b"", None),
            (b"\x01\x02\x03\x04 what is this", None),
        ];
        for (bytes, wanted) in said {
            let shown = String::from_utf8_lossy(bytes);
            assert_eq!(answered(bytes), *wanted, "{shown:?}");
        }
    }
}
