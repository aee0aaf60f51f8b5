//! A directory from a file (`docs/directory.md`, "The file of a directory"): its listener, its
//! instances and its accounts, each server at an address of its own.

use std::collections::BTreeMap;
use std::net::{IpAddr, Ipv4Addr, SocketAddr};
use std::sync::Arc;
use std::sync::atomic::AtomicUsize;

use chronaxis_engines::directory::USUAL_PORT;
use serde::Deserialize;

use crate::certificates::CertificateKind;
use crate::stand_in::directory::config::{Account, Config, InstanceConfig, Place, Standing};
use crate::stand_in::encrypted::Side;

/// A server of it, and where it is to listen.
#[derive(Clone, Debug)]
pub struct Listening {
    /// What it is called.
    pub name: String,
    /// Where.
    pub at: SocketAddr,
    /// What it does.
    pub config: Config,
}

/// Why a file is none.
#[derive(Debug, thiserror::Error)]
pub enum NotADirectory {
    /// It is no TOML, or has a key or a value that is not expected.
    #[error("{0}")]
    Unreadable(String),
    /// There is nothing in it that could listen.
    #[error(
        "there is no instance in it; expected at least one [[instance]] with name and services"
    )]
    NoInstance,
    /// Two servers at one place.
    #[error(
        "{0} and {1} are to listen at the same place, {2}; give each its own listen = \"ADDRESS:PORT\""
    )]
    SamePlace(String, String, SocketAddr),
    /// Two instances of one name.
    #[error("two instances are called {0}; expected a name of its own for each")]
    SameName(String),
    /// An address beyond this machine.
    #[error(
        "{0} is to listen at {1}, which others can reach; expected an address of 127.0.0.0/8 or ::1: its accounts are examples"
    )]
    NotLoopback(String, SocketAddr),
    /// A word that is none of those that are known.
    #[error("{what} is {word:?}; expected {expected}")]
    Word {
        /// Of what.
        what: String,
        /// The word.
        word: String,
        /// The known ones.
        expected: &'static str,
    },
    /// An address that is none.
    #[error("the address of {0} is {1:?}; expected HOST:PORT, IPv6 in brackets")]
    Address(String, String),
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct File {
    #[serde(default)]
    directory: Head,
    #[serde(default, rename = "instance")]
    instances: Vec<OneInstance>,
    #[serde(default, rename = "account")]
    accounts: Vec<OneAccount>,
}

