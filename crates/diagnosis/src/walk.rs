//! What to try next: a state machine without IO.
//!
//! Hand in what happened with [`handle`](chronaxis_model::order::Decider::handle), then call [`poll`](chronaxis_model::order::Decider::poll) until it gives
//! `Wait` or `Over`. One line per path carries port, listener, encryption, sign-in and
//! session; further attempts are made only where the first does not connect, and control
//! ports are tried only after a refusal or a short silence.

mod beginning;
mod beside;
mod decider;
mod fall_back;
mod hop_trace;
mod journal;
mod late;
mod lingering;
mod lists;
mod looking;
mod names;
mod paths;
mod plan;
mod probes;
mod redirects;
mod repairs;
mod sharing;
mod side_checks;
mod touched;
mod trying;
mod turns;

use std::collections::VecDeque;
use std::net::SocketAddr;
use std::sync::Arc;

use beside::SideConnection;
use chronaxis_allowlist::chain::Lists;
use chronaxis_engines::{Errand, Seed, by_id};
use chronaxis_model::endpoint::Endpoint;
use chronaxis_model::fact::{Beyond, Fact, HandshakeTrouble, Observation, RecordKind, Subject};
use chronaxis_model::layer::{Layer, Micros};
use chronaxis_model::order::{LineId, Order, Probe};
use chronaxis_model::redact::Redactor;
use chronaxis_model::target::{ShownTarget, Target};
use hop_trace::Steps;
use journal::Journal;
use late::Late;
use names::Names;
use paths::Paths;
use probes::Probes;
use redirects::Chain;
use repairs::Repairs;
use sharing::Sharing;
use side_checks::{Look, SideChecks};
use turns::Turns;

use crate::judge::{Evidence, Scope, Symptom};
use crate::run_state::RunState;

pub use beginning::settings_facts;
pub use paths::SHORT_SILENCE;
pub use plan::{Step, plan, plan_of_look_up};
pub use touched::Touched;

/// Most addresses of one target that are tried.
const MOST_PATHS: usize = 16;

/// A wait that lacks no more than this of a whole patience was a whole one.
const NEARLY: Micros = Micros::from_millis(20);

/// What a probe that runs is for.
enum Running {
    LookUp,
    NameSources,
    Ask {
        asked: String,
        kind: RecordKind,
        began: Micros,
    },
    NearAsk {
        index: usize,
        asked: String,
        control: bool,
    },
    /// A name that stands in a list.
    ListName {
        name: String,
    },
    Step {
        to: SocketAddr,
        ttl: u8,
        least: Option<u8>,
        /// How many answers to it were known before.
        known: usize,
    },
    Attempt {
        path: usize,
        line: LineId,
        number: u32,
        began: Micros,
    },
    SideCheck {
        look: Look,
        began: Micros,
    },
    Advance {
        path: usize,
        line: LineId,
    },
    FallBackLine {
        path: usize,
        line: LineId,
    },
    BesideLine(LineId, Endpoint, SideConnection),
    Beside(LineId, Endpoint, SideConnection),
    RepairLine(LineId),
    Repair,
}

impl Running {
    /// Whether it asks a resolver beside the system, which holds nothing up that works.
    fn is_question(&self) -> bool {
        matches!(self, Running::Ask { .. })
    }
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
    /// The session stays open beside others.
    Staying(LineId),
    /// It works: until then, attempts on other addresses may still be answered.
    Lingering(Micros),
    /// What still runs is waited for.
    Leaving,
    Over,
}

/// The walk for one target.
pub struct Walk {
    target: Target,
    shown: ShownTarget,
    scope: Scope,
    seed: Seed,
    redactor: Redactor,
    log: Journal,
    touched: Touched,
    stage: Stage,
    names: Names,
    paths: Paths,
    side_checks: SideChecks,
    steps: Steps,
    sharing: Sharing,
    turns: Turns,
    /// Nothing is looked at beside the client's own way.
    quiet: bool,
    /// What the session is for.
    errand: Errand,
    /// Lists of rules that may stand in the way.
    lists: Option<Arc<dyn Lists>>,
    /// Whether the password is one that only the program's own surroundings would bring.
    secret_unknown: bool,
    /// Whether addresses that the name's used source hides were knocked on.
    hidden_begun: bool,
    repairs: Option<Repairs>,
    /// The places to which the client was sent on.
    chain: Chain,
    /// The end of the client's own line, where it leaves something to ask beside it.
    left_open: Option<(Endpoint, Symptom)>,
    /// The paths on which the client made its second line.
    fell_back: Vec<usize>,
    probes: Probes<Running>,
    orders: VecDeque<Order>,
    settled: usize,
    late: Late,
    deadline: Micros,
}

