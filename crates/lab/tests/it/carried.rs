//! A line over a channel of another line, in the simulated network: what stands before the
//! far end of the one does not stand before the other.

use std::collections::BTreeSet;
use std::net::IpAddr;

use chronaxis_lab::stand_in::Service;
use chronaxis_lab::stand_in::postgresql::Config;
use chronaxis_lab::world::{Action, Rule, World};
use chronaxis_model::conversation::{Conversation, Input, Output};
use chronaxis_model::endpoint::Endpoint;
use chronaxis_model::fact::Fact;
use chronaxis_model::layer::{Layer, Micros};
use chronaxis_model::order::{Decider, Ended, Event, LineId, Order, Over, Probe, ProbeId, Shared};
use chronaxis_model::permit::Permit;

/// PostgreSQL's question for encryption (protocol 3.0, message formats, SSLRequest), and one
/// byte as its answer.
struct Asking {
    outputs: Vec<Output>,
    rests: bool,
}

impl Conversation for Asking {
    fn handle(&mut self, _: Micros, input: Input<'_>) {
        let next = match input {
            Input::Opened if self.rests => Output::Rest(Layer::Port),
            Input::Opened => Output::Send(vec![0, 0, 0, 8, 4, 210, 22, 47]),
            Input::Bytes([b'N' | b'S']) => {
                self.outputs.push(Output::Over);
                let elapsed_us = Micros(1);
                Output::Observe(Layer::Listener, Fact::SpokeProtocol { elapsed_us })
            }
            _ => Output::Over,
        };
        self.outputs.push(next);
    }

    fn poll(&mut self) -> Option<Output> {
        self.outputs.pop()
    }

    fn give_back(&mut self) -> Option<Permit> {
        None
    }
}

#[derive(Default)]
struct Nothing;

impl Shared for Nothing {
    fn take_woken(&mut self) -> BTreeSet<usize> {
        BTreeSet::new()
    }

    fn woke_late(&mut self, _: Micros) {}
}

/// Opens these, one after the other.
struct Lines {
    left: Vec<Over>,
    begun: u32,
    waiting: bool,
    seen: Vec<(u32, Fact)>,
    ended: Vec<Ended>,
}

impl Decider for Lines {
    type Shared = Nothing;

    fn poll(&mut self, _: &mut Nothing, now: Micros) -> Order {
        let until = now.after(Micros(4_000_000));
        if self.waiting {
            return Order::Wait(until);
        }
        let Some(over) = self.left.pop() else {
            return Order::Over;
        };
        self.begun += 1;
        self.waiting = true;
        let rests = !self.left.is_empty();
        Order::Start {
            probe: ProbeId(self.begun),
            what: Probe::Open {
                line: LineId(self.begun),
                over,
                conversation: Box::new(Asking {
                    outputs: Vec::new(),
                    rests,
                }),
                segment: None,
            },
            until,
        }
    }

    fn handle(&mut self, _: &mut Nothing, _: Micros, event: Event) {
        match event {
            Event::Observed { fact, .. } => self.seen.push((self.begun, fact)),
            Event::Ended { how, .. } => {
                self.ended.push(how);
                self.waiting = false;
            }
        }
    }

    fn number(&self) -> usize {
        0
    }

    fn awaits_others(&self) -> bool {
        false
    }

    fn ring(&mut self) {}

    fn deadline(&self) -> Micros {
        Micros(15_000_000)
    }
}

fn ip(text: &str) -> IpAddr {
    text.parse().unwrap()
}

/// Two hosts behind a router that drops what goes to PostgreSQL's port.
fn world() -> World {
    let database = || Service::Postgresql(Config::sailings("lantern-oil-42"));
    World::around(ip("10.8.4.21"))
        .router(ip("203.0.113.1"), &[Rule::on(5432, Action::Drop)])
        .host(ip("198.51.100.7"), &[], &[(5432, database())])
        .host(ip("198.51.100.9"), &[], &[(22, database())])
}

fn played(mut left: Vec<Over>) -> Lines {
    left.reverse();
    let mut lines = Lines {
        left,
        begun: 0,
        waiting: false,
        seen: Vec::new(),
        ended: Vec::new(),
    };
    world().play(&mut lines, &mut Nothing, |_, _| {});
    lines
}

fn at(text: &str) -> Endpoint {
    Endpoint::Tcp(text.parse().unwrap())
}

#[test]
fn what_is_dropped_on_the_straight_way_is_reached_over_another_line() {
    let spoke = |lines: &Lines, number: u32| {
        let of_it =
            |(n, fact): &(u32, Fact)| *n == number && matches!(fact, Fact::SpokeProtocol { .. });
        lines.seen.iter().any(of_it)
    };
    let straight = played(vec![Over::Endpoint(at("198.51.100.7:5432"))]);
    assert!(!spoke(&straight, 1));
    assert!(matches!(straight.ended[..], [Ended::Unanswered]));

    let carried = played(vec![
        Over::Endpoint(at("198.51.100.9:22")),
        Over::Line {
            line: LineId(1),
            to: at("198.51.100.7:5432"),
        },
    ]);
    assert!(matches!(
        carried.ended[..],
        [Ended::Resting(Layer::Port), Ended::Done]
    ));
    assert!(spoke(&carried, 2), "{:?}", carried.seen);
}

#[test]
fn nothing_listens_at_the_far_end() {
    let carried = played(vec![
        Over::Endpoint(at("198.51.100.9:22")),
        Over::Line {
            line: LineId(1),
            to: at("198.51.100.7:6432"),
        },
    ]);
    let refused = |(n, fact): &(u32, Fact)| *n == 2 && matches!(fact, Fact::PortRefused { .. });
    assert!(carried.seen.iter().any(refused), "{:?}", carried.seen);
}
