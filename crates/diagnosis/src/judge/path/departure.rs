//! How packets leave this machine: from where, by which interface, and whether the next
//! device takes them.

use std::net::IpAddr;

use chronaxis_model::endpoint::Endpoint;
use chronaxis_model::fact::{Fact, Icmp, Unreach};
use chronaxis_model::reserved_ranges;

use super::PathView;

/// The next device on the way, known not to answer.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct NextSilent {
    /// Which.
    pub device: IpAddr,
    /// Whether it is the host itself, on a network of this machine.
    pub is_host: bool,
    /// The interface, where its link is down.
    pub link_down: Option<String>,
}

impl NextSilent {
    /// What is seen, in words.
    pub fn text(&self) -> String {
        match (&self.link_down, self.is_host) {
            (Some(interface), _) => format!(
                "this machine's link {} is down",
                chronaxis_model::redact::visible(interface)
            ),
            (None, true) => format!(
                "nothing answers at {}, an address on this machine's own network",
                self.device
            ),
            (None, false) => format!("the gateway {} does not answer", self.device),
        }
    }
}

impl PathView<'_> {
    /// The address from which this machine sends.
    pub fn source(&self) -> Option<IpAddr> {
        self.find(|fact| match fact {
            Fact::RouteFound { source, .. } => Some(*source),
            _ => None,
        })
    }

    /// The interface by which it sends.
    pub fn interface(&self) -> Option<&str> {
        self.find(|fact| match fact {
            Fact::RouteFound { interface, .. } => interface.as_deref(),
            _ => None,
        })
    }

    /// The next device on the way; none where the address is on a network of this machine.
    pub fn gateway(&self) -> Option<IpAddr> {
        self.find(|fact| match fact {
            Fact::RouteFound { gateway, .. } => *gateway,
            _ => None,
        })
    }

    /// Why there is no way, in words where the system's own name for it is known.
    pub(super) fn why_none(&self, error: &str) -> String {
        let six = matches!(&self.endpoint, Endpoint::Tcp(to) if to.is_ipv6());
        let family = if six { "IPv6" } else { "IPv4" };
        let why = match error {
            "EADDRNOTAVAIL" => format!(": this machine has no {family} address to send from"),
            "EAFNOSUPPORT" => format!(": this machine does not use {family}"),
            "ENETUNREACH" => format!(": this machine has no {family} route that fits"),
            "EINVAL" if self.lacks_its_link() => {
                ": a link-local address needs the name of its link, as in fe80::1%eth0".to_owned()
            }
            _ => match route_to_nowhere(error) {
                Some(does) => format!(": a route of this machine {does}"),
                None => String::new(),
            },
        };
        format!("{why} ({error})")
    }

    /// Whether this machine has a route there of a type that leads nowhere.
    pub fn is_led_nowhere(&self) -> bool {
        let nowhere = |fact: &Fact| match fact {
            Fact::RouteMissing { error } => Some(route_to_nowhere(error).is_some()),
            _ => None,
        };
        !self.lacks_its_link() && self.find(nowhere).unwrap_or_default()
    }

    fn lacks_its_link(&self) -> bool {
        self.endpoint
            .ip()
            .is_some_and(reserved_ranges::is_link_local)
    }

    /// The ICMP message that ended an attempt.
    pub fn icmp(&self) -> Option<Icmp> {
        self.find(|fact| match fact {
            Fact::PortRefused { icmp, .. } | Fact::PortUnreachable { icmp, .. } => *icmp,
            _ => None,
        })
    }

    /// Whether an ICMP message comes from this machine itself, about another one.
    pub fn is_own(&self, icmp: Icmp) -> bool {
        let own = Some(icmp.sender) == self.source() || icmp.sender.is_loopback();
        own && Some(icmp.sender) != self.endpoint.ip()
    }

    /// Whether this machine itself gave up on the next device: it says of a neighbour that
    /// does not answer what a router says of an absent host.
    pub fn gave_up(&self) -> bool {
        let says = |icmp: Icmp| icmp.says() == Unreach::Host && self.is_own(icmp);
        self.icmp().is_some_and(says)
    }

    /// The next device, where it does not answer.
    pub fn next_silent(&self) -> Option<NextSilent> {
        let link_down = self.find(|fact| match fact {
            Fact::NextDevice {
                link_up: Some(false),
                ..
            } => Some(self.interface().unwrap_or("the interface").to_owned()),
            _ => None,
        });
        let asked = self.find(|fact| match fact {
            Fact::NextDevice {
                address, answers, ..
            } => (link_down.is_some() || *answers == Some(false)).then_some(*address),
            _ => None,
        });
        let gateway = self.gateway();
        let given_up = || self.gave_up().then_some(gateway.or(self.endpoint.ip()))?;
        let device = asked.or_else(given_up)?;
        Some(NextSilent {
            device,
            is_host: Some(device) == self.endpoint.ip() && gateway.is_none(),
            link_down,
        })
    }
}

/// What a route does that leads nowhere, by the error that it makes (ip-route(8)).
fn route_to_nowhere(error: &str) -> Option<&'static str> {
    Some(match error {
        "EHOSTUNREACH" => "says unreachable",
        "EACCES" => "prohibits it",
        "EINVAL" => "throws it away",
        _ => return None,
    })
}
