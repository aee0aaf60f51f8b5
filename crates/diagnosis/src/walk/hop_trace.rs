//! The way, device by device: packets that begin a connection to that very port, and to a
//! control port of the same host, sent to live for ever more devices.
//!
//! Only where a port stays silent, or refuses in a way that a device could have faked. A
//! router answers about six of them at once; each gets one for each port that is walked to,
//! and an answer that is missing means nothing by itself.

use std::net::SocketAddr;

use chronaxis_model::endpoint::Endpoint;
use chronaxis_model::fact::{Fact, Knocked, StepAnswer, Subject};
use chronaxis_model::layer::{Layer, Micros};
use chronaxis_model::order::Probe;

use super::{Running, Walk};
use crate::judge::Evidence;
use crate::judge::way::steps_to;
use crate::run_cache::{Claim, Shared};
use crate::run_state::RunState;

/// Silence after which the way is walked.
pub(super) const STEPS_AFTER: Micros = Micros::from_millis(600);

/// How long one step is waited for.
const ONE_STEP: Micros = Micros::from_millis(400);

/// For how many devices most systems let their packets live (RFC 1700).
const USUAL_TTL: u8 = 64;

/// Most devices on a way.
const MOST_STEPS: u8 = 30;

/// Steps under way at one time, where whatever answers takes no harm.
const WINDOW: u8 = 6;

/// Devices in a row that say nothing, after which no more are asked for.
const GIVES_UP_AFTER: usize = 3;

/// How long a device that said as much as it may at one time takes until it says more:
/// Linux lets one message a second through to each destination (icmp(7), `icmp_ratelimit`).
const SPEAKS_AGAIN_AFTER: Micros = Micros::from_millis(1_100);

/// Most missing answers of one walk that are asked for again.
const MOST_AGAIN: usize = 2;

/// Most packets to one port: all steps, those asked for again, and one that compares the
/// distance of two refusals.
pub(super) const MOST_PACKETS: usize = MOST_STEPS as usize + MOST_AGAIN + 1;

/// How far the walk to one port is.
#[derive(Debug)]
struct Going {
    to: SocketAddr,
    /// Steps under way at one time.
    window: u8,
    next: u8,
    /// The steps that ended, with their answers.
    ended: Vec<(u8, StepAnswer)>,
    open: u8,
    /// When the last step was sent.
    sent: Micros,
    /// The steps that were asked for again.
    again: Vec<u8>,
    over: bool,
}

impl Going {
    /// Whether the host, or a refusal, was met.
    fn met(&self) -> bool {
        let end = |a: &StepAnswer| !matches!(a, StepAnswer::Expired | StepAnswer::Silent);
        self.ended.iter().any(|(_, answer)| end(answer))
    }

    /// Whether so many of the last devices said nothing that no more are asked for.
    fn lost(&self) -> bool {
        let last = self.last_answered();
        let silent = self.ended.iter().filter(|(ttl, _)| *ttl > last);
        silent.count() >= GIVES_UP_AFTER
    }

    fn answered(&self, ttl: u8) -> bool {
        let mut all = self.ended.iter();
        all.any(|(number, answer)| *number == ttl && *answer != StepAnswer::Silent)
    }

    fn last_answered(&self) -> u8 {
        let all = self.ended.iter().map(|(ttl, _)| *ttl);
        all.filter(|ttl| self.answered(*ttl)).max().unwrap_or(0)
    }

    /// The one answer on which it turns how far away the end is, if it is missing and was
    /// not asked for again yet: that of the device before the end, or behind the last one
    /// that answered.
    fn missing(&self) -> Option<u8> {
        let end = |(_, answer): &&(u8, StepAnswer)| {
            !matches!(answer, StepAnswer::Expired | StepAnswer::Silent)
        };
        let ends = self.ended.iter().filter(end).map(|(ttl, _)| *ttl);
        let doubtful = match ends.min() {
            Some(end) => end.saturating_sub(1),
            None => self.last_answered() + 1,
        };
        let open = doubtful > 0 && doubtful < self.next && !self.answered(doubtful);
        let may = self.again.len() < MOST_AGAIN && !self.again.contains(&doubtful);
        (open && may).then_some(doubtful)
    }
}