#[derive(Default, Deserialize)]
#[serde(deny_unknown_fields)]
struct Head {
    name: Option<String>,
    listen: Option<SocketAddr>,
    tls: Option<String>,
    listing: Option<bool>,
    hides_users: Option<bool>,
    turns: Option<bool>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct OneInstance {
    name: String,
    services: Vec<String>,
    state: Option<String>,
    since: Option<String>,
    listen: Option<SocketAddr>,
    address: Option<String>,
    version: Option<String>,
    started: Option<String>,
    #[serde(default)]
    databases: Vec<String>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct OneAccount {
    user: String,
    password: Option<String>,
    #[serde(default)]
    roles: Vec<String>,
    #[serde(default)]
    needs_role: bool,
    #[serde(default)]
    locked: bool,
    #[serde(default)]
    expired: bool,
}

/// Reads such a file: the listener first, then each instance. `now` is the time that stands
/// where the file names none: RFC 3339.
///
/// # Errors
/// Says what is wrong with it, and what was expected.
pub fn read(text: &str, now: &str) -> Result<Vec<Listening>, NotADirectory> {
    let file: File =
        toml_edit::de::from_str(text).map_err(|e| NotADirectory::Unreadable(told(&e)))?;
    if file.instances.is_empty() {
        return Err(NotADirectory::NoInstance);
    }
    let (encryption, demands_encryption) = encryption(file.directory.tls.as_deref())?;
    let at = file.directory.listen.unwrap_or(loopback(USUAL_PORT));
    let mut out = Vec::new();
    let mut instances = Vec::new();
    for (number, one) in file.instances.iter().enumerate() {
        let port = u16::try_from(number).ok();
        let port = port.and_then(|n| at.port().checked_add(n)?.checked_add(1));
        let there = one
            .listen
            .unwrap_or(SocketAddr::new(at.ip(), port.unwrap_or(0)));
        instances.push((there, instance(one, there, now)?));
    }
    let accounts = file.accounts.into_iter().map(account).collect();
    let config = Config {
        server: file
            .directory
            .name
            .unwrap_or_else(|| "a directory".to_owned()),
        encryption,
        demands_encryption,
        lists: file.directory.listing.unwrap_or(true),
        hides_users: file.directory.hides_users.unwrap_or(false),
        takes_turns: file.directory.turns.unwrap_or(false),
        turn: Arc::new(AtomicUsize::new(0)),
        instances: instances.iter().map(|(_, one)| one.clone()).collect(),
        accounts,
        ..Config::default()
    };
    for (there, one) in &instances {
        out.push(Listening {
            name: one.name.clone(),
            at: *there,
            config: config.at_instance(&one.name),
        });
    }
    let name = "the listener".to_owned();
    out.insert(0, Listening { name, at, config });
    check(&out)?;
    Ok(out)
}

/// The first line of what is wrong, with its place.
fn told(error: &toml_edit::de::Error) -> String {
    let text = error.to_string();
    let lines = text.lines().filter(|line| !line.contains('|'));
    let lines: Vec<&str> = lines
        .map(str::trim)
        .filter(|line| !line.is_empty())
        .collect();
    lines.join(": ")
}

fn check(all: &[Listening]) -> Result<(), NotADirectory> {
    for (index, one) in all.iter().enumerate() {
        if !one.at.ip().is_loopback() {
            return Err(NotADirectory::NotLoopback(one.name.clone(), one.at));
        }
        for other in all.iter().skip(index + 1) {
            if other.at == one.at {
                let names = (one.name.clone(), other.name.clone());
                return Err(NotADirectory::SamePlace(names.0, names.1, one.at));
            }
            if other.name == one.name {
                return Err(NotADirectory::SameName(one.name.clone()));
            }
        }
    }
    Ok(())
}

fn loopback(port: u16) -> SocketAddr {
    (IpAddr::V4(Ipv4Addr::LOCALHOST), port).into()
}

fn encryption(word: Option<&str>) -> Result<(Option<Side>, bool), NotADirectory> {
    let side = Some(Side::with(CertificateKind::Good));
    match word {
        None | Some("off") => Ok((None, false)),
        Some("on") => Ok((side, false)),
        Some("required") => Ok((side, true)),
        Some(odd) => Err(NotADirectory::Word {
            what: "tls".to_owned(),
            word: odd.to_owned(),
            expected: "off, on or required",
        }),
    }
}

fn instance(
    one: &OneInstance,
    there: SocketAddr,
    now: &str,
) -> Result<InstanceConfig, NotADirectory> {
    let state = match one.state.as_deref() {
        None | Some("ready") => Standing::Ready,
        Some("starting") => Standing::Starting,
        Some("restricted") => Standing::Restricted,
        Some("stopped") => Standing::Stopped,
        Some(odd) => {
            return Err(NotADirectory::Word {
                what: format!("the state of {}", one.name),
                word: odd.to_owned(),
                expected: "ready, starting, restricted or stopped",
            });
        }
    };
    let (host, port) = match &one.address {
        None => (there.ip().to_string(), there.port()),
        Some(text) => {
            place(text).ok_or_else(|| NotADirectory::Address(one.name.clone(), text.clone()))?
        }
    };
    let told = |text: &Option<String>| text.clone().unwrap_or_else(|| now.to_owned());
    Ok(InstanceConfig {
        name: one.name.clone(),
        services: one.services.clone(),
        state,
        since: told(&one.since),
        place: Place::Elsewhere(host, port),
        version: one.version.clone().unwrap_or_else(|| "1.0".to_owned()),
        started: told(&one.started),
        databases: one.databases.clone(),
    })
}

/// A host and a port; the host may be anything, for clients may well be sent nowhere.
fn place(text: &str) -> Option<(String, u16)> {
    let (host, port) = text.rsplit_once(':')?;
    let port = port.parse().ok().filter(|p| *p > 0)?;
    let host = match host.strip_prefix('[') {
        Some(inner) => inner.strip_suffix(']')?,
        None if host.contains(':') => return None,
        None => host,
    };
    (!host.is_empty()).then(|| (host.to_owned(), port))
}

fn account(one: OneAccount) -> (String, Account) {
    let account = Account {
        password: one.password,
        roles: one.roles,
        needs_role: one.needs_role,
        locked: one.locked,
        expired: one.expired,
    };
    (one.user, account)
}

/// An example of such a file: that of the protocol's page.
pub const EXAMPLE: &str = include_str!("../../../examples/directory/directory.toml");

/// What a listener of this file offers, by the names of the services.
pub fn services(all: &[Listening]) -> BTreeMap<String, Vec<String>> {
    let mut out: BTreeMap<String, Vec<String>> = BTreeMap::new();
    let listener = all.first();
    for one in listener.iter().flat_map(|l| &l.config.instances) {
        for service in &one.services {
            let names = out.entry(service.clone()).or_default();
            names.push(one.name.clone());
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    const NOW: &str = "2026-11-29T06:00:00Z";

    fn refused(text: &str) -> String {
        read(text, NOW).unwrap_err().to_string()
    }

    #[test]
    fn the_example_is_one_listener_and_its_instances() {
        let all = read(EXAMPLE, NOW).unwrap();
        let places: Vec<String> = all
            .iter()
            .map(|one| format!("{} {}", one.name, one.at))
            .collect();
        assert_eq!(
            places,
            [
                "the listener 127.0.0.1:7471",
                "north-quay 127.0.0.1:7472",
                "south-quay 127.0.0.1:7473"
            ]
        );
        assert_eq!(services(&all)["berths"], ["north-quay", "south-quay"]);
        // An instance knows of itself alone, and is where it is asked.
        let north = &all[1].config.instances;
        assert_eq!((north.len(), &north[0].place), (1, &Place::Here));
    }

    #[test]
    fn what_is_wrong_is_said_with_what_was_expected() {
        for (text, wanted) in [
            ("", "at least one [[instance]]"),
            ("[[instance]]\nname = \"n\"", "missing field `services`"),
            ("[directory]\nport = 1", "line 2"),
            (
                "[[instance]]\nname = \"n\"\nservices = []\nstate = \"up\"",
                "ready, starting, restricted or stopped",
            ),
            (
                "[directory]\ntls = \"yes\"\n[[instance]]\nname = \"n\"\nservices = []",
                "off, on or required",
            ),
            (
                "[[instance]]\nname = \"n\"\nservices = []\naddress = \"north\"",
                "HOST:PORT",
            ),
            (
                "[[instance]]\nname = \"n\"\nservices = []\nlisten = \"127.0.0.1:7471\"",
                "the same place",
            ),
            (
                "[[instance]]\nname = \"n\"\nservices = []\nlisten = \"0.0.0.0:7471\"",
                "others can reach",
            ),
            (
                "[[instance]]\nname = \"n\"\nservices = []\n[[instance]]\nname = \"n\"\nservices = []",
                "two instances are called n",
            ),
        ] {
            assert!(refused(text).contains(wanted), "{text}: {}", refused(text));
        }
    }
}
