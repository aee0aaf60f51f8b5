//! The paths in progress: attempts, looks beside them, and the line that is walked.

use std::net::IpAddr;

use chronaxis_engines::{ConversationPlan, LinePurpose, by_id};
use chronaxis_model::endpoint::Endpoint;
use chronaxis_model::fact::{Fact, Knocked};
use chronaxis_model::layer::{Layer, Micros};
use chronaxis_model::order::{Ended, LineId, Order, Over, Probe, ProbeId};
use chronaxis_model::permit::{Account, Permit, Withheld};
use chronaxis_model::secret::{Blemish, Secret};
use chronaxis_model::settings::usual_port_meant;
use chronaxis_model::target::End;

use super::paths::Path;
use super::probes::Probing;
use super::side_checks::Look;
use super::{Running, Stage, Walk};
use crate::judge::{After, PathView, Symptom, Way, after, judge, policy};
use crate::run_state::RunState;

/// Time between attempts on a port that refuses.
const AFTER_REFUSAL: Micros = Micros::from_millis(10);

impl Walk {
    /// Starts every attempt and every look beside that is due.
    pub(super) fn go_on_trying(&mut self, run: &mut RunState, now: Micros) {
        self.begin_due_paths(run, now);
        while let Some((path, to, until)) = self.paths.take_due_attempt(now) {
            let (line, what) = self.opening(&to);
            let about = to.subject();
            let running = Running::Attempt {
                path,
                line,
                number: self.paths.get(path).map_or(1, Path::attempts),
                began: now,
            };
            self.touched.lines.push(to);
            self.start(now, until, about, running, what);
        }
        if !self.paths.any_begun() {
            return;
        }
        while let Some((look, until)) = self.due_side_check(now) {
            self.look_beside(run, now, look, until);
        }
        self.go_on_stepping(run, now);
    }

    /// A new line to an endpoint, with what to say on it.
    pub(super) fn opening(&mut self, to: &Endpoint) -> (LineId, Probe) {
        self.opening_with(to, LinePurpose::First)
    }

    /// The same, for another end.
    pub(super) fn opening_with(&mut self, to: &Endpoint, manner: LinePurpose) -> (LineId, Probe) {
        let host = self.host_told_for(to);
        let line = self.probes.next_line();
        let conversation = by_id(self.target.engine).protocol.open(ConversationPlan {
            target: &self.target,
            to,
            seeds: self.seed.for_line(line.0),
            patience: self.scope.patience_us,
            allow_plaintext: self.scope.allow_plaintext,
            host: &host,
            allow_server_key: self.scope.allow_server_key,
            manner,
            redactor: self.redactor.clone(),
            errand: self.errand.clone(),
        });
        let open = Probe::Open {
            line,
            over: Over::Endpoint(to.clone()),
            conversation,
            segment: None,
        };
        (line, open)
    }

    /// What was told of this end: its name stays, though the line goes by address.
    fn host_told_for(&self, to: &Endpoint) -> String {
        let ways = self.evidence().ways();
        let way = ways.iter().find(|w| w.endpoint == *to);
        let ends = self.evidence().ends();
        match way.and_then(|w| ends.get(w.host)) {
            Some(End::Host { host, .. }) => host.clone(),
            Some(End::Socket { socket }) => socket.clone(),
            None => to.ip().map_or_else(String::new, |ip| ip.to_string()),
        }
    }

    pub(super) fn walk_paths(&mut self, run: &mut RunState, now: Micros) {
        self.go_on_trying(run, now);
        if !self.orders.is_empty() {
            return;
        }
        if self.scope.until > Layer::Port
            && let Some(index) = self.paths.ready(now)
        {
            return self.advance(run, now, index);
        }
        if self.idle() && self.paths.all_tried() {
            self.paths.close();
            self.stage = Stage::Leaving;
            self.left_open = self.way_that_failed();
            if self.evidence().engine_untold()
                && let Some(server) = self.paths.first_connected()
            {
                self.ask_who_answers(now, &server);
            }
            self.step(run, now);
        }
    }

