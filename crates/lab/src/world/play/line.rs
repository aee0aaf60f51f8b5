//! One connection in a simulated world.

use chronaxis_model::layer::Micros;
use chronaxis_tls::EncryptedConversation;

use crate::stand_in::{Reaction, Server};

pub(super) struct Line {
    pub(super) conversation: EncryptedConversation,
    pub(super) server: Box<dyn Server>,
    /// What the server has sent and the client not yet read.
    pub(super) under_way: Vec<Reaction>,
    /// Packets that were lost and sent again; none for a socket file.
    pub(super) lost: Option<u32>,
    /// Packets of more bytes vanish on the way.
    pub(super) largest: Option<usize>,
    /// Packets of this side that vanished.
    pub(super) unconfirmed: u32,
    /// When something last went over it.
    pub(super) used: Micros,
    /// The way does not know it any more.
    pub(super) forgotten: bool,
}

impl Line {
    pub(super) fn vanishes(&self, bytes: &[u8]) -> bool {
        self.forgotten || self.largest.is_some_and(|largest| bytes.len() > largest)
    }

    /// Something goes over it now, by a way that forgets after so long.
    pub(super) fn use_now(&mut self, now: Micros, forgets: Option<u64>) {
        let idle = now.since(self.used);
        self.forgotten |= forgets.is_some_and(|ms| idle > Micros::from_millis(ms));
        self.used = now;
    }

    /// What the server does on its own, if it does so before this time.
    pub(super) fn end_idle(&mut self, until: Micros) -> Option<Micros> {
        let (after, reactions) = self.server.ends_idle().filter(|_| !self.forgotten)?;
        let at = self.used.after(Micros::from_millis(after));
        (at < until).then(|| {
            self.under_way = reactions;
            self.used = at;
            at
        })
    }
}