/// A port to which steps are wanted.
#[derive(Clone, Copy, Debug)]
struct Wanted {
    to: SocketAddr,
    /// Steps under way at one time.
    window: u8,
    /// Whether something answers there.
    answers: bool,
}

/// All walks of a target.
#[derive(Debug, Default)]
pub(super) struct Steps {
    going: Vec<Going>,
    /// Those that another target of the run makes.
    awaited: Vec<Wanted>,
    known: Vec<SocketAddr>,
    /// Since when this walk has the leave to ask for a missing answer once more.
    may_ask_again: Option<Micros>,
    /// Whether it waits for that leave.
    awaits_again: bool,
    /// Whether two refusals from the same distance were compared.
    compared: bool,
}

impl Steps {
    pub(super) fn awaits(&self) -> bool {
        !self.awaited.is_empty() || self.awaits_again
    }

    /// When a missing answer may be asked for again.
    pub(super) fn next_due(&self) -> Option<Micros> {
        let since = self.may_ask_again?;
        let waiting = |going: &&Going| !going.over && going.open == 0 && going.missing().is_some();
        let going = self.going.iter().find(waiting)?;
        Some(since.max(going.sent).after(SPEAKS_AGAIN_AFTER))
    }

    /// Whether steps of any walk are still to come.
    pub(super) fn are_open(&self) -> bool {
        !self.awaited.is_empty() || self.going.iter().any(|g| !g.over)
    }
}

impl Walk {
    /// Begins the walks that the paths and the control ports give reason for, and goes on
    /// with those that are under way.
    pub(super) fn go_on_stepping(&mut self, run: &mut RunState, now: Micros) {
        if self.quiet {
            return;
        }
        for wanted in std::mem::take(&mut self.steps.awaited) {
            self.begin_steps(run, now, wanted);
        }
        let mut all: Vec<Wanted> = Vec::new();
        for (to, answers) in self.paths.doubtful(now) {
            if chronaxis_model::reserved_ranges::is_here(to.ip()) || self.is_near(to) {
                continue;
            }
            all.push(Wanted {
                to,
                window: WINDOW,
                answers,
            });
            all.extend(self.control_of(to));
        }
        for wanted in all {
            if !self.steps.known.contains(&wanted.to) {
                self.steps.known.push(wanted.to);
                self.begin_steps(run, now, wanted);
            }
        }
        for index in 0..self.steps.going.len() {
            self.next_steps(run, now, index);
        }
        self.compare_refusals(now);
    }

    /// Whether there are no steps to make: the address is on a network of this machine, or
    /// its own, no way leads to it, or a device already said that it refuses.
    fn is_near(&self, to: SocketAddr) -> bool {
        let mut seen = self.evidence().of_host(to.ip()).all();
        seen.any(|(o, fact)| match fact {
            Fact::RouteFound {
                source,
                gateway,
                prefix,
                ..
            } => *source == to.ip() || (gateway.is_none() && prefix.is_some()),
            Fact::RouteMissing { .. } => true,
            Fact::PortRefused { icmp, .. } | Fact::PortUnreachable { icmp, .. } => {
                icmp.is_some() && o.about.port == Some(to.port())
            }
            _ => false,
        })
    }

    /// The control port of a host, once it is known what it does. One that connects is
    /// walked to step by step: only the last one reaches it.
    fn control_of(&self, to: SocketAddr) -> Option<Wanted> {
        let mut seen = self.evidence().of_host(to.ip()).all();
        seen.find_map(|(o, fact)| match fact {
            Fact::ControlPort { answer, .. } => {
                let port = o.about.port.filter(|port| *port != to.port())?;
                let window = match answer {
                    Knocked::Connected => 1,
                    Knocked::Refused | Knocked::Silent => WINDOW,
                    Knocked::Unreachable => return None,
                };
                Some(Wanted {
                    to: (to.ip(), port).into(),
                    window,
                    answers: *answer != Knocked::Silent,
                })
            }
            _ => None,
        })
    }

