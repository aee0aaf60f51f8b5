//! `chronaxis listeners`.

use std::net::{IpAddr, Ipv4Addr, Ipv6Addr, SocketAddr};

use chronaxis_diagnosis::listed::{Listed, Listeners};
use chronaxis_diagnosis::report;
use chronaxis_model::redact::Redactor;
use chronaxis_probe::Here;
use chronaxis_probe::listeners::{Listener, table};
use nix::unistd::{Uid, User};
use tokio::task::JoinSet;

use crate::args;
use crate::client_environment;
use crate::delivery;
use crate::error::Failure;

/// Listeners that are asked at one time.
const SIDE_BY_SIDE: usize = 16;

pub(crate) fn run(args: &args::Listeners) -> Result<u8, Failure> {
    let mut read =
        table(&Here::default()).map(|all| all.iter().map(listed).collect::<Vec<Listed>>());
    if let (true, Some(all)) = (args.ask, &mut read) {
        ask(all)?;
    }
    let document = Listeners::new(read, env!("CARGO_PKG_VERSION"));
    let state = document.verdict.state;
    let vantage = client_environment::vantage();
    delivery::document(args.output, args.plain, state, &document, || {
        report::listeners::report(&document, &vantage, args.ask)
    })
}

fn listed(one: &Listener) -> Listed {
    let redactor = Redactor::default();
    Listed {
        address: one.on.map(|on| on.ip()),
        port: one.on.map(|on| on.port()),
        family: match one.on {
            Some(SocketAddr::V4(_)) => "ipv4",
            Some(SocketAddr::V6(_)) => "ipv6",
            None => "file",
        }
        .to_owned(),
        socket: one.socket.clone(),
        user: one.user.map(account),
        program: one.owner.as_ref().map(|o| redactor.text(&o.name)),
        process: one.owner.as_ref().map(|o| o.id),
        held: one.held(),
        waiting: one.waiting,
        loopback_only: one.on.is_some_and(|on| on.ip().is_loopback()),
        speaks: None,
        spoke: None,
    }
}

/// The name of an account, or its number where it has none.
fn account(number: u32) -> String {
    User::from_uid(Uid::from_raw(number))
        .ok()
        .flatten()
        .map_or_else(|| number.to_string(), |user| user.name)
}

/// Asks each what it speaks, a few at a time.
fn ask(all: &mut [Listed]) -> Result<(), Failure> {
    let runtime = client_environment::runtime()?;
    let mut waiting: Vec<(usize, SocketAddr)> = all
        .iter()
        .enumerate()
        .filter_map(|(i, one)| Some((i, dialled(one.address?, one.port?))))
        .collect();
    waiting.reverse();
    runtime.block_on(async {
        let mut asked = JoinSet::new();
        loop {
            while asked.len() < SIDE_BY_SIDE
                && let Some((index, to)) = waiting.pop()
            {
                asked.spawn(async move { (index, chronaxis_probe::ask::who(to).await) });
            }
            let Some(answered) = asked.join_next().await else {
                return;
            };
            if let Ok((index, (service, spoke))) = answered
                && let Some(one) = all.get_mut(index)
            {
                one.speaks = service;
                one.spoke = Some(spoke);
            }
        }
    });
    Ok(())
}

/// Where a listener on all addresses is reached from here.
fn dialled(address: IpAddr, port: u16) -> SocketAddr {
    let ip = match address {
        IpAddr::V4(ip) if ip.is_unspecified() => Ipv4Addr::LOCALHOST.into(),
        IpAddr::V6(ip) if ip.is_unspecified() => Ipv6Addr::LOCALHOST.into(),
        ip => ip,
    };
    SocketAddr::new(ip, port)
}
