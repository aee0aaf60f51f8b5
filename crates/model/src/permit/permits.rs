//! The one place that gives leave to try a secret, and what the targets of a run wait for.

use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

use super::{Account, Mark, Permit, Salted, Server, Withheld};
use crate::endpoint::Endpoint;
use crate::invariant;
use crate::secret::Secret;

/// What became of an account's one try.
enum Try {
    /// None yet, or one that cost nothing.
    Open,
    /// A line holds the permit.
    Out,
    /// It was accepted: the same secret fails nowhere, however often it is sent.
    Accepted(Secret, Option<Arc<Salted>>),
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

/// What a target waits for that another one of the run does.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
enum Awaited {
    /// What comes of an account's try.
    Try(usize),
    /// Its place in the line of those that were told the same.
    Line(String),
    /// The leave to make lines to a server that counts them.
    Server(Endpoint),
    /// Room for its sockets.
    Room,
}

/// What all targets of a run share: who may still try a secret where, and who waits for it.
#[derive(Default)]
pub struct Permits {
    tries: Vec<Try>,
    /// Which try an account is counted with, by any mark of its server.
    known: BTreeMap<(Mark, String), usize>,
    /// By its own identifier, by what an instance was met.
    instances: BTreeMap<String, BTreeSet<Mark>>,
    given_up: BTreeMap<Endpoint, u32>,
    /// Walks that have lines to servers which count those that are given up.
    walking: BTreeMap<Endpoint, u32>,
    /// Targets that may still sign in, by what was told of where and as whom.
    in_line: BTreeSet<(String, usize)>,
    /// How many more targets may have sockets; none: as many as there are.
    room: Option<usize>,
    waiting: BTreeMap<Awaited, BTreeSet<usize>>,
    woken: BTreeSet<usize>,
}

impl Permits {
    /// A ledger under which only so many targets have sockets at one time.
    pub fn with_room_for(targets: usize) -> Permits {
        Permits {
            room: Some(targets.max(1)),
            ..Permits::default()
        }
    }

    /// The targets that waited for something that has happened, by their numbers: each
    /// looks again.
    pub fn take_woken(&mut self) -> BTreeSet<usize> {
        std::mem::take(&mut self.woken)
    }

    fn wait_for(&mut self, what: Awaited, who: usize) {
        self.waiting.entry(what).or_default().insert(who);
    }

    fn wake(&mut self, what: &Awaited) {
        self.woken
            .extend(self.waiting.remove(what).unwrap_or_default());
    }

    /// Asks for room for a target's sockets.
    pub fn take_room(&mut self, who: usize) -> bool {
        match &mut self.room {
            Some(0) => {
                self.wait_for(Awaited::Room, who);
                false
            }
            Some(left) => {
                *left -= 1;
                // It may have waited: nobody is woken in vain for it.
                if let Some(waiting) = self.waiting.get_mut(&Awaited::Room) {
                    waiting.remove(&who);
                }
                true
            }
            None => true,
        }
    }

    /// Gives that room back: the next one that waits may have it.
    pub fn leave_room(&mut self) {
        let Some(left) = &mut self.room else {
            return;
        };
        *left += 1;
        let waiting = self.waiting.get(&Awaited::Room);
        let next = waiting.into_iter().flatten().take(*left).copied();
        self.woken.extend(next);
    }

    /// A target that is over waits for no room any more.
    pub fn forget(&mut self, who: usize) {
        if let Some(waiting) = self.waiting.get_mut(&Awaited::Room) {
            waiting.remove(&who);
        }
    }

    /// The try with which an account is counted; made where there is none.
    fn entry(&mut self, account: &Account) -> usize {
        let known = self.known_entry(account);
        let entry = known.unwrap_or_else(|| {
            self.tries.push(Try::Open);
            self.tries.len() - 1
        });
        for mark in account.server.marks() {
            let key = (mark, account.user.clone());
            self.known.entry(key).or_insert(entry);
        }
        entry
    }

    fn known_entry(&self, account: &Account) -> Option<usize> {
        let met = account.server.met_as();
        let same = self
            .instances
            .values()
            .filter(|marks| met.iter().any(|mark| marks.contains(mark)))
            .flatten();
        let all = met.iter().chain(same);
        let mut found =
            all.filter_map(|mark| self.known.get(&(mark.clone(), account.user.clone())));
        // One that is spent counts before one that is not.
        let first = found.next()?;
        let spent = |entry: &&usize| !matches!(self.tries.get(**entry), Some(Try::Open));
        Some(
            *std::iter::once(first)
                .chain(found)
                .find(spent)
                .unwrap_or(first),
        )
    }

    /// An instance told its own identifier: whatever is met as the same one counts as the
    /// same server.
    pub fn met_instance(&mut self, identifier: &str, server: &Server) {
        let marks = self.instances.entry(identifier.to_owned()).or_default();
        marks.insert(Mark::End(server.endpoint.clone()));
    }

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
        let entry = self.entry(&account);
        let Some(state) = self.tries.get_mut(entry) else {
            return Err(Withheld::Spent);
        };
        let mut kept = None;
        match state {
            Try::Refused {
                secret: tried,
                label,
                ..
            } if tried == secret => return Err(Withheld::RefusedBefore(label.clone())),
            Try::Refused { .. } | Try::Out => return Err(Withheld::Spent),
            Try::Accepted(known, salted) if known == secret => kept.clone_from(salted),
            Try::Open | Try::Accepted(..) => *state = Try::Out,
        }
        Ok(Permit {
            entry,
            label: label.to_owned(),
            secret: secret.clone(),
            salted: kept,
            spent: false,
            accepted: false,
        })
    }

