//! The paths of one target: their attempts, their lines.

use std::net::{IpAddr, SocketAddr};

use chronaxis_model::endpoint::Endpoint;
use chronaxis_model::layer::Micros;
use chronaxis_model::order::LineId;

use crate::judge::Way;

/// Silence after which a control port is tried, and later paths are walked.
pub const SHORT_SILENCE: Micros = Micros::from_millis(300);

/// How far a path is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Standing {
    /// Attempts run or are planned.
    Trying,
    /// A line rests on it.
    Connected(LineId),
    /// Its line was taken and walked.
    Walked,
    /// Answered, and not by a connection.
    Refused,
    /// All attempts ended without an answer.
    Silent,
    /// No longer of interest.
    GivenUp,
}

/// One path.
#[derive(Debug)]
pub(super) struct Path {
    endpoint: Endpoint,
    host: usize,
    taken: bool,
    standing: Standing,
    began: Micros,
    until: Micros,
    attempts: u32,
    most_attempts: u32,
    next_attempt: Option<Micros>,
    /// Whether its attempts may be made, or what came of others' is known.
    begun: bool,
    route_seen: bool,
    earlier: bool,
    /// The line ended without the engine's word.
    unspoken: bool,
    /// The line ended in another failure.
    failed: bool,
}

impl Path {
    pub(super) fn endpoint(&self) -> &Endpoint {
        &self.endpoint
    }

    pub(super) fn attempts(&self) -> u32 {
        self.attempts
    }

    pub(super) fn began(&self) -> Micros {
        self.began
    }

    pub(super) fn is_silent(&self) -> bool {
        self.standing == Standing::Silent
    }

    /// Whether it stands before the path that was walked, in the client's order.
    pub(super) fn is_earlier(&self) -> bool {
        self.earlier
    }
}

/// All paths, in the client's order.
#[derive(Debug, Default)]
pub(super) struct Paths {
    all: Vec<Path>,
    /// The path that was walked last.
    last_walked: Option<usize>,
    /// No further one is walked.
    closed: bool,
}

impl Paths {
    pub(super) fn new(
        ways: impl Iterator<Item = Way>,
        now: Micros,
        patience: Micros,
        most_attempts: u32,
    ) -> Paths {
        let path = |way: Way| Path {
            endpoint: way.endpoint,
            host: way.host,
            taken: way.taken,
            standing: Standing::Trying,
            began: now,
            until: now.after(patience),
            attempts: 0,
            most_attempts: most_attempts.max(1),
            next_attempt: Some(now),
            begun: false,
            route_seen: false,
            earlier: false,
            unspoken: false,
            failed: false,
        };
        Paths {
            all: ways.map(path).collect(),
            last_walked: None,
            closed: false,
        }
    }

    /// Whether a host has a path that gave reason for doubt: none connected yet, or one
    /// was refused.
    pub(super) fn in_doubt(&self, host: IpAddr) -> bool {
        self.all.iter().any(|p| {
            p.endpoint.ip() == Some(host)
                && matches!(p.standing, Standing::Trying | Standing::Refused)
        })
    }

    /// Whether a host has a path whose line ended without the engine's word.
    pub(super) fn is_unspoken(&self, host: IpAddr) -> bool {
        let of_host = |p: &&Path| p.endpoint.ip() == Some(host);
        self.all.iter().filter(of_host).any(|p| p.unspoken)
    }

    /// Whether a host has a path on which nothing came back, or nothing was said.
    pub(super) fn in_silence(&self, host: IpAddr) -> bool {
        self.all.iter().any(|p| {
            p.endpoint.ip() == Some(host)
                && (p.unspoken || matches!(p.standing, Standing::Trying | Standing::Silent))
        })
    }

    /// Whether a host has a path on which a connection is waited for, or was in vain.
    pub(super) fn unanswered_at(&self, host: IpAddr) -> bool {
        self.all.iter().any(|p| {
            p.endpoint.ip() == Some(host)
                && matches!(p.standing, Standing::Trying | Standing::Silent)
        })
    }

    /// Whether all paths of a host are connected.
    pub(super) fn connects(&self, host: IpAddr) -> bool {
        let mut of_host = self.all.iter().filter(|p| p.endpoint.ip() == Some(host));
        of_host.all(|p| matches!(p.standing, Standing::Connected(_) | Standing::Walked))
    }

    /// Whether a host has a path that failed, or has been silent for a while.
    pub(super) fn failing(&self, host: IpAddr, now: Micros) -> bool {
        self.all.iter().any(|p| {
            p.endpoint.ip() == Some(host)
                && match p.standing {
                    Standing::Trying => p.began.after(SHORT_SILENCE) <= now,
                    Standing::Refused | Standing::Silent => true,
                    _ => p.unspoken || p.failed,
                }
        })
    }

