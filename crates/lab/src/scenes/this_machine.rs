//! Scenes on the client's own machine: what its tables of sockets and processes tell.

use std::net::SocketAddr;

use chronaxis_model::fact::{Held, Listening, Tunnel};
use chronaxis_model::redact::Redactor;

use super::name_to_port::sailings;
use super::{DECK, HERE, broken, counts, far, target_at, undecided};
use crate::scene::{PORT, Scene};
use crate::stand_in::Service;
use crate::stand_in::postgresql::Config;
use crate::world::World;

/// The port from which a tunnel is meant to lead.
const TUNNEL: u16 = 6543;

fn listening(on: &str, program: Option<&str>, held: Held) -> Listening {
    Listening {
        on: on.parse::<SocketAddr>().ok(),
        socket: (!on.contains(':')).then(|| on.to_owned()),
        program: program.map(|p| Redactor::default().text(p)),
        held,
        waiting: 0,
    }
}

fn server(on: &str) -> Listening {
    listening(on, Some("postgres"), Held::Server)
}

fn tunnel(runs: bool) -> Tunnel {
    let text = |text: &str| Redactor::default().text(text);
    Tunnel {
        port: TUNNEL,
        to: text("quay.osmary.example:5432"),
        told_by: match runs {
            true => text("process 4711 (ssh)"),
            false => text("line 12 of /home/deckhand/.ssh/config"),
        },
        runs,
    }
}

/// This machine, with what its tables show.
fn here(ports: &[(u16, Service)], shows: Vec<Listening>) -> World {
    World {
        listening: shows,
        ..World::around(DECK)
            .host(HERE, &[], ports)
            .host(DECK, &[], &[])
    }
}

pub(super) fn scenes() -> Vec<Scene> {
    let on_loopback = || target_at("127.0.0.1:{port}");
    let by_tunnel = || target_at(&format!("127.0.0.1:{TUNNEL}"));
    let told = |world: World, runs: bool| World {
        tunnels: vec![tunnel(runs)],
        ..world
    };
    vec![
        far(
            "other-port-here",
            "the server of this machine listens on 5433",
            on_loopback(),
            here(&[(5433, sailings())], vec![server("127.0.0.1:5433")]),
            broken("listens-on-other-port", "port/refused"),
            counts(0, 4, 0, 0),
        ),
        far(
            "other-instances-here",
            "two servers of this machine listen on other ports, and the one meant may be down",
            on_loopback(),
            here(
                &[(5433, sailings()), (5434, sailings())],
                vec![server("127.0.0.1:5433"), server("127.0.0.1:5434")],
            ),
            undecided("nothing-listening", "port/refused"),
            counts(0, 5, 0, 0),
        ),
        far(
            "loopback-only-here",
            "this machine is dialled by its own address, and the server listens on loopback",
            target_at(&format!("{DECK}:{PORT}")),
            here(&[(PORT, sailings())], vec![server("127.0.0.1:5432")]),
            broken("listens-on-loopback-only", "port/refused"),
            counts(0, 4, 0, 0),
        ),
        far(
            "socket-file-only",
            "the server of this machine has a socket file, and no port",
            on_loopback(),
            here(&[], vec![server("/run/osmary/.s.PGSQL.5432")]),
            broken("listens-on-other-address", "port/refused"),
            counts(0, 4, 0, 0),
        ),
        far(
            "tunnel-not-there",
            "a tunnel is meant to begin at the port, and nothing holds it",
            by_tunnel(),
            told(here(&[], Vec::new()), false),
            broken("tunnel-down", "port/refused"),
            counts(0, 4, 0, 0),
        ),
        far(
            "tunnel-beside-server",
            "the tunnel is not there, and a server of this machine has the usual port",
            by_tunnel(),
            told(
                here(&[(PORT, sailings())], vec![server("127.0.0.1:5432")]),
                false,
            ),
            broken("tunnel-down", "port/refused"),
            counts(0, 4, 0, 0),
        ),
        far(
            "tunnel-into-void",
            "an SSH client holds the port, and what it leads to is not there",
            by_tunnel(),
            told(
                here(
                    &[(TUNNEL, Service::Closes)],
                    vec![listening("127.0.0.1:6543", Some("ssh"), Held::Forwarder)],
                ),
                true,
            ),
            broken("tunnel-far-end-dead", "listener/closed"),
            counts(0, 4, 0, 0),
        ),
        far(
            "tunnel-overshadowed",
            "a server of this machine holds the port from which the tunnel should lead",
            by_tunnel(),
            told(
                here(
                    &[(
                        TUNNEL,
                        Service::Postgresql(Config::sailings("another-one-7")),
                    )],
                    vec![server("127.0.0.1:6543")],
                ),
                false,
            ),
            broken("tunnel-shadowed", "login/credentials-refused"),
            counts(0, 1, 1, 0),
        ),
    ]
}
