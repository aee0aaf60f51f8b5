//! The server's half of SCRAM (RFC 5802).

use std::collections::BTreeMap;
use std::sync::{Arc, Mutex, PoisonError};

use chronaxis_engines::postgresql::codec::{message, zero_ended};
use chronaxis_engines::scram;

use super::{Session, State};
use crate::stand_in::Reaction;

/// The salt of every password here; it need not be secret.
const SALT: &[u8; 16] = b"osmary-ferries-1";
const SERVER_NONCE: &str = "OsmaryHarbourLight";

/// What a server keeps of a password. It keeps it, and so do these: deriving it for every
/// line would make them slower than any.
fn keys_of(password: String, iterations: u32) -> Arc<scram::Keys> {
    static KEPT: Mutex<BTreeMap<(String, u32), Arc<scram::Keys>>> = Mutex::new(BTreeMap::new());
    let mut kept = KEPT.lock().unwrap_or_else(PoisonError::into_inner);
    let known = kept.entry((password, iterations));
    known
        .or_insert_with_key(|(password, _)| Arc::new(scram::Keys::of(password, SALT, iterations)))
        .clone()
}

impl Session {
    pub(super) fn sasl_first(&mut self, body: &[u8], iterations: u32) -> Vec<Reaction> {
        let text = zero_ended(body)
            .and_then(|(_, rest)| rest.get(4..))
            .and_then(|data| std::str::from_utf8(data).ok())
            .unwrap_or_default();
        let bare = text
            .strip_prefix("n,,")
            .or(text.strip_prefix("y,,").filter(|_| self.line.is_none()))
            .or(text.strip_prefix("p=tls-server-end-point,,"))
            .unwrap_or_default();
        let Some((_, nonce)) = bare.split_once("r=") else {
            return self.refuse("08P01", "scram_exchange", "malformed SCRAM message");
        };
        use base64::Engine as _;
        let salt = base64::engine::general_purpose::STANDARD.encode(SALT);
        let first = format!("r={nonce}{SERVER_NONCE},s={salt},i={iterations}");
        let mut out = 11u32.to_be_bytes().to_vec();
        out.extend_from_slice(first.as_bytes());
        self.state = State::SaslFinal {
            bare: bare.to_owned(),
            first,
            iterations,
        };
        vec![Reaction::Send(message(b'R', &out))]
    }

    pub(super) fn sasl_final(
        &mut self,
        body: &[u8],
        bare: &str,
        first: &str,
        iterations: u32,
    ) -> Vec<Reaction> {
        self.counted.sign_in();
        // An unknown role goes through the same motions, as on the real server.
        let role = self.config.roles.get(&self.user);
        let role = role.filter(|role| role.kept_by.is_none());
        let password = role.and_then(|role| role.password.clone());
        let known = password.is_some();
        let password = password.unwrap_or_else(|| "\u{1}none".to_owned());
        let keys = keys_of(password, iterations.min(4096));
        let text = String::from_utf8_lossy(body);
        let bound = self.is_bound_rightly(&text);
        match scram::server_verify(&keys, bare, first, &text).filter(|_| known && bound) {
            Some(signature) => {
                let mut out = 12u32.to_be_bytes().to_vec();
                out.extend_from_slice(signature.as_bytes());
                let mut reactions = vec![Reaction::Send(message(b'R', &out))];
                reactions.extend(self.proved());
                reactions
            }
            None => self.wrong_password(),
        }
    }

    /// Whether what the client says of the line fits it (RFC 5802, section 6).
    fn is_bound_rightly(&self, text: &str) -> bool {
        use base64::Engine as _;
        let said = text.strip_prefix("c=").and_then(|t| t.split(',').next());
        let said = said.and_then(|t| base64::engine::general_purpose::STANDARD.decode(t).ok());
        let Some(said) = said else { return false };
        match said.strip_prefix(b"p=tls-server-end-point,,") {
            Some(hash) => self
                .line
                .as_ref()
                .is_some_and(|l| l.certificate_hash == hash),
            None => said == b"n,," || said == b"y,,",
        }
    }
}
