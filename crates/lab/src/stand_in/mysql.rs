//! A MySQL or MariaDB server as far as connecting goes: its greeting or the refusal in its
//! place, the sign-in methods, the refusals with the numbers of the real ones, one query.

mod config;
mod key;

pub use config::{Account, Config, Mood, Wants};

use std::sync::Arc;

use chronaxis_engines::mysql::codec::{self, capability, length, packet, zero_ended};
use chronaxis_engines::mysql::methods::{self, Method};
use chronaxis_engines::mysql::parsec::{self, KeyRule};

use super::encrypted::{Half, SecuredLine};
use super::{Counted, Reaction, Server};

/// The random bytes of every sign-in here; they need not be random.
const SCRAMBLE: &[u8; 20] = b"osmary-ferries-light";
const LONG_SCRAMBLE: &[u8; 32] = b"osmary-ferries-light-at-the-quay";

/// How the key of a signature is derived: PBKDF2, 1,024 rounds, this salt.
const KEY_RULE: &[u8; 20] = b"P\x00osmary-quay-lights";

enum State {
    Response,
    Login(Method),
    /// The signature is to come.
    Signature,
    /// The password itself is to come.
    Password,
    /// The password is to come, for the public key.
    Sealed,
    Silent,
    Session,
}

/// One line of it.
pub struct Session {
    config: Config,
    counted: Arc<Counted>,
    state: State,
    inbox: Vec<u8>,
    user: String,
    database: Option<String>,
    flags: Option<u32>,
    number: u8,
    counted_proof: bool,
    half: Option<Half>,
    line: Option<SecuredLine>,
}

impl Session {
    /// A new line.
    pub fn new(config: Config, counted: Arc<Counted>) -> Session {
        Session {
            config,
            counted,
            state: State::Response,
            inbox: Vec::new(),
            user: String::new(),
            database: None,
            flags: None,
            number: 0,
            counted_proof: false,
            half: None,
            line: None,
        }
    }

    fn say(&mut self, body: &[u8]) -> Vec<Reaction> {
        let bytes = packet(self.number, body);
        self.number = self.number.wrapping_add(1);
        vec![Reaction::Send(bytes)]
    }

    fn refuse(&mut self, number: u16, words: &str) -> Vec<Reaction> {
        let mut body = vec![0xff];
        body.extend(number.to_le_bytes());
        // In place of the greeting there is no SQLSTATE.
        if self.number > 0 {
            body.extend(b"#28000");
        }
        body.extend(words.as_bytes());
        body.extend(self.config.echo.clone().unwrap_or_default().as_bytes());
        let mut out = self.say(&body);
        out.push(Reaction::Close);
        out
    }

    fn denied(&mut self, with_password: bool) -> Vec<Reaction> {
        let words = format!(
            "Access denied for user '{}'@'127.0.0.1' (using password: {})",
            self.user,
            if with_password { "YES" } else { "NO" }
        );
        self.refuse(1045, &words)
    }

    fn greeting(&self) -> Vec<u8> {
        let mut flags = codec::CAPABILITIES | capability::CONNECT_WITH_DB;
        if self.config.accounts.values().any(|a| a.further.is_some()) {
            flags |= capability::MULTI_FACTOR;
        }
        if self.config.tls.is_some() {
            flags |= capability::SSL;
        }
        let flags = flags.to_le_bytes();
        let mut out = vec![10];
        out.extend(self.config.version.as_bytes());
        out.push(0);
        out.extend([7, 0, 0, 0]);
        out.extend(SCRAMBLE.iter().take(8));
        out.push(0);
        out.extend(flags.iter().take(2));
        out.extend([45, 2, 0]);
        out.extend(flags.iter().skip(2));
        out.push(21);
        out.extend([0; 10]);
        out.extend(SCRAMBLE.iter().skip(8));
        out.push(0);
        out.extend(self.config.proposes.as_bytes());
        out.push(0);
        out
    }

    /// The client's answer to the greeting, or its request to encrypt first.
    fn response(&mut self, body: &[u8]) -> Vec<Reaction> {
        let flags = body
            .get(..4)
            .and_then(|b| b.try_into().ok())
            .map(u32::from_le_bytes);
        let Some(flags) = flags else {
            return self.refuse(1043, "Bad handshake");
        };
        // As the real servers do: those of the first packet count.
        let flags = *self.flags.get_or_insert(flags);
        if body.len() == 32 && self.half.is_none() && flags & capability::SSL != 0 {
            self.half = self.config.tls.map(|side| side.begin());
            return match self.half {
                Some(_) => Vec::new(),
                None => vec![Reaction::Close],
            };
        }
        let rest = body.get(32..).unwrap_or_default();
        let Some((user, rest)) = zero_ended(rest) else {
            return self.refuse(1043, "Bad handshake");
        };
        self.user = String::from_utf8_lossy(user).into_owned();
        let Some((answer, rest)) = codec::text(rest) else {
            return self.refuse(1043, "Bad handshake");
        };
        let answer = answer.unwrap_or_default().to_vec();
        let mut rest = rest;
        if flags & capability::CONNECT_WITH_DB != 0
            && let Some((database, after)) = zero_ended(rest)
        {
            self.database = Some(String::from_utf8_lossy(database).into_owned());
            rest = after;
        }
        let (method, _) = zero_ended(rest).unwrap_or((rest, &[]));
        let method = String::from_utf8_lossy(method).into_owned();
        self.sign_in(&method, &answer)
    }