    /// Where the client's way ended before any line of it was walked.
    fn way_that_failed(&self) -> Option<(Endpoint, Symptom)> {
        let judgement = judge(self.evidence());
        let decisive = judgement.paths.get(judgement.decisive?)?;
        Some((decisive.endpoint.clone(), decisive.status.symptom?))
    }

    /// Whether nothing is under way but questions to name service.
    pub(super) fn idle(&self) -> bool {
        self.orders.is_empty()
            && self.probes.all().all(|(_, r)| r.is_question())
            && !self.steps.are_open()
            && !self.side_checks.awaits()
    }

    /// Lets the line of the path that this client would take go on, once it is known
    /// whether the secret may be tried on it.
    fn advance(&mut self, run: &mut RunState, now: Micros, index: usize) {
        let Some(endpoint) = self.paths.get(index).map(|p| p.endpoint().clone()) else {
            return;
        };
        let account = self.account_at(&endpoint);
        let secret = self.target.secret.as_ref().map(|told| &told.value);
        let accepted = secret.is_some_and(|secret| run.permits.is_accepted(&account, secret));
        let awaits = self.scope.until >= Layer::Login
            && !accepted
            && (run.permits.is_out(&account, self.turns.number)
                || (self.target.secret.is_some() && self.turns.is_behind(&mut run.permits)));
        self.wait_for_turn(now, awaits);
        if self.turns.await_permit(awaits) {
            return;
        }
        self.turns.leave_line(&mut run.permits);
        let Some((line, endpoint)) = self.paths.take_line(index) else {
            return;
        };
        self.stage = Stage::Advancing;
        let stop = self.scope.until;
        let (permit, withheld) = self.leave_to_prove(run, &endpoint);
        let probe = Probe::Advance {
            line,
            stop,
            permit,
            withheld,
        };
        let about = endpoint.subject();
        let running = Running::Advance { path: index, line };
        self.start(now, self.deadline, about, running, probe);
    }

    /// The permit for a line to a server, or why there is none.
    pub(super) fn leave_to_prove(
        &self,
        run: &mut RunState,
        server: &Endpoint,
    ) -> (Option<Permit>, Option<Withheld>) {
        if self.scope.until < Layer::Login {
            return (None, None);
        }
        match self.ask_permit(run, server) {
            Ok(permit) => (permit, None),
            Err(withheld) => (None, Some(withheld)),
        }
    }

    pub(super) fn account_at(&self, server: &Endpoint) -> Account {
        Account {
            server: self.server_at(server),
            user: self.target.user.clone().unwrap_or_default(),
        }
    }

    fn ask_permit(
        &self,
        run: &mut RunState,
        server: &Endpoint,
    ) -> Result<Option<Permit>, Withheld> {
        let empty = Secret::new("");
        let told = self.target.secret.as_ref().map(|told| &told.value);
        let sends_empty = by_id(self.target.engine).spec.signs_in_without_password;
        // A password that is not known here is none that the program has not.
        if told.is_none() && sends_empty && self.secret_unknown {
            return Err(Withheld::Unknown);
        }
        let Some(secret) = told.or(sends_empty.then_some(&empty)) else {
            return Ok(None);
        };
        let shape = secret.shape();
        if shape.has(Blemish::Placeholder) {
            return Err(Withheld::Placeholder);
        }
        if shape.has(Blemish::Empty) && !sends_empty {
            return Ok(None);
        }
        let account = self.account_at(server);
        run.permits
            .ask(account, &self.target.label, secret)
            .map(Some)
    }

