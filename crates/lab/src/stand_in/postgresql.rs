//! A PostgreSQL server as far as connecting goes: start-up, the sign-in methods, the
//! refusals with the codes and routines of the real one, one query.

mod answers;
mod config;
mod looked_up;
mod scram_half;

pub use config::{Config, Database, Method, Mood, Pooler, Role};

use std::sync::Arc;

use chronaxis_engines::postgresql::codec::{self, message, zero_ended};
use chronaxis_engines::postgresql::sign_in;

use super::encrypted::{Half, SecuredLine};
use super::{Counted, Reaction, Server};
use answers::{ready, refusal, session_start};

/// The salt of every MD5 answer; it need not be random.
const MD5_SALT: [u8; 4] = [7, 11, 13, 17];

/// Longest start-up message, in bytes.
const LONGEST_START: u32 = 10_000;

enum State {
    StartUp,
    Password,
    SaslFirst(u32),
    SaslFinal {
        bare: String,
        first: String,
        iterations: u32,
    },
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
    database: String,
    options: Option<String>,
    /// The statement with values that is being asked.
    statement: String,
    values: Vec<String>,
    unknown_parameter: Option<String>,
    half: Option<Half>,
    /// What is known of the encrypted line, once there is one.
    line: Option<SecuredLine>,
}

impl Session {
    /// A new line.
    pub fn new(config: Config, counted: Arc<Counted>) -> Session {
        let half = config
            .tls
            .filter(|_| config.direct)
            .map(|side| side.begin());
        Session {
            config,
            counted,
            half,
            line: None,
            state: State::StartUp,
            inbox: Vec::new(),
            user: String::new(),
            database: String::new(),
            options: None,
            unknown_parameter: None,
            statement: String::new(),
            values: Vec::new(),
        }
    }

    /// The next whole message's type and body; type 0 before the start-up is done.
    fn take(&mut self) -> Option<(u8, Vec<u8>)> {
        let typed = usize::from(!matches!(self.state, State::StartUp));
        let length = self.inbox.get(typed..typed + 4)?.try_into().ok()?;
        let length = u32::from_be_bytes(length) as usize;
        let end = typed + length.clamp(4, codec::LONGEST);
        let body = self.inbox.get(typed + 4..end)?.to_vec();
        let kind = if typed == 1 { *self.inbox.first()? } else { 0 };
        self.inbox.drain(..end);
        Some((kind, body))
    }

    /// The time before the first answer, taken once.
    fn pause(&mut self) -> Vec<Reaction> {
        match std::mem::take(&mut self.config.greets_after_ms) {
            0 => Vec::new(),
            ms => vec![Reaction::Pause(ms)],
        }
    }

    fn refuse(&self, code: &str, routine: &str, text: &str) -> Vec<Reaction> {
        let echo = self.config.echo.as_deref().unwrap_or_default();
        vec![
            Reaction::Send(refusal(code, routine, &format!("{text}{echo}"))),
            Reaction::Close,
        ]
    }

    fn start_up(&mut self, body: &[u8]) -> Vec<Reaction> {
        if body == &codec::ENCRYPTION_REQUEST[4..] {
            let mut out = self.pause();
            out.push(Reaction::Send(vec![self.config.encryption]));
            if self.config.encryption == b'S' {
                self.half = self.config.tls.map(|side| side.begin());
            }
            return out;
        }
        let version = body.first_chunk::<4>().map(|b| u32::from_be_bytes(*b));
        if version == Some(codec::VERSION_3_2) {
            // As servers older than 18 do: they go on in what they have.
            let newest = [codec::VERSION, 0].map(u32::to_be_bytes).concat();
            let mut out = vec![Reaction::Send(codec::message(b'v', &newest))];
            let older = [
                &codec::VERSION.to_be_bytes(),
                body.get(4..).unwrap_or_default(),
            ];
            out.extend(self.start_up(&older.concat()));
            return out;
        }
        if version != Some(codec::VERSION) {
            return self.refuse(
                "0A000",
                "ProcessStartupPacket",
                "unsupported frontend protocol",
            );
        }
        self.read_parameters(body.get(4..).unwrap_or_default());
        match self.config.mood {
            Mood::Starting => {
                return self.refuse(
                    "57P03",
                    "ProcessStartupPacket",
                    "the database system is starting up",
                );
            }
            Mood::Stopping => {
                return self.refuse(
                    "57P03",
                    "ProcessStartupPacket",
                    "the database system is shutting down",
                );
            }
            Mood::Full => {
                return self.refuse("53300", "InitProcess", "sorry, too many clients already");
            }
            Mood::NoHostRule => {
                let text = format!(
                    "no pg_hba.conf entry for host \"127.0.0.1\", user \"{}\", database \"{}\", no encryption",
                    self.user, self.database
                );
                return self.refuse("28000", "ClientAuthentication", &text);
            }
            Mood::EncryptedOnly if self.line.is_none() => {
                let text = "no pg_hba.conf entry for host \"127.0.0.1\", no encryption";
                return self.refuse("28000", "ClientAuthentication", text);
            }
            Mood::WantsCertificate if !self.line.as_ref().is_some_and(|l| l.knows_client) => {
                let text = "connection requires a valid client certificate";
                return self.refuse("28000", "ClientAuthentication", text);
            }
            Mood::EncryptedOnly
            | Mood::WantsCertificate
            | Mood::Open
            | Mood::SilentAfterProof
            | Mood::SilentInSession => {}
        }
        if let Some(refused) = self.refused_by_pooler() {
            return refused;
        }
        self.ask_for_proof()
    }

