//! What a message tells of the connection: where to, as whom.

use std::net::IpAddr;

use chronaxis_engines::engines;
use chronaxis_model::shown;
use chronaxis_model::target::EngineId;

use crate::search::Found;
use crate::shape::{Hole, address, place};

/// The connection, as far as a text tells of it. Only what is plainly what it should be.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Parts {
    /// The engine.
    pub engine: Option<EngineId>,
    /// The host, by name or address.
    pub host: Option<String>,
    /// The address that was dialled.
    pub address: Option<IpAddr>,
    /// The port.
    pub port: Option<u16>,
    /// The socket file.
    pub socket: Option<String>,
    /// The account.
    pub user: Option<String>,
    /// The database.
    pub database: Option<String>,
    /// The client, as the server sees it.
    pub client: Option<String>,
    /// A driver or scheme by its name.
    pub driver: Option<String>,
    /// The code in it.
    pub code: Option<String>,
}

impl Parts {
    /// What stood in the holes of a pattern.
    pub fn of(found: &Found) -> Parts {
        let mut out = Parts {
            // General words say little of whose they are.
            engine: engine_of(found).filter(|_| !found.pattern.weak),
            ..Parts::default()
        };
        for (hole, text) in &found.held {
            out.take(*hole, text);
        }
        // Codes stand together: a number and the five characters of the standard.
        if let Some(number) = found.held.iter().find(|(hole, _)| *hole == Hole::Number) {
            out.code = out
                .code
                .filter(|code| {
                    code != "HY000"
                        && out
                            .engine
                            .is_some_and(|e| e == chronaxis_engines::POSTGRESQL)
                })
                .or(Some(number.1.clone()));
        }
        out
    }

    fn take(&mut self, hole: Hole, text: &str) {
        let name = |subject: &str| {
            let text = text.trim();
            (!text.is_empty() && shown::may_show(subject, text)).then(|| text.to_owned())
        };
        match hole {
            Hole::Host => {
                let bare = text.trim_matches(['[', ']']).trim_end_matches('.');
                if shown::is_host(bare) {
                    self.host.get_or_insert(bare.to_owned());
                }
            }
            Hole::Address => {
                self.address = self.address.or(address(text));
            }
            Hole::Port => self.port = self.port.or(text.parse().ok()),
            Hole::Place => {
                if let Some((host, port)) = place(text) {
                    self.host.get_or_insert(host);
                    self.port = self.port.or(Some(port));
                }
            }
            Hole::User => {
                self.user = self.user.take().or_else(|| name("user"));
            }
            Hole::Database => {
                self.database = self.database.take().or_else(|| name("database"));
            }
            Hole::Client => {
                let bare = text.trim_matches(['[', ']']);
                if shown::is_host(bare) {
                    self.client.get_or_insert(bare.to_owned());
                }
            }
            Hole::SqlState => {
                self.code.get_or_insert(text.to_owned());
            }
            Hole::Path => {
                let is_socket = [".sock", ".socket"].iter().any(|end| text.ends_with(end));
                if shown::is_path(text) && (is_socket || text.contains(".s.")) {
                    self.socket.get_or_insert(text.to_owned());
                }
            }
            Hole::Driver => {
                self.driver.get_or_insert(text.trim().to_owned());
            }
            Hole::Number | Hole::Any | Hole::Word => {}
        }
    }

    /// What another part of the same failure tells, where this one does not.
    pub fn add(&mut self, other: &Parts) {
        fn fill<T: Clone>(own: &mut Option<T>, other: &Option<T>) {
            if own.is_none() {
                own.clone_from(other);
            }
        }
        // A host with the port of another would be neither.
        let another_end = self.host.is_some() && other.host.is_some() && self.host != other.host;
        if !another_end {
            fill(&mut self.port, &other.port);
            fill(&mut self.address, &other.address);
            fill(&mut self.socket, &other.socket);
        }
        fill(&mut self.host, &other.host);
        fill(&mut self.engine, &other.engine);
        fill(&mut self.user, &other.user);
        fill(&mut self.database, &other.database);
        fill(&mut self.client, &other.client);
        fill(&mut self.driver, &other.driver);
        fill(&mut self.code, &other.code);
    }

    /// Whether both can be of one connection.
    pub fn agrees(&self, other: &Parts) -> bool {
        fn same<T: PartialEq>(a: &Option<T>, b: &Option<T>) -> bool {
            match (a, b) {
                (Some(a), Some(b)) => a == b,
                _ => true,
            }
        }
        let ends = same(&self.host, &other.host)
            || self.loops() && other.loops()
            || self.is_address_of(other)
            || other.is_address_of(self);
        same(&self.engine, &other.engine)
            && ends
            && same(&self.port, &other.port)
            && same(&self.user, &other.user)
            && same(&self.database, &other.database)
            && !(self.socket.is_some() && other.host.is_some())
            && !(self.host.is_some() && other.socket.is_some())
    }

    /// Whether the host of one is a literal address, and the other's a name for it.
    fn is_address_of(&self, other: &Parts) -> bool {
        let literal = self.host.as_deref().and_then(address);
        literal.is_some()
            && (other.address.is_none() || other.address == literal)
            && other.host.as_deref().and_then(address).is_none()
    }

    fn loops(&self) -> bool {
        self.host.as_deref().is_some_and(|host| {
            host == "localhost" || address(host).is_some_and(|ip| ip.is_loopback())
        })
    }
}

pub(crate) fn engine_of(found: &Found) -> Option<EngineId> {
    let id = found.pattern.engine.or(found.component.engine)?;
    engines()
        .iter()
        .map(|e| e.spec.id)
        .find(|e| e.as_str() == id)
}

/// The connection strings that stand in a text, by their URLs.
pub fn urls(text: &str) -> Vec<Parts> {
    /// Most that are read of one text.
    const MOST: usize = 20;
    let mut out = Vec::new();
    for (at, _) in text.match_indices("://").take(MOST * 4) {
        let before = text.get(..at).unwrap_or_default();
        let begins = before.rfind(|c: char| !(c.is_ascii_alphanumeric() || c == '+'));
        let scheme = before
            .get(begins.map_or(0, |b| b + 1)..)
            .unwrap_or_default();
        let scheme = scheme.split('+').next().unwrap_or_default();
        let spec = engines()
            .iter()
            .map(|e| e.spec)
            .find(|s| s.schemes.contains(&scheme) || s.jdbc_names.contains(&scheme));
        let (Some(spec), Some(rest)) = (spec, text.get(at + 3..)) else {
            continue;
        };
        let end = rest.find(|c: char| {
            c.is_whitespace() || matches!(c, '"' | '\'' | '<' | '>' | '`' | ')' | ',' | '?' | ';')
        });
        out.push(of_url(
            spec.id,
            rest.get(..end.unwrap_or(rest.len())).unwrap_or(rest),
        ));
        if out.len() >= MOST {
            break;
        }
    }
    out
}

fn of_url(engine: EngineId, rest: &str) -> Parts {
    let (account, rest) = match rest.rsplit_once('@') {
        Some((account, rest)) => (Some(account), rest),
        None => (None, rest),
    };
    let (ends, database) = rest.split_once('/').unwrap_or((rest, ""));
    let mut out = Parts {
        engine: Some(engine),
        ..Parts::default()
    };
    match place(ends) {
        Some((host, port)) => {
            out.host = Some(host);
            out.port = Some(port);
        }
        None => out.take(Hole::Host, ends),
    }
    if let Some(user) = account.and_then(|a| a.split(':').next()) {
        out.take(Hole::User, user);
    }
    out.take(Hole::Database, database);
    out
}
