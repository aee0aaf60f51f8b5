//! One place to connect to.

use std::fmt;
use std::net::{IpAddr, SocketAddr};

use crate::fact::Subject;

/// One address and port, or one socket file.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Endpoint {
    /// Over the network.
    Tcp(SocketAddr),
    /// On this machine.
    Socket(String),
}

impl Endpoint {
    /// It as the subject of a fact.
    pub fn subject(&self) -> Subject {
        match self {
            Endpoint::Tcp(to) => Subject {
                address: Some(to.ip()),
                port: Some(to.port()),
                ..Subject::default()
            },
            Endpoint::Socket(path) => Subject {
                socket: Some(path.clone()),
                ..Subject::default()
            },
        }
    }

    /// The one that a fact is about.
    pub fn of(about: &Subject) -> Option<Endpoint> {
        match (about.address, about.port, &about.socket) {
            (Some(ip), Some(port), _) => Some(Endpoint::Tcp((ip, port).into())),
            (_, _, Some(path)) => Some(Endpoint::Socket(path.clone())),
            _ => None,
        }
    }

    /// Its port.
    pub fn port(&self) -> Option<u16> {
        match self {
            Endpoint::Tcp(to) => Some(to.port()),
            Endpoint::Socket(_) => None,
        }
    }

    /// Its address.
    pub fn ip(&self) -> Option<IpAddr> {
        match self {
            Endpoint::Tcp(to) => Some(to.ip()),
            Endpoint::Socket(_) => None,
        }
    }
}

impl fmt::Display for Endpoint {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Endpoint::Tcp(to) => to.fmt(f),
            Endpoint::Socket(path) => f.pad(path),
        }
    }
}
