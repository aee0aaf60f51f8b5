//! Runs a walk: carries out its orders, hands it what came of them.

use std::collections::BTreeMap;

use chronaxis_core::conversation::Input;
use chronaxis_core::fact::Fact;
use chronaxis_core::layer::{Layer, Micros};
use chronaxis_core::order::{Ended, Event, LineId, Order, Probe, ProbeId};
use chronaxis_core::permit::Ledger;
use chronaxis_core::walk::Walk;
use chronaxis_tls::Talk;
use tokio::sync::mpsc::{UnboundedReceiver, UnboundedSender, unbounded_channel};
use tokio::task::{AbortHandle, JoinSet};
use tokio::time::timeout_at;

use crate::clock::Clock;
use crate::connect;
use crate::line::Line;
use crate::local;
use crate::look_up;

enum Message {
    Event(Event),
    Kept(LineId, Box<Line>),
}

/// Runs a walk to its end on the real network. `settled` is told of each layer that can
/// change no more, in order. Must run inside a tokio runtime with IO and time.
pub async fn run(
    walk: &mut Walk,
    ledger: &mut Ledger,
    clock: Clock,
    mut settled: impl FnMut(&Walk, Layer),
) {
    let (sender, mut receiver) = unbounded_channel();
    let mut edge = Edge {
        clock,
        sender,
        lines: BTreeMap::new(),
        tasks: JoinSet::new(),
        running: BTreeMap::new(),
    };
    loop {
        match walk.poll(ledger, clock.now()) {
            Order::Start { probe, what, until } => edge.start(probe, what, until),
            Order::Stop(probe) => edge.stop(probe),
            Order::Close(line) => edge.close(line).await,
            Order::Settled(layer) => settled(walk, layer),
            Order::Wait(until) => {
                if let Some(event) = edge.next(&mut receiver, until).await {
                    walk.handle(ledger, clock.now(), event);
                }
            }
            Order::Over => return,
        }
    }
}

struct Edge {
    clock: Clock,
    sender: UnboundedSender<Message>,
    lines: BTreeMap<LineId, Line>,
    tasks: JoinSet<()>,
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
                    if let Event::Ended { probe, .. } = &event {
                        self.running.remove(probe);
                    }
                    return Some(event);
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
            Probe::LocalListener { to } => {
                if let Some(fact) = local::listener(to) {
                    report.observed(Layer::Port, fact);
                }
                return report.ended(Ended::Done, None);
            }
            Probe::Open { line, to, talk } => self.tasks.spawn(report.open(line, to, talk)),
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
            let _ = self.sender.send(Message::Event(event));
        }
    }

    async fn close(&mut self, line: LineId) {
        if let Some(kept) = self.lines.remove(&line) {
            kept.leave(self.clock).await;
        }
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
        tracing::debug!(probe = self.probe.0, %layer, ?fact, "observed");
        let event = Event::Observed {
            probe: self.probe,
            layer,
            fact,
        };
        let _ = self.sender.send(Message::Event(event));
    }

    fn ended(&self, how: Ended, permit: Option<chronaxis_core::permit::Permit>) {
        tracing::debug!(probe = self.probe.0, ?how, "ended");
        let event = Event::Ended {
            probe: self.probe,
            how,
            permit,
        };
        let _ = self.sender.send(Message::Event(event));
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
        to: chronaxis_core::endpoint::Endpoint,
        talk: Box<dyn chronaxis_core::conversation::Conversation>,
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
        let connecting = connect::connect(&to, self.clock);
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
            let _ = sender.send(Message::Event(Event::Observed { probe, layer, fact }));
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
