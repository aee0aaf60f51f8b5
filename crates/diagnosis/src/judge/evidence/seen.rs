//! The log behind typed queries: what was seen of a thing. The judge asks them of a log that
//! is whole, the walk of one that grows.

use std::net::{IpAddr, SocketAddr};

use chronaxis_model::endpoint::Endpoint;
use chronaxis_model::fact::{Fact, Knocked, Observation, Resolvers, Subject};
use chronaxis_model::reserved_ranges;

use super::Evidence;

/// What facts are about.
#[derive(Clone, Copy, Debug)]
enum About<'a> {
    Anything,
    Name(&'a str),
    Resolver(SocketAddr),
    Host(IpAddr),
    Place(&'a Endpoint),
}

impl About<'_> {
    fn fits(&self, subject: &Subject) -> bool {
        match self {
            About::Anything => true,
            About::Name(name) => subject.name.as_deref() == Some(name),
            About::Resolver(resolver) => subject.resolver == Some(*resolver),
            About::Host(ip) => subject.address == Some(*ip),
            About::Place(Endpoint::Tcp(to)) => {
                subject.address == Some(to.ip()) && subject.port == Some(to.port())
            }
            About::Place(Endpoint::Socket(path)) => subject.socket.as_ref() == Some(path),
        }
    }
}

/// What was seen of one thing, in order.
#[derive(Clone, Copy, Debug)]
pub struct Seen<'a> {
    log: &'a [Observation],
    about: About<'a>,
}

impl<'a> Seen<'a> {
    /// All of it, each with its entry.
    pub fn all(self) -> impl Iterator<Item = (&'a Observation, &'a Fact)> {
        self.log
            .iter()
            .filter(move |o| self.about.fits(&o.about))
            .filter_map(|o| Some((o, o.fact()?)))
    }

    /// Whether one of the facts fits.
    pub fn any(self, fits: impl Fn(&Fact) -> bool) -> bool {
        self.all().any(|(_, fact)| fits(fact))
    }

    /// The first of which the function makes something.
    pub fn find<T>(self, pick: impl Fn(&'a Fact) -> Option<T>) -> Option<T> {
        self.all().find_map(|(_, fact)| pick(fact))
    }
}

impl<'a> Evidence<'a> {
    fn about(self, about: About<'a>) -> Seen<'a> {
        Seen {
            log: self.log,
            about,
        }
    }

    /// Everything that was seen.
    pub fn seen(self) -> Seen<'a> {
        self.about(About::Anything)
    }

    /// What was seen of a name.
    pub fn of_name(self, name: &'a str) -> Seen<'a> {
        self.about(About::Name(name))
    }

    /// What was seen of a resolver.
    pub fn of_resolver(self, resolver: SocketAddr) -> Seen<'a> {
        self.about(About::Resolver(resolver))
    }

    /// What was seen of a host, whatever its port.
    pub fn of_host(self, ip: IpAddr) -> Seen<'a> {
        self.about(About::Host(ip))
    }

    /// What was seen at the end of lines.
    pub fn at(self, place: &'a Endpoint) -> Seen<'a> {
        self.about(About::Place(place))
    }

    /// Whether an address is this machine's own: by its range, or because packets to it
    /// would leave from it.
    pub fn is_own_address(self, ip: IpAddr) -> bool {
        let from_itself =
            |fact: &Fact| matches!(fact, Fact::RouteFound { source, .. } if *source == ip);
        reserved_ranges::is_here(ip) || self.of_host(ip).any(from_itself)
    }

    /// By which interface packets to a host leave.
    pub fn interface_to(self, ip: IpAddr) -> Option<&'a str> {
        self.of_host(ip).find(|fact| match fact {
            Fact::RouteFound { interface, .. } => interface.as_deref(),
            _ => None,
        })
    }

    /// Whether a comparison port of a host shows that it is up.
    pub fn is_up(self, ip: IpAddr) -> bool {
        let answers = |answer: &Knocked| matches!(answer, Knocked::Connected | Knocked::Refused);
        let up = |fact: &Fact| matches!(fact, Fact::ControlPort { answer, .. } if answers(answer));
        self.of_host(ip).any(up)
    }

    /// The resolvers that are asked, as they are configured or named.
    pub fn resolvers(self) -> Resolvers {
        let found = self.seen().find(|fact| match fact {
            Fact::ResolversFound(found) => Some(found.clone()),
            _ => None,
        });
        found.unwrap_or_default()
    }

    /// Whether it was found out who answers in place of the engine.
    pub fn knows_service(self) -> bool {
        self.seen().any(|fact| match fact {
            Fact::OtherAnswer { service, .. } | Fact::ServiceAsked { service, .. } => {
                service.is_some()
            }
            _ => false,
        })
    }

    /// Whether the server said whether it encrypts.
    pub fn knows_offer(self) -> bool {
        self.seen().any(|fact| {
            matches!(
                fact,
                Fact::EncryptionAnswered { .. } | Fact::EncryptionOffer { .. }
            )
        })
    }

    /// Whether a line with small segments was tried.
    pub fn knows_small_segments(self) -> bool {
        self.seen()
            .any(|fact| matches!(fact, Fact::SmallSegments { .. }))
    }

    /// Whether a program of this machine leaves connections in its queue.
    pub fn queue_waits(self) -> bool {
        self.seen()
            .any(|fact| matches!(fact, Fact::LocalListener { waiting, .. } if *waiting > 0))
    }
}