    /// The places that have been silent for long enough, or refuse, so that the way to
    /// them is worth walking; and whether something answers there.
    pub(super) fn doubtful(&self, now: Micros) -> Vec<(SocketAddr, bool)> {
        let of = |p: &Path| match (&p.endpoint, p.standing) {
            (Endpoint::Tcp(to), Standing::Refused) => Some((*to, true)),
            (Endpoint::Tcp(to), Standing::Silent) => Some((*to, false)),
            (Endpoint::Tcp(to), Standing::Trying)
                if p.began.after(super::hop_trace::STEPS_AFTER) <= now =>
            {
                Some((*to, false))
            }
            _ => None,
        };
        self.all.iter().filter_map(of).collect()
    }

    /// The paths of which nothing was tried yet.
    pub(super) fn unbegun(&self) -> Vec<usize> {
        let all = self.all.iter().enumerate();
        let unbegun = all.filter(|(_, p)| !p.begun && p.standing == Standing::Trying);
        unbegun.map(|(index, _)| index).collect()
    }

    /// Whether anything was tried, or is known, of any path.
    pub(super) fn any_begun(&self) -> bool {
        self.all.is_empty() || self.all.iter().any(|p| p.begun)
    }

    /// Its attempts begin now.
    pub(super) fn begin(&mut self, index: usize, now: Micros, patience: Micros) {
        if let Some(path) = self.all.get_mut(index) {
            path.begun = true;
            path.began = now;
            path.until = now.after(patience);
            path.next_attempt = Some(now);
        }
    }

    /// Another target of the run has tried it.
    pub(super) fn took_over(&mut self, index: usize, now: Micros, connects: bool, silent: bool) {
        if let Some(path) = self.all.get_mut(index) {
            path.begun = true;
            path.began = now;
            path.next_attempt = None;
            path.standing = match (connects, silent) {
                (true, _) => Standing::Walked,
                (false, true) => Standing::Silent,
                (false, false) => Standing::Refused,
            };
        }
    }

    fn at(&self, to: SocketAddr) -> impl Iterator<Item = &Path> {
        let of_it = move |p: &&Path| p.endpoint == Endpoint::Tcp(to);
        self.all.iter().filter(of_it)
    }

    /// The first place that connected, in the client's order.
    pub(super) fn first_connected(&self) -> Option<Endpoint> {
        let connects = |p: &&Path| matches!(p.standing, Standing::Connected(_) | Standing::Walked);
        self.all.iter().find(connects).map(|p| p.endpoint.clone())
    }

    /// Whether an attempt at this place connected.
    pub(super) fn connects_at(&self, to: SocketAddr) -> bool {
        let connects = |p: &Path| matches!(p.standing, Standing::Connected(_) | Standing::Walked);
        self.at(to).any(connects)
    }

    /// Whether all attempts at this place ended without a connection.
    pub(super) fn is_settled(&self, to: SocketAddr) -> bool {
        self.at(to)
            .any(|p| matches!(p.standing, Standing::Refused | Standing::Silent))
    }

    /// Whether the line at this place was walked to an end that is known.
    pub(super) fn is_walked(&self, to: SocketAddr) -> bool {
        self.at(to).any(|p| p.unspoken || p.failed)
    }

    pub(super) fn get(&self, index: usize) -> Option<&Path> {
        self.all.get(index)
    }

    /// Notes that the route of a path is known; gives whether it was before.
    pub(super) fn seen_route(&mut self, index: usize) -> bool {
        self.all
            .get_mut(index)
            .is_some_and(|p| std::mem::replace(&mut p.route_seen, true))
    }

    /// Whether it is known for every path by which way it leaves.
    pub(super) fn all_routes_seen(&self) -> bool {
        let known = |p: &Path| p.route_seen || p.endpoint.ip().is_none();
        !self.all.is_empty() && self.all.iter().all(known)
    }

    /// The next attempt that is due, with the time by which it must have ended. The
    /// attempts of a silent path are spread over its one patience.
    pub(super) fn take_due_attempt(&mut self, now: Micros) -> Option<(usize, Endpoint, Micros)> {
        let (index, path) = self.all.iter_mut().enumerate().find(|(_, p)| {
            p.begun && p.standing == Standing::Trying && p.next_attempt.is_some_and(|at| at <= now)
        })?;
        path.attempts += 1;
        let patience = path.until.since(path.began).0;
        let share = patience / u64::from(path.most_attempts);
        path.next_attempt = (path.attempts < path.most_attempts && share > 0)
            .then(|| path.began.after(Micros(share * u64::from(path.attempts))));
        Some((index, path.endpoint.clone(), path.until))
    }

    /// A line rests on a path. Gives the line back that is one too many.
    pub(super) fn connected(&mut self, index: usize, line: LineId) -> Option<LineId> {
        let path = self.all.get_mut(index)?;
        if matches!(path.standing, Standing::Connected(_) | Standing::Walked) {
            return Some(line);
        }
        path.standing = Standing::Connected(line);
        path.next_attempt = None;
        None
    }

