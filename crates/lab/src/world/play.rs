//! Playing a walk in a simulated world.

mod asked;
mod carried;
mod line;
mod looked;

use std::collections::BTreeMap;
use std::net::{IpAddr, SocketAddr};

use chronaxis_model::conversation::{Conversation, Input};
use chronaxis_model::endpoint::Endpoint;
use chronaxis_model::fact::{Fact, Knocked, StepAnswer};
use chronaxis_model::layer::{Layer, Micros};
use chronaxis_model::order::{Decider, Ended, Event, LineId, Order, Over, Probe, ProbeId};
use chronaxis_model::permit::Permit;
use chronaxis_tls::{EncryptedConversation, Step};

use self::line::Line;
use super::{Attempt, ROUND_TRIP, Speech, World};
use crate::stand_in::Reaction;

/// Where this side's ports begin.
const FIRST_PORT: u16 = 49_152;

/// When the last of so many lost first packets is sent again: after one second, then
/// after twice as long each time (RFC 6298, section 5.5).
fn sent_again(lost: u32) -> Micros {
    Micros((0..lost).map(|n| 1_000_000 << n.min(6)).sum())
}

/// What is to happen, in the order of its time.
#[derive(Default)]
struct Agenda {
    due: BTreeMap<(Micros, u64), (ProbeId, Event)>,
    count: u64,
}

impl Agenda {
    fn add(&mut self, at: Micros, probe: ProbeId, event: Event) {
        self.count += 1;
        self.due.insert((at, self.count), (probe, event));
    }

    fn observed(&mut self, at: Micros, probe: ProbeId, layer: Layer, fact: Fact) {
        let event = Event::Observed {
            probe,
            name: None,
            layer,
            fact,
        };
        self.add(at, probe, event);
    }

    fn ended(&mut self, at: Micros, probe: ProbeId, how: Ended, permit: Option<Permit>) {
        self.add(at, probe, Event::Ended { probe, how, permit });
    }
}

impl World {
    /// Plays a walk, or whoever else decides, to its end; gives the time that it took on the made-up clock.
    pub fn play<D: Decider>(
        &self,
        walk: &mut D,
        run: &mut D::Shared,
        mut settled: impl FnMut(&D, Layer),
    ) -> Micros {
        let mut stage = Stage {
            world: self,
            now: Micros(0),
            agenda: Agenda::default(),
            lines: BTreeMap::new(),
            ports: FIRST_PORT,
            left_to_say: BTreeMap::new(),
        };
        loop {
            match walk.poll(run, stage.now) {
                Order::Start { probe, what, until } => stage.start(probe, what, until),
                Order::Stop(probe) => stage.stop(probe),
                Order::Close(line) => stage.close(line),
                Order::Settled(layer) => settled(walk, layer),
                Order::Wait(until) => {
                    if let Some(event) = stage.next(until) {
                        walk.handle(run, stage.now, event);
                    }
                }
                Order::Over => return stage.now,
            }
        }
    }
}

struct Stage<'a> {
    world: &'a World,
    now: Micros,
    agenda: Agenda,
    lines: BTreeMap<LineId, Line>,
    ports: u16,
    /// What routers that speak sparingly may still say, and as of when.
    left_to_say: BTreeMap<IpAddr, (Micros, u32)>,
}

