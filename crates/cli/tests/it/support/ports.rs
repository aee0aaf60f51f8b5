//! Ports for servers that cannot be given an open socket. They lie below the range from which
//! the system itself hands out ports, and each is held by a lock on a file as long as it is
//! in use: no other test, and no connection of this machine, gets it meanwhile.

use std::fs::File;
use std::io::ErrorKind;
use std::net::{Ipv4Addr, Ipv6Addr, TcpListener, UdpSocket};

use nix::fcntl::{Flock, FlockArg};

/// Below the range of ports that Linux hands out by itself (32768 and up, ip(7)).
const RANGE: std::ops::Range<u16> = 20_000..32_000;

/// A port, and the one below it, that nobody else uses as long as this is held.
pub struct HeldPort {
    port: u16,
    _lock: Flock<File>,
}

impl HeldPort {
    pub fn get(&self) -> u16 {
        self.port
    }

    /// The first pair that is free.
    pub fn claim() -> HeldPort {
        let folder =
            std::env::temp_dir().join(format!("chronaxis-ports-{}", nix::unistd::geteuid()));
        std::fs::create_dir_all(&folder).expect("a folder for locks");
        for lower in RANGE.step_by(2) {
            let port = lower + 1;
            let file = File::create(folder.join(port.to_string())).expect("a lock file");
            let Ok(lock) = Flock::lock(file, FlockArg::LockExclusiveNonblock) else {
                continue;
            };
            if is_free(lower) && is_free(port) {
                return HeldPort { port, _lock: lock };
            }
        }
        panic!("every port from {RANGE:?} is taken");
    }
}

fn is_free(port: u16) -> bool {
    let tried = [
        TcpListener::bind((Ipv4Addr::UNSPECIFIED, port)).map(drop),
        TcpListener::bind((Ipv6Addr::LOCALHOST, port)).map(drop),
        UdpSocket::bind((Ipv4Addr::LOCALHOST, port)).map(drop),
    ];
    // A machine without one of the families has nobody on it either.
    !tried
        .into_iter()
        .filter_map(Result::err)
        .any(|error| error.kind() == ErrorKind::AddrInUse)
}
