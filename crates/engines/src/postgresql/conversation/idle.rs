//! A session that is kept idle.

use chronaxis_model::conversation::{Input, Output};
use chronaxis_model::fact::IdleEnd;
use chronaxis_model::layer::{Layer, Micros};

use super::super::codec::{self, Fields};
use super::{ClientHalf, State};
use crate::idle::{Idle, line_end};

impl ClientHalf {
    pub(super) fn keep_idle(&mut self, idle: Idle) {
        self.exchange.ask(Output::Await(idle.gap()));
        self.state = State::Idling(idle);
    }

    pub(super) fn idle_message(&mut self, now: Micros, kind: u8, body: &[u8]) -> Option<()> {
        let (State::Idling(idle) | State::Used(idle)) = self.state else {
            return None;
        };
        match kind {
            b'E' => {
                let fields = Fields::read(body)?;
                let end = IdleEnd::Said {
                    code: fields.code(),
                    message: self.exchange.redactor.bytes(fields.get(b'M')),
                };
                self.observe(Layer::Session, idle.ended(now, end));
                self.over();
            }
            b'T' | b'D' | b'C' | b'I' if matches!(self.state, State::Used(_)) => {}
            b'Z' if matches!(self.state, State::Used(_)) => {
                let mut idle = idle;
                match idle.next(now) {
                    true => self.keep_idle(idle),
                    false => {
                        self.observe(Layer::Session, idle.ended(now, IdleEnd::Lived));
                        self.leave();
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
                let bytes = codec::text_message(b'Q', b"select 1");
                return self.send(now, bytes, State::Used(idle));
            }
            _ => line_end(input),
        };
        if let State::Idling(idle) | State::Used(idle) = self.state {
            self.observe(Layer::Session, idle.ended(now, end));
        }
        self.over();
    }
}
