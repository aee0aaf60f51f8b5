//! What the judge and the inference look at.

mod seen;

pub use seen::Seen;

use schemars::JsonSchema;
use std::borrow::Cow;
use std::net::{IpAddr, SocketAddr};

use chronaxis_engines::{ClientPolicy, HostLookup, by_id};
use chronaxis_model::endpoint::Endpoint;
use chronaxis_model::fact::{Fact, Observation, ResolverAnswer};
use chronaxis_model::layer::{Layer, Micros};
use chronaxis_model::target::{End, ShownTarget};

use super::going_on::policy;

/// What was asked of a run.
#[derive(Clone, Debug, PartialEq, Eq, serde::Serialize, serde::Deserialize, JsonSchema)]
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
    /// Whether the password may go out over a plain line by the server's public key.
    #[serde(default)]
    pub allow_server_key: bool,
    /// Whether repaired forms of a refused secret may be tried.
    #[serde(default)]
    pub try_repairs: bool,
    /// The resolvers to ask in place of those that the system is set up to ask.
    #[serde(skip_serializing_if = "Vec::is_empty", default)]
    pub resolvers: Vec<SocketAddr>,
    /// The instance that is meant: an identifier, its name or its address.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub expect: Option<String>,
    /// The words of the command that repeats this run, where they are known.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub again: Option<Again>,
}

/// The words that repeat a run: as they were typed, but for a secret in them.
#[derive(
    Clone, Debug, Default, PartialEq, Eq, serde::Serialize, serde::Deserialize, JsonSchema,
)]
pub struct Again {
    /// The options, each with its value.
    pub options: Vec<Vec<String>>,
    /// What says which target: one word, as a rule.
    pub target: Vec<String>,
    /// Whether the word names a file or the environment: what is mended is mended there.
    #[serde(skip_serializing_if = "std::ops::Not::not", default)]
    pub lasting: bool,
}

/// Most hosts of one target that are looked into. A string can hold any number; nobody's
/// name service is asked for all of them.
pub const MOST_HOSTS: usize = 16;

/// One way to a server that a client could take.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Way {
    /// Which of the target's ends it leads to, from 0.
    pub host: usize,
    /// Where it ends.
    pub endpoint: Endpoint,
    /// Whether this client would ever take it: some take only a name's first address.
    pub taken: bool,
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
    /// Whether this machine is known to be set up to ask no resolver at all.
    pub fn has_no_resolver(&self) -> bool {
        let none =
            |fact: &Fact| matches!(fact, Fact::ResolversFound(all) if all.resolvers.is_empty());
        self.facts().any(|(_, fact)| none(fact))
    }

    /// Whether nothing says which engine is meant, so that who answers is asked.
    pub fn engine_untold(&self) -> bool {
        self.facts()
            .any(|(_, fact)| matches!(fact, Fact::EngineUntold))
    }

    /// By how much this program itself ran late.
    pub fn ran_late(&self) -> Micros {
        let late = self.facts().find_map(|(_, fact)| match fact {
            Fact::RanLate { by_us } => Some(*by_us),
            _ => None,
        });
        late.unwrap_or_default()
    }

    /// All facts of this version, with their entry.
    pub fn facts(self) -> impl Iterator<Item = (&'a Observation, &'a Fact)> {
        self.log.iter().filter_map(|o| Some((o, o.fact()?)))
    }

    /// The ways that this client could take, in its own order: host by host, and for each
    /// host the addresses as its name gave them.
    pub fn ways(self) -> Vec<Way> {
        let of_client = policy(self.target);
        let mut out: Vec<Way> = Vec::new();
        for (host, end) in self.ends().iter().enumerate().take(MOST_HOSTS) {
            let mut taken = true;
            for endpoint in self.endpoints_of(end, of_client) {
                if out.iter().all(|w| w.endpoint != endpoint) {
                    out.push(Way {
                        host,
                        endpoint,
                        taken,
                    });
                }
                taken = !of_client.first_address_only;
            }
        }
        out
    }

    /// Where the client goes: what was told, or what the service records say that stand
    /// behind the name that was told (RFC 2782).
    pub fn ends(self) -> Cow<'a, [End]> {
        let places = self.service_places();
        match places.is_empty() {
            true => Cow::Borrowed(&self.target.ends),
            false => Cow::Owned(places),
        }
    }

    /// Whether hosts and ports come from service records.
    pub fn by_service_records(self) -> bool {
        by_id(self.target.engine).strings.host_lookup(self.target) == HostLookup::ServiceRecords
    }

    /// The places that service records give, best first.
    fn service_places(self) -> Vec<End> {
        if !self.by_service_records() {
            return Vec::new();
        }
        let mut out = Vec::new();
        for place in self.resolver_answers(None).flat_map(|(_, a)| &a.services) {
            let end = End::Host {
                host: place.host.as_str().to_owned(),
                port: place.port,
                address: None,
            };
            if !out.contains(&end) && !place.host.as_str().is_empty() {
                out.push(end);
            }
        }
        out
    }

    /// The names of these places, each once.
    pub fn service_hosts(self) -> Vec<String> {
        let mut out: Vec<String> = Vec::new();
        for end in self.service_places() {
            if let Some(name) = end.name().filter(|n| !out.iter().any(|known| known == n)) {
                out.push(name.to_owned());
            }
        }
        out
    }

    /// What resolvers answered, about one name or about all.
    pub fn resolver_answers(
        self,
        name: Option<&str>,
    ) -> impl Iterator<Item = (SocketAddr, &'a ResolverAnswer)> {
        self.facts().filter_map(move |(o, fact)| match fact {
            Fact::ResolverAnswered(answer) if name.is_none() || o.about.name.as_deref() == name => {
                Some((o.about.resolver?, &**answer))
            }
            _ => None,
        })
    }

    /// What the hosts file says of a name: the addresses, and the line.
    pub fn hosts_file(self, name: &str) -> Option<(&'a [IpAddr], u32)> {
        self.facts().find_map(|(o, fact)| match fact {
            Fact::HostsFileSays { addresses, line } if o.about.name.as_deref() == Some(name) => {
                Some((addresses.as_slice(), *line))
            }
            _ => None,
        })
    }

    /// Where each of these ways ends.
    pub fn endpoints(self) -> Vec<Endpoint> {
        self.ways().into_iter().map(|w| w.endpoint).collect()
    }

    fn endpoints_of(self, end: &End, policy: ClientPolicy) -> Vec<Endpoint> {
        let port = match end {
            End::Socket { socket } => return vec![Endpoint::Socket(socket.clone())],
            End::Host { port, .. } => *port,
        };
        let mut addresses = match (end.dialled_address(), end.name()) {
            (Some(ip), _) => vec![ip],
            (None, Some(name)) => self.resolved_name(name).unwrap_or_default().to_vec(),
            (None, None) => Vec::new(),
        };
        if policy.v4_first {
            addresses.sort_by_key(IpAddr::is_ipv6);
        }
        let to = |ip| Endpoint::Tcp((ip, port).into());
        addresses.into_iter().map(to).collect()
    }

    /// The addresses that the client goes by.
    pub fn resolved_name(self, name: &str) -> Option<&'a [IpAddr]> {
        self.facts().find_map(|(o, fact)| match fact {
            Fact::NameResolved { addresses, .. } if o.about.name.as_deref() == Some(name) => {
                Some(addresses.as_slice())
            }
            _ => None,
        })
    }
}
