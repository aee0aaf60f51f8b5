//! The leave to try a secret: at most one failed sign-in per server and account in a run.

mod permits;

use std::sync::Arc;

use zeroize::{Zeroize, ZeroizeOnDrop};

use crate::endpoint::Endpoint;
use crate::secret::Secret;
use crate::target::EngineId;

pub use permits::{Permits, RepairLeave};

/// A server as far as it is known before anything is proved to it: by the end of the line,
/// by the name that was told, as one of this very machine's. The same server may be met by
/// several of them.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Server {
    /// The resolved address and port, or the socket file.
    pub endpoint: Endpoint,
    /// The name that was told, and the port; none for an address.
    pub name: Option<(String, u16)>,
    /// The protocol, where the end is on this machine: loopback, an address of its own, a
    /// socket file.
    pub here: Option<EngineId>,
}

/// One of the ways in which a server is known.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
enum Mark {
    End(Endpoint),
    Name(String, u16),
    /// A port of this machine.
    Here(EngineId, u16),
    /// Some port of this machine: for a socket file that names none.
    SomePortHere(EngineId),
    /// A socket file of this machine that names no port.
    SomeSocketHere(EngineId),
}

impl Server {
    /// By what it is known from now on.
    fn marks(&self) -> Vec<Mark> {
        let mut marks = vec![Mark::End(self.endpoint.clone())];
        if let Some((name, port)) = &self.name {
            let name = name.trim_end_matches('.').to_ascii_lowercase();
            marks.push(Mark::Name(name, *port));
        }
        if let Some(engine) = self.here {
            match self.port() {
                Some(port) => {
                    marks.push(Mark::Here(engine, port));
                    marks.push(Mark::SomePortHere(engine));
                }
                None => marks.push(Mark::SomeSocketHere(engine)),
            }
        }
        marks
    }

    /// By what it may have been met before. A socket file that names no port may belong to
    /// any server of this machine.
    fn met_as(&self) -> Vec<Mark> {
        let mut marks = self.marks();
        if let Some(engine) = self.here {
            marks.retain(|mark| !matches!(mark, Mark::SomePortHere(_)));
            marks.push(match self.port() {
                Some(_) => Mark::SomeSocketHere(engine),
                None => Mark::SomePortHere(engine),
            });
        }
        marks
    }

    /// Its port: the socket files of some servers name it.
    fn port(&self) -> Option<u16> {
        match &self.endpoint {
            Endpoint::Tcp(to) => Some(to.port()),
            Endpoint::Socket(path) => path.rsplit('.').next()?.parse().ok(),
        }
    }
}

/// Whose sign-ins are counted together.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Account {
    /// The server.
    pub server: Server,
    /// The account's name.
    pub user: String,
}

/// What was derived from a secret, for one salt and so many rounds: the next proof to the same
/// server needs no such work.
#[derive(Clone, PartialEq, Eq, Zeroize, ZeroizeOnDrop)]
pub struct Salted {
    /// The salt that the server gave.
    pub salt: Vec<u8>,
    /// How many rounds it asked for.
    pub rounds: u32,
    /// The outcome.
    pub key: [u8; 32],
}

impl std::fmt::Debug for Salted {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str("Salted(hidden)")
    }
}

/// The leave to prove who one is, once. It carries the secret, and nothing else does: a
/// conversation that holds none can send nothing derived from one. It cannot be copied,
/// and only a [`Permits`] makes it.
pub struct Permit {
    /// The try with which its account is counted.
    entry: usize,
    label: String,
    secret: Secret,
    /// What was derived from it before, for this account.
    salted: Option<Arc<Salted>>,
    spent: bool,
    accepted: bool,
}

impl Permit {
    /// The secret, for a proof that is sent now. From here on the permit counts as spent,
    /// until the server accepts the proof.
    pub fn spend(&mut self) -> &Secret {
        self.spent = true;
        &self.secret
    }

    /// The secret, for work that comes before a proof. Nothing made of it may be sent
    /// without [`Permit::spend`].
    pub fn prepared(&self) -> Secret {
        self.secret.clone()
    }

    /// What was derived from the secret for this salt and so many rounds, if it was.
    pub fn salted(&self, salt: &[u8], rounds: u32) -> Option<Arc<Salted>> {
        let known = self.salted.as_ref()?;
        (known.salt == salt && known.rounds == rounds).then(|| known.clone())
    }

    /// Keeps what was derived, for as long as the secret is known to be right.
    pub fn keep_salted(&mut self, salted: Arc<Salted>) {
        self.salted = Some(salted);
    }

    /// The server accepted the proof.
    pub fn accepted(&mut self) {
        self.accepted = true;
    }
}

impl std::fmt::Debug for Permit {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "Permit({})", self.entry)
    }
}

/// Why a secret that was given must not be sent.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Withheld {
    /// It plainly is a placeholder.
    Placeholder,
    /// It is not known here: a variable, a store, a template would bring it.
    Unknown,
    /// Another secret was refused for this account in this run.
    Spent,
    /// The same secret was refused by this server, for the target of this label.
    RefusedBefore(String),
}