    fn begin_steps(&mut self, run: &mut RunState, now: Micros, wanted: Wanted) {
        match run
            .cache
            .claim_steps(wanted.to, wanted.answers, self.turns.number)
        {
            Claim::Pending => self.steps.awaited.push(wanted),
            Claim::Known(seen) => {
                for (layer, about, fact) in seen {
                    self.note(now, layer, about, fact);
                }
            }
            Claim::Yours => self.steps.going.push(Going {
                to: wanted.to,
                window: wanted.window,
                next: 1,
                ended: Vec::new(),
                open: 0,
                sent: now,
                again: Vec::new(),
                over: false,
            }),
        }
    }

    fn next_steps(&mut self, run: &mut RunState, now: Micros, index: usize) {
        loop {
            let Some(going) = self.steps.going.get_mut(index).filter(|g| !g.over) else {
                return;
            };
            if going.met() || going.lost() || going.next > MOST_STEPS || now >= self.deadline {
                if going.open == 0 && !self.ask_again(run, now, index) {
                    self.steps_over(run, index);
                }
                return;
            }
            if going.open >= going.window {
                return;
            }
            let (to, ttl) = (going.to, going.next);
            going.open += 1;
            going.next += 1;
            going.sent = now;
            let about = Endpoint::Tcp(to).subject();
            self.start_step(now, about, to, ttl, None);
        }
    }

    /// Asks once more for an answer on which it turns, when the device may speak again;
    /// whether that is done, or waited for.
    fn ask_again(&mut self, run: &mut RunState, now: Micros, index: usize) -> bool {
        let Some(going) = self.steps.going.get(index) else {
            return false;
        };
        let (to, missing) = (going.to, going.missing());
        let Some(ttl) = missing.filter(|_| now < self.again_until()) else {
            self.give_up_again(run, index);
            return false;
        };
        if self.steps.may_ask_again.is_none() && run.cache.claim_again(self.turns.number) {
            self.steps.may_ask_again = Some(now);
        }
        self.steps.awaits_again = self.steps.may_ask_again.is_none();
        match self.steps.next_due() {
            Some(due) if due > self.again_until() => {
                self.give_up_again(run, index);
                return false;
            }
            Some(due) if due <= now => {}
            _ => return true,
        }
        if let Some(going) = self.steps.going.get_mut(index) {
            going.open += 1;
            going.again.push(ttl);
            going.sent = now;
        }
        self.steps.may_ask_again = Some(now);
        self.start_step(now, Endpoint::Tcp(to).subject(), to, ttl, None);
        true
    }

    /// Up to when a missing answer is asked for once more: no silent port is waited for
    /// longer because of it.
    fn again_until(&self) -> Micros {
        let began = self.deadline.since(self.scope.deadline_us);
        began
            .after(self.scope.patience_us)
            .since(ONE_STEP)
            .min(self.deadline.since(ONE_STEP))
    }

    /// This walk asks for nothing again; another one of the run may.
    fn give_up_again(&mut self, run: &mut RunState, index: usize) {
        self.steps.awaits_again = false;
        let others = self.steps.going.iter().enumerate();
        let needed = others
            .filter(|(i, g)| *i != index && !g.over && g.missing().is_some())
            .count();
        if self.steps.may_ask_again.is_some() && needed == 0 {
            self.steps.may_ask_again = None;
            run.cache.release_again();
        }
    }

