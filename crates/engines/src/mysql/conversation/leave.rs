//! Giving up a line before the sign-in, so that the server does not count it.

use chronaxis_model::conversation::Output;
use chronaxis_model::fact::Fact;
use chronaxis_model::layer::{Layer, Micros};

use super::super::codec::{self, Response};
use super::{ClientHalf, State};

/// How long the last word of a line that is left may take.
const LAST_WORD: Micros = Micros::from_millis(1500);

impl ClientHalf {
    /// Leaves: before a response by one that names nobody, in a session by the word for
    /// it, else by closing, which counts.
    pub(super) fn leave(&mut self, now: Micros) {
        if self.responded {
            self.observe(Layer::Listener, Fact::LeftCounted);
            return self.over();
        }
        let body = codec::response(&Response {
            user: "",
            // As the request to encrypt has promised.
            database: self.settings.database.as_deref().filter(|_| self.secured),
            method: "mysql_native_password",
            answer: &[],
            secured: self.secured,
            several_factors: self.takes_several_factors(),
        });
        self.send(now, &body, State::Leaving);
        self.exchange.ask(Output::Await(LAST_WORD));
    }

    /// What came of it: a refusal as a rule; a server that has an account for everybody
    /// lets nobody in.
    pub(super) fn left(&mut self, body: &[u8]) {
        match body.first() {
            Some(0xfe) if body.len() > 1 => {
                // Another method is wanted of nobody: nothing is its answer too.
                let bytes = codec::packet(self.number, &[]);
                self.exchange.ask(Output::Send(bytes));
                return;
            }
            Some(0) => {
                self.quit();
                self.observe(Layer::Session, Fact::LeftNamingNobody { let_in: true });
            }
            _ => self.observe(Layer::Listener, Fact::LeftNamingNobody { let_in: false }),
        }
        self.over();
    }

    /// Leaves a line that was never walked: its greeting may not have been read yet.
    pub(super) fn leave_unread(&mut self, now: Micros) {
        match self.state {
            State::Idle => {
                self.exchange.stop = Layer::Port;
                self.state = State::Greeting;
                self.exchange.patience = LAST_WORD;
                self.exchange.wait(now);
            }
            _ => self.over(),
        }
    }

    /// The word for the end of a session.
    pub(super) fn quit(&mut self) {
        self.exchange.ask(Output::Send(codec::packet(0, &[1])));
    }
}
