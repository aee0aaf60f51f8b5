//! A session with more rights looks an account up: one statement after another.

use std::fmt::Write as _;

use chronaxis_model::account::Inquiry;
use chronaxis_model::fact::Fact;
use chronaxis_model::layer::{Layer, Micros};
use chronaxis_model::redact::Redacted;

use super::super::codec::{self, Refusal};
use super::super::inquiry::{MARIADB, MYSQL, STATEMENTS};
use super::{ClientHalf, State};
use crate::inquiry::Asking;

/// A statement that is being answered.
pub(super) struct Asked {
    asking: Asking,
    columns: Option<usize>,
    ends: u8,
}

impl ClientHalf {
    pub(super) fn begin_look_up(&mut self, now: Micros, inquiry: Inquiry, as_whom: Redacted) {
        let product = if self.is_mariadb() { MARIADB } else { MYSQL };
        let asking = Asking::begin(inquiry, STATEMENTS, Some(product), as_whom);
        self.ask_next(now, asking);
    }

    fn ask_next(&mut self, now: Micros, mut asking: Asking) {
        let Some(statement) = asking.current() else {
            let told = asking.told();
            self.observe(Layer::Session, Fact::AccountTold(Box::new(told)));
            self.quit();
            return self.over();
        };
        let inquiry = asking.inquiry();
        let database = inquiry.database.as_deref().unwrap_or_default();
        let sql = statement
            .sql
            .replace(":user", &text_of(&inquiry.user))
            .replace(":database", &text_of(database));
        let asked = Asked {
            asking,
            columns: None,
            ends: 0,
        };
        self.query(now, &sql, State::LookUp(Box::new(asked)));
    }

    pub(super) fn look_up_packet(&mut self, now: Micros, body: &[u8]) -> Option<()> {
        let State::LookUp(asked) = &mut self.state else {
            return None;
        };
        let redactor = &self.exchange.redactor;
        match (asked.columns, body.first()?) {
            (_, 0xff) => {
                let words = redactor.bytes(&Refusal::read(body)?.message);
                asked.asking.refused(&words, redactor);
                asked.ends = 2;
            }
            (None, 0xfb) => {
                self.data_asked(body.get(1..).unwrap_or_default());
                return Some(());
            }
            (None, count) if body.len() == 1 && *count > 0 => {
                asked.columns = Some(usize::from(*count));
            }
            (None, _) => return None,
            (Some(_), _) if codec::is_end(body) => asked.ends += 1,
            (Some(columns), _) if asked.ends == 1 => {
                asked.asking.row(codec::row(body, columns)?, redactor);
            }
            // The columns' own descriptions.
            (Some(_), _) => {}
        }
        if asked.ends == 2
            && let State::LookUp(asked) = std::mem::replace(&mut self.state, State::Over)
        {
            let mut asking = asked.asking;
            asking.done();
            self.ask_next(now, asking);
        }
        Some(())
    }
}

/// A text as a literal that no quoting rule of a server can turn into anything else.
fn text_of(text: &str) -> String {
    let hex = text.bytes().fold(String::new(), |mut out, byte| {
        let _ = write!(out, "{byte:02x}");
        out
    });
    format!("convert(x'{hex}' using utf8mb4)")
}
