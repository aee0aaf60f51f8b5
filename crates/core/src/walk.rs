//! What to try next: a state machine without IO.
//!
//! Hand in what happened with [`Walk::handle`], then call [`Walk::poll`] until it gives
//! `Wait` or `Over`. One line per path carries port, listener, encryption, sign-in and
//! session; further attempts are made only where the first does not connect, and control
//! ports are tried only after a refusal or a short silence.

mod asides;
mod beside;
mod fall_back;
mod paths;
mod plan;
mod repairs;
mod trying;

use std::collections::VecDeque;

use crate::endpoint::Endpoint;
use crate::engine::by_id;
use crate::fact::{Fact, Observation, Subject};
use crate::judge::{Evidence, MOST_HOSTS, Scope, Symptom, Way};
use crate::layer::{Layer, Micros};
use crate::order::{Event, LineId, Order, Probe, ProbeId};
use crate::permit::Ledger;
use crate::redact::Redactor;
use crate::target::{End, ShownTarget, Target};
use asides::{Asides, Look};
use beside::Purpose;
use paths::Paths;
use repairs::Repairs;

pub use paths::SHORT_SILENCE;
pub use plan::{Step, plan};

/// Most addresses of one target that are tried.
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
        number: u32,
        began: Micros,
    },
    Aside {
        look: Look,
        began: Micros,
    },
    Advance {
        path: usize,
    },
    FallBackLine {
        path: usize,
        line: LineId,
    },
    BesideLine(LineId, Endpoint, Purpose),
    Beside(LineId, Endpoint, Purpose),
    RepairLine(LineId),
    Repair,
}

enum Stage {
    Settings,
    Name,
    /// Attempts run, and the next line may be walked.
    Paths,
    /// A line is walked.
    Advancing,
    /// Repaired forms of the secret are tried.
    Repairing,
    /// What still runs is waited for.
    Leaving,
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
    asides: Asides,
    repairs: Option<Repairs>,
    /// The end of the client's own line, where it leaves something to ask beside it.
    left_open: Option<(Endpoint, Symptom)>,
    /// The paths on which the client made its second line.
    fell_back: Vec<usize>,
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
        let last = by_id(target.engine).last_layer(&shown);
        let scope = Scope {
            until: scope.until.min(last),
            ..scope
        };
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
            asides: Asides::default(),
            repairs: None,
            left_open: None,
            fell_back: Vec::new(),
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
            Event::Observed { probe, layer, fact } => {
                if matches!(fact, Fact::LeftCounted)
                    && let Some(server) = self.server_of(probe)
                {
                    ledger.count_given_up(server);
                }
                self.observed(now, probe, layer, fact);
            }
            Event::Ended { probe, how, permit } => {
                if let Some(permit) = permit {
                    ledger.settle(permit);
                }
                self.ended(ledger, now, probe, how);
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
            Stage::Name if self.running.is_empty() => self.begin_paths(ledger, now),
            Stage::Paths => self.walk_paths(ledger, now),
            Stage::Repairing if self.running.is_empty() => self.repair(ledger, now),
            Stage::Leaving => {
                self.go_on_trying(ledger, now);
                let idle = |walk: &Walk| walk.orders.is_empty() && walk.running.is_empty();
                if idle(self)
                    && let Some((server, symptom)) = self.left_open.take()
                {
                    self.ask_beside(now, &server, symptom);
                }
                if idle(self) {
                    self.finish();
                }
            }
            Stage::Name | Stage::Over => {}
            _ => self.go_on_trying(ledger, now),
        }
    }

    /// When the walk wants to be polled again, if nothing happens before.
    fn wake(&self, now: Micros) -> Micros {
        let planned = self.paths.next_due(now);
        let asides = self.asides.next_due().filter(|at| *at > now).min();
        let running = self.running.iter().map(|(_, until, _, _)| *until).min();
        [planned, asides, running, Some(self.deadline)]
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

    /// Asks for all names at once.
    fn look_up(&mut self, now: Micros) {
        let mut names: Vec<String> = Vec::new();
        for name in self
            .target
            .ends
            .iter()
            .take(MOST_HOSTS)
            .filter_map(End::name)
        {
            if !names.iter().any(|known| known == name) {
                names.push(name.to_owned());
            }
        }
        if names.is_empty() {
            self.note(now, Layer::Name, Subject::default(), Fact::NameNotNeeded);
        }
        for name in names {
            let about = Subject {
                name: Some(name.clone()),
                ..Subject::default()
            };
            self.touched.lookups += 1;
            let until = now.after(self.scope.patience_us);
            self.start(now, until, about, Running::LookUp, Probe::LookUp { name });
        }
    }

    fn begin_paths(&mut self, ledger: &mut Ledger, now: Micros) {
        self.settle_up_to(Layer::Name);
        let ways: Vec<Way> = self.evidence().ways();
        if ways.is_empty() || self.scope.until < Layer::Route {
            return self.finish();
        }
        let patience = self.scope.patience_us;
        let ways = ways.into_iter().take(MOST_PATHS);
        let (spared, ways): (Vec<Way>, Vec<Way>) =
            ways.partition(|way| ledger.spares(&way.endpoint).is_some());
        for way in spared {
            let given_up = ledger.spares(&way.endpoint).unwrap_or_default();
            let fact = Fact::ServerSpared { given_up };
            self.note(now, Layer::Listener, way.endpoint.subject(), fact);
        }
        if ways.is_empty() {
            return self.finish();
        }
        self.paths = Paths::new(ways.into_iter(), now, patience, self.scope.attempts);
        self.stage = Stage::Paths;
        self.plan_asides(now);
        self.go_on_trying(ledger, now);
    }

    fn finish(&mut self) {
        for line in self.paths.leftover_lines() {
            self.orders.push_back(Order::Close(line));
        }
        self.settle_up_to(Layer::Session);
        self.stage = Stage::Over;
    }

    /// The server at the other end of a probe's line.
    fn server_of(&self, probe: ProbeId) -> Option<Endpoint> {
        let about = self.about(probe)?;
        match (about.address, about.port, about.socket) {
            (Some(ip), Some(port), _) => Some(Endpoint::Tcp((ip, port).into())),
            (_, _, Some(socket)) => Some(Endpoint::Socket(socket)),
            _ => None,
        }
    }

    /// What a probe that runs is about.
    fn about(&self, probe: ProbeId) -> Option<Subject> {
        let (_, _, about, _) = self.running.iter().find(|(id, ..)| *id == probe)?;
        Some(about.clone())
    }
}
