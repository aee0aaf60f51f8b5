//! Going on to the place to which a listener sends the client: a walk of its own, with its own
//! name, route and port, by the same clock and with the same leave to try the secret.
//!
//! Nothing is looked at there beside the client's own way: whoever names the place decides
//! what would be dialled.

use chronaxis_engines::by_id;
use chronaxis_model::fact::{Fact, Redirect, RedirectTrouble};
use chronaxis_model::layer::{Layer, Micros};
use chronaxis_model::order::Order;
use chronaxis_model::shown;
use chronaxis_model::target::{End, ShownTarget, Target};

use super::{Names, Paths, Sharing, SideChecks, Stage, Steps, Walk};
use crate::judge::sent_on;
use crate::run_state::RunState;

/// Most addresses of such a place that are dialled.
pub(super) const MOST_ADDRESSES: usize = 4;

/// A place at which the client was, and the instance for which it asked there.
type Been = (String, u16, Option<String>);

/// The places over which the walk has come.
#[derive(Default)]
pub(super) struct Chain {
    /// The target as it was told, once the walk has left it.
    told: Option<Box<(Target, ShownTarget)>>,
    /// Where in the log the place begins at which it is.
    from: usize,
    /// How often it was sent on.
    number: u32,
    been: Vec<Been>,
}

impl Chain {
    /// Where in the log the place begins at which the walk is.
    pub(super) fn from(&self) -> usize {
        self.from
    }

    /// Whether the walk has left the place that was told.
    pub(super) fn has_left(&self) -> bool {
        self.number > 0
    }
}

impl Walk {
    /// Goes where the listener sends the client, if it does, and if the client would go.
    pub(super) fn follow(&mut self, run: &mut RunState, now: Micros) -> bool {
        let Some((redirect, about)) = self.redirected() else {
            return false;
        };
        if self.scope.until < Layer::Login || now >= self.deadline {
            return false;
        }
        self.chain.been.push(self.place_asked());
        if let Some(trouble) = self.trouble_with(&redirect) {
            let fact = Fact::RedirectNotFollowed { trouble };
            self.note(now, Layer::Listener, about, fact);
            return false;
        }
        for line in self.paths.leftover_lines() {
            self.orders.push_back(Order::Close(line));
        }
        self.share_ports(run, now, true);
        self.release_steps(run);
        self.mark_place();
        let told = (self.target.clone(), self.shown.clone());
        self.chain.told.get_or_insert_with(|| Box::new(told));
        self.chain.number += 1;
        self.go_to(&redirect);
        self.look_up(run, now);
        // Where there is no name, nothing else would bring it on.
        self.step(run, now);
        true
    }

    fn redirected(&self) -> Option<(Redirect, chronaxis_model::fact::Subject)> {
        self.evidence()
            .seen()
            .all()
            .find_map(|(seen, fact)| match fact {
                Fact::Redirected(redirect) => Some((redirect.clone(), seen.about.clone())),
                _ => None,
            })
    }

    /// Where the walk is, and for which instance it asked.
    fn place_asked(&self) -> Been {
        let protocol = by_id(self.target.engine).protocol;
        let instance = protocol.pinned(&self.shown).map(str::to_owned);
        match self.target.ends.first() {
            Some(End::Host { host, port, .. }) => (plain(host), *port, instance),
            _ => (String::new(), 0, instance),
        }
    }

    fn trouble_with(&self, redirect: &Redirect) -> Option<RedirectTrouble> {
        let host = redirect.host.as_str();
        let instance = Some(redirect.instance.as_str().to_owned());
        let there = (plain(host), redirect.port, instance);
        let most = by_id(self.target.engine).protocol.most_redirects();
        if !shown::is_dialled(host) || redirect.port == 0 {
            Some(RedirectTrouble::NoPlace)
        } else if self.chain.been.contains(&there) {
            Some(RedirectTrouble::Circle)
        } else if self.chain.been.len() > most {
            Some(RedirectTrouble::TooOften)
        } else {
            None
        }
    }

    /// The same walk, at its beginning, with another place to go to.
    fn go_to(&mut self, redirect: &Redirect) {
        self.chain.from = self.log.entries().len();
        self.shown = sent_on(&self.shown, redirect);
        self.target.ends.clone_from(&self.shown.ends);
        self.target.options.clone_from(&self.shown.options);
        self.names = Names::default();
        self.paths = Paths::default();
        self.side_checks = SideChecks::default();
        self.steps = Steps::default();
        let has_room = self.sharing.keeps_room();
        self.sharing = Sharing::with_room(has_room);
        self.repairs = None;
        self.left_open = None;
        self.fell_back.clear();
        self.quiet = true;
        self.stage = Stage::Name;
    }

    /// Writes into what was seen at this place which of the places it is.
    fn mark_place(&mut self) {
        if self.chain.number > 0 {
            self.log.mark(self.chain.from, self.chain.number);
        }
    }

    /// Puts back what was told, once the walk is over: whoever looks at it sees the whole.
    pub(super) fn come_back(&mut self) {
        self.mark_place();
        if let Some(told) = self.chain.told.take() {
            (self.target, self.shown) = *told;
        }
        self.chain.from = 0;
        self.chain.number = 0;
    }
}

/// A name as names compare.
fn plain(host: &str) -> String {
    host.trim_end_matches('.').to_ascii_lowercase()
}
