//! Runs a walk: carries out its orders, hands it what came of them.

use std::collections::BTreeMap;

use chronaxis_model::conversation::Input;
use chronaxis_model::fact::{Fact, HostQuestion, RecordKind, Subject};
use chronaxis_model::layer::{Layer, Micros};
use chronaxis_model::order::{Decider, Ended, Event, LineId, Order, Probe, ProbeId};
use chronaxis_model::redact::Redactor;
use chronaxis_tls::Talk;
use tokio::sync::mpsc::{UnboundedReceiver, UnboundedSender, unbounded_channel};
use tokio::task::{AbortHandle, JoinSet};
use tokio::time::timeout_at;

use crate::clock::Clock;
use crate::connect;
use crate::line::Line;
use crate::together::Together;
use crate::{host, listeners, local, look_up, name_service, name_sources, next_hop, own, step};

enum Message {
    Event(Box<Event>),
    Kept(LineId, Box<Line>),
}

/// After how long a walk that waits for another looks by itself, should nobody wake it.
const AT_LEAST_EVERY: Micros = Micros::from_millis(1_000);

/// How long lines that are left politely may take once all else is over.
const LAST_WORDS: Micros = Micros::from_millis(1_600);

/// The same, past the deadline of the target.
const PAST_DEADLINE: Micros = Micros::from_millis(150);

/// For how long the packets are counted that the system could not send: the first of a
/// connection is sent again after one second (RFC 6298, section 2).
const COUNTED_FOR: std::time::Duration = std::time::Duration::from_millis(1150);

/// Runs a walk to its end on the real network. `settled` is told of each layer that can
/// change no more, in order. Must run inside a tokio runtime with IO and time.
pub async fn run<D: Decider>(
    walk: &mut D,
    together: &Together<D::Shared>,
    clock: Clock,
    mut settled: impl FnMut(&D, Layer),
) {
    let (sender, mut receiver) = unbounded_channel();
    let mut edge = Edge {
        clock,
        sender,
        lines: BTreeMap::new(),
        tasks: JoinSet::new(),
        closing: JoinSet::new(),
        running: BTreeMap::new(),
    };
    let bell = together.bell_of(walk.number());
    loop {
        let order = walk.poll(&mut together.lend(), clock.now());
        together.ring();
        match order {
            Order::Start { probe, what, until } => edge.start(probe, what, until),
            Order::Stop(probe) => edge.stop(probe),
            Order::Close(line) => edge.close(line),
            Order::Settled(layer) => settled(walk, layer),
            Order::Wait(until) if walk.awaits_others() => {
                let soon = until.min(clock.now().after(AT_LEAST_EVERY));
                tokio::select! {
                    event = edge.next(&mut receiver, soon) => {
                        if let Some(event) = event {
                            take_in(walk, together, clock, event);
                        }
                    }
                    () = bell.notified() => walk.ring(),
                }
            }
            Order::Wait(until) => {
                if let Some(event) = edge.next(&mut receiver, until).await {
                    take_in(walk, together, clock, event);
                }
            }
            Order::Over => {
                together.forget(walk.number());
                return edge.closed(walk.deadline()).await;
            }
        }
    }
}

/// Hands in an event; another walk may have waited for it.
fn take_in<D: Decider>(walk: &mut D, together: &Together<D::Shared>, clock: Clock, event: Event) {
    walk.handle(&mut together.lend(), clock.now(), event);
    together.ring();
}

struct Edge {
    clock: Clock,
    sender: UnboundedSender<Message>,
    lines: BTreeMap<LineId, Line>,
    tasks: JoinSet<()>,
    closing: JoinSet<()>,
    running: BTreeMap<ProbeId, AbortHandle>,
}

impl Edge {
    async fn next(
        &mut self,
        receiver: &mut UnboundedReceiver<Message>,
        until: Micros,
    ) -> Option<Event> {
        loop {
            match timeout_at(self.clock.instant(until), receiver.recv()).await {
                Ok(Some(Message::Event(event))) => {
                    if let Event::Ended { probe, .. } = &*event {
                        self.running.remove(probe);
                    }
                    return Some(*event);
                }
                Ok(Some(Message::Kept(id, line))) => {
                    self.lines.insert(id, *line);
                }
                Ok(None) | Err(_) => return None,
            }
        }
    }

