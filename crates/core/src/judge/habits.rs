//! What each client does beyond one address: its order, its patience, what makes it go on.
//!
//! What makes a client go on, and how long it waits, was measured with libpq 15, pgjdbc
//! 42.5 and asyncpg: the first of two hosts failing in every way that a stand-in can play.
//! That pgjdbc takes one address of a name, IPv4 before others, is from its documentation;
//! pg8000 knows one host only.

use super::symptom::Symptom;
use crate::layer::{Layer, Micros};
use crate::target::{ClientId, ShownTarget};

/// What a client does with several addresses, and how long it waits on one.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Habits {
    /// It takes only the first address of a name.
    pub first_address_only: bool,
    /// It puts IPv4 addresses before others.
    pub v4_first: bool,
    /// It takes the hosts in another order each time.
    pub shuffles: bool,
    /// Longest wait for the connection; none: as long as the system tries.
    pub connect_wait: Option<Micros>,
    /// Longest wait for the first answer on a connection.
    pub answer_wait: Option<Micros>,
    /// Longest wait from the first packet to the session.
    pub whole_wait: Option<Micros>,
}

/// What a client does after a way ended so.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum After {
    /// It gives up, or waits there for as long as the system lets it.
    Stops,
    /// It takes the next address.
    NextAddress,
    /// It takes the next host.
    NextHost,
}

impl Habits {
    /// The habits of a target's client, by its settings.
    pub fn of(target: &ShownTarget) -> Habits {
        let seconds = |key: &str| -> Option<u64> {
            let told = target.options.get(key)?.trim().parse::<u64>().ok()?;
            (told > 0).then_some(told)
        };
        let milliseconds = |key: &str| -> Option<Micros> {
            let told = target.options.get(key)?.trim().parse::<u64>().ok()?;
            (told > 0).then(|| Micros(told.saturating_mul(1000)))
        };
        let shuffles = target
            .options
            .get("load_balance_hosts")
            .is_some_and(|v| v == "random");
        match target.client {
            // Its least time is two seconds (PostgreSQL documentation, "connect_timeout").
            ClientId::Libpq => Habits {
                shuffles,
                whole_wait: seconds("connect_timeout").map(|s| of_seconds(s.max(2))),
                ..Habits::default()
            },
            ClientId::Pgjdbc => Habits {
                first_address_only: true,
                v4_first: true,
                shuffles,
                connect_wait: match target.options.get("connect_timeout") {
                    None => Some(of_seconds(10)),
                    Some(_) => seconds("connect_timeout").map(of_seconds),
                },
                answer_wait: Some(of_seconds(5)),
                whole_wait: None,
            },
            ClientId::Asyncpg => Habits {
                whole_wait: Some(of_seconds(60)),
                ..Habits::default()
            },
            // Its own default, where nothing is said (its documentation).
            ClientId::Pymysql => Habits {
                connect_wait: Some(seconds("connect_timeout").map_or(of_seconds(10), of_seconds)),
                ..Habits::default()
            },
            ClientId::ConnectorJ | ClientId::MariadbJava => Habits {
                connect_wait: milliseconds("connect_timeout_ms").or({
                    match target.client {
                        ClientId::MariadbJava => Some(of_seconds(30)),
                        _ => None,
                    }
                }),
                ..Habits::default()
            },
            ClientId::Libmysqlclient | ClientId::Libmariadb => Habits {
                connect_wait: seconds("connect_timeout").map(of_seconds),
                answer_wait: seconds("connect_timeout").map(of_seconds),
                ..Habits::default()
            },
            ClientId::Mysqlnd => Habits {
                connect_wait: Some(of_seconds(60)),
                ..Habits::default()
            },
            ClientId::Pg8000 | ClientId::StrictTls | ClientId::Plain => Habits::default(),
        }
    }

    /// Whether the client leaves a silent address by itself before the system does.
    fn leaves_silence(self, client: ClientId) -> bool {
        match client {
            // Its time is one for all hosts together: silence uses it up.
            ClientId::Asyncpg => false,
            _ => self.connect_wait.or(self.whole_wait).is_some(),
        }
    }

    /// Whether it leaves a connection on which nothing is said.
    fn leaves_muteness(self, client: ClientId) -> bool {
        client != ClientId::Asyncpg && self.answer_wait.or(self.whole_wait).is_some()
    }
}

fn of_seconds(seconds: u64) -> Micros {
    Micros(seconds.saturating_mul(1_000_000))
}

/// What the target's client does after one way ended in this symptom.
pub fn after(target: &ShownTarget, symptom: Symptom) -> After {
    let client = target.client;
    let habits = Habits::of(target);
    let next = |goes_on: bool| {
        if goes_on {
            After::NextAddress
        } else {
            After::Stops
        }
    };
    match symptom {
        Symptom::PortSilent | Symptom::PortSocketSilent | Symptom::PortSlow => {
            next(habits.leaves_silence(client))
        }
        s if s.layer() <= Layer::Port => After::NextAddress,
        Symptom::SessionReadOnly | Symptom::SessionWritable => After::NextHost,
        Symptom::ListenerMute | Symptom::ListenerSlow => next(habits.leaves_muteness(client)),
        Symptom::LoginMute | Symptom::SessionMute | Symptom::LoginSlow => {
            next(client != ClientId::Asyncpg && habits.whole_wait.is_some())
        }
        _ if matches!(
            client,
            ClientId::Pgjdbc | ClientId::ConnectorJ | ClientId::MariadbJava
        ) =>
        {
            After::NextHost
        }
        Symptom::ListenerNotReady => After::NextAddress,
        Symptom::ListenerClosed | Symptom::ListenerOther => next(client == ClientId::Asyncpg),
        _ => After::Stops,
    }
}
