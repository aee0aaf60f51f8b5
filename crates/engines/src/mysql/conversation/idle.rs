//! A session that is kept idle.

use chronaxis_model::conversation::{Input, Output};
use chronaxis_model::fact::IdleEnd;
use chronaxis_model::layer::{Layer, Micros};

use super::super::codec::Refusal;
use super::{ClientHalf, State};
use crate::idle::{Idle, line_end};

/// COM_PING.
const PING: u8 = 14;

impl ClientHalf {
    pub(super) fn keep_idle(&mut self, idle: Idle) {
        self.exchange.ask(Output::Await(idle.gap()));
        self.state = State::Idling(idle);
    }

    pub(super) fn idle_packet(&mut self, now: Micros, body: &[u8]) -> Option<()> {
        let (State::Idling(idle) | State::Used(idle)) = self.state else {
            return None;
        };
        match body.first()? {
            0xff => {
                let refusal = Refusal::read(body)?;
                let end = IdleEnd::Said {
                    code: refusal.number.to_string(),
                    message: self.exchange.redactor.bytes(&refusal.message),
                };
                self.observe(Layer::Session, idle.ended(now, end));
                self.over();
            }
            0 if matches!(self.state, State::Used(_)) => {
                let mut idle = idle;
                match idle.next(now) {
                    true => self.keep_idle(idle),
                    false => {
                        self.observe(Layer::Session, idle.ended(now, IdleEnd::Lived));
                        self.quit();
                        self.over();
                    }
                }
            }
            _ => return None,
        }
        Some(())
    }

    /// The gap is over, no answer came after it, or the line ended.
    pub(super) fn idle_over(&mut self, now: Micros, input: &Input<'_>) {
        let end = match (&self.state, input) {
            (State::Idling(idle), Input::TimedOut) => {
                let idle = *idle;
                self.number = 0;
                return self.send(now, &[PING], State::Used(idle));
            }
            _ => line_end(input),
        };
        if let State::Idling(idle) | State::Used(idle) = self.state {
            self.observe(Layer::Session, idle.ended(now, end));
        }
        self.over();
    }
}
