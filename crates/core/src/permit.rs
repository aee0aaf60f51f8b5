//! What the targets of a run share: the leave to try a secret (at most one failed sign-in
//! per server and account), and the board of what was asked already.

use std::collections::{BTreeMap, BTreeSet};

use crate::board::Board;
use crate::endpoint::Endpoint;
use crate::secret::Secret;

/// Whose sign-ins are counted together.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub struct Account {
    /// The server: a resolved address and port, or a socket file.
    pub server: Endpoint,
    /// The account's name.
    pub user: String,
}

/// The leave to prove who one is, once. It carries the secret, and nothing else does: a
/// conversation that holds none can send nothing derived from one. It cannot be copied,
/// and only a [`Ledger`] makes it.
pub struct Permit {
    account: Account,
    label: String,
    secret: Secret,
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

    /// The server accepted the proof.
    pub fn accepted(&mut self) {
        self.accepted = true;
    }
}

impl std::fmt::Debug for Permit {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "Permit({:?})", self.account)
    }
}

/// Why a secret that was given must not be sent.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Withheld {
    /// It plainly is a placeholder.
    Placeholder,
    /// Another secret was refused for this account in this run.
    Spent,
    /// The same secret was refused by this server, for the target of this label.
    RefusedBefore(String),
}

/// What became of an account's one try.
enum Entry {
    /// A line holds the permit.
    Out,
    /// It was refused, or not answered.
    Refused {
        secret: Secret,
        label: String,
        /// The repaired forms that were tried or are under way, with what came of each.
        repairs: Vec<(Secret, Option<bool>)>,
    },
}

/// What a request for a repaired form gets.
pub enum RepairLeave {
    /// The leave to try it.
    Try(Permit),
    /// It was tried before in this run, and this came of it.
    Known(bool),
    /// No more are tried.
    Refused,
}

/// Most lines to one server that are given up in a run in ways that it counts. Servers
/// block a machine after a hundred, as a rule; some after ten.
const MOST_GIVEN_UP: u32 = 4;

/// Most repaired forms of a refused secret that are tried, where the user asks for it.
const MOST_REPAIRS: usize = 3;

/// What all targets of a run share: who may still try a secret where, and what was asked.
#[derive(Default)]
pub struct Ledger {
    entries: BTreeMap<Account, Entry>,
    given_up: BTreeMap<Endpoint, u32>,
    /// Walks that have lines to servers which count those that are given up.
    walking: BTreeMap<Endpoint, u32>,
    /// Targets that may still sign in, by what was told of where and as whom.
    in_line: BTreeSet<(String, usize)>,
    /// What was asked of the world.
    pub board: Board,
}

impl Ledger {
    /// Asks for the leave to try this secret.
    ///
    /// # Errors
    /// Says why not: another line of the run holds the permit, or an earlier try failed.
    pub fn ask(
        &mut self,
        account: Account,
        label: &str,
        secret: &Secret,
    ) -> Result<Permit, Withheld> {
        match self.entries.get(&account) {
            Some(Entry::Refused {
                secret: tried,
                label,
                ..
            }) if tried == secret => {
                return Err(Withheld::RefusedBefore(label.clone()));
            }
            Some(_) => return Err(Withheld::Spent),
            None => {}
        }
        self.entries.insert(account.clone(), Entry::Out);
        Ok(Permit {
            account,
            label: label.to_owned(),
            secret: secret.clone(),
            spent: false,
            accepted: false,
        })
    }

    /// Whether a line of the run holds the permit for this account: what comes of it is
    /// worth waiting for.
    pub fn is_out(&self, account: &Account) -> bool {
        matches!(self.entries.get(account), Some(Entry::Out))
    }

    /// Asks for the leave to try a repaired form of a secret that was refused for this
    /// account. There are at most three in a run, each once.
    pub fn ask_repair(&mut self, account: &Account, repaired: &Secret) -> RepairLeave {
        let Some(Entry::Refused { repairs, label, .. }) = self.entries.get_mut(account) else {
            return RepairLeave::Refused;
        };
        match repairs.iter().find(|(tried, _)| tried == repaired) {
            Some((_, Some(accepted))) => return RepairLeave::Known(*accepted),
            Some((_, None)) => return RepairLeave::Refused,
            None if repairs.len() >= MOST_REPAIRS => return RepairLeave::Refused,
            None => repairs.push((repaired.clone(), None)),
        }
        RepairLeave::Try(Permit {
            account: account.clone(),
            label: label.clone(),
            secret: repaired.clone(),
            spent: false,
            accepted: false,
        })
    }

    /// Takes a permit back. Unspent, or spent with success, it costs nothing; a repaired
    /// form leaves the entry of the original as it is.
    pub fn settle(&mut self, permit: Permit) {
        let Permit {
            account,
            label,
            secret,
            spent,
            accepted,
        } = permit;
        if let Some(Entry::Refused { repairs, .. }) = self.entries.get_mut(&account) {
            match spent {
                true => repairs
                    .iter_mut()
                    .filter(|(tried, _)| *tried == secret)
                    .for_each(|(_, outcome)| *outcome = Some(accepted)),
                false => repairs.retain(|(tried, _)| *tried != secret),
            }
            return;
        }
        if spent && !accepted {
            let entry = Entry::Refused {
                secret,
                label,
                repairs: Vec::new(),
            };
            self.entries.insert(account, entry);
        } else {
            self.entries.remove(&account);
        }
    }

    /// A line to a server was given up in a way that the server counts.
    pub fn count_given_up(&mut self, server: Endpoint) {
        *self.given_up.entry(server).or_default() += 1;
    }

    /// Asks for the leave to make lines to servers that count those which are given up: so
    /// few walks have some at one time that a block cannot come of it.
    pub fn may_walk(&mut self, servers: &[Endpoint]) -> bool {
        let busy = |server: &Endpoint| {
            let under_way = self.walking.get(server).copied().unwrap_or_default();
            let lost = self.given_up.get(server).copied().unwrap_or_default();
            // Each may lose two lines: its own, and one beside it.
            let room = MOST_GIVEN_UP.saturating_sub(lost) / 2;
            under_way >= room.max(1)
        };
        if servers.iter().any(busy) {
            return false;
        }
        for server in servers {
            *self.walking.entry(server.clone()).or_default() += 1;
        }
        true
    }

    /// The walk that had this leave is over.
    pub fn walked(&mut self, servers: &[Endpoint]) {
        for server in servers {
            if let Some(under_way) = self.walking.get_mut(server) {
                *under_way = under_way.saturating_sub(1);
            }
        }
    }

    /// A target that may sign in at what was told of where and as whom takes its place in
    /// the line of those that were told the same.
    pub fn line_up(&mut self, told: &str, order: usize) {
        self.in_line.insert((told.to_owned(), order));
    }

    /// Whether one that was told the same stands before it.
    pub fn is_behind(&self, told: &str, order: usize) -> bool {
        let first = self.in_line.range((told.to_owned(), 0)..).next();
        first.is_some_and(|(known, before)| known == told && *before < order)
    }

    /// It signs in now, or never will.
    pub fn leave_line(&mut self, told: &str, order: usize) {
        self.in_line.remove(&(told.to_owned(), order));
    }

    /// How many were, once there are so many that no more may be made.
    pub fn spares(&self, server: &Endpoint) -> Option<u32> {
        let given_up = self.given_up.get(server).copied()?;
        (given_up >= MOST_GIVEN_UP).then_some(given_up)
    }
}
