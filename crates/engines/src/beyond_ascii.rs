//! Host names with letters beyond ASCII: some clients convert them before they ask for
//! them (RFC 3490, as Python's own codec does), the others ask for the letters as they
//! stand.

use chronaxis_model::fact::Fact;
use chronaxis_model::redact::visible;
use chronaxis_model::target::{ClientId, End};

/// Whether this client converts such a name: the drivers in Python leave the host to
/// Python, which does; the C libraries, Java and PHP hand it on as it is.
fn converts(client: ClientId) -> bool {
    matches!(
        client,
        ClientId::Asyncpg | ClientId::Pg8000 | ClientId::Pymysql
    )
}

/// As DNS holds it. By the older standard, which Python follows, a sharp s is a double s.
fn in_dns(host: &str, client: ClientId) -> Option<String> {
    let host = match converts(client) {
        true => host.replace('\u{df}', "ss").replace('\u{3c2}', "\u{3c3}"),
        false => host.to_owned(),
    };
    let ascii = idna::domain_to_ascii(&host).ok()?;
    (!ascii.is_empty()).then_some(ascii)
}

/// Puts the name that is asked for in the place of the one that was told, and says so.
pub(super) fn asked_for(client: ClientId, ends: &mut [End]) -> Vec<Fact> {
    let mut out = Vec::new();
    for end in ends {
        let End::Host { host, .. } = end else {
            continue;
        };
        if host.is_ascii() {
            continue;
        }
        let Some(ascii) = in_dns(host, client) else {
            continue;
        };
        out.push(Fact::HostBeyondAscii {
            told: visible(host),
            in_dns: ascii.clone(),
            converted: converts(client),
        });
        if converts(client) {
            *host = ascii;
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    fn host(name: &str) -> Vec<End> {
        vec![End::Host {
            host: name.to_owned(),
            address: None,
            port: 5432,
        }]
    }

    #[test]
    fn each_client_asks_in_its_own_way() {
        let name = "stra\u{df}e.osmary.example";
        let mut ends = host(name);
        let facts = asked_for(ClientId::Asyncpg, &mut ends);
        assert_eq!(ends, host("strasse.osmary.example"), "as Python's codec");
        assert!(matches!(
            facts[..],
            [Fact::HostBeyondAscii {
                converted: true,
                ..
            }]
        ));
        let mut ends = host(name);
        let facts = asked_for(ClientId::Libpq, &mut ends);
        assert_eq!(ends, host(name));
        let [
            Fact::HostBeyondAscii {
                in_dns,
                converted: false,
                ..
            },
        ] = &facts[..]
        else {
            panic!("{facts:?}");
        };
        assert_eq!(in_dns, "xn--strae-oqa.osmary.example");
        assert!(asked_for(ClientId::Libpq, &mut host("quay.osmary.example")).is_empty());
    }
}
