//! Names of hosts in a list that no longer lead to where they did.
//!
//! A list cannot tell where a name led when it was written. What can be told: that it leads
//! nowhere now, or that it leads to a neighbour of the client in its place.

use std::net::IpAddr;

use crate::answer::Spot;
use crate::attempt::Attempt;
use crate::block::bits;

/// How many bits neighbours have in common: a network of 256 addresses, or one link of IPv6
/// (RFC 4291, section 2.5.1).
const NEIGHBOURS: (u32, u32) = (24, 64);

/// A name that leads elsewhere.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Moved {
    /// The name.
    pub name: String,
    /// To where it leads; nothing where there is no such name any more.
    pub addresses: Vec<IpAddr>,
    /// Where it is written.
    pub spot: Spot,
}

impl Moved {
    /// The name in a list, if it leads elsewhere than to the client of an attempt, as far as
    /// it was looked up.
    pub(crate) fn of(name: &str, spot: &Spot, attempt: &Attempt) -> Option<Moved> {
        let addresses = attempt.names.get(&name.to_ascii_lowercase())?;
        let near = |ip: &IpAddr| {
            let ((v6, one), (own_v6, own)) = (bits(*ip), bits(attempt.client));
            let shift = if v6 {
                128 - NEIGHBOURS.1
            } else {
                32 - NEIGHBOURS.0
            };
            v6 == own_v6 && one >> shift == own >> shift
        };
        let elsewhere = leads_to(addresses, attempt.client) == Some(false);
        let moved = addresses.is_empty() || (elsewhere && addresses.iter().any(near));
        moved.then(|| Moved {
            name: name.to_owned(),
            addresses: addresses.clone(),
            spot: spot.clone(),
        })
    }

    /// What was seen, a sentence without its full stop.
    pub fn text(&self, client: IpAddr) -> String {
        let name = &self.name;
        match self.addresses.is_empty() {
            true => format!(
                "the name {name} in this record does not exist in DNS, so the record is for nobody"
            ),
            false => format!(
                "the name {name} in this record leads to {} now, not to {client}: has the client's address changed?",
                listed(&self.addresses)
            ),
        }
    }
}

/// Whether a name with these addresses leads to a client; not known where it has none of the
/// client's family, which may have been asked for in vain.
pub(crate) fn leads_to(addresses: &[IpAddr], client: IpAddr) -> Option<bool> {
    let family = addresses.iter().any(|ip| ip.is_ipv6() == client.is_ipv6());
    (family || addresses.is_empty()).then(|| addresses.contains(&client))
}

/// Addresses one after the other, the first few.
pub(crate) fn listed(addresses: &[IpAddr]) -> String {
    let shown: Vec<String> = addresses.iter().take(3).map(ToString::to_string).collect();
    let more = if addresses.len() > 3 {
        " and others"
    } else {
        ""
    };
    format!("{}{more}", shown.join(", "))
}