impl Stage<'_> {
    /// Whether the answer to a step is sent at all.
    fn is_said(&mut self, step: &Fact) -> bool {
        let Fact::PathStep { answer, by, .. } = step else {
            return true;
        };
        let mut routers = self.world.routers.iter();
        let router = routers.find(|r| Some(r.address) == *by && *answer == StepAnswer::Expired);
        let Some(Speech::Sparingly(most)) = router.map(|r| r.speech) else {
            return *answer != StepAnswer::Silent;
        };
        let Some(by) = by else { return true };
        let (since, left) = self.left_to_say.entry(*by).or_insert((self.now, most));
        let seconds = (self.now.0 - since.0) / 1_000_000;
        *since = Micros(since.0 + seconds * 1_000_000);
        *left = most.min(left.saturating_add(u32::try_from(seconds).unwrap_or(most)));
        let said = *left > 0;
        *left = left.saturating_sub(1);
        said
    }

    fn next(&mut self, until: Micros) -> Option<Event> {
        let Some(first) = self.agenda.due.first_entry() else {
            self.now = until;
            return None;
        };
        let at = first.key().0;
        if at > until {
            self.now = until;
            return None;
        }
        self.now = self.now.max(at);
        Some(first.remove().1)
    }

    fn start(&mut self, probe: ProbeId, what: Probe, until: Micros) {
        match what {
            Probe::LookUp { name } => self.look_up(probe, &name, until),
            Probe::Ask {
                resolver,
                asked,
                kind,
                ..
            } => {
                self.world.counted.lookup();
                match self.world.resolver_says(resolver, &asked, kind) {
                    Some((after, fact)) => {
                        self.tell(probe, (after, until), Layer::Name, Some(fact))
                    }
                    None => self.agenda.ended(until, probe, Ended::Unanswered, None),
                }
            }
            Probe::AskHost { to, with } => {
                let (fact, after) = self.world.host_asked(to, with);
                self.tell(probe, (after, until), Layer::Port, Some(fact));
            }
            Probe::Step { to, ttl, least } => {
                let (fact, after) = self.world.step(to, ttl, least);
                match self.is_said(&fact) {
                    false => self.agenda.ended(until, probe, Ended::Unanswered, None),
                    true => self.tell(probe, (after, until), Layer::Port, Some(fact)),
                }
            }
            Probe::LookHere { what, .. } => self.look_here(probe, what, until),
            Probe::Knock { to } => self.knock(probe, to, until),
            Probe::Open {
                line,
                over: Over::Endpoint(to),
                conversation,
                segment,
            } => self.open(probe, line, &to, (conversation, segment), until),
            Probe::Open {
                line,
                over: Over::Line { line: under, to },
                conversation,
                ..
            } => self.open_over(probe, under, line, &to, conversation, until),
            Probe::Advance {
                line,
                stop,
                permit,
                withheld,
            } => {
                let go = Input::Go {
                    stop,
                    permit,
                    withheld,
                };
                if let Some(kept) = self.lines.remove(&line) {
                    self.converse(probe, line, kept, go, self.now, until);
                }
            }
        }
    }

    fn stop(&mut self, probe: ProbeId) {
        self.agenda.due.retain(|_, (of, _)| *of != probe);
        self.agenda.ended(self.now, probe, Ended::Stopped, None);
    }

    /// Leaves a line politely.
    fn close(&mut self, line: LineId) {
        let Some(mut line) = self.lines.remove(&line) else {
            return;
        };
        line.conversation.handle(self.now, Input::Leave);
        while let Some(step) = line.conversation.poll() {
            match step {
                Step::Send(bytes) => {
                    let reactions = line.server.received(&bytes);
                    line.under_way.extend(reactions);
                }
                Step::Over => return,
                _ => {}
            }
            while let Some(Reaction::Send(bytes)) = line.under_way.first().cloned() {
                line.under_way.remove(0);
                line.conversation.handle(self.now, Input::Bytes(&bytes));
            }
        }
    }

    /// One fact, or none, and the end.
    fn tell(
        &mut self,
        probe: ProbeId,
        (after, until): (Micros, Micros),
        layer: Layer,
        fact: Option<Fact>,
    ) {
        let at = self.now.after(after);
        if at > until {
            return self.agenda.ended(until, probe, Ended::Unanswered, None);
        }
        if let Some(fact) = fact {
            self.agenda.observed(at, probe, layer, fact);
        }
        self.agenda.ended(at, probe, Ended::Done, None);
    }

    fn knock(&mut self, probe: ProbeId, to: SocketAddr, until: Micros) {
        self.world.counted.line();
        let (answer, elapsed_us) = match self.world.attempt(to.ip(), to.port()) {
            Attempt::Connected(_, lost) => (Knocked::Connected, sent_again(lost).after(ROUND_TRIP)),
            Attempt::Refused(None) => (Knocked::Refused, ROUND_TRIP),
            Attempt::Refused(Some(_)) => (Knocked::Unreachable, ROUND_TRIP),
            Attempt::Unreachable(_, after) => (Knocked::Unreachable, after),
            Attempt::Silent => return self.agenda.ended(until, probe, Ended::Unanswered, None),
        };
        let at = self.now.after(elapsed_us);
        if at > until {
            return self.agenda.ended(until, probe, Ended::Unanswered, None);
        }
        let fact = Fact::ControlPort { answer, elapsed_us };
        self.agenda.observed(at, probe, Layer::Port, fact);
        self.agenda.ended(at, probe, Ended::Done, None);
    }

    fn open(
        &mut self,
        probe: ProbeId,
        id: LineId,
        to: &Endpoint,
        (conversation, segment): (Box<dyn Conversation>, Option<u16>),
        until: Micros,
    ) {
        let world = self.world;
        let to = match to {
            Endpoint::Tcp(to) => *to,
            Endpoint::Socket(path) => {
                world.counted.line();
                return self.open_socket(probe, id, path, conversation, until);
            }
        };
        if let Some(error) = world.cut_off.filter(|_| !to.ip().is_loopback()) {
            let error = error.to_owned();
            self.agenda
                .observed(self.now, probe, Layer::Route, Fact::RouteMissing { error });
            return self.agenda.ended(self.now, probe, Ended::Done, None);
        }
        world.counted.line();
        let source = if to.ip().is_loopback() {
            to.ip()
        } else {
            world.client
        };
        self.agenda
            .observed(self.now, probe, Layer::Route, world.route(to.ip()));
        self.ports = self.ports.wrapping_add(1).max(FIRST_PORT);
        let from = Some(SocketAddr::new(source, self.ports));
        if let Some(from) = from {
            let tried = Fact::PortTried { from };
            self.agenda.observed(self.now, probe, Layer::Port, tried);
        }
        let after = |span: Micros| (self.now.after(span), span);
        let ((at, _), fact) = match world.attempt(to.ip(), to.port()) {
            Attempt::Connected(service, lost) => {
                let (at, elapsed_us) = after(sent_again(lost).after(ROUND_TRIP));
                if at > until {
                    return self.agenda.ended(until, probe, Ended::Unanswered, None);
                }
                let fact = Fact::PortConnected {
                    elapsed_us,
                    from,
                    retransmits: Some(lost),
                };
                self.agenda.observed(at, probe, Layer::Port, fact);
                let line = Line {
                    conversation: EncryptedConversation::new(conversation, world.wall),
                    server: service.serve(&world.counted),
                    under_way: Vec::new(),
                    lost: Some(lost),
                    largest: world.largest_packet(to).filter(|_| segment.is_none()),
                    unconfirmed: 0,
                    used: at,
                    forgotten: false,
                };
                return self.converse(probe, id, line, Input::Opened, at, until);
            }
            Attempt::Refused(icmp) => {
                let (at, elapsed_us) = after(ROUND_TRIP);
                let fact = Fact::PortRefused {
                    elapsed_us,
                    from,
                    icmp,
                };
                ((at, elapsed_us), fact)
            }
            Attempt::Unreachable(icmp, span) => {
                let (at, elapsed_us) = after(span);
                let fact = Fact::PortUnreachable {
                    error: "EHOSTUNREACH".to_owned(),
                    elapsed_us,
                    from,
                    icmp: Some(icmp),
                };
                ((at, elapsed_us), fact)
            }
            Attempt::Silent => return self.agenda.ended(until, probe, Ended::Unanswered, None),
        };
        if at > until {
            return self.agenda.ended(until, probe, Ended::Unanswered, None);
        }
        self.agenda.observed(at, probe, Layer::Port, fact);
        self.agenda.ended(at, probe, Ended::Done, None);
    }

    fn open_socket(
        &mut self,
        probe: ProbeId,
        id: LineId,
        path: &str,
        conversation: Box<dyn Conversation>,
        until: Micros,
    ) {
        let world = self.world;
        let Some(service) = world.sockets.get(path) else {
            let fact = Fact::SocketMissing {
                error: "ENOENT".to_owned(),
            };
            self.agenda.observed(self.now, probe, Layer::Port, fact);
            return self.agenda.ended(self.now, probe, Ended::Done, None);
        };
        let fact = Fact::PortConnected {
            elapsed_us: Micros(60),
            from: None,
            retransmits: None,
        };
        self.agenda.observed(self.now, probe, Layer::Port, fact);
        let line = Line {
            conversation: EncryptedConversation::new(conversation, world.wall),
            server: service.serve(&world.counted),
            under_way: Vec::new(),
            lost: None,
            largest: None,
            unconfirmed: 0,
            used: self.now,
            forgotten: false,
        };
        self.converse(probe, id, line, Input::Opened, self.now, until);
    }

    /// Plays one stretch of a conversation against the server's half.
    fn converse(
        &mut self,
        probe: ProbeId,
        id: LineId,
        mut line: Line,
        first: Input<'_>,
        from: Micros,
        until: Micros,
    ) {
        let world = self.world;
        let mut at = from;
        let mut give_up = until;
        if matches!(first, Input::Opened) {
            line.under_way = line.server.opened();
        }
        line.conversation.handle(at, first);
        let how = loop {
            let mut end = None;
            while let Some(step) = line.conversation.poll() {
                match step {
                    Step::Send(bytes) => {
                        line.use_now(at, world.forgets_after_ms);
                        if line.vanishes(&bytes) {
                            line.unconfirmed += 1;
                        } else {
                            let reactions = line.server.received(&bytes);
                            line.under_way.extend(reactions);
                        }
                    }
                    Step::Observe(layer, fact) => self.agenda.observed(at, probe, layer, fact),
                    Step::Await(span) => give_up = at.after(span).min(until),
                    Step::Derive(work) => {
                        let derived = work.run();
                        line.conversation.handle(at, Input::Derived(Some(&derived)));
                    }
                    Step::Rest(layer) => end = Some(Ended::Resting(layer)),
                    Step::Over => end = Some(Ended::Done),
                }
            }
            if let Some(how) = end {
                break how;
            }
            let arrives = at.after(ROUND_TRIP);
            let arrives = match line.under_way.first() {
                Some(Reaction::Pause(ms)) => {
                    let spoken = at.after(Micros::from_millis(*ms));
                    if spoken <= give_up {
                        line.under_way.remove(0);
                        at = spoken;
                        continue;
                    }
                    spoken
                }
                _ => arrives,
            };
            if line.under_way.is_empty()
                && let Some(ended) = line.end_idle(give_up)
            {
                at = ended.max(at);
                continue;
            }
            if line.under_way.is_empty() || arrives > give_up {
                at = give_up;
                line.conversation.handle(at, Input::TimedOut);
                continue;
            }
            if matches!(line.under_way.first(), Some(Reaction::Send(bytes)) if line.vanishes(bytes))
            {
                // What comes behind it in the same stream is of no use without it.
                line.under_way.clear();
                continue;
            }
            at = arrives;
            match line.under_way.remove(0) {
                Reaction::Pause(_) => {}
                Reaction::Send(bytes) => line.conversation.handle(at, Input::Bytes(&bytes)),
                Reaction::Close => line.conversation.handle(at, Input::Closed { reset: false }),
            }
        };
        let permit = line.conversation.give_back();
        if let Some(lost) = line
            .lost
            .filter(|_| !matches!(how, Ended::Resting(Layer::Port)))
        {
            let measured = Fact::LineMeasured {
                round_trip_us: ROUND_TRIP,
                retransmits: lost,
                unconfirmed: line.unconfirmed,
            };
            self.agenda.observed(at, probe, Layer::Port, measured);
        }
        if matches!(how, Ended::Resting(_)) {
            self.lines.insert(id, line);
        }
        self.agenda.ended(at, probe, how, permit);
    }
}