    /// Whether a line of the run holds the permit for this account: what comes of it is
    /// worth waiting for, and whoever asks is woken then.
    pub fn is_out(&mut self, account: &Account, who: usize) -> bool {
        let entry = self.known_entry(account);
        let out = entry.filter(|entry| matches!(self.tries.get(*entry), Some(Try::Out)));
        if let Some(entry) = out {
            self.wait_for(Awaited::Try(entry), who);
        }
        out.is_some()
    }

    /// Whether this very secret was accepted for this account: it needs no leave to be waited
    /// for.
    pub fn is_accepted(&self, account: &Account, secret: &Secret) -> bool {
        let entry = self.known_entry(account).and_then(|e| self.tries.get(e));
        matches!(entry, Some(Try::Accepted(known, _)) if known == secret)
    }

    /// Asks for the leave to try a repaired form of a secret that was refused for this
    /// account. There are at most three in a run, each once.
    pub fn ask_repair(&mut self, account: &Account, repaired: &Secret) -> RepairLeave {
        let Some(entry) = self.known_entry(account) else {
            return RepairLeave::Refused;
        };
        let Some(Try::Refused { repairs, label, .. }) = self.tries.get_mut(entry) else {
            return RepairLeave::Refused;
        };
        match repairs.iter().find(|(tried, _)| tried == repaired) {
            Some((_, Some(accepted))) => return RepairLeave::Known(*accepted),
            Some((_, None)) => return RepairLeave::Refused,
            None if repairs.len() >= MOST_REPAIRS => return RepairLeave::Refused,
            None => repairs.push((repaired.clone(), None)),
        }
        RepairLeave::Try(Permit {
            entry,
            label: label.clone(),
            secret: repaired.clone(),
            salted: None,
            spent: false,
            accepted: false,
        })
    }

    /// Takes a permit back. Unspent, or spent with success, it costs nothing; a repaired
    /// form leaves the entry of the original as it is.
    pub fn settle(&mut self, permit: Permit) {
        let Permit {
            entry,
            label,
            secret,
            salted,
            spent,
            accepted,
            ..
        } = permit;
        self.wake(&Awaited::Try(entry));
        let known = self.tries.get_mut(entry);
        invariant::holds(
            known.is_some(),
            "a permit comes back to the ledger that gave it",
        );
        let Some(state) = known else {
            return;
        };
        if let Try::Refused { repairs, .. } = state {
            match spent {
                true => repairs
                    .iter_mut()
                    .filter(|(tried, _)| *tried == secret)
                    .for_each(|(_, outcome)| *outcome = Some(accepted)),
                false => repairs.retain(|(tried, _)| *tried != secret),
            }
            return;
        }
        *state = match (spent, accepted, &*state) {
            (true, true, _) => Try::Accepted(secret, salted),
            (true, false, _) => Try::Refused {
                secret,
                label,
                repairs: Vec::new(),
            },
            // One of several that were let in before came back unused.
            (false, _, Try::Accepted(..)) => return,
            (false, ..) => Try::Open,
        };
    }

    /// A line to a server was given up in a way that the server counts.
    pub fn count_given_up(&mut self, server: Endpoint) {
        *self.given_up.entry(server).or_default() += 1;
    }

    /// Asks for the leave to make lines to servers that count those which are given up: so
    /// few walks have some at one time that a block cannot come of it. Whoever gets none is
    /// woken when it may ask again.
    pub fn may_walk(&mut self, servers: &[Endpoint], who: usize) -> bool {
        let busy = |server: &&Endpoint| {
            let under_way = self.walking.get(server).copied().unwrap_or_default();
            let lost = self.given_up.get(server).copied().unwrap_or_default();
            // Each may lose two lines: its own, and one beside it.
            let room = MOST_GIVEN_UP.saturating_sub(lost) / 2;
            under_way >= room.max(1)
        };
        if let Some(busy) = servers.iter().find(busy) {
            self.wait_for(Awaited::Server(busy.clone()), who);
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
            self.wake(&Awaited::Server(server.clone()));
        }
    }

    /// A target that may sign in at what was told of where and as whom takes its place in
    /// the line of those that were told the same.
    pub fn line_up(&mut self, told: &str, order: usize) {
        self.in_line.insert((told.to_owned(), order));
    }

    /// Whether one that was told the same stands before it; it is woken when that leaves.
    pub fn is_behind(&mut self, told: &str, order: usize) -> bool {
        let first = self.in_line.range((told.to_owned(), 0)..).next();
        let behind = first.is_some_and(|(known, before)| known == told && *before < order);
        if behind {
            self.wait_for(Awaited::Line(told.to_owned()), order);
        }
        behind
    }

    /// It signs in now, or never will: the next in the line may.
    pub fn leave_line(&mut self, told: &str, order: usize) {
        if !self.in_line.remove(&(told.to_owned(), order)) {
            return;
        }
        let first = self.in_line.range((told.to_owned(), 0)..).next();
        let next = first
            .filter(|(known, _)| known == told)
            .map(|(_, next)| *next);
        if let (Some(next), Some(waiting)) =
            (next, self.waiting.get_mut(&Awaited::Line(told.to_owned())))
            && waiting.remove(&next)
        {
            self.woken.insert(next);
        }
    }

    /// How many were, once there are so many that no more may be made.
    pub fn spares(&self, server: &Endpoint) -> Option<u32> {
        let given_up = self.given_up.get(server).copied()?;
        (given_up >= MOST_GIVEN_UP).then_some(given_up)
    }
}