    pub(super) fn observed(&mut self, now: Micros, probe: ProbeId, layer: Layer, fact: Fact) {
        let Some(Probing {
            about, what_for, ..
        }) = self.probes.get(probe)
        else {
            return;
        };
        match what_for {
            Running::RepairLine(_) | Running::Repair => {
                return self.repair_observed(now, probe, fact);
            }
            Running::BesideLine(_, _, purpose) | Running::Beside(_, _, purpose) => {
                let purpose = *purpose;
                return self.beside_observed(now, probe, purpose, fact);
            }
            Running::NearAsk { control, .. } => {
                let (about, control) = (about.clone(), *control);
                return self.near_observed(now, about, control, &fact);
            }
            Running::ListName { name } => {
                let name = name.clone();
                return self.list_name_observed(now, &name, fact);
            }
            _ => {}
        }
        // What an address does that the name's used source hides speaks of the name.
        let layer = match what_for {
            Running::SideCheck {
                look: Look::Hidden(_),
                ..
            } => Layer::Name,
            _ => layer,
        };
        let mut about = about.clone();
        if let Running::Attempt { path, number, .. } = what_for {
            let (path, number) = (*path, *number);
            if matches!(fact, Fact::RouteFound { .. }) && self.paths.seen_route(path) {
                return;
            }
            if matches!(fact, Fact::RouteMissing { .. }) {
                // Nothing left this machine, and nothing will.
                self.paths.no_way(path);
                if let Some(host) = about.address {
                    self.side_checks.forget(host);
                }
                let same = |to: &Endpoint| to.ip() == about.address;
                if let Some(at) = self.touched.lines.iter().rposition(same) {
                    self.touched.lines.remove(at);
                }
            } else {
                about.attempt = Some(number);
            }
        }
        let leaves = match (&fact, layer) {
            (Fact::RouteFound { source, .. }, Layer::Route) => Some(*source),
            _ => None,
        };
        self.note(now, layer, about.clone(), fact);
        if let Some(source) = leaves {
            self.ask_lists(now, &about, source);
        }
        if self.paths.all_routes_seen() {
            self.settle_up_to(Layer::Route);
        }
    }

    pub(super) fn ended(&mut self, run: &mut RunState, now: Micros, probe: ProbeId, how: Ended) {
        let Some(Probing {
            about, what_for, ..
        }) = self.probes.end(probe)
        else {
            return;
        };
        match what_for {
            Running::LookUp => self.look_up_ended(run, now, about, &how),
            Running::NameSources => self.sources_ended(run, now),
            Running::Ask { asked, kind, began } => {
                self.ask_ended(run, now, about, (asked, kind, began), &how);
            }
            Running::NearAsk {
                index,
                asked,
                control,
            } => self.near_ended(now, index, &asked, control),
            // A name that nobody answers for stays unknown.
            Running::ListName { .. } => {}
            Running::Step {
                to,
                ttl,
                least,
                known,
            } => self.step_ended(now, (to, ttl, least), known),
            Running::Attempt {
                path, line, began, ..
            } => self.attempt_ended(now, path, line, began, how),
            Running::SideCheck { look, began } => {
                if matches!(
                    (look, &how),
                    (
                        Look::Knock(_) | Look::Far(_) | Look::Hidden(_),
                        Ended::Unanswered
                    )
                ) {
                    let fact = Fact::ControlPort {
                        answer: Knocked::Silent,
                        elapsed_us: now.since(began),
                    };
                    let layer = match look {
                        Look::Hidden(_) => Layer::Name,
                        _ => Layer::Port,
                    };
                    self.note(now, layer, about, fact);
                }
                self.side_checks.done(look);
                self.publish_look(run, look);
            }
            Running::Advance { line, .. } if matches!(how, Ended::Resting(Layer::Session)) => {
                // Those that are to come in beside it must have their turn.
                self.turns.give_back(&mut run.permits);
                run.meeting.arrived(self.turns.number);
                self.stage = Stage::Staying(line);
            }
            Running::Advance { path, .. } => self.advance_ended(now, path),
            Running::FallBackLine { path, line } => {
                self.fall_back_line_ended(run, now, path, line, &how);
            }
            Running::BesideLine(line, server, purpose) => {
                self.beside_line_ended(now, line, &server, purpose, &how);
            }
            Running::Beside(line, server, purpose) => {
                self.beside_ended(now, line, &server, purpose, &how);
            }
            Running::RepairLine(line) => self.repair_line_ended(line, &how),
            Running::Repair => {}
        }
    }