    fn sign_in(&mut self, method: &str, answer: &[u8]) -> Vec<Reaction> {
        // Whoever names nobody proves nothing.
        if !self.user.is_empty() {
            self.count_proof();
        }
        if self.config.mood == Mood::EncryptedOnly && self.line.is_none() {
            return self.refuse(
                3159,
                "Connections using insecure transport are prohibited while \
                 --require_secure_transport=ON.",
            );
        }
        let Some(account) = self.config.accounts.get(&self.user) else {
            return self.denied(!answer.is_empty());
        };
        let own = account.method;
        if own == method
            && let Some(method) = Method::named(own.as_bytes())
        {
            return self.proof(method, answer);
        }
        let mut body = vec![0xfe];
        body.extend(own.as_bytes());
        body.push(0);
        match Method::named(own.as_bytes()) {
            Some(Method::Ed25519 | Method::Parsec) => body.extend(LONG_SCRAMBLE),
            _ => {
                body.extend(SCRAMBLE);
                body.push(0);
            }
        }
        if let Some(method) = Method::named(own.as_bytes()) {
            self.state = State::Login(method);
        }
        self.say(&body)
    }

    fn count_proof(&mut self) {
        if !std::mem::replace(&mut self.counted_proof, true) {
            self.counted.sign_in();
        }
    }

    fn password(&self) -> String {
        let account = self.config.accounts.get(&self.user);
        account.map_or_else(String::new, |a| a.password.clone())
    }

    /// An answer by a method, as it came.
    fn proof(&mut self, method: Method, answer: &[u8]) -> Vec<Reaction> {
        self.count_proof();
        if method == Method::Parsec {
            self.state = State::Signature;
            return self.say(KEY_RULE);
        }
        let password = self.password();
        if answer.is_empty() && password.is_empty() {
            return self.proved();
        }
        if answer.is_empty() && !matches!(method, Method::Sha256 | Method::Clear) {
            return self.denied(false);
        }
        match method {
            Method::Native => self.right(answer == methods::native(&password, SCRAMBLE)),
            Method::Ed25519 => self.right(methods::ed25519_fits(&password, LONG_SCRAMBLE, answer)),
            Method::CachingSha2 if self.config.remembers => {
                if answer != methods::caching_sha2(&password, SCRAMBLE) {
                    return self.denied(true);
                }
                let mut out = self.say(&[1, 3]);
                out.extend(self.proved());
                out
            }
            Method::CachingSha2 => {
                self.state = State::Password;
                self.say(&[1, 4])
            }
            Method::Sha256 | Method::Clear | Method::Parsec => self.shown(answer),
        }
    }

    /// The password itself, or the request for the key that protects it.
    fn shown(&mut self, answer: &[u8]) -> Vec<Reaction> {
        if self.line.is_none() && matches!(answer, [1] | [2]) {
            self.state = State::Sealed;
            let mut body = vec![1];
            body.extend(key::PUBLIC.as_bytes());
            return self.say(&body);
        }
        self.count_proof();
        let given = zero_ended(answer).map_or(answer, |(text, _)| text);
        let right = given == self.password().as_bytes();
        self.right(right)
    }

    /// A signature: the client makes one without a password too.
    fn signed(&mut self, answer: &[u8]) -> Vec<Reaction> {
        let rule = KeyRule::read(KEY_RULE).ok();
        let key = rule.map(|rule| rule.derive(&self.password()));
        self.right(key.is_some_and(|key| parsec::fits(&key, LONG_SCRAMBLE, answer)))
    }

    fn sealed(&mut self, sealed: &[u8]) -> Vec<Reaction> {
        let opened: Option<Vec<u8>> = key::open(sealed).map(|hidden| {
            let mask = SCRAMBLE.iter().cycle();
            hidden.iter().zip(mask).map(|(a, b)| a ^ b).collect()
        });
        let mut expected = self.password().into_bytes();
        expected.push(0);
        self.right(opened == Some(expected))
    }

    fn right(&mut self, right: bool) -> Vec<Reaction> {
        if right {
            self.proved()
        } else {
            self.denied(true)
        }
    }

