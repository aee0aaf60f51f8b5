//! What to try next: a state machine without IO.
//!
//! Hand in what happened with [`Walk::handle`], then call [`Walk::poll`] until it gives
//! `Wait` or `Over`. One line per path carries port, listener, encryption, sign-in and
//! session; further attempts are made only where the first does not connect, and control
//! ports are tried only after a refusal or a short silence.

mod paths;

use std::collections::VecDeque;
use std::net::IpAddr;

use crate::endpoint::Endpoint;
use crate::engine::{TalkPlan, by_id};
use crate::fact::{Fact, Observation, Subject};
use crate::judge::{Evidence, Scope, dialled_address};
use crate::layer::{Layer, Micros};
use crate::order::{Ended, Event, LineId, Order, Probe, ProbeId};
use crate::permit::{Account, Ledger, Permit, Withheld};
use crate::redact::Redactor;
use crate::secret::Blemish;
use crate::target::{End, ShownTarget, Target};
use paths::{Path, Paths};

pub use paths::SHORT_SILENCE;

/// Time between attempts on a port that refuses.
const AFTER_REFUSAL: Micros = Micros::from_millis(10);

/// Most addresses of one name that are tried.
const MOST_PATHS: usize = 16;

/// What a run touched, as far as the walk ordered it.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Touched {
    /// Questions to name service.
    pub lookups: u32,
    /// Every line that was opened, control ports included, with its end.
    pub lines: Vec<Endpoint>,
}

/// What a probe that runs is for.
enum Running {
    LookUp,
    Attempt {
        path: usize,
        line: LineId,
        began: Micros,
    },
    Control {
        host: IpAddr,
        began: Micros,
    },
    Advance,
}

enum Stage {
    Settings,
    Name,
    Paths,
    Advancing,
    Over,
}

/// The walk for one target.
pub struct Walk {
    target: Target,
    shown: ShownTarget,
    scope: Scope,
    seed: [u8; 18],
    redactor: Redactor,
    log: Vec<Observation>,
    touched: Touched,
    stage: Stage,
    paths: Paths,
    running: Vec<(ProbeId, Micros, Subject, Running)>,
    next_id: u32,
    orders: VecDeque<Order>,
    settled: usize,
    deadline: Micros,
}

impl Walk {
    /// Begins at `now`. The seed is random bytes for the protocols' nonces; the redactor
    /// knows every secret of the run.
    pub fn new(
        target: Target,
        scope: Scope,
        seed: [u8; 18],
        redactor: Redactor,
        now: Micros,
    ) -> Walk {
        let shown = target.shown();
        Walk {
            deadline: now.after(scope.deadline_us),
            target,
            shown,
            scope,
            seed,
            redactor,
            log: Vec::new(),
            touched: Touched::default(),
            stage: Stage::Settings,
            paths: Paths::default(),
            running: Vec::new(),
            next_id: 0,
            orders: VecDeque::new(),
            settled: 0,
        }
    }

    /// What was told, as it may be shown.
    pub fn shown(&self) -> &ShownTarget {
        &self.shown
    }

