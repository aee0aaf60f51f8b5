//! What is looked at beside the paths: control ports, and this machine's own tables.

use std::net::{IpAddr, SocketAddr};

use chronaxis_model::fact::HostQuestion;
use chronaxis_model::layer::Micros;

/// One look beside a path.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Look {
    /// Knock on another port of the same host.
    Knock(SocketAddr),
    /// Knock on a port of the same host that is far from the one dialled: a filter that drops
    /// a range takes the neighbour with it.
    Far(SocketAddr),
    /// Ask the host itself.
    Host(SocketAddr, HostQuestion),
    /// Knock on the same port of an address that the name's used source hides.
    Hidden(SocketAddr),
    /// Read the queue of this machine's own listener.
    Queue(SocketAddr),
    /// Read what listens on this machine, for a target on it.
    Listeners(SocketAddr),
    /// Read what this machine's own filter does with packets to there.
    Firewall(SocketAddr),
    /// Read which connections to there stand open.
    Connections(SocketAddr),
    /// Read what this machine's tables say of the next hop.
    NextHop(SocketAddr),
    /// Count what this machine's system cannot send.
    SendFailures(SocketAddr),
}

impl Look {
    /// The address and port that it is about.
    pub(super) fn to(self) -> SocketAddr {
        match self {
            Look::Knock(to)
            | Look::Far(to)
            | Look::Host(to, _)
            | Look::Hidden(to)
            | Look::Queue(to)
            | Look::Listeners(to)
            | Look::Firewall(to)
            | Look::Connections(to)
            | Look::NextHop(to)
            | Look::SendFailures(to) => to,
        }
    }

    /// Whether it tells something only while an attempt is silent.
    fn is_for_silence(self) -> bool {
        matches!(
            self,
            Look::Connections(_)
                | Look::NextHop(_)
                | Look::SendFailures(_)
                | Look::Far(_)
                | Look::Host(..)
        )
    }

    fn host(self) -> IpAddr {
        self.to().ip()
    }
}

/// How far one is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Standing {
    Due {
        from: Micros,
        until: Micros,
    },
    /// Another target of the run is looking: looked again from then on.
    Awaited {
        from: Micros,
        until: Micros,
    },
    Running,
    Done,
}

/// All of a target, each at most once.
#[derive(Debug, Default)]
pub(super) struct SideChecks(Vec<(Look, Standing)>);

impl SideChecks {
    /// Plans a look, unless it is planned already.
    pub(super) fn plan(&mut self, look: Look, from: Micros, until: Micros) {
        if self.0.iter().all(|(known, _)| *known != look) {
            self.0.push((look, Standing::Due { from, until }));
        }
    }

    /// Whether a control port of this host is planned or done.
    pub(super) fn knows(&self, host: IpAddr) -> bool {
        self.0
            .iter()
            .any(|(look, _)| matches!(look, Look::Knock(_)) && look.host() == host)
    }

    /// Whatever is planned for this host need not wait any longer, but for what only silence
    /// asks for.
    pub(super) fn at_once(&mut self, host: IpAddr) {
        for (look, standing) in &mut self.0 {
            if let Standing::Due { from, .. } = standing
                && look.host() == host
                && !look.is_for_silence()
            {
                *from = Micros(0);
            }
        }
    }

    /// Nothing more is looked at on this host.
    pub(super) fn forget(&mut self, host: IpAddr) {
        for (look, standing) in &mut self.0 {
            if matches!(standing, Standing::Due { .. }) && look.host() == host {
                *standing = Standing::Done;
            }
        }
    }

    /// No port of this host is knocked on any more.
    pub(super) fn forget_knocks(&mut self, host: IpAddr) {
        for (look, standing) in &mut self.0 {
            let due = matches!(standing, Standing::Due { .. });
            if due && matches!(look, Look::Knock(_)) && look.host() == host {
                *standing = Standing::Done;
            }
        }
    }

    /// The next one that is due, among those that are still wanted.
    pub(super) fn take_due(
        &mut self,
        now: Micros,
        wanted: impl Fn(Look) -> bool,
    ) -> Option<(Look, Micros)> {
        let (look, standing) = self.0.iter_mut().find(|(look, standing)| match standing {
            Standing::Due { from, .. } => *from <= now && wanted(*look),
            Standing::Awaited { from, .. } => *from <= now,
            _ => false,
        })?;
        let (Standing::Due { until, .. } | Standing::Awaited { until, .. }) = *standing else {
            return None;
        };
        *standing = Standing::Running;
        Some((*look, until))
    }

    /// Looks again a little later: another target of the run is looking.
    pub(super) fn postpone(&mut self, look: Look, from: Micros, until: Micros) {
        for (known, standing) in &mut self.0 {
            if *known == look {
                *standing = Standing::Awaited { from, until };
            }
        }
    }

    /// What these looks bring is known already.
    pub(super) fn known(&mut self, to: SocketAddr, known: &[Look]) {
        for (look, standing) in &mut self.0 {
            if look.to() == to && known.contains(look) {
                *standing = Standing::Done;
            }
        }
    }

    /// What others look at is looked after at once.
    pub(super) fn ring(&mut self) {
        for (_, standing) in &mut self.0 {
            if let Standing::Awaited { from, .. } = standing {
                *from = Micros(0);
            }
        }
    }

    /// Whether what another target of the run looks at is waited for.
    pub(super) fn awaits(&self) -> bool {
        let mut all = self.0.iter();
        all.any(|(_, standing)| matches!(standing, Standing::Awaited { .. }))
    }

    pub(super) fn done(&mut self, done: Look) {
        for (look, standing) in &mut self.0 {
            if *look == done {
                *standing = Standing::Done;
            }
        }
    }

    /// When the next becomes due.
    pub(super) fn next_due(&self) -> impl Iterator<Item = Micros> + '_ {
        self.0.iter().filter_map(|(_, standing)| match standing {
            Standing::Due { from, .. } | Standing::Awaited { from, .. } => Some(*from),
            _ => None,
        })
    }
}