    fn start(&mut self, probe: ProbeId, what: Probe, until: Micros) {
        tracing::debug!(probe = probe.0, ?what, until_us = until.0, "started");
        let report = Report {
            probe,
            until,
            clock: self.clock,
            sender: self.sender.clone(),
        };
        let handle = match what {
            Probe::LookUp { name } => self.tasks.spawn(report.look_up(name)),
            Probe::Knock { to } => self.tasks.spawn(report.knock(to)),
            Probe::NameSources { names } => {
                for (about, fact) in name_sources::of(&names) {
                    report.observed_about(about, Layer::Name, fact);
                }
                return report.ended(Ended::Done, None);
            }
            Probe::Ask {
                resolver,
                asked,
                kind,
                redactor,
            } => self
                .tasks
                .spawn(report.ask(resolver, asked, kind, redactor)),
            Probe::AskHost { to, with } => self.tasks.spawn(report.ask_host(to, with)),
            Probe::Step { to, ttl, least } => self.tasks.spawn(report.step(to, ttl, least)),
            Probe::OwnFilter {
                to,
                from,
                interface,
                redactor,
            } => self
                .tasks
                .spawn(report.own_filter((to, from), interface, redactor)),
            Probe::OwnSendFailures { .. } => self.tasks.spawn(report.send_failures()),
            Probe::NextDevice { to } => {
                if let Some(fact) = next_hop::to(to.ip()) {
                    report.observed(Layer::Route, fact);
                }
                return report.ended(Ended::Done, None);
            }
            Probe::ConnectionsOpen { to, redactor } => {
                if let Some(fact) = own::connections(to, &redactor) {
                    report.observed(Layer::Port, fact);
                }
                return report.ended(Ended::Done, None);
            }
            Probe::ListenersHere {
                port,
                engine,
                redactor,
            } => {
                for fact in listeners::bearing_on(port, engine, &redactor) {
                    report.observed(Layer::Port, fact);
                }
                return report.ended(Ended::Done, None);
            }
            Probe::LocalListener { to } => {
                if let Some(fact) = local::listener(to) {
                    report.observed(Layer::Port, fact);
                }
                return report.ended(Ended::Done, None);
            }
            Probe::Open {
                line,
                to,
                talk,
                segment,
            } => self.tasks.spawn(report.open(line, to, talk, segment)),
            Probe::Advance {
                line,
                stop,
                permit,
                withheld,
            } => match self.lines.remove(&line) {
                Some(kept) => {
                    let go = Input::Go {
                        stop,
                        permit,
                        withheld,
                    };
                    self.tasks.spawn(report.advance(line, kept, go))
                }
                None => {
                    report.ended(Ended::Done, permit);
                    return;
                }
            },
        };
        self.running.insert(probe, handle);
    }

    fn stop(&mut self, probe: ProbeId) {
        if let Some(handle) = self.running.remove(&probe) {
            handle.abort();
            let event = Event::Ended {
                probe,
                how: Ended::Stopped,
                permit: None,
            };
            let _ = self.sender.send(Message::Event(Box::new(event)));
        }
    }

    /// Begins to leave a line politely.
    fn close(&mut self, line: LineId) {
        if let Some(kept) = self.lines.remove(&line) {
            self.closing.spawn(kept.leave(self.clock));
        }
    }

    /// Waits for the lines that are being left, side by side, and not for long.
    async fn closed(mut self, deadline: Micros) {
        let now = self.clock.now();
        let soon = deadline.max(now).after(PAST_DEADLINE);
        let until = now.after(LAST_WORDS).min(soon);
        let all = async { while self.closing.join_next().await.is_some() {} };
        let _ = timeout_at(self.clock.instant(until), all).await;
    }
}

/// One probe's way back to the walk.
struct Report {
    probe: ProbeId,
    until: Micros,
    clock: Clock,
    sender: UnboundedSender<Message>,
}

impl Report {
    fn observed(&self, layer: Layer, fact: Fact) {
        self.observed_about(Subject::default(), layer, fact);
    }

    fn observed_about(&self, about: Subject, layer: Layer, fact: Fact) {
        tracing::debug!(probe = self.probe.0, %layer, ?fact, "observed");
        let event = Event::Observed {
            probe: self.probe,
            name: about.name,
            layer,
            fact,
        };
        let _ = self.sender.send(Message::Event(Box::new(event)));
    }

    fn ended(&self, how: Ended, permit: Option<chronaxis_model::permit::Permit>) {
        tracing::debug!(probe = self.probe.0, ?how, "ended");
        let event = Event::Ended {
            probe: self.probe,
            how,
            permit,
        };
        let _ = self.sender.send(Message::Event(Box::new(event)));
    }

    async fn look_up(self, name: String) {
        let answer = look_up::look_up(name, self.clock);
        match timeout_at(self.clock.instant(self.until), answer).await {
            Ok(Some(fact)) => {
                self.observed(Layer::Name, fact);
                self.ended(Ended::Done, None);
            }
            Ok(None) | Err(_) => self.ended(Ended::Unanswered, None),
        }
    }

