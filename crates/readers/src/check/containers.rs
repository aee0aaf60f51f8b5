//! What a compose file says of the hosts and ports of connections inside and outside it.

use chronaxis_model::settings::{Defect, DefectKind};

use super::finding;
use crate::compose::Service;
use crate::connection::Connection;
use crate::entry::Entry;
use crate::machine::Machine;
use crate::names::Role;
use crate::places::Places;
use crate::traced::Traced;

/// A compose file of the reading.
pub(crate) struct Composition<'a> {
    pub(crate) services: &'a [Service],
    /// Whether the connection is used in it, and by which service.
    pub(crate) inside: Option<&'a str>,
    pub(crate) file: &'a str,
}

/// Checks a connection against a compose file.
pub(crate) fn check(
    places: &Places<'_>,
    connection: &Connection,
    with: &Composition<'_>,
    worth: &dyn Fn(&Entry) -> Traced,
    machine: &dyn Machine,
) -> Vec<Defect> {
    let at = |role: Role| {
        let found = connection.entries.iter().rev().find(|(r, _)| *r == role);
        let url = || connection.entries.iter().find(|(r, _)| *r == Role::Url);
        found.or_else(url).map(|(_, entry)| (entry, worth(entry)))
    };
    let (Some(host), Some((entry, text))) = (connection.value("host"), at(Role::Host)) else {
        return Vec::new();
    };
    let port = connection
        .value("port")
        .and_then(|p| p.trim().parse::<u16>().ok());
    let spot = Spot {
        places,
        entry,
        text: &text,
        port: at(Role::Port),
        is_string: connection
            .entries
            .iter()
            .any(|(r, e)| *r == Role::Url && std::ptr::eq(e, entry)),
    };
    let host = host.to_owned();
    let seen = View {
        connection,
        with,
        host: &host,
        port,
    };
    match with.inside {
        Some(service) => seen.inside(&spot, service).into_iter().collect(),
        None => seen.outside(&spot, machine).into_iter().collect(),
    }
}

/// Where findings point.
struct Spot<'a> {
    places: &'a Places<'a>,
    entry: &'a Entry,
    text: &'a Traced,
    port: Option<(&'a Entry, Traced)>,
    is_string: bool,
}

impl Spot<'_> {
    fn finding(&self, kind: DefectKind, subject: &str, words: String, expected: &str) -> Defect {
        let (entry, text) = match (&self.port, subject) {
            (Some((entry, text)), "port") => (*entry, text),
            _ => (self.entry, self.text),
        };
        let mut defect = finding(self.places, kind, subject, (entry, text), (words, expected));
        let covered = self.is_string;
        defect.place = Some(self.places.mark(entry, text, covered));
        defect
    }

    fn mended(&self, host: &str) -> Option<String> {
        match self.is_string {
            true => None,
            false => self.places.mended(self.entry, self.text, host),
        }
    }
}

struct View<'a> {
    connection: &'a Connection,
    with: &'a Composition<'a>,
    host: &'a str,
    port: Option<u16>,
}

fn is_loopback(host: &str) -> bool {
    let address = host.parse::<std::net::IpAddr>();
    host.eq_ignore_ascii_case("localhost") || address.is_ok_and(|a| a.is_loopback())
}