    /// What was seen so far.
    pub fn evidence(&self) -> Evidence<'_> {
        Evidence {
            target: &self.shown,
            scope: &self.scope,
            log: &self.log,
        }
    }

    /// What was touched so far.
    pub fn touched(&self) -> &Touched {
        &self.touched
    }

    /// The log, once the walk is over.
    pub fn into_log(self) -> (ShownTarget, Scope, Vec<Observation>, Touched) {
        (self.shown, self.scope, self.log, self.touched)
    }

    /// Takes in an event.
    pub fn handle(&mut self, ledger: &mut Ledger, now: Micros, event: Event) {
        match event {
            Event::Observed { probe, layer, fact } => self.observed(now, probe, layer, fact),
            Event::Ended { probe, how, permit } => {
                if let Some(permit) = permit {
                    ledger.settle(permit);
                }
                self.ended(now, probe, how);
            }
        }
    }

    /// The next order.
    #[must_use]
    pub fn poll(&mut self, ledger: &mut Ledger, now: Micros) -> Order {
        if self.orders.is_empty() {
            self.step(ledger, now);
        }
        if let Some(order) = self.orders.pop_front() {
            return order;
        }
        match self.stage {
            Stage::Over => Order::Over,
            _ => Order::Wait(self.wake(now)),
        }
    }

    fn step(&mut self, ledger: &mut Ledger, now: Micros) {
        match self.stage {
            Stage::Settings => self.read_settings(now),
            Stage::Name if self.running.is_empty() => self.begin_paths(now),
            Stage::Paths => self.walk_paths(ledger, now),
            Stage::Advancing if self.running.is_empty() => self.finish(),
            _ => self.go_on_trying(now),
        }
    }

    /// When the walk wants to be polled again, if nothing happens before.
    fn wake(&self, now: Micros) -> Micros {
        let planned = self.paths.next_due(now);
        let running = self.running.iter().map(|(_, until, _, _)| *until).min();
        [planned, running, Some(self.deadline)]
            .into_iter()
            .flatten()
            .min()
            .unwrap_or(self.deadline)
    }

    fn note(&mut self, now: Micros, layer: Layer, about: Subject, fact: Fact) {
        self.log.push(Observation::new(layer, now, about, fact));
    }

    /// Marks all layers up to this one as settled.
    fn settle_up_to(&mut self, layer: Layer) {
        while let Some(next) = Layer::ALL.get(self.settled).filter(|l| **l <= layer) {
            self.orders.push_back(Order::Settled(*next));
            self.settled += 1;
        }
    }

    fn start(&mut self, now: Micros, until: Micros, about: Subject, running: Running, what: Probe) {
        let probe = ProbeId(self.next_id);
        self.next_id += 1;
        let until = until.min(self.deadline).max(now);
        self.running.push((probe, until, about, running));
        self.orders.push_back(Order::Start { probe, what, until });
    }

    fn read_settings(&mut self, now: Micros) {
        let count = |default: bool| {
            self.target
                .origins
                .values()
                .filter(|o| o.is_default() == default)
                .count()
        };
        let read = Fact::SettingsRead {
            given: count(false),
            by_default: count(true),
        };
        let remarks = std::mem::take(&mut self.target.remarks);
        let defects = std::mem::take(&mut self.target.defects);
        let stops = defects.iter().any(|d| d.stops) || self.target.ends.is_empty();
        let facts = std::iter::once(read)
            .chain(remarks)
            .chain(defects.into_iter().map(Fact::SettingDefect));
        for fact in facts {
            self.note(now, Layer::Settings, Subject::default(), fact);
        }
        self.settle_up_to(Layer::Bundle);
        if stops || self.scope.until < Layer::Name {
            return self.finish();
        }
        self.stage = Stage::Name;
        self.look_up(now);
    }

    fn look_up(&mut self, now: Micros) {
        let name = match self.target.ends.first() {
            Some(end @ End::Host { host, .. }) if dialled_address(&self.shown, end).is_none() => {
                host.clone()
            }
            _ => {
                self.note(now, Layer::Name, Subject::default(), Fact::NameNotNeeded);
                return;
            }
        };
        let about = Subject {
            name: Some(name.clone()),
            ..Subject::default()
        };
        self.touched.lookups += 1;
        let until = now.after(self.scope.patience_us);
        self.start(now, until, about, Running::LookUp, Probe::LookUp { name });
    }

    fn begin_paths(&mut self, now: Micros) {
        self.settle_up_to(Layer::Name);
        let endpoints: Vec<Endpoint> = self.evidence().endpoints();
        if endpoints.is_empty() || self.scope.until < Layer::Route {
            return self.finish();
        }
        self.paths = Paths::new(
            endpoints.into_iter().take(MOST_PATHS),
            now,
            self.scope.patience_us,
            self.scope.attempts,
        );
        self.stage = Stage::Paths;
        self.go_on_trying(now);
    }

    /// Starts every attempt and control knock that is due.
    fn go_on_trying(&mut self, now: Micros) {
        while let Some((path, to, until)) = self.paths.take_due_attempt(now) {
            let line = LineId(self.next_id);
            let talk = by_id(self.target.engine).open(TalkPlan {
                target: &self.target,
                to: &to,
                seed: self.seed,
                patience: self.scope.patience_us,
                allow_plaintext: self.scope.allow_plaintext,
                redactor: self.redactor.clone(),
            });
            let about = to.subject();
            let running = Running::Attempt {
                path,
                line,
                began: now,
            };
            self.touched.lines.push(to.clone());
            self.start(now, until, about, running, Probe::Open { line, to, talk });
        }
        while let Some((to, until)) = self.paths.take_due_control(now) {
            let endpoint = Endpoint::Tcp(to);
            let about = endpoint.subject();
            self.touched.lines.push(endpoint);
            let running = Running::Control {
                host: to.ip(),
                began: now,
            };
            self.start(now, until, about, running, Probe::Knock { to });
        }
    }

    fn walk_paths(&mut self, ledger: &mut Ledger, now: Micros) {
        self.go_on_trying(now);
        if !self.orders.is_empty() {
            return;
        }
        if self.scope.until > Layer::Port
            && let Some(index) = self.paths.ready(now)
        {
            self.stage = Stage::Advancing;
            return self.advance(ledger, now, index);
        }
        if self.running.is_empty() && self.paths.all_tried() {
            self.finish();
        }
    }

    /// Lets the line of the path that this client would take go on.
    fn advance(&mut self, ledger: &mut Ledger, now: Micros, index: usize) {
        let Some((line, endpoint)) = self.paths.take_line(index) else {
            return;
        };
        let stop = self.scope.until;
        let (permit, withheld) = if stop < Layer::Login {
            (None, None)
        } else {
            match self.ask_permit(ledger, &endpoint) {
                Ok(permit) => (permit, None),
                Err(withheld) => (None, Some(withheld)),
            }
        };
        let probe = Probe::Advance {
            line,
            stop,
            permit,
            withheld,
        };
        let about = endpoint.subject();
        self.start(now, self.deadline, about, Running::Advance, probe);
    }

    fn ask_permit(
        &self,
        ledger: &mut Ledger,
        server: &Endpoint,
    ) -> Result<Option<Permit>, Withheld> {
        let Some(secret) = &self.target.secret else {
            return Ok(None);
        };
        let shape = secret.value.shape();
        if shape.has(Blemish::Placeholder) {
            return Err(Withheld::Placeholder);
        }
        if shape.has(Blemish::Empty) {
            return Ok(None);
        }
        let account = Account {
            server: server.clone(),
            user: self.target.user.clone().unwrap_or_default(),
        };
        ledger
            .ask(account, &self.target.label, &secret.value)
            .map(Some)
    }

    fn finish(&mut self) {
        for line in self.paths.leftover_lines() {
            self.orders.push_back(Order::Close(line));
        }
        self.settle_up_to(Layer::Session);
        self.stage = Stage::Over;
    }

    fn observed(&mut self, now: Micros, probe: ProbeId, layer: Layer, fact: Fact) {
        let Some((_, _, about, running)) = self.running.iter().find(|(id, ..)| *id == probe) else {
            return;
        };
        let mut about = about.clone();
        if let Running::Attempt { path, .. } = running {
            let path = *path;
            if matches!(fact, Fact::RouteFound { .. }) && self.paths.seen_route(path) {
                return;
            }
            if matches!(fact, Fact::RouteMissing { .. }) {
                // Nothing left this machine, and nothing will.
                self.paths.no_way(path);
                let same = |to: &Endpoint| to.ip() == about.address;
                if let Some(at) = self.touched.lines.iter().rposition(same) {
                    self.touched.lines.remove(at);
                }
            } else if let Some(path) = self.paths.get(path) {
                about.attempt = Some(path.attempts());
            }
        }
        self.note(now, layer, about, fact);
        if self.paths.all_routes_seen() {
            self.settle_up_to(Layer::Route);
        }
    }

    fn ended(&mut self, now: Micros, probe: ProbeId, how: Ended) {
        let Some(at) = self.running.iter().position(|(id, ..)| *id == probe) else {
            return;
        };
        let (_, _, about, running) = self.running.remove(at);
        match running {
            Running::LookUp => {
                if matches!(how, Ended::Unanswered) {
                    let waited_us = self.scope.patience_us;
                    self.note(now, Layer::Name, about, Fact::NameSilent { waited_us });
                }
            }
            Running::Attempt { path, line, began } => {
                self.attempt_ended(now, path, line, began, how)
            }
            Running::Control { host, began } => {
                if matches!(how, Ended::Unanswered) {
                    let fact = Fact::ControlPort {
                        answer: crate::fact::Knocked::Silent,
                        elapsed_us: now.since(began),
                    };
                    self.note(now, Layer::Port, about, fact);
                }
                self.paths.control_done(host);
            }
            Running::Advance => self.finish_advance(),
        }
    }

    fn attempt_ended(&mut self, now: Micros, path: usize, line: LineId, began: Micros, how: Ended) {
        match how {
            Ended::Resting(_) => {
                if let Some(spare) = self.paths.connected(path, line) {
                    self.orders.push_back(Order::Close(spare));
                }
                self.stop_other_attempts(path);
            }
            Ended::Done => self.paths.refused(path, now.after(AFTER_REFUSAL)),
            Ended::Unanswered => self.paths.unanswered(path),
            Ended::Stopped => self.paths.give_up(path),
        }
        let Some(done) = self.paths.get(path) else {
            return;
        };
        if done.is_silent() && !self.attempts_running(path) {
            let fact = Fact::PortSilent {
                waited_us: now.since(done.began().min(began)),
                attempts: done.attempts(),
            };
            let about = done.endpoint().subject();
            self.note(now, Layer::Port, about, fact);
        }
    }

    fn attempts_running(&self, path: usize) -> bool {
        self.running
            .iter()
            .any(|(.., r)| matches!(r, Running::Attempt { path: p, .. } if *p == path))
    }

    fn stop_other_attempts(&mut self, path: usize) {
        let stops = self.running.iter().filter_map(|(id, _, _, r)| match r {
            Running::Attempt { path: p, .. } if *p == path => Some(Order::Stop(*id)),
            _ => None,
        });
        self.orders.extend(stops);
    }

    /// The line that was walked has ended; attempts on other paths may still run, and go
    /// on only where they could change the verdict: an earlier path that is silent.
    fn finish_advance(&mut self) {
        let stops = self.running.iter().filter_map(|(id, _, _, r)| match r {
            Running::Attempt { path, .. }
                if !self.paths.get(*path).is_some_and(Path::is_earlier) =>
            {
                Some(Order::Stop(*id))
            }
            _ => None,
        });
        self.orders.extend(stops);
    }
}