    fn attempt_ended(&mut self, now: Micros, path: usize, line: LineId, began: Micros, how: Ended) {
        match how {
            Ended::Resting(_) => {
                if let Some(spare) = self.paths.connected(path, line) {
                    self.orders.push_back(Order::Close(spare));
                }
                self.stop_other_attempts(path);
                self.doubt_settled(path);
            }
            Ended::Done => {
                self.paths.refused(path, now.after(AFTER_REFUSAL));
                if let Some(host) = self.host_of(path) {
                    self.side_checks.at_once(host);
                }
            }
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

    fn host_of(&self, path: usize) -> Option<IpAddr> {
        self.paths.get(path)?.endpoint().ip()
    }

    /// Where every path of a host connects, its control ports could say nothing more, but
    /// for one that was probably meant.
    fn doubt_settled(&mut self, path: usize) {
        let Some(Endpoint::Tcp(to)) = self.paths.get(path).map(|p| p.endpoint().clone()) else {
            return;
        };
        let usual = by_id(self.target.engine).spec.usual_port;
        if self.paths.connects(to.ip()) && usual_port_meant(to.port(), usual).is_none() {
            self.side_checks.forget_knocks(to.ip());
        }
    }

    fn attempts_running(&self, path: usize) -> bool {
        self.probes
            .any(|r| matches!(r, Running::Attempt { path: p, .. } if *p == path))
    }

    fn stop_other_attempts(&mut self, path: usize) {
        let stops = self.probes.all().filter_map(|(id, r)| match r {
            Running::Attempt { path: p, .. } if *p == path => Some(Order::Stop(id)),
            _ => None,
        });
        self.orders.extend(stops);
    }

    /// A line was walked. Where this client would go on from there, so does the walk;
    /// otherwise only what could still change the verdict is waited for.
    pub(super) fn advance_ended(&mut self, now: Micros, index: usize) {
        if self.begin_fall_back(now, index) {
            return;
        }
        let (symptom, next) = self.after_line(index);
        if let (Some(symptom), Some(host)) = (symptom, self.host_of(index))
            && symptom.layer() == Layer::Listener
        {
            self.paths.unspoken(index);
            self.side_checks.at_once(host);
        }
        if let (Some(_), Some(host)) = (symptom, self.host_of(index)) {
            self.paths.failed(index);
            self.side_checks.at_once(host);
        }
        self.stage = Stage::Paths;
        match next {
            After::NextAddress => {}
            After::NextHost => self.paths.pass_host(index),
            After::Stops => self.paths.close(),
        }
        if self.paths.may_be_ready() {
            return;
        }
        self.paths.close();
        match symptom {
            None => self.begin_to_linger(now),
            Some(_) => self.leave(),
        }
        let Some(server) = self.paths.get(index).map(|p| p.endpoint().clone()) else {
            return;
        };
        match symptom {
            Some(Symptom::LoginCredentials | Symptom::LoginDenied) => self.begin_repairs(server),
            Some(symptom) => self.left_open = Some((server, symptom)),
            None => {}
        }
    }

    /// How the line of a path ended, and what this client does next.
    fn after_line(&self, index: usize) -> (Option<Symptom>, After) {
        let Some(path) = self.paths.get(index) else {
            return (None, After::Stops);
        };
        let evidence = self.evidence();
        let way = Way {
            host: 0,
            endpoint: path.endpoint().clone(),
            taken: true,
        };
        let judged = PathView::new(evidence, &way.endpoint).judge(&way);
        let any_may_be_next = policy(&self.shown).shuffles;
        let next = match (judged.status.symptom, judged.status.untold) {
            (_, Some(_)) => After::Stops,
            (Some(_), None) | (None, None) if any_may_be_next => After::NextHost,
            (Some(symptom), None) => after(&self.shown, symptom),
            (None, None) if judged.second_choice => After::NextHost,
            (None, None) => After::Stops,
        };
        (judged.status.symptom, next)
    }

    /// Attempts on other paths may still run, and go on only where they could change the
    /// verdict: an earlier path that is silent.
    pub(super) fn leave(&mut self) {
        self.stage = Stage::Leaving;
        let stops = self.probes.all().filter_map(|(id, r)| match r {
            Running::Attempt { path, .. }
                if !self.paths.get(*path).is_some_and(Path::is_earlier) =>
            {
                Some(Order::Stop(id))
            }
            _ => None,
        });
        self.orders.extend(stops);
    }
}