    fn start_step(
        &mut self,
        now: Micros,
        about: Subject,
        to: SocketAddr,
        ttl: u8,
        least: Option<u8>,
    ) {
        self.touched.steps += 1;
        let known = self.answers_to(to, ttl, least).count();
        let running = Running::Step {
            to,
            ttl,
            least,
            known,
        };
        let until = now.after(ONE_STEP.min(self.scope.patience_us));
        let what = Probe::Step { to, ttl, least };
        self.start(now, until, about, running, what);
    }

    /// Where the port and the control port are refused after the same number of devices,
    /// the last device may still speak in the host's name: its answers come one device
    /// nearer. Asked for only such nearer ones, the host's own are not heard.
    fn compare_refusals(&mut self, now: Micros) {
        if self.steps.compared || self.steps.are_open() {
            return;
        }
        let refused = |to: SocketAddr, evidence: Evidence<'_>| {
            let steps = steps_to(evidence, to.ip(), to.port())?;
            let (at, answer) = steps.end()?;
            (answer == StepAnswer::Refused && steps.end_is_sure()).then_some(at)
        };
        let known = self.steps.known.clone();
        let evidence = self.evidence();
        let pair = known.iter().find_map(|to| {
            let control = self.control_of(*to)?.to;
            let (own, theirs) = (refused(*to, evidence)?, refused(control, evidence)?);
            (own == theirs && own > 1 && known.contains(&control)).then_some((*to, control, own))
        });
        let Some((to, control, distance)) = pair else {
            return;
        };
        self.steps.compared = true;
        let least = USUAL_TTL.saturating_sub(distance - 2);
        for to in [to, control] {
            let about = Endpoint::Tcp(to).subject();
            self.start_step(now, about, to, USUAL_TTL, Some(least));
        }
    }

    /// The walk is over: what it has not walked to its end, another target may.
    pub(super) fn release_steps(&mut self, run: &mut RunState) {
        for going in self.steps.going.iter_mut().filter(|g| !g.over) {
            going.over = true;
            run.cache.release(&Shared::Steps(going.to));
        }
        if self.steps.may_ask_again.take().is_some() {
            run.cache.release_again();
        }
    }

    fn steps_over(&mut self, run: &mut RunState, index: usize) {
        let Some(going) = self.steps.going.get_mut(index) else {
            return;
        };
        going.over = true;
        let to = going.to;
        let about = Endpoint::Tcp(to).subject();
        let seen = self.seen_of(|o, fact| {
            o.address == about.address
                && o.port == about.port
                && matches!(fact, Fact::PathStep { .. })
        });
        run.cache.publish(Shared::Steps(to), seen);
    }

    /// The answers to a step that are known.
    fn answers_to(
        &self,
        to: SocketAddr,
        ttl: u8,
        least: Option<u8>,
    ) -> impl Iterator<Item = StepAnswer> {
        let there = Endpoint::Tcp(to);
        let seen = self.evidence().at(&there).all();
        let answers = seen.filter_map(|(_, fact)| match fact {
            Fact::PathStep {
                ttl: t,
                least: l,
                answer,
                ..
            } if (*t, *l) == (ttl, least) => Some(*answer),
            _ => None,
        });
        answers.collect::<Vec<_>>().into_iter()
    }

    /// One step is over. So many answers to it were known before.
    pub(super) fn step_ended(
        &mut self,
        now: Micros,
        (to, ttl, least): (SocketAddr, u8, Option<u8>),
        known: usize,
    ) {
        let about = Endpoint::Tcp(to).subject();
        let came = self.answers_to(to, ttl, least).nth(known);
        let answer = came.unwrap_or(StepAnswer::Silent);
        if came.is_none() {
            let fact = Fact::PathStep {
                ttl,
                least,
                answer,
                by: None,
                elapsed_us: ONE_STEP.min(self.scope.patience_us),
            };
            self.note(now, Layer::Port, about, fact);
        }
        let going = self.steps.going.iter_mut().find(|g| g.to == to);
        if let Some(going) = going.filter(|_| least.is_none()) {
            going.open = going.open.saturating_sub(1);
            going.ended.push((ttl, answer));
        }
    }
}
