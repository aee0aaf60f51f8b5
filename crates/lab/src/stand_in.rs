//! What answers on a port, without a socket: bytes in, reactions out.

pub mod directory;
pub mod encrypted;
pub mod mysql;
pub mod others;
pub mod postgresql;

use std::collections::BTreeMap;
use std::sync::Arc;
use std::sync::atomic::{AtomicU32, Ordering};

/// What stands behind a port that takes connections.
#[derive(Clone, Debug)]
pub enum Service {
    /// A PostgreSQL server.
    Postgresql(postgresql::Config),
    /// A MySQL or MariaDB server.
    Mysql(mysql::Config),
    /// A directory, or one of its instances.
    Directory(Box<directory::config::Config>),
    /// Something else, by what it answers to what.
    Other(others::Other),
    /// A server of its own, for an engine of another crate.
    Own(fn(&Arc<Counted>) -> Box<dyn Server>),
    /// Takes the connection and never says a word.
    Mute,
    /// Takes the connection and closes it.
    Closes,
    /// Answers whatever comes with these bytes.
    Says(Vec<u8>),
    /// Says these bytes as soon as the connection is there, and then nothing.
    Greets(Vec<u8>),
    /// The kernel's queue is full: nobody takes connections out.
    Hung,
    /// The kernel still queues: connections are made, and nobody takes them out.
    Asleep,
}

impl Service {
    /// The same, where these ports of this machine stand for others.
    #[must_use]
    pub fn moved(self, ports: &BTreeMap<u16, u16>) -> Service {
        match self {
            Service::Directory(config) => Service::Directory(Box::new(config.moved(ports))),
            other => other,
        }
    }

    /// Begins to serve one line.
    pub fn serve(&self, counted: &Arc<Counted>) -> Box<dyn Server> {
        match self {
            Service::Postgresql(config) => {
                Box::new(postgresql::Session::new(config.clone(), counted.clone()))
            }
            Service::Mysql(config) => {
                Box::new(mysql::Session::new(config.clone(), counted.clone()))
            }
            Service::Directory(config) => {
                let config = (**config).clone();
                Box::new(directory::Session::new(config, counted.clone()))
            }
            Service::Own(begin) => begin(counted),
            Service::Other(other) => other.serve(),
            Service::Mute | Service::Hung | Service::Asleep => Box::new(Mute),
            Service::Greets(bytes) => Box::new(Greets(bytes.clone())),
            Service::Closes => Box::new(Closes),
            Service::Says(bytes) => Box::new(Says(bytes.clone())),
        }
    }
}

/// What a server does next.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Reaction {
    /// Sends these bytes.
    Send(Vec<u8>),
    /// Waits so many milliseconds before it goes on.
    Pause(u64),
    /// Closes the line.
    Close,
}

/// The server's half of a protocol.
pub trait Server: Send {
    /// The line is there.
    fn opened(&mut self) -> Vec<Reaction> {
        Vec::new()
    }

    /// These bytes came.
    fn received(&mut self, bytes: &[u8]) -> Vec<Reaction>;

    /// After how many idle milliseconds it ends the line as it is now, and with which words.
    fn ends_idle(&mut self) -> Option<(u64, Vec<Reaction>)> {
        None
    }
}

struct Mute;

impl Server for Mute {
    fn received(&mut self, _: &[u8]) -> Vec<Reaction> {
        Vec::new()
    }
}

struct Closes;

impl Server for Closes {
    fn opened(&mut self) -> Vec<Reaction> {
        vec![Reaction::Close]
    }

    fn received(&mut self, _: &[u8]) -> Vec<Reaction> {
        vec![Reaction::Close]
    }
}

struct Greets(Vec<u8>);

impl Server for Greets {
    fn opened(&mut self) -> Vec<Reaction> {
        vec![Reaction::Send(self.0.clone())]
    }

    fn received(&mut self, _: &[u8]) -> Vec<Reaction> {
        Vec::new()
    }
}

struct Says(Vec<u8>);

impl Server for Says {
    fn received(&mut self, _: &[u8]) -> Vec<Reaction> {
        vec![Reaction::Send(self.0.clone()), Reaction::Close]
    }
}

/// What the far side saw of a run: counted there, not told by the program.
#[derive(Debug, Default)]
pub struct Counted {
    lookups: AtomicU32,
    lines: AtomicU32,
    sign_ins: AtomicU32,
    sessions: AtomicU32,
}

/// The numbers of [`Counted`] at one moment.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Counts {
    /// Questions to name service.
    pub lookups: u32,
    /// Connections that were made or tried.
    pub lines: u32,
    /// Proofs received.
    pub sign_ins: u32,
    /// Sessions let in.
    pub sessions: u32,
}

impl Counted {
    /// A question to name service.
    pub fn lookup(&self) {
        self.lookups.fetch_add(1, Ordering::SeqCst);
    }

    /// A line.
    pub fn line(&self) {
        self.lines.fetch_add(1, Ordering::SeqCst);
    }

    /// A proof.
    pub fn sign_in(&self) {
        self.sign_ins.fetch_add(1, Ordering::SeqCst);
    }

    /// A session.
    pub fn session(&self) {
        self.sessions.fetch_add(1, Ordering::SeqCst);
    }

    /// The numbers now.
    pub fn now(&self) -> Counts {
        let get = |n: &AtomicU32| n.load(Ordering::SeqCst);
        Counts {
            lookups: get(&self.lookups),
            lines: get(&self.lines),
            sign_ins: get(&self.sign_ins),
            sessions: get(&self.sessions),
        }
    }
}
