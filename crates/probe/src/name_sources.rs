//! What this machine says of names by itself: its hosts file (hosts(5)), and which
//! resolvers it is set up to ask (resolv.conf(5)).

use std::fs::File;
use std::io::Read as _;
use std::net::{IpAddr, SocketAddr};

use chronaxis_model::fact::{Fact, Resolvers, Subject};
use resolv_conf::ScopedIp;

use crate::here::Here;
use crate::links;

/// Longest file of these that is read. Lists of unwanted hosts run to megabytes.
const LONGEST: u64 = 16 * 1024 * 1024;

/// Most resolvers that the system's own library asks (resolv.conf(5), MAXNS).
const MOST_RESOLVERS: usize = 3;

/// The port of name service (RFC 1035, section 4.2).
const PORT: u16 = 53;

/// What both files say, each with its name.
pub(crate) fn of(here: &Here, names: &[String]) -> Vec<(Subject, Fact)> {
    let mut out = Vec::new();
    if let Some(text) = text_of("/etc/hosts") {
        for name in names {
            if let Some(fact) = in_hosts(&text, name) {
                out.push((Subject::name(name), fact));
            }
        }
    }
    let text = text_of("/etc/resolv.conf").unwrap_or_default();
    let config = parsed(&text);
    for ip in &config.nameservers {
        if let ScopedIp::V6(ip, Some(link)) = ip {
            here.note_link(links::on_link(*ip, link));
        }
    }
    out.push((Subject::default(), resolvers_of(&config)));
    out
}

fn text_of(path: &str) -> Option<Vec<u8>> {
    let mut bytes = Vec::new();
    File::open(path)
        .ok()?
        .take(LONGEST)
        .read_to_end(&mut bytes)
        .ok()?;
    Some(bytes)
}

/// What a hosts file says of a name: an address and the names for it a line.
pub fn in_hosts(text: &[u8], name: &str) -> Option<Fact> {
    let wanted = name.trim_end_matches('.').as_bytes();
    let mut addresses = Vec::new();
    let mut first = None;
    for (number, line) in (1u32..).zip(text.split(|b| *b == b'\n')) {
        let line = line.split(|b| *b == b'#').next().unwrap_or_default();
        let mut words = line
            .split(|b| b.is_ascii_whitespace())
            .filter(|w| !w.is_empty());
        let Some(address) = words.next() else {
            continue;
        };
        if !words.any(|word| word.eq_ignore_ascii_case(wanted)) {
            continue;
        }
        let address = std::str::from_utf8(address).ok();
        if let Some(ip) = address.and_then(|text| text.parse::<IpAddr>().ok()) {
            first = first.or(Some(number));
            if !addresses.contains(&ip) {
                addresses.push(ip);
            }
        }
    }
    let line = first?;
    Some(Fact::HostsFileSays { addresses, line })
}

/// What a resolver configuration says. One that names no resolver is not read as the
/// system's library reads it, which would ask this machine itself: nothing is configured.
pub fn resolvers_in(text: &[u8]) -> Fact {
    resolvers_of(&parsed(text))
}

fn parsed(text: &[u8]) -> resolv_conf::Config {
    let (mut config, _) = resolv_conf::Config::parse_with_errors(text);
    config.glibc_normalize();
    config
}

fn resolvers_of(config: &resolv_conf::Config) -> Fact {
    let resolvers = config
        .nameservers
        .iter()
        .take(MOST_RESOLVERS)
        .map(|ip| SocketAddr::new(ip.into(), PORT))
        .collect();
    let search = config
        .get_last_search_or_domain()
        .map(|suffix| chronaxis_model::redact::visible(suffix.trim_end_matches('.')))
        .filter(|suffix| !suffix.is_empty())
        .collect();
    Fact::ResolversFound(Resolvers {
        resolvers,
        search,
        ndots: config.ndots,
    })
}