impl Walk {
    /// Begins at `now`. Everything random is made of the seed; the redactor
    /// knows every secret of the run.
    pub fn new(target: Target, scope: Scope, seed: Seed, redactor: Redactor, now: Micros) -> Walk {
        let shown = target.shown();
        let last = by_id(target.engine).protocol.last_layer(&shown);
        let scope = Scope {
            until: scope.until.min(last),
            ..scope
        };
        Walk {
            deadline: now.after(scope.deadline_us),
            scope,
            seed,
            redactor,
            log: Journal::default(),
            touched: Touched::default(),
            stage: Stage::Settings,
            names: Names::default(),
            paths: Paths::default(),
            side_checks: SideChecks::default(),
            sharing: Sharing::default(),
            steps: Steps::default(),
            turns: Turns::of(&target),
            quiet: false,
            errand: Errand::Nothing,
            lists: None,
            hidden_begun: false,
            shown,
            repairs: None,
            chain: Chain::default(),
            left_open: None,
            fell_back: Vec::new(),
            probes: Probes::default(),
            target,
            secret_unknown: false,
            orders: VecDeque::new(),
            settled: 0,
            late: Late::default(),
        }
    }

    /// Its number among the targets of a run: of those that would sign in alike, the
    /// earlier one does first.
    pub fn in_order(mut self, order: usize) -> Walk {
        self.turns.number = order;
        self
    }

    /// What its session is for.
    #[must_use]
    pub fn on_errand(mut self, errand: Errand) -> Walk {
        self.errand = errand;
        self
    }

    /// Looks at nothing beside the client's own way: only whether it works is asked.
    #[must_use]
    pub fn quietly(mut self) -> Walk {
        self.quiet = true;
        self
    }

    /// Takes in what was learnt in another way, and what that touched.
    pub fn learn(&mut self, told: Vec<Observation>, touched: &Touched) {
        for one in told {
            if let Some(fact) = one.fact() {
                self.log
                    .note(one.layer, one.at, one.about.clone(), fact.clone());
            }
        }
        self.touched.add(touched);
    }

    /// What was told, as it may be shown.
    pub fn shown(&self) -> &ShownTarget {
        &self.shown
    }

