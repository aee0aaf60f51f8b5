//! A session that is kept idle: used again by asking who one is.

use chronaxis_model::conversation::{Input, Output};
use chronaxis_model::fact::IdleEnd;
use chronaxis_model::layer::{Layer, Micros};

use super::super::message::{Answer, Request};
use super::{ClientHalf, State};
use crate::idle::{Idle, line_end};

impl ClientHalf {
    pub(super) fn keep_idle(&mut self, idle: Idle) {
        self.exchange.ask(Output::Await(idle.gap()));
        self.state = State::Idling(idle);
    }

    /// An answer came while it is idle, or once it was used; none where it is none of these.
    pub(super) fn idle_answer(&mut self, now: Micros, answer: &Answer) -> Option<()> {
        let (State::Idling(idle) | State::Used(idle)) = self.state else {
            return None;
        };
        match answer {
            Answer::Refused { code, text } => {
                let redactor = &self.exchange.redactor;
                let end = IdleEnd::Said {
                    code: redactor.text(code).to_string(),
                    message: redactor.text(text),
                };
                self.observe(Layer::Session, idle.ended(now, end));
                self.over();
            }
            Answer::Accepted(_) if matches!(self.state, State::Used(_)) => {
                let mut idle = idle;
                match idle.next(now) {
                    true => self.keep_idle(idle),
                    false => {
                        self.observe(Layer::Session, idle.ended(now, IdleEnd::Lived));
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
                return self.send(now, &Request::Who {}, State::Used(idle));
            }
            _ => line_end(input),
        };
        if let State::Idling(idle) | State::Used(idle) = self.state {
            self.observe(Layer::Session, idle.ended(now, end));
        }
        self.over();
    }
}