    /// What a pooler refuses before it asks for anything.
    fn refused_by_pooler(&self) -> Option<Vec<Reaction>> {
        let text = match self.config.pooler? {
            Pooler::Full => "no more connections allowed (max_client_conn)".to_owned(),
            Pooler::BackendDown => {
                "server login has been failing, try again later (server_login_retry)".to_owned()
            }
            Pooler::Ready => {
                let name = self.unknown_parameter.as_deref()?;
                format!("unsupported startup parameter: {name}")
            }
        };
        Some(self.refuse("08P01", "", &text))
    }

    fn read_parameters(&mut self, mut rest: &[u8]) {
        while let Some((key, after)) = zero_ended(rest).filter(|(k, _)| !k.is_empty()) {
            let Some((value, after)) = zero_ended(after) else {
                return;
            };
            let value = String::from_utf8_lossy(value).into_owned();
            match key {
                b"user" => self.user = value,
                b"database" => self.database = value,
                b"options" => self.options = Some(value),
                b"client_encoding" | b"DateStyle" | b"TimeZone" | b"application_name" => {}
                other => {
                    let name = String::from_utf8_lossy(other).into_owned();
                    self.unknown_parameter.get_or_insert(name);
                }
            }
            rest = after;
        }
        if self.database.is_empty() {
            self.database.clone_from(&self.user);
        }
    }

    fn ask_for_proof(&mut self) -> Vec<Reaction> {
        let authentication = |code: u32, more: &[u8]| {
            let mut body = code.to_be_bytes().to_vec();
            body.extend_from_slice(more);
            vec![Reaction::Send(message(b'R', &body))]
        };
        let method = match self.in_directory() {
            true => Method::Cleartext,
            false => self.config.method.clone(),
        };
        match method {
            Method::Trust => self.admitted(),
            Method::Md5 => {
                self.state = State::Password;
                authentication(5, &MD5_SALT)
            }
            Method::Cleartext => {
                self.state = State::Password;
                authentication(3, &[])
            }
            Method::Scram(iterations) => {
                self.state = State::SaslFirst(iterations);
                if self.line.is_some() {
                    return authentication(10, b"SCRAM-SHA-256-PLUS\0SCRAM-SHA-256\0\0");
                }
                authentication(10, b"SCRAM-SHA-256\0\0")
            }
            Method::Sasl(names) => {
                let mut list = Vec::new();
                for name in names {
                    list.extend_from_slice(name.as_bytes());
                    list.push(0);
                }
                list.push(0);
                authentication(10, &list)
            }
            Method::Number(number) => authentication(number, &[]),
        }
    }

    fn password(&mut self, body: &[u8]) -> Vec<Reaction> {
        self.counted.sign_in();
        let given = zero_ended(body).map_or(body, |(text, _)| text);
        let wanted = self
            .config
            .roles
            .get(&self.user)
            .and_then(|r| r.password.clone());
        let right = wanted.is_some_and(|password| {
            let expected = match self.config.method {
                Method::Md5 => sign_in::md5_answer(&self.user, &password, MD5_SALT),
                _ => password,
            };
            expected.as_bytes() == given
        });
        if right && !self.in_directory() {
            self.proved()
        } else {
            self.wrong_password()
        }
    }

    fn wrong_password(&self) -> Vec<Reaction> {
        if self.config.pooler.is_some() {
            return self.refuse("08P01", "", "SASL authentication failed");
        }
        let user = &self.user;
        if self.in_directory() {
            let text = format!("LDAP authentication failed for user \"{user}\"");
            return self.refuse("28000", "auth_failed", &text);
        }
        let text = format!("password authentication failed for user \"{user}\"");
        self.refuse("28P01", "auth_failed", &text)
    }

    /// Whether a directory decides on the password: it takes none here.
    fn in_directory(&self) -> bool {
        let role = self.config.roles.get(&self.user);
        role.is_some_and(|role| role.in_directory)
    }

