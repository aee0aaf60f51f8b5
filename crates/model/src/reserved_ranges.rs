//! Addresses that are set aside for a purpose (RFC 6890 and the standards that it gathers).

use std::net::IpAddr;

/// What a range is for.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Purpose {
    /// This machine itself.
    Loopback,
    /// Inside a site; nobody routes it over the public network.
    Private,
    /// Between a provider and its customers.
    Shared,
    /// One link only.
    Link,
    /// Examples in books; nobody has it.
    Documentation,
    /// No single host.
    NoHost,
}

/// A range.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Range {
    /// Its purpose.
    pub purpose: Purpose,
    /// What it is called.
    pub title: &'static str,
    /// The standard.
    pub standard: &'static str,
}

type Entry = (&'static str, u8, Purpose, &'static str, &'static str);

/// All of them that a target could have by mistake or on purpose.
const RANGES: [Entry; 22] = [
    ("127.0.0.0", 8, Purpose::Loopback, "loopback", "RFC 1122"),
    ("::1", 128, Purpose::Loopback, "loopback", "RFC 4291"),
    ("10.0.0.0", 8, Purpose::Private, "private", "RFC 1918"),
    ("172.16.0.0", 12, Purpose::Private, "private", "RFC 1918"),
    ("192.168.0.0", 16, Purpose::Private, "private", "RFC 1918"),
    ("fc00::", 7, Purpose::Private, "unique local", "RFC 4193"),
    ("100.64.0.0", 10, Purpose::Shared, "shared", "RFC 6598"),
    ("169.254.0.0", 16, Purpose::Link, "link-local", "RFC 3927"),
    ("fe80::", 10, Purpose::Link, "link-local", "RFC 4291"),
    (
        "192.0.2.0",
        24,
        Purpose::Documentation,
        "documentation",
        "RFC 5737",
    ),
    (
        "198.51.100.0",
        24,
        Purpose::Documentation,
        "documentation",
        "RFC 5737",
    ),
    (
        "203.0.113.0",
        24,
        Purpose::Documentation,
        "documentation",
        "RFC 5737",
    ),
    (
        "2001:db8::",
        32,
        Purpose::Documentation,
        "documentation",
        "RFC 3849",
    ),
    (
        "3fff::",
        20,
        Purpose::Documentation,
        "documentation",
        "RFC 9637",
    ),
    ("0.0.0.0", 8, Purpose::NoHost, "this network", "RFC 1122"),
    ("::", 128, Purpose::NoHost, "unspecified", "RFC 4291"),
    ("224.0.0.0", 4, Purpose::NoHost, "multicast", "RFC 5771"),
    ("ff00::", 8, Purpose::NoHost, "multicast", "RFC 4291"),
    ("240.0.0.0", 4, Purpose::NoHost, "reserved", "RFC 1112"),
    (
        "198.18.0.0",
        15,
        Purpose::NoHost,
        "benchmarking",
        "RFC 2544",
    ),
    (
        "192.88.99.0",
        24,
        Purpose::NoHost,
        "former relay anycast",
        "RFC 7526",
    ),
    ("100::", 64, Purpose::NoHost, "discard", "RFC 6666"),
];

/// The range in which an address lies, if it is set aside.
pub fn range_of(ip: IpAddr) -> Option<Range> {
    let ip = ip.to_canonical();
    RANGES
        .iter()
        .find_map(|(base, length, purpose, title, standard)| {
            let base: IpAddr = base.parse().ok()?;
            shares_prefix(base, ip, *length).then_some(Range {
                purpose: *purpose,
                title,
                standard,
            })
        })
}

/// Whether an address leads to this machine itself: loopback, and the unspecified one, by
/// which a system connects to itself (RFC 1122, section 3.2.1.3, means it for a host that
/// does not know its own yet).
pub fn is_here(ip: IpAddr) -> bool {
    let ip = ip.to_canonical();
    ip.is_loopback() || ip.is_unspecified()
}

/// Whether an address is good on one link only, and means a different host on each
/// (RFC 4007, section 6).
pub fn is_link_local(ip: IpAddr) -> bool {
    matches!(ip, IpAddr::V6(ip) if ip.is_unicast_link_local())
}

/// Whether a name is one of this machine itself, which nobody else is asked for (RFC 6761,
/// section 6.3).
pub fn names_here(name: &str) -> bool {
    let name = name.trim_end_matches('.').to_ascii_lowercase();
    name == "localhost" || name.ends_with(".localhost")
}

/// Whether an address is one of a site's own.
pub fn is_private(ip: IpAddr) -> bool {
    let range = range_of(ip);
    range.is_some_and(|r| matches!(r.purpose, Purpose::Private | Purpose::Shared))
}

/// Whether two addresses lie in one network as sites cut theirs: of the same range that is
/// set aside for sites, and near each other.
pub fn same_site(one: IpAddr, other: IpAddr) -> bool {
    let blocks: [(&str, u8); 4] = [
        ("10.0.0.0", 8),
        ("172.16.0.0", 12),
        ("192.168.0.0", 16),
        ("100.64.0.0", 10),
    ];
    if let (IpAddr::V6(_), IpAddr::V6(_)) = (one, other) {
        return shares_prefix(one, other, 48);
    }
    blocks.iter().any(|(base, length)| {
        base.parse::<IpAddr>().is_ok_and(|base| {
            shares_prefix(base, one, *length) && shares_prefix(base, other, *length)
        })
    })
}

/// Whether two addresses of one family share so many first bits.
pub fn shares_prefix(one: IpAddr, other: IpAddr, length: u8) -> bool {
    let bits = |ip: IpAddr| match ip {
        IpAddr::V4(ip) => (u128::from(u32::from(ip)), 32u8),
        IpAddr::V6(ip) => (u128::from(ip), 128),
    };
    let ((a, width), (b, other_width)) = (bits(one), bits(other));
    if width != other_width || length > width {
        return false;
    }
    length == 0 || (a ^ b) >> (width - length) == 0
}
