//! The start-up message, and the version of the protocol that comes of it.

use chronaxis_model::fact::{Fact, Meaning};
use chronaxis_model::layer::Micros;

use super::super::codec::{self, Fields};
use super::{ClientHalf, State};

impl ClientHalf {
    pub(super) fn start_up(&mut self, now: Micros) {
        let parameters = self
            .settings
            .parameters
            .iter()
            .map(|(key, value)| (*key, value.as_str()));
        let bytes = codec::startup(self.settings.versions.0, parameters);
        self.login_began = now;
        self.send(now, bytes, State::Greeting);
    }

    /// The server has an older version of the protocol than the client asked for.
    pub(super) fn negotiated(&mut self, now: Micros, body: &[u8]) -> Option<()> {
        let theirs = codec::negotiated(body)?;
        let (_, least) = self.settings.versions;
        if theirs >= least || !matches!(self.state, State::Greeting) {
            return Some(());
        }
        let meaning = Meaning::VersionRefused;
        let words = format!(
            "{} at most; the settings (min_protocol_version) demand {}",
            codec::version_words(theirs),
            codec::version_words(least)
        );
        let fact = Fact::ServerRefused {
            code: "protocol".to_owned(),
            routine: None,
            meaning,
            message: self.exchange.redactor.text(&words),
            awaited: self.awaited(),
            elapsed_us: self.exchange.elapsed(now),
        };
        self.observe(meaning.layer(self.awaited()), fact);
        self.over();
        Some(())
    }

    /// Whether a refusal is one of the start-up message's version: poolers older than 3.2
    /// call the message broken (measured with PgBouncer 1.18).
    pub(super) fn is_of_version(&self, fields: &Fields) -> bool {
        const WORDS: [&str; 2] = ["bad packet header", "unsupported protocol"];
        let words = String::from_utf8_lossy(fields.get(b'M')).to_lowercase();
        matches!(self.state, State::Greeting)
            && self.settings.versions.0 > codec::VERSION
            && WORDS.iter().any(|known| words.contains(known))
    }
}
