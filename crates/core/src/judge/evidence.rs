//! What the judge and the inference look at.

use crate::endpoint::Endpoint;
use crate::fact::{Fact, Observation};
use crate::layer::{Layer, Micros};
use crate::target::{End, ShownTarget};

/// What was asked of a run.
#[derive(Clone, Copy, Debug, PartialEq, Eq, serde::Serialize, serde::Deserialize)]
pub struct Scope {
    /// The last layer to walk.
    pub until: Layer,
    /// Attempts on a path that does not connect.
    pub attempts: u32,
    /// Longest wait for one complete answer.
    pub patience_us: Micros,
    /// Longest time for one target.
    pub deadline_us: Micros,
    /// Whether a password may go in clear over a plain line.
    #[serde(default)]
    pub allow_plaintext: bool,
}

/// All that the judge and the inference look at.
#[derive(Clone, Copy, Debug)]
pub struct Evidence<'a> {
    /// What was told.
    pub target: &'a ShownTarget,
    /// What was asked.
    pub scope: &'a Scope,
    /// What was seen.
    pub log: &'a [Observation],
}

impl<'a> Evidence<'a> {
    /// All facts of this version, with their entry.
    pub fn facts(self) -> impl Iterator<Item = (&'a Observation, &'a Fact)> {
        self.log.iter().filter_map(|o| Some((o, o.fact()?)))
    }

    /// The paths in the client's own order: the addresses as the name gave them.
    pub fn endpoints(self) -> Vec<Endpoint> {
        let mut out: Vec<Endpoint> = Vec::new();
        for end in &self.target.ends {
            match end {
                End::Socket { socket } => out.push(Endpoint::Socket(socket.clone())),
                End::Host { port, .. } => {
                    for ip in self.addresses_of(end) {
                        let to = Endpoint::Tcp((ip, *port).into());
                        if !out.contains(&to) {
                            out.push(to);
                        }
                    }
                }
            }
        }
        out
    }

    fn addresses_of(self, end: &End) -> Vec<std::net::IpAddr> {
        if let Some(ip) = dialled_address(self.target, end) {
            return vec![ip];
        }
        self.facts()
            .find_map(|(_, fact)| match fact {
                Fact::NameResolved { addresses, .. } => Some(addresses.clone()),
                _ => None,
            })
            .unwrap_or_default()
    }
}

/// The address that is dialled without asking any name service, if there is one.
pub fn dialled_address(target: &ShownTarget, end: &End) -> Option<std::net::IpAddr> {
    target
        .options
        .get("hostaddr")
        .and_then(|a| a.parse().ok())
        .or_else(|| end.literal())
}
