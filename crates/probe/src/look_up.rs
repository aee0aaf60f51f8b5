//! Names, the system's own way: hosts file, name service, and whatever else it is set up
//! to ask. The system's call blocks and cannot be given up, so it runs in a thread that
//! nobody waits for.

use std::io;
use std::net::IpAddr;
use std::sync::Arc;

use chronaxis_model::fact::{Fact, NameTrouble};
use dns_lookup::{AddrInfoHints, LookupError, LookupErrorKind, SockType, getaddrinfo};
use tokio::sync::oneshot;

use crate::clock::Clock;
use crate::here::Here;

/// Asks for a name's addresses, in the system's order.
pub(crate) async fn look_up(here: Arc<Here>, name: String, clock: Clock) -> Option<Fact> {
    let began = clock.now();
    let (answer, wait) = oneshot::channel();
    let asked = std::thread::Builder::new()
        .name("lookup".to_owned())
        .spawn(move || {
            let _ = answer.send(ask(&here, &name));
        });
    let result = match asked {
        Ok(_) => wait.await.ok()?,
        // No thread left is this machine's own trouble, not name service's.
        Err(error) => {
            return Some(Fact::LocalFailure {
                error: crate::errors::name(&error),
            });
        }
    };
    let elapsed_us = clock.now().since(began);
    Some(match result {
        Ok(addresses) => Fact::NameResolved {
            addresses,
            elapsed_us,
        },
        Err((code, trouble)) => Fact::NameFailed {
            code,
            trouble,
            elapsed_us,
        },
    })
}

fn ask(here: &Here, name: &str) -> Result<Vec<IpAddr>, (String, NameTrouble)> {
    let hints = AddrInfoHints {
        socktype: SockType::Stream.into(),
        ..AddrInfoHints::default()
    };
    let found = getaddrinfo(Some(name), None, Some(hints)).map_err(trouble)?;
    let mut addresses = Vec::new();
    for info in found.flatten() {
        here.note_link(info.sockaddr);
        let ip = info.sockaddr.ip();
        if !addresses.contains(&ip) {
            addresses.push(ip);
        }
    }
    match addresses.is_empty() {
        true => Err(("EAI_NODATA".to_owned(), NameTrouble::NoAddress)),
        false => Ok(addresses),
    }
}

fn trouble(error: LookupError) -> (String, NameTrouble) {
    let (code, trouble) = match error.kind() {
        LookupErrorKind::NoName => ("EAI_NONAME", NameTrouble::NoSuchName),
        LookupErrorKind::NoData => ("EAI_NODATA", NameTrouble::NoAddress),
        LookupErrorKind::Again => ("EAI_AGAIN", NameTrouble::Failing),
        LookupErrorKind::Fail => ("EAI_FAIL", NameTrouble::Failing),
        LookupErrorKind::System => {
            let inner: io::Error = error.into();
            return (crate::errors::name(&inner), NameTrouble::Failing);
        }
        LookupErrorKind::IO => ("not a name", NameTrouble::NotAName),
        _ => ("EAI_FAIL", NameTrouble::Failing),
    };
    (code.to_owned(), trouble)
}