    async fn ask(
        self,
        resolver: std::net::SocketAddr,
        asked: String,
        kind: RecordKind,
        redactor: Redactor,
    ) {
        let mut trouble = None;
        let name = asked.clone();
        let answer = name_service::ask(resolver, name, kind, redactor, self.clock, &mut trouble);
        let answered = timeout_at(self.clock.instant(self.until), answer).await;
        match (answered, trouble) {
            (Ok(fact), _) => {
                self.observed(Layer::Name, fact);
                self.ended(Ended::Done, None);
            }
            // What came was no answer, and nothing better followed.
            (Err(_), Some(trouble)) => {
                let fact = Fact::ResolverGarbled {
                    asked,
                    kind,
                    trouble,
                };
                self.observed(Layer::Name, fact);
                self.ended(Ended::Done, None);
            }
            (Err(_), None) => self.ended(Ended::Unanswered, None),
        }
    }

    async fn step(self, to: std::net::SocketAddr, ttl: u8, least: Option<u8>) {
        let answer = step::step(to, ttl, least, self.clock);
        match timeout_at(self.clock.instant(self.until), answer).await {
            Ok(fact) => {
                self.observed(Layer::Port, fact);
                self.ended(Ended::Done, None);
            }
            Err(_) => self.ended(Ended::Unanswered, None),
        }
    }

    async fn ask_host(self, to: std::net::SocketAddr, with: HostQuestion) {
        if let Some(fact) = host::ask(to, with, self.until, self.clock).await {
            self.observed(Layer::Port, fact);
        }
        self.ended(Ended::Done, None);
    }

    async fn own_filter(
        self,
        ends: (std::net::SocketAddr, Option<std::net::SocketAddr>),
        interface: Option<String>,
        redactor: Redactor,
    ) {
        let answer = own::filter(ends, interface, redactor);
        if let Ok(Some(fact)) = timeout_at(self.clock.instant(self.until), answer).await {
            self.observed(Layer::Route, fact);
        }
        self.ended(Ended::Done, None);
    }

    async fn send_failures(self) {
        let before = own::send_failures();
        let waited = tokio::time::sleep(COUNTED_FOR);
        let whole = timeout_at(self.clock.instant(self.until), waited).await;
        if let (Ok(()), Some(before), Some(after)) = (whole, before, own::send_failures()) {
            let counted = after.saturating_sub(before);
            self.observed(Layer::Route, Fact::OwnSendFailures { counted });
        }
        self.ended(Ended::Done, None);
    }

    async fn knock(self, to: std::net::SocketAddr) {
        let answer = connect::knock(to, self.clock);
        match timeout_at(self.clock.instant(self.until), answer).await {
            Ok((layer, fact)) => {
                self.observed(layer, fact);
                self.ended(Ended::Done, None);
            }
            Err(_) => self.ended(Ended::Unanswered, None),
        }
    }

    async fn open(
        self,
        id: LineId,
        to: chronaxis_model::endpoint::Endpoint,
        talk: Box<dyn chronaxis_model::conversation::Conversation>,
        segment: Option<u16>,
    ) {
        if let Some(address) = connect::address(&to) {
            let route = connect::route(address);
            let layer = match route {
                Fact::LocalFailure { .. } => Layer::Port,
                _ => Layer::Route,
            };
            let found = matches!(route, Fact::RouteFound { .. });
            self.observed(layer, route);
            if !found {
                return self.ended(Ended::Done, None);
            }
        }
        let begun = |fact| self.observed(Layer::Port, fact);
        let connecting = connect::connect(&to, segment, self.clock, begun);
        let Ok((stream, fact)) = timeout_at(self.clock.instant(self.until), connecting).await
        else {
            return self.ended(Ended::Unanswered, None);
        };
        self.observed(Layer::Port, fact);
        match stream {
            Some(stream) => {
                let talk = Talk::new(talk, self.clock.wall());
                self.converse(id, Line { stream, talk }, Input::Opened)
                    .await
            }
            None => self.ended(Ended::Done, None),
        }
    }

    async fn advance(self, id: LineId, line: Line, go: Input<'static>) {
        self.converse(id, line, go).await;
    }

    async fn converse(self, id: LineId, mut line: Line, first: Input<'_>) {
        let sender = self.sender.clone();
        let probe = self.probe;
        let mut observe = move |layer: Layer, fact: Fact| {
            tracing::debug!(probe = probe.0, %layer, ?fact, "observed");
            let name = None;
            let _ = sender.send(Message::Event(Box::new(Event::Observed {
                probe,
                name,
                layer,
                fact,
            })));
        };
        let how = line
            .carry_on(first, self.clock, self.until, &mut observe)
            .await;
        let opening = matches!(how, Ended::Resting(Layer::Port));
        if let Some(measured) = line.stream.measured().filter(|_| !opening) {
            self.observed(Layer::Port, measured);
        }
        let permit = line.talk.give_back();
        if matches!(how, Ended::Resting(_)) {
            let _ = self.sender.send(Message::Kept(id, Box::new(line)));
        }
        self.ended(how, permit);
    }
}
