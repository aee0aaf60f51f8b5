//! A session with more rights looks an account up: one statement after another.

use chronaxis_model::account::Inquiry;
use chronaxis_model::fact::Fact;
use chronaxis_model::layer::{Layer, Micros};
use chronaxis_model::redact::Redacted;

use super::super::codec::{self, Fields};
use super::super::inquiry::STATEMENTS;
use super::{ClientHalf, State};
use crate::inquiry::Asking;

impl ClientHalf {
    pub(super) fn begin_look_up(&mut self, now: Micros, inquiry: Inquiry, as_whom: Redacted) {
        let asking = Asking::begin(inquiry, STATEMENTS, None, as_whom);
        self.ask_next(now, Box::new(asking));
    }

    fn ask_next(&mut self, now: Micros, mut asking: Box<Asking>) {
        let Some(statement) = asking.current() else {
            let told = asking.told();
            self.observe(Layer::Session, Fact::AccountTold(Box::new(told)));
            return self.leave();
        };
        let inquiry = asking.inquiry();
        let database = inquiry.database.as_deref().unwrap_or_default();
        let mut values = Vec::new();
        let mut sql = statement.sql.to_owned();
        for (name, value) in [(":user", inquiry.user.as_str()), (":database", database)] {
            if sql.contains(name) {
                values.push(value);
                sql = sql.replace(name, &format!("${}", values.len()));
            }
        }
        let bytes = codec::statement(&sql, &values);
        self.send(now, bytes, State::LookUp(asking));
    }

    pub(super) fn look_up_message(&mut self, now: Micros, kind: u8, body: &[u8]) -> Option<()> {
        if kind == b'E' && Fields::read(body)?.ends_session() {
            return self.refused(now, body);
        }
        let State::LookUp(asking) = &mut self.state else {
            return None;
        };
        let redactor = &self.exchange.redactor;
        match kind {
            // ParseComplete, BindComplete, CommandComplete, EmptyQueryResponse.
            b'1' | b'2' | b'C' | b'I' => {}
            b'D' => asking.row(codec::row(body)?, redactor),
            b'E' => {
                let words = redactor.bytes(Fields::read(body)?.get(b'M'));
                asking.refused(&words, redactor);
            }
            b'Z' => {
                asking.done();
                if let State::LookUp(asking) = std::mem::replace(&mut self.state, State::Over) {
                    self.ask_next(now, asking);
                }
            }
            _ => return None,
        }
        Some(())
    }
}
