//! The walk as the edge meets it: polled for orders, told what came of them.

use chronaxis_model::fact::{Fact, Subject};
use chronaxis_model::layer::Micros;
use chronaxis_model::order::{Decider, Event, Order};

use super::{Stage, Walk};
use crate::run_state::RunState;

impl Decider for Walk {
    type Shared = RunState;

    fn awaits_others(&self) -> bool {
        self.awaits_turn()
            || self.names.awaits()
            || self.steps.awaits()
            || self.side_checks.awaits()
            || self.sharing.awaits()
            || matches!(self.stage, Stage::Staying(_))
    }

    fn deadline(&self) -> Micros {
        self.deadline
    }

    fn number(&self) -> usize {
        self.turns.number
    }

    fn ring(&mut self) {
        self.side_checks.ring();
    }

    fn handle(&mut self, run: &mut RunState, now: Micros, event: Event) {
        self.late.measure(run);
        match event {
            Event::Observed {
                probe,
                name,
                layer,
                fact,
            } => {
                if matches!(fact, Fact::LeftCounted)
                    && let Some(server) = self.probes.server_of(probe)
                {
                    run.permits.count_given_up(server);
                }
                if let Some(server) = self.probes.server_of(probe) {
                    self.note_counting(run, &server, &fact);
                    if let Fact::Instance(instance) = &fact
                        && let Some(identifier) = instance.identifier()
                    {
                        let server = self.server_at(&server);
                        run.permits.met_instance(&identifier, &server);
                    }
                }
                match name {
                    Some(name) => self.note(now, layer, Subject::name(&name), fact),
                    None => self.observed(now, probe, layer, fact),
                }
            }
            Event::Ended { probe, how, permit } => {
                if let Some(permit) = permit {
                    run.permits.settle(permit);
                }
                self.ended(run, now, probe, how);
            }
        }
        self.share_ports(run, now, false);
    }

    fn poll(&mut self, run: &mut RunState, now: Micros) -> Order {
        self.late.measure(run);
        if self.orders.is_empty() {
            self.step(run, now);
            self.share_ports(run, now, false);
        }
        if let Some(order) = self.orders.pop_front() {
            return order;
        }
        match self.stage {
            Stage::Over => {
                self.release(run);
                Order::Over
            }
            _ => Order::Wait(self.wake(now)),
        }
    }
}