impl View<'_> {
    /// The services that are databases of this engine.
    fn databases(&self) -> impl Iterator<Item = &Service> {
        let engine = self.connection.engine;
        self.with
            .services
            .iter()
            .filter(move |s| s.engine.is_some() && (engine.is_none() || s.engine == engine))
    }

    fn inside(&self, spot: &Spot<'_>, service: &str) -> Option<Defect> {
        let own = self.with.services.iter().find(|s| s.name == service)?;
        if own.on_host {
            return None;
        }
        if is_loopback(self.host) {
            // The one that it waits for, before any other.
            let mut reachable: Vec<&Service> = self
                .databases()
                .filter(|s| s.shares_network(own) && s.name != own.name)
                .collect();
            reachable.sort_by_key(|s| !own.waits_for.contains(&s.name));
            let meant = reachable.first();
            let words = format!(
                "{} inside the service {service} is that container itself",
                self.host
            );
            let (expected, mended) = match meant {
                Some(db) => {
                    let port = db
                        .inner_port()
                        .map_or_else(String::new, |p| format!(", port {p}"));
                    (
                        format!("{}{port}: the service of the database", db.name),
                        spot.mended(&db.name),
                    )
                }
                None => (
                    "the name of the database's service, or the machine's own address".to_owned(),
                    None,
                ),
            };
            let mut defect = spot.finding(DefectKind::LoopbackElsewhere, "host", words, &expected);
            defect.mended = mended;
            return Some(defect);
        }
        let db = self.databases().find(|s| s.is_called(self.host))?;
        if !db.shares_network(own) {
            let words = format!(
                "the service {service} is on no common network with {}",
                db.name
            );
            return Some(spot.finding(
                DefectKind::ContainerNameOutside,
                "host",
                words,
                "a network that both are on",
            ));
        }
        let port = self.port?;
        let inner = db.inner_port()?;
        let published = db
            .ports
            .iter()
            .any(|p| p.outside == Some(port) && p.inside == inner);
        if port != inner && published {
            let words = format!(
                "{port} is the port of {} as published outside; inside it is {inner}",
                db.name
            );
            let mut defect = spot.finding(
                DefectKind::ContainerNameOutside,
                "port",
                words,
                &inner.to_string(),
            );
            if let Some((entry, text)) = spot
                .port
                .as_ref()
                .filter(|(e, _)| !std::ptr::eq(*e, spot.entry))
            {
                defect.mended = spot.places.mended(entry, text, &inner.to_string());
            }
            return Some(defect);
        }
        None
    }

    fn outside(&self, spot: &Spot<'_>, machine: &dyn Machine) -> Option<Defect> {
        if let Some(db) = self.databases().find(|s| s.is_called(self.host)) {
            let inner = db.inner_port();
            let published = db
                .ports
                .iter()
                .find(|p| Some(p.inside) == inner)
                .and_then(|p| p.outside);
            let words = format!(
                "{} is a name inside the network of {} only",
                self.host, self.with.file
            );
            let expected = match published {
                Some(port) => format!("localhost, port {port}: as it is published"),
                None => format!("the service {} publishing its port, and localhost", db.name),
            };
            let mut defect =
                spot.finding(DefectKind::ContainerNameOutside, "host", words, &expected);
            defect.mended = published.and_then(|_| spot.mended("localhost"));
            return Some(defect);
        }
        if !is_loopback(self.host) {
            return None;
        }
        // Is the port one of the composition's, as seen from inside it?
        let port = self
            .port
            .or_else(|| self.databases().next()?.inner_port())?;
        let reached = self.with.services.iter().any(|s| {
            s.ports.iter().any(|p| p.outside == Some(port))
                || (s.on_host && s.inner_port() == Some(port))
        });
        if reached {
            return self.taken(spot, port, machine);
        }
        let db = self.databases().find(|s| s.inner_port() == Some(port))?;
        let outside = db
            .ports
            .iter()
            .find(|p| p.inside == port)
            .and_then(|p| p.outside);
        let (words, expected) = match outside {
            Some(outside) => (
                format!(
                    "{port} is the port inside the container of {}; outside it is {outside}",
                    db.name
                ),
                outside.to_string(),
            ),
            None => (
                format!("the service {} does not publish its port {port}", db.name),
                format!("ports: [\"{port}:{port}\"] in {}", self.with.file),
            ),
        };
        // Where something else answers there, it may well be meant.
        if machine.listens(port) == Some(true) && outside.is_none() {
            return None;
        }
        let mut defect = spot.finding(DefectKind::ContainerNameOutside, "port", words, &expected);
        if let (Some(outside), Some((entry, text))) = (outside, &spot.port)
            && !spot.is_string
        {
            defect.mended = spot.places.mended(entry, text, &outside.to_string());
        }
        Some(defect)
    }

    fn taken(&self, spot: &Spot<'_>, port: u16, machine: &dyn Machine) -> Option<Defect> {
        if machine.listens(port) != Some(true) {
            return None;
        }
        let words = format!(
            "something on this machine other than the container runtime is listening on {port}: the container's port may not be reachable"
        );
        Some(spot.finding(
            DefectKind::PortTaken,
            "port",
            words,
            "another published port, or stop the other server",
        ))
    }
}
