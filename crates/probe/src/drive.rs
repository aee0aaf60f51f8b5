//! Runs a walk: carries out its orders, hands it what came of them.

use std::collections::BTreeMap;
use std::sync::Arc;

use chronaxis_model::conversation::{Conversation, Input};
use chronaxis_model::endpoint::Endpoint;
use chronaxis_model::fact::{Fact, HostQuestion, RecordKind, Subject};
use chronaxis_model::invariant;
use chronaxis_model::layer::{Layer, Micros};
use chronaxis_model::order::{
    Decider, Ended, Event, LineId, LocalLook, Order, Over, Probe, ProbeId,
};
use chronaxis_model::redact::Redactor;
use chronaxis_tls::EncryptedConversation;
use tokio::sync::mpsc::{UnboundedReceiver, UnboundedSender, unbounded_channel};
use tokio::task::{AbortHandle, JoinSet};
use tokio::time::error::Elapsed;
use tokio::time::timeout_at;

use crate::carrier::{Carrier, Carriers};
use crate::clock::Clock;
use crate::connect;
use crate::here::Here;
use crate::line::Line;
use crate::pool::Pool;
use crate::together::Together;
use crate::{host, look_up, looks, name_service, step};

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
        here: together.here.clone(),
        pool: together.pool.clone(),
        carriers: together.carriers.clone(),
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
    here: Arc<Here>,
    pool: Arc<Pool>,
    carriers: Option<Arc<dyn Carriers>>,
    sender: UnboundedSender<Message>,
    lines: BTreeMap<LineId, Line>,
    tasks: JoinSet<()>,
    closing: JoinSet<()>,
    /// What runs, until its end is told: each is told once, whichever of its end and the
    /// order to stop it comes first.
    running: BTreeMap<ProbeId, Option<AbortHandle>>,
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
                    let known = match &*event {
                        Event::Ended { probe, .. } => self.running.remove(probe).is_some(),
                        Event::Observed { probe, .. } => self.running.contains_key(probe),
                    };
                    if known {
                        return Some(*event);
                    }
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
            here: self.here.clone(),
            pool: self.pool.clone(),
            carriers: self.carriers.clone(),
            sender: self.sender.clone(),
        };
        self.running.insert(probe, None);
        let handle = match what {
            Probe::LookUp { name } => self.tasks.spawn(report.look_up(name)),
            Probe::Knock { to } => self.tasks.spawn(report.knock(to)),
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
            Probe::LookHere { what, redactor } => {
                self.tasks.spawn(report.look_here(what, redactor))
            }
            Probe::Open {
                line,
                over: Over::Endpoint(to),
                conversation,
                segment,
            } => self
                .tasks
                .spawn(report.open(line, to, conversation, segment)),
            Probe::Open {
                line,
                over: Over::Line { line: under, to },
                conversation,
                ..
            } => match self.lines.remove(&under) {
                Some(carrying) => {
                    let under = (under, carrying);
                    self.tasks
                        .spawn(report.open_over(under, line, to, conversation))
                }
                None => {
                    invariant::holds(false, "a line opens over one that rests");
                    return report.ended(Ended::Done, None);
                }
            },
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
                    invariant::holds(false, "a line that goes on rests");
                    return report.ended(Ended::Done, permit);
                }
            },
        };
        self.running.insert(probe, Some(handle));
    }

    fn stop(&mut self, probe: ProbeId) {
        if let Some(Some(handle)) = self.running.get(&probe) {
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
    here: Arc<Here>,
    pool: Arc<Pool>,
    carriers: Option<Arc<dyn Carriers>>,
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
        let answer = look_up::look_up(self.here.clone(), name, self.clock);
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
        let resolver = self.here.goes_to(resolver);
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
        let answer = step::step(&self.here, to, ttl, least, self.clock);
        match timeout_at(self.clock.instant(self.until), answer).await {
            Ok(fact) => {
                self.observed(Layer::Port, fact);
                self.ended(Ended::Done, None);
            }
            Err(_) => self.ended(Ended::Unanswered, None),
        }
    }

    async fn ask_host(self, to: std::net::SocketAddr, with: HostQuestion) {
        if let Some(fact) = host::ask(&self.here, to, with, self.until, self.clock).await {
            self.observed(Layer::Port, fact);
        }
        self.ended(Ended::Done, None);
    }

    async fn look_here(self, what: LocalLook, redactor: Redactor) {
        let look = looks::look(what, redactor, self.here.clone(), self.pool.clone());
        let seen = timeout_at(self.clock.instant(self.until), look).await;
        for (about, layer, fact) in seen.unwrap_or_default() {
            self.observed_about(about, layer, fact);
        }
        self.ended(Ended::Done, None);
    }

    async fn knock(self, to: std::net::SocketAddr) {
        let answer = connect::knock(&self.here, to, self.clock);
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
        to: Endpoint,
        conversation: Box<dyn Conversation>,
        segment: Option<u16>,
    ) {
        let carriers = self.carriers.clone();
        if let Some(opening) = carriers.as_ref().and_then(|c| c.open(&to)) {
            let began = self.clock.now();
            let opened = timeout_at(self.clock.instant(self.until), opening).await;
            return self.carried(opened, began, id, conversation).await;
        }
        if let Some(address) = connect::address(&to) {
            let route = connect::route(&self.here, address);
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
        let connecting = connect::connect(&self.here, &to, segment, self.clock, begun);
        let Ok((carrier, fact)) = timeout_at(self.clock.instant(self.until), connecting).await
        else {
            return self.ended(Ended::Unanswered, None);
        };
        self.observed(Layer::Port, fact);
        match carrier {
            Some(carrier) => {
                let conversation = EncryptedConversation::new(conversation, self.clock.wall());
                self.converse(
                    id,
                    Line {
                        carrier,
                        conversation,
                    },
                    Input::Opened,
                )
                .await
            }
            None => self.ended(Ended::Done, None),
        }
    }

    /// Opens a line over a channel of another one, which rests meanwhile and after.
    async fn open_over(
        self,
        (under, mut carrying): (LineId, Line),
        id: LineId,
        to: Endpoint,
        conversation: Box<dyn Conversation>,
    ) {
        let began = self.clock.now();
        let opened = match carrying.carrier.channel(&to) {
            Some(opening) => timeout_at(self.clock.instant(self.until), opening).await,
            None => Ok(Err(std::io::ErrorKind::Unsupported.into())),
        };
        let _ = self.sender.send(Message::Kept(under, Box::new(carrying)));
        self.carried(opened, began, id, conversation).await;
    }

    /// A line whose carrier is there, or could not be opened.
    async fn carried(
        self,
        opened: Result<std::io::Result<Box<dyn Carrier>>, Elapsed>,
        began: Micros,
        id: LineId,
        conversation: Box<dyn Conversation>,
    ) {
        let Ok(opened) = opened else {
            return self.ended(Ended::Unanswered, None);
        };
        let elapsed_us = self.clock.now().since(began);
        match opened {
            Ok(carrier) => {
                let connected = Fact::PortConnected {
                    elapsed_us,
                    from: None,
                    retransmits: None,
                };
                self.observed(Layer::Port, connected);
                let conversation = EncryptedConversation::new(conversation, self.clock.wall());
                self.converse(
                    id,
                    Line {
                        carrier,
                        conversation,
                    },
                    Input::Opened,
                )
                .await;
            }
            Err(error) => {
                let refused = connect::refusal(&error, elapsed_us, None, None);
                self.observed(Layer::Port, refused);
                self.ended(Ended::Done, None);
            }
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
        if let Some(measured) = line.carrier.measured().filter(|_| !opening) {
            self.observed(Layer::Port, measured);
        }
        let permit = line.conversation.give_back();
        if matches!(how, Ended::Resting(_)) {
            let _ = self.sender.send(Message::Kept(id, Box::new(line)));
        }
        self.ended(how, permit);
    }
}
