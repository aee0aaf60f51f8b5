//! Name service of a simulated world: what each resolver says.

use std::net::{IpAddr, Ipv4Addr, SocketAddr};

use chronaxis_model::fact::{
    AnswerTrouble, Fact, NameTrouble, RecordKind, ResolverAnswer, ServicePlace,
};
use chronaxis_model::layer::Micros;
use chronaxis_model::redact::Redactor;

use super::World;

/// What name service says of a name.
#[derive(Clone, Debug)]
pub enum NameAnswer {
    /// These addresses, in this order.
    Addresses(Vec<IpAddr>),
    /// An alias over these names, to these addresses; to none where the last does not
    /// exist.
    Alias(Vec<&'static str>, Vec<IpAddr>),
    /// The places of a service: priority, host, port.
    Services(Vec<(u16, &'static str, u16)>),
    /// A failure of this kind, with the system's code.
    Fails(NameTrouble, &'static str),
    /// Nothing.
    Silent,
}

/// How a resolver behaves.
#[derive(Clone, Debug)]
pub enum Resolver {
    /// It knows what the world's name service knows.
    Knows,
    /// It knows other things: of these names this; of all others that they do not exist.
    KnowsOnly(Vec<(&'static str, NameAnswer)>),
    /// It says of every name that it has this address.
    SaysAlways(IpAddr),
    /// It answers every question with this code.
    Answers(&'static str),
    /// It sends what is no answer.
    Garbles(AnswerTrouble),
    /// It says nothing.
    IsSilent,
}

/// The first resolver of a world; the others follow it.
const FIRST: Ipv4Addr = Ipv4Addr::new(10, 8, 0, 53);

/// How long the system waits for a resolver (resolv.conf(5), `timeout`).
const NEXT_AFTER: Micros = Micros(5_000_000);

/// How long a resolver takes.
const TAKES: Micros = Micros(1_400);

impl World {
    /// The places of this world's resolvers.
    pub(super) fn resolver_places(&self) -> Vec<SocketAddr> {
        let first = u32::from(FIRST);
        (0u32..)
            .zip(&self.resolvers)
            .map(|(n, _)| SocketAddr::new(Ipv4Addr::from(first + n).into(), 53))
            .collect()
    }

    /// How long the system's own look-up of a name takes: behind each resolver that is
    /// silent it asks the next one.
    pub(super) fn system_takes(&self, name: &str) -> Micros {
        let by_itself = self.hosts_file.iter().any(|(known, _)| *known == name)
            || self.remembered.iter().any(|(known, _)| *known == name);
        let mut resolvers = self.resolvers.iter();
        match resolvers.position(|r| !matches!(r, Resolver::IsSilent)) {
            Some(silent) if !by_itself => {
                Micros(2_100 + NEXT_AFTER.0 * u64::try_from(silent).unwrap_or_default())
            }
            _ => Micros(2_100),
        }
    }

    /// What the system's own look-up of a name gives; none where it says nothing.
    pub(super) fn system_says(&self, name: &str, elapsed_us: Micros) -> Option<Fact> {
        let resolved = |addresses: &[IpAddr]| Fact::NameResolved {
            addresses: addresses.to_vec(),
            elapsed_us,
        };
        let failed = |code: &str, trouble| Fact::NameFailed {
            code: code.to_owned(),
            trouble,
            elapsed_us,
        };
        if let Some((_, addresses)) = self.hosts_file.iter().find(|(known, _)| *known == name) {
            return Some(resolved(addresses));
        }
        if let Some((_, address)) = self.remembered.iter().find(|(known, _)| *known == name) {
            return Some(resolved(&[*address]));
        }
        Some(match self.names.get(name) {
            Some(NameAnswer::Addresses(all)) => resolved(all),
            Some(NameAnswer::Alias(_, all)) if !all.is_empty() => resolved(all),
            Some(NameAnswer::Services(_)) => failed("EAI_NODATA", NameTrouble::NoAddress),
            Some(NameAnswer::Fails(trouble, code)) => failed(code, *trouble),
            Some(NameAnswer::Silent) => return None,
            Some(NameAnswer::Alias(..)) | None => failed("EAI_NONAME", NameTrouble::NoSuchName),
        })
    }

    /// What one resolver answers, and after how long; none where it says nothing.
    pub(super) fn resolver_says(
        &self,
        resolver: SocketAddr,
        asked: &str,
        kind: RecordKind,
    ) -> Option<(Micros, Fact)> {
        let at = self.resolver_places().iter().position(|r| *r == resolver)?;
        let answer = |answer: ResolverAnswer| Some((TAKES, Fact::ResolverAnswered(answer.into())));
        let bare = ResolverAnswer {
            asked: asked.to_owned(),
            kind,
            code: "NOERROR".to_owned(),
            addresses: Vec::new(),
            aliases: Vec::new(),
            services: Vec::new(),
            texts: Vec::new(),
            zone: None,
            keep_s: None,
            circle: false,
            over_tcp: false,
            passed_over: 0,
            elapsed_us: TAKES,
        };
        let known = match self.resolvers.get(at)? {
            Resolver::IsSilent => return None,
            Resolver::Garbles(trouble) => {
                let fact = Fact::ResolverGarbled {
                    asked: asked.to_owned(),
                    kind,
                    trouble: *trouble,
                };
                return Some((TAKES, fact));
            }
            Resolver::Answers(code) => {
                return answer(ResolverAnswer {
                    code: (*code).to_owned(),
                    ..bare
                });
            }
            Resolver::SaysAlways(ip) => {
                return answer(ResolverAnswer {
                    addresses: of_kind(&[*ip], kind),
                    ..bare
                });
            }
            Resolver::Knows => self.names.get(asked),
            Resolver::KnowsOnly(own) => own
                .iter()
                .find(|(name, _)| *name == asked)
                .map(|(_, known)| known),
        };
        let text = |text: &str| Redactor::default().text(text);
        let zone = asked.split_once('.').map(|(_, zone)| text(zone));
        let denied = |aliases| ResolverAnswer {
            code: "NXDOMAIN".to_owned(),
            aliases,
            zone: zone.clone(),
            ..bare.clone()
        };
        match known {
            None | Some(NameAnswer::Fails(NameTrouble::NoSuchName | NameTrouble::NotAName, _)) => {
                answer(denied(Vec::new()))
            }
            Some(NameAnswer::Silent) => None,
            Some(NameAnswer::Fails(NameTrouble::NoAddress, _)) => answer(ResolverAnswer {
                zone: zone.clone(),
                ..bare
            }),
            Some(NameAnswer::Fails(NameTrouble::Failing, _)) => answer(ResolverAnswer {
                code: "SERVFAIL".to_owned(),
                ..bare
            }),
            Some(NameAnswer::Addresses(all)) => answer(ResolverAnswer {
                addresses: of_kind(all, kind),
                keep_s: Some(300),
                ..bare
            }),
            Some(NameAnswer::Alias(names, all)) => {
                let aliases = names.iter().map(|name| text(name)).collect();
                answer(match all.is_empty() {
                    true => denied(aliases),
                    false => ResolverAnswer {
                        addresses: of_kind(all, kind),
                        aliases,
                        keep_s: Some(300),
                        ..bare
                    },
                })
            }
            Some(NameAnswer::Services(places)) => {
                let services = places.iter().map(|(priority, host, port)| ServicePlace {
                    priority: *priority,
                    host: text(host),
                    port: *port,
                });
                let services = services.filter(|_| kind == RecordKind::Srv).collect();
                answer(ResolverAnswer { services, ..bare })
            }
        }
    }
}

fn of_kind(all: &[IpAddr], kind: RecordKind) -> Vec<IpAddr> {
    let fits = |ip: &&IpAddr| match kind {
        RecordKind::A => ip.is_ipv4(),
        RecordKind::Aaaa => ip.is_ipv6(),
        RecordKind::Srv | RecordKind::Txt => false,
    };
    all.iter().filter(fits).copied().collect()
}