    /// An attempt was answered, and not by a connection. A second one soon after tells
    /// whether that lasts.
    pub(super) fn refused(&mut self, index: usize, again: Micros) {
        let Some(path) = self.all.get_mut(index) else {
            return;
        };
        if matches!(path.standing, Standing::Connected(_) | Standing::Walked) {
            return;
        }
        let local = matches!(path.endpoint, Endpoint::Socket(_));
        if path.standing == Standing::Refused {
            return;
        }
        if path.attempts < path.most_attempts && !local {
            path.next_attempt = Some(again);
        } else {
            path.standing = Standing::Refused;
            path.next_attempt = None;
        }
    }

    pub(super) fn unanswered(&mut self, index: usize) {
        if let Some(path) = self.all.get_mut(index)
            && path.standing == Standing::Trying
        {
            path.standing = Standing::Silent;
            path.next_attempt = None;
        }
    }

    /// This machine has no way to this path's host.
    pub(super) fn no_way(&mut self, index: usize) {
        if let Some(path) = self.all.get_mut(index) {
            path.standing = Standing::Refused;
            path.next_attempt = None;
        }
    }

    /// Nothing more is tried on this path.
    pub(super) fn give_up(&mut self, index: usize) {
        if let Some(path) = self.all.get_mut(index)
            && path.standing == Standing::Trying
        {
            path.standing = Standing::GivenUp;
            path.next_attempt = None;
        }
    }

    /// The path to walk: the next in the client's order that is connected, once every
    /// earlier one has failed or been silent for a short time.
    pub(super) fn ready(&self, now: Micros) -> Option<usize> {
        if self.closed {
            return None;
        }
        let from = self.last_walked.map_or(0, |last| last + 1);
        let index = self
            .all
            .iter()
            .enumerate()
            .skip(from)
            .find(|(_, p)| p.taken && matches!(p.standing, Standing::Connected(_)))?
            .0;
        let passed = |p: &Path| match p.standing {
            Standing::Trying => p.began.after(SHORT_SILENCE) <= now,
            _ => true,
        };
        self.all.iter().take(index).all(passed).then_some(index)
    }

    /// Whether attempts run on a path that the client would take after the last one.
    pub(super) fn may_be_ready(&self) -> bool {
        let from = self.last_walked.map_or(0, |last| last + 1);
        !self.closed
            && self
                .all
                .iter()
                .skip(from)
                .any(|p| p.taken && matches!(p.standing, Standing::Connected(_) | Standing::Trying))
    }

    pub(super) fn take_line(&mut self, index: usize) -> Option<(LineId, Endpoint)> {
        for earlier in self.all.iter_mut().take(index) {
            earlier.earlier = true;
        }
        let path = self.all.get_mut(index)?;
        let Standing::Connected(line) = path.standing else {
            return None;
        };
        path.standing = Standing::Walked;
        self.last_walked = Some(index);
        Some((line, path.endpoint.clone()))
    }

    /// No further path is walked.
    pub(super) fn close(&mut self) {
        self.closed = true;
    }

    /// The client leaves this host: its other addresses are passed over.
    pub(super) fn pass_host(&mut self, index: usize) {
        let Some(host) = self.all.get(index).map(|p| p.host) else {
            return;
        };
        for path in self.all.iter_mut().filter(|p| p.host == host) {
            path.taken = false;
        }
    }

    /// The line of this path ended without the engine's word.
    pub(super) fn unspoken(&mut self, index: usize) {
        if let Some(path) = self.all.get_mut(index) {
            path.unspoken = true;
        }
    }

    /// The line of this path ended in a failure.
    pub(super) fn failed(&mut self, index: usize) {
        if let Some(path) = self.all.get_mut(index) {
            path.failed = true;
        }
    }

    pub(super) fn leftover_lines(&mut self) -> Vec<LineId> {
        self.all
            .iter_mut()
            .filter_map(|p| match p.standing {
                Standing::Connected(line) => {
                    p.standing = Standing::Walked;
                    Some(line)
                }
                _ => None,
            })
            .collect()
    }

    pub(super) fn all_tried(&self) -> bool {
        self.all.iter().all(|p| p.next_attempt.is_none())
    }

    /// When something is due next.
    pub(super) fn next_due(&self, now: Micros) -> Option<Micros> {
        let attempts = self
            .all
            .iter()
            .filter(|p| p.standing == Standing::Trying)
            .filter_map(|p| p.next_attempt);
        let patience = self
            .all
            .iter()
            .filter(|p| p.standing == Standing::Trying)
            .flat_map(|p| {
                let steps = p.began.after(super::hop_trace::STEPS_AFTER);
                [p.began.after(SHORT_SILENCE), steps]
            });
        attempts.chain(patience).filter(|at| *at > now).min()
    }
}