    fn proved(&mut self) -> Vec<Reaction> {
        if self.config.mood == Mood::SilentAfterProof {
            self.state = State::Silent;
            return Vec::new();
        }
        self.admitted()
    }

    /// The order of the checks is the real server's: role, limit, database, privilege,
    /// options.
    fn admitted(&mut self) -> Vec<Reaction> {
        let known = self.config.databases.contains_key(&self.database);
        if self.config.pooler.is_some() && !known {
            let text = format!("no such database: {}", self.database);
            return self.refuse("08P01", "", &text);
        }
        let mut out = vec![Reaction::Send(message(b'R', &0u32.to_be_bytes()))];
        let (user, database) = (self.user.clone(), self.database.clone());
        let refused = match (
            self.config.roles.get(&user),
            self.config.databases.get(&database),
        ) {
            (None, _) => Some((
                "28000",
                "InitializeSessionUserId",
                format!("role \"{user}\" does not exist"),
            )),
            (Some(role), _) if role.no_login => Some((
                "28000",
                "InitializeSessionUserId",
                format!("role \"{user}\" is not permitted to log in"),
            )),
            (Some(role), _) if role.at_limit => Some((
                "53300",
                "InitializeSessionUserId",
                format!("too many connections for role \"{user}\""),
            )),
            (_, None) => Some((
                "3D000",
                "InitPostgres",
                format!("database \"{database}\" does not exist"),
            )),
            (_, Some(d)) if d.closed => Some((
                "55000",
                "CheckMyDatabase",
                format!("database \"{database}\" is not currently accepting connections"),
            )),
            (_, Some(d)) if d.forbidden => Some((
                "42501",
                "CheckMyDatabase",
                format!("permission denied for database \"{database}\""),
            )),
            _ => self.options.as_deref().and_then(answers::refused_option),
        };
        if let Some((code, routine, text)) = refused {
            out.extend(self.refuse(code, routine, &text));
            return out;
        }
        self.counted.session();
        self.state = State::Session;
        out.push(Reaction::Send(session_start()));
        out
    }

    fn query(&self, body: &[u8]) -> Vec<Reaction> {
        let text = zero_ended(body).map_or(body, |(text, _)| text);
        let text = String::from_utf8_lossy(text);
        let mut out = if text.contains("pg_control_system") {
            answers::instance(
                (&self.user, &self.database),
                &self.config,
                self.options.as_deref(),
            )
        } else {
            answers::one()
        };
        out.extend(ready());
        vec![Reaction::Send(out)]
    }
}

impl Server for Session {
    fn ends_idle(&mut self) -> Option<(u64, Vec<Reaction>)> {
        let after = self.config.idle_limit_ms?;
        let text = "terminating connection due to idle-session timeout";
        let in_session = matches!(self.state, State::Session);
        in_session.then(|| (after, self.refuse("57P05", "ProcessInterrupts", text)))
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

impl Session {
    /// Takes in what the client says, encrypted or not.
    fn said(&mut self, bytes: &[u8]) -> Vec<Reaction> {
        self.inbox.extend_from_slice(bytes);
        let mut out = Vec::new();
        // The real ones take a start-up message of so many bytes, and close on any other.
        let length = self
            .inbox
            .first_chunk::<4>()
            .map(|b| u32::from_be_bytes(*b));
        if matches!(self.state, State::StartUp) && length.is_some_and(|l| l > LONGEST_START) {
            return vec![Reaction::Close];
        }
        while let Some((kind, body)) = self.take() {
            let state = std::mem::replace(&mut self.state, State::Silent);
            match (state, kind) {
                (State::StartUp, _) => {
                    self.state = State::StartUp;
                    out.extend(self.start_up(&body));
                }
                (State::Password, b'p') => out.extend(self.password(&body)),
                (State::SaslFirst(iterations), b'p') => {
                    out.extend(self.sasl_first(&body, iterations))
                }
                (
                    State::SaslFinal {
                        bare,
                        first,
                        iterations,
                    },
                    b'p',
                ) => {
                    out.extend(self.sasl_final(&body, &bare, &first, iterations));
                }
                (State::Session, b'Q') => {
                    self.state = State::Session;
                    if self.config.mood != Mood::SilentInSession {
                        out.extend(self.query(&body));
                    }
                }
                (State::Session, b'P' | b'B' | b'E' | b'S') => {
                    self.state = State::Session;
                    out.extend(self.extended(kind, &body));
                }
                (State::Silent, _) => {}
                (_, _) => out.push(Reaction::Close),
            }
            if out.contains(&Reaction::Close) {
                break;
            }
        }
        out
    }
}