    fn proved(&mut self) -> Vec<Reaction> {
        if self.config.mood == Mood::SilentAfterProof {
            self.state = State::Silent;
            return Vec::new();
        }
        let Some(account) = self.config.accounts.get(&self.user).cloned() else {
            return self.denied(true);
        };
        let line = self.line.clone();
        let suits = match account.wants {
            Wants::Nothing => true,
            Wants::Encryption => line.is_some(),
            Wants::Certificate => line.is_some_and(|l| l.knows_client),
        };
        if !suits {
            return self.denied(!account.password.is_empty());
        }
        if let Some(method) = account.further {
            // Who does not take part is refused like anybody else.
            if self.flags.unwrap_or_default() & capability::MULTI_FACTOR == 0 {
                return self.denied(true);
            }
            let mut body = vec![2];
            body.extend(method.as_bytes());
            body.push(0);
            return self.say(&body);
        }
        if let Some((number, words)) = account.refused {
            return self.refuse(number, words);
        }
        let wanted = self.database.clone();
        if let Some(database) = wanted.filter(|d| !account.databases.contains(d)) {
            if !self.config.databases.contains(&database) && account.databases.len() > 1 {
                return self.refuse(1049, &format!("Unknown database '{database}'"));
            }
            let user = self.user.clone();
            let words = format!("Access denied for user '{user}'@'%' to database '{database}'");
            return self.refuse(1044, &words);
        }
        self.counted.session();
        self.state = State::Session;
        self.say(&[0, 0, 0, 2, 0, 0, 0])
    }

    fn query(&mut self, body: &[u8]) -> Vec<Reaction> {
        if body.first() == Some(&1) {
            return vec![Reaction::Close];
        }
        self.number = 1;
        if self.config.mood == Mood::AsksForFile {
            return self.say(b"\xfb/home/purser/.ssh/id_ed25519");
        }
        let up_s = "86400";
        let row = [
            Some(format!("{}@%", self.user)),
            Some(format!("{}@10.8.4.21", self.user)),
            self.database.clone(),
            Some(self.config.version.trim_start_matches("5.5.5-").to_owned()),
            Some("quay".to_owned()),
            Some("3306".to_owned()),
            Some("1".to_owned()),
            Some(u8::from(self.config.read_only).to_string()),
            Some(up_s.to_owned()),
            Some("INSERT, SELECT, UPDATE".to_owned()),
            Some("utf8mb4".to_owned()),
            Some("utf8mb4_general_ci".to_owned()),
            Some("SYSTEM".to_owned()),
            Some("REPEATABLE-READ".to_owned()),
            Some(self.config.connections.to_string()),
            Some("151".to_owned()),
            Some("28800".to_owned()),
            None,
        ];
        let mut out = self.say(&[row.len() as u8]);
        for _ in &row {
            out.extend(self.say(b"\x03def\0\0\0\x01c\0\x0c\x2d\0\xff\0\0\0\xfd\0\0\x1f\0\0"));
        }
        out.extend(self.say(&[0xfe, 0, 0, 2, 0]));
        let mut cells = Vec::new();
        for cell in row {
            match cell {
                Some(text) => {
                    cells.extend(length(text.len()));
                    cells.extend(text.as_bytes());
                }
                None => cells.push(0xfb),
            }
        }
        out.extend(self.say(&cells));
        out.extend(self.say(&[0xfe, 0, 0, 2, 0]));
        out
    }

    /// Takes in what the client says, encrypted or not.
    fn said(&mut self, bytes: &[u8]) -> Vec<Reaction> {
        self.inbox.extend_from_slice(bytes);
        let mut out = Vec::new();
        loop {
            let inbox = std::mem::take(&mut self.inbox);
            let (number, body, taken) = match codec::frame(&inbox) {
                codec::Frame::Whole(number, body, taken) => (number, body.to_vec(), taken),
                codec::Frame::Short => {
                    self.inbox = inbox;
                    return out;
                }
                codec::Frame::Broken => return vec![Reaction::Close],
            };
            self.number = number.wrapping_add(1);
            let rest = inbox.get(taken..).unwrap_or_default().to_vec();
            let reactions = match std::mem::replace(&mut self.state, State::Silent) {
                State::Response => {
                    self.state = State::Response;
                    self.response(&body)
                }
                State::Login(method) => {
                    self.state = State::Login(method);
                    self.proof(method, &body)
                }
                State::Password => self.shown(&body),
                State::Signature => self.signed(&body),
                State::Sealed => self.sealed(&body),
                State::Session => {
                    self.state = State::Session;
                    self.query(&body)
                }
                State::Silent => Vec::new(),
            };
            out.extend(reactions);
            if out.contains(&Reaction::Close) {
                return out;
            }
            if self.half.is_some() && self.line.is_none() && !rest.is_empty() {
                // The hello came in the same breath as the request.
                out.extend(self.received(&rest));
                return out;
            }
            self.inbox = rest;
        }
    }
}

impl Server for Session {
    fn opened(&mut self) -> Vec<Reaction> {
        let mut out = match self.config.greets_after_ms {
            0 => Vec::new(),
            ms => vec![Reaction::Pause(ms)],
        };
        match self.config.mood {
            Mood::Mute => return Vec::new(),
            Mood::RefusesAtOnce(number, words) => out.extend(self.refuse(number, words)),
            _ => {
                let greeting = self.greeting();
                out.extend(self.say(&greeting));
            }
        }
        out
    }

    fn received(&mut self, bytes: &[u8]) -> Vec<Reaction> {
        let Some(mut half) = self.half.take() else {
            return self.said(bytes);
        };
        let out = half.received(bytes, &mut |plain, line| {
            self.line = Some(line);
            self.said(plain)
        });
        self.half = Some(half);
        out
    }
}
