//! The server's half of SCRAM, in the messages of this protocol.

use base64::Engine as _;
use base64::engine::general_purpose::STANDARD;
use chronaxis_engines::directory::message::Answer;
use chronaxis_engines::scram::{self, Keys};

use super::{Opened, Reaction, Session, State, answer};

/// The salt of every password here; it need not be secret.
const SALT: &[u8; 16] = b"osmary-ferries-7";
const SERVER_NONCE: &str = "BerthsHarbourLight";

/// How far the proof is.
pub(super) enum Proving {
    /// The client's first message is awaited.
    Begun,
    /// Its last.
    Asked {
        /// Its first, without what it says of the binding.
        bare: String,
        /// Ours.
        first: String,
    },
}

impl Session {
    pub(super) fn prove(&mut self, opened: Opened, so_far: Proving, data: &str) -> Vec<Reaction> {
        let text = STANDARD.decode(data).ok();
        let text = text.and_then(|bytes| String::from_utf8(bytes).ok());
        let Some(text) = text else {
            return self.refuse_and_close("protocol", "no SCRAM message");
        };
        match so_far {
            Proving::Begun => self.first_message(opened, &text),
            Proving::Asked { bare, first } => self.last_message(opened, &bare, &first, &text),
        }
    }

    fn first_message(&mut self, opened: Opened, text: &str) -> Vec<Reaction> {
        let user = opened.user.replace('=', "=3D").replace(',', "=2C");
        let lead = format!("n={user},r=");
        let bare = text
            .strip_prefix("n,,")
            .filter(|bare| bare.starts_with(&lead));
        let Some((bare, nonce)) = bare.and_then(|bare| Some((bare, bare.strip_prefix(&lead)?)))
        else {
            return self.refuse_and_close("protocol", "no first message of SCRAM for this user");
        };
        let (salt, rounds) = (STANDARD.encode(SALT), self.config.rounds);
        let first = format!("r={nonce}{SERVER_NONCE},s={salt},i={rounds}");
        let data = STANDARD.encode(&first);
        let bare = bare.to_owned();
        self.state = State::Proving(opened, Proving::Asked { bare, first });
        answer(&Answer::Prove { data })
    }

    fn last_message(
        &mut self,
        opened: Opened,
        bare: &str,
        first: &str,
        text: &str,
    ) -> Vec<Reaction> {
        self.counted.sign_in();
        // Of a user who does not exist the same is asked, and nothing is right.
        let account = self.config.account(&opened.user);
        let password = account.and_then(|account| account.password.clone());
        let keys = Keys::of(
            password.as_deref().unwrap_or_default(),
            SALT,
            self.config.rounds.min(4096),
        );
        let signature = scram::server_verify(&keys, bare, first, text);
        let Some(mut signature) = signature.filter(|_| password.is_some()) else {
            return self.refuse_and_close("proof-wrong", "the proof is wrong");
        };
        if let Some((code, text)) = self.barred(&opened) {
            return self.refuse_and_close(code, &text);
        }
        if self.config.proves_wrongly {
            "v=bm8sIGl0IGlzIG5vdA==".clone_into(&mut signature);
        }
        self.counted.session();
        self.state = State::Proved(opened);
        let data = STANDARD.encode(signature);
        answer(&Answer::Prove { data })
    }
}