    /// What was seen so far: while it is walked, at the place to which the client was sent on
    /// last; once it is over, everywhere.
    pub fn evidence(&self) -> Evidence<'_> {
        Evidence {
            target: &self.shown,
            scope: &self.scope,
            log: self
                .log
                .entries()
                .get(self.chain.from()..)
                .unwrap_or_default(),
        }
    }

    /// What was touched so far.
    pub fn touched(&self) -> &Touched {
        &self.touched
    }

    /// The log, once the walk is over.
    pub fn into_log(self) -> (ShownTarget, Scope, Vec<Observation>, Touched) {
        (
            self.shown,
            self.scope,
            self.log.into_entries(),
            self.touched,
        )
    }

    /// Whether it waits for its turn: a line of another target ends, and it may go on at
    /// once.
    pub fn awaits_turn(&self) -> bool {
        self.turns.awaits()
    }

    fn step(&mut self, run: &mut RunState, now: Micros) {
        let waits = self.sharing.awaits_turn();
        let late = now >= self.deadline && !waits;
        if late && self.probes.is_empty() && !matches!(self.stage, Stage::Over) {
            return self.finish(run, now);
        }
        if self.names.awaits() {
            self.take_shared_names(run, now);
        }
        match self.stage {
            Stage::Settings => self.read_settings(run, now),
            Stage::Name => {
                if self.names_settled(run, now) {
                    self.begin_paths(run, now);
                }
            }
            Stage::Paths => self.walk_paths(run, now),
            Stage::Repairing if self.idle() => self.repair(run, now),
            Stage::Leaving => {
                self.go_on_trying(run, now);
                if self.idle() && !self.quiet && !std::mem::replace(&mut self.hidden_begun, true) {
                    self.knock_on_hidden(now);
                    self.go_on_trying(run, now);
                }
                if self.idle()
                    && let Some((server, symptom)) = self.left_open.take()
                    && !self.quiet
                {
                    self.ask_beside(now, &server, symptom);
                }
                if self.idle() {
                    self.leave_questions(run, now);
                }
            }
            Stage::Lingering(until) => self.linger(now, until),
            Stage::Staying(line) => {
                if !run.meeting.holds(self.turns.number) {
                    self.orders.push_back(Order::Close(line));
                    self.leave();
                }
            }
            Stage::Over => {}
            _ => self.go_on_trying(run, now),
        }
    }

    /// Everything else is done: questions to name service that are open hold nothing up
    /// that works, and not for long what does not.
    fn leave_questions(&mut self, run: &mut RunState, now: Micros) {
        if !self.resolvers_open() {
            return self.finish(run, now);
        }
        let works = crate::judge::judge(self.evidence()).status.works();
        if works || now >= self.resolvers_may_take_until() {
            self.stop_questions();
        }
        if !self.resolvers_open() {
            self.finish(run, now);
        }
    }

    /// When the walk wants to be polled again, if nothing happens before.
    fn wake(&self, now: Micros) -> Micros {
        let planned = self.paths.next_due(now);
        let side_checks = self.side_checks.next_due().filter(|at| *at > now).min();
        let steps = self.steps.next_due().filter(|at| *at > now);
        let running = self.probes.next_due();
        let questions = matches!(self.stage, Stage::Leaving)
            .then(|| self.resolvers_may_take_until())
            .filter(|at| *at > now);
        let shared = self.sharing.next_due().filter(|at| *at > now);
        let lingers = match self.stage {
            Stage::Lingering(until) => Some(until.max(now)),
            _ => None,
        };
        let all = [
            planned,
            side_checks,
            steps,
            running,
            questions,
            shared,
            lingers,
        ];
        let earliest = all.into_iter().flatten().min();
        let latest = match self.sharing.awaits_turn() {
            // Its time does not run while it waits for others.
            true => now.after(self.scope.deadline_us),
            false => self.deadline,
        };
        earliest.map_or(latest, |at| at.min(latest))
    }

    /// Gives back what other targets may wait for.
    fn release(&mut self, run: &mut RunState) {
        self.release_steps(run);
        self.share_ports(run, self.deadline, true);
        self.leave_room(run);
        run.meeting.over(self.turns.number);
        self.turns.give_back(&mut run.permits);
    }

    fn note(&mut self, now: Micros, layer: Layer, about: Subject, fact: Fact) {
        let fact = self.own_limit(now, &fact).unwrap_or(fact);
        self.log.note(layer, now, about, fact);
    }

    /// A wait that ended for a limit of ours: it says nothing about the far side.
    fn own_limit(&self, now: Micros, fact: &Fact) -> Option<Fact> {
        let waited = match fact {
            Fact::PortSilent { waited_us, .. } | Fact::PeerSilent { waited_us, .. } => *waited_us,
            Fact::HandshakeFailed {
                trouble: HandshakeTrouble::Silent,
                elapsed_us,
                ..
            } => *elapsed_us,
            _ => return None,
        };
        let whole = waited.after(NEARLY) >= self.scope.patience_us;
        let limit = now.after(NEARLY) >= self.deadline;
        if whole || !limit {
            return None;
        }
        let detail = format!(
            "the time allowed for this target (--deadline) was over after {waited} of waiting; with more it may answer"
        );
        Some(Fact::BeyondUs {
            what: Beyond::Time,
            detail: self.redactor.text(&detail),
        })
    }

    /// Marks all layers up to this one as settled; those from the name on not before the
    /// resolvers have answered.
    fn settle_up_to(&mut self, layer: Layer) {
        if layer >= Layer::Name && self.resolvers_open() {
            return;
        }
        // What was settled at the first place stays so; the rest is settled at the end.
        if self.chain.has_left() {
            return;
        }
        // Whether the client comes to its files is known last.
        if self.target.encryption.stopped_late && layer < Layer::Session {
            return;
        }
        while let Some(next) = Layer::ALL.get(self.settled).filter(|l| **l <= layer) {
            self.orders.push_back(Order::Settled(*next));
            self.settled += 1;
        }
    }

    fn start(&mut self, now: Micros, until: Micros, about: Subject, running: Running, what: Probe) {
        let until = until.min(self.deadline).max(now);
        let probe = self.probes.begin(until, about, running);
        self.orders.push_back(Order::Start { probe, what, until });
    }

    fn finish(&mut self, run: &mut RunState, now: Micros) {
        if self.follow(run, now) {
            return;
        }
        self.come_back();
        for line in self.paths.leftover_lines() {
            self.orders.push_back(Order::Close(line));
        }
        self.log.close(self.late.fact());
        self.settle_up_to(Layer::Session);
        self.stage = Stage::Over;
    }
}
