//! A directory and its instances (`docs/directory.md`): bytes in, answers out.

pub mod config;
mod prove;

use std::sync::Arc;
use std::sync::atomic::Ordering;

use chronaxis_engines::directory::frames::{Frame, frame};
use chronaxis_engines::directory::message::{
    Answer, Encryption, Instance, Request, Service, VERSION, Who,
};

use self::config::{Account, Config, InstanceConfig, Mood, Place, Standing};
use self::prove::Proving;
use super::encrypted::Half;
use super::{Counted, Reaction, Server};

/// Most services in one answer.
const A_PAGE: usize = 50;

/// What was said so far.
enum State {
    /// Nothing.
    Fresh,
    /// `hello`.
    Greeted,
    /// `open`, and a proof is awaited.
    Proving(Opened, Proving),
    /// The proof is right; the client has not said so of ours.
    Proved(Opened),
    /// Let in.
    Open(Opened),
    /// The last word.
    Over,
}

/// A service that is opened.
#[derive(Clone)]
struct Opened {
    instance: String,
    service: String,
    user: String,
    role: Option<String>,
}

/// One line.
pub struct Session {
    config: Config,
    counted: Arc<Counted>,
    inbox: Vec<u8>,
    /// What encrypts it, where it does.
    half: Option<Half>,
    secured: bool,
    state: State,
}

impl Session {
    /// Begins a line.
    pub fn new(config: Config, counted: Arc<Counted>) -> Session {
        Session {
            config,
            counted,
            inbox: Vec::new(),
            half: None,
            secured: false,
            state: State::Fresh,
        }
    }

    /// Takes in what the client says, encrypted or not.
    fn said(&mut self, bytes: &[u8]) -> Vec<Reaction> {
        self.inbox.extend_from_slice(bytes);
        let mut out = Vec::new();
        while !matches!(self.state, State::Over) {
            let inbox = std::mem::take(&mut self.inbox);
            match frame(&inbox) {
                Frame::Short => {
                    self.inbox = inbox;
                    break;
                }
                Frame::Broken => out.extend(self.refuse_and_close("protocol", "no such length")),
                Frame::Whole(json, length) => {
                    self.inbox = inbox.get(length..).unwrap_or_default().to_vec();
                    out.extend(match Request::read(json) {
                        Some(request) => self.request(request),
                        None => self.refuse_and_close("protocol", "no message of this protocol"),
                    });
                }
            }
        }
        out
    }

    fn request(&mut self, request: Request) -> Vec<Reaction> {
        if self.config.mood == Mood::Silent {
            return Vec::new();
        }
        match (std::mem::replace(&mut self.state, State::Over), request) {
            (State::Fresh, Request::Hello { version, .. }) => self.hello(version),
            (State::Greeted, Request::List { after }) => {
                self.state = State::Greeted;
                self.list(after.as_deref())
            }
            (
                State::Greeted,
                Request::Open {
                    service,
                    instance,
                    user,
                    role,
                },
            ) => {
                self.state = State::Greeted;
                self.open(Opened {
                    instance: instance.unwrap_or_default(),
                    service,
                    user,
                    role,
                })
            }
            (State::Proving(opened, proving), Request::Prove { data }) => {
                self.prove(opened, proving, &data)
            }
            (State::Proved(opened) | State::Open(opened), Request::Who {}) => self.who(opened),
            _ => self.refuse_and_close("protocol", "not at this point"),
        }
    }

    fn hello(&mut self, version: u32) -> Vec<Reaction> {
        if let Some((code, text)) = self.config.refuses_at_hello {
            return self.refuse_and_close(code, text);
        }
        if version != self.config.version {
            let text = format!("this listener has version {}", self.config.version);
            return self.refuse_and_close("version", &text);
        }
        if self.config.demands_encryption && !self.secured {
            return self.refuse_and_close("tls-required", "only encrypted lines are taken here");
        }
        self.state = State::Greeted;
        let tls = match (&self.config.encryption, self.config.demands_encryption) {
            (None, _) => Encryption::Off,
            (Some(_), false) => Encryption::On,
            (Some(_), true) => Encryption::Required,
        };
        answer(&Answer::Hello {
            version: VERSION,
            server: self.config.server.clone(),
            tls,
            hides_users: self.config.hides_users,
        })
    }

    fn list(&mut self, after: Option<&str>) -> Vec<Reaction> {
        if !self.config.lists {
            return refusal("listing-forbidden", "this listener lists no services");
        }
        let mut services: Vec<Service> = self.config.services();
        services.sort_by(|a, b| a.name.cmp(&b.name));
        services.retain(|s| after.is_none_or(|after| s.name.as_str() > after));
        let more = services.len() > A_PAGE;
        services.truncate(A_PAGE);
        answer(&Answer::Services { services, more })
    }

    fn open(&mut self, mut opened: Opened) -> Vec<Reaction> {
        if let Some((code, text)) = self.config.refuses_at_open {
            return refusal(code, text);
        }
        let offering: Vec<InstanceConfig> = self.config.offering(&opened.service);
        if offering.is_empty() {
            let text = format!("no service {}", opened.service);
            return refusal("service-unknown", &text);
        }
        let wanted = opened.instance.clone();
        let found = match wanted.is_empty() {
            true => self.any_of(&offering),
            false => offering.iter().find(|one| one.name == wanted).cloned(),
        };
        let Some(instance) = found else {
            let text = format!("{} is not offered by {wanted}", opened.service);
            return refusal("instance-unknown", &text);
        };
        opened.instance.clone_from(&instance.name);
        if let Some(refused) = self.not_ready(&instance, &opened) {
            return refused;
        }
        match &instance.place {
            Place::Elsewhere(host, port) => answer(&Answer::Redirect {
                host: host.clone(),
                port: *port,
                instance: instance.name.clone(),
            }),
            Place::Here => self.sign_in(opened),
        }
    }

    /// One of several: those that are ready first, and of these each in turn.
    fn any_of(&self, offering: &[InstanceConfig]) -> Option<InstanceConfig> {
        let ready: Vec<&InstanceConfig> = offering
            .iter()
            .filter(|one| one.state == Standing::Ready)
            .collect();
        let turn = match self.config.takes_turns {
            true => self.config.turn.fetch_add(1, Ordering::SeqCst),
            false => 0,
        };
        let one = ready.get(turn.checked_rem(ready.len()).unwrap_or(0));
        one.copied().or(offering.first()).cloned()
    }

    fn not_ready(&self, instance: &InstanceConfig, opened: &Opened) -> Option<Vec<Reaction>> {
        let name = &instance.name;
        match instance.state {
            Standing::Ready => None,
            Standing::Restricted if opened.role.is_some() => None,
            Standing::Restricted => Some(refusal(
                "service-restricted",
                &format!("{name} is restricted: it takes those with a role"),
            )),
            Standing::Starting => {
                Some(refusal("service-not-ready", &format!("{name} is starting")))
            }
            Standing::Stopped => Some(refusal(
                "service-not-ready",
                &format!("{name} is shut down"),
            )),
        }
    }

    fn sign_in(&mut self, opened: Opened) -> Vec<Reaction> {
        let account = self.config.account(&opened.user);
        if account.is_none() && !self.config.hides_users {
            let text = format!("no user {}", opened.user);
            return refusal("user-unknown", &text);
        }
        if account.is_some_and(|a| a.password.is_none()) {
            return self.admit_without_proof(opened);
        }
        self.state = State::Proving(opened, Proving::Begun);
        answer(&Answer::Challenge {
            method: self.config.method.to_owned(),
        })
    }

    fn admit_without_proof(&mut self, opened: Opened) -> Vec<Reaction> {
        if let Some((code, text)) = self.barred(&opened) {
            return refusal(code, &text);
        }
        self.counted.session();
        self.state = State::Open(opened);
        answer(&Answer::Accepted(Who::default()))
    }

    /// Why somebody whose proof is right is not let in.
    fn barred(&self, opened: &Opened) -> Option<(&'static str, String)> {
        let account = self.config.account(&opened.user)?;
        let user = &opened.user;
        match (&opened.role, account) {
            (_, Account { locked: true, .. }) => {
                Some(("account-locked", format!("{user} is locked")))
            }
            (_, Account { expired: true, .. }) => Some((
                "password-expired",
                format!("the password of {user} has expired"),
            )),
            (
                None,
                Account {
                    needs_role: true,
                    roles,
                    ..
                },
            ) => Some((
                "role-required",
                format!("{user} signs in with a role only: {}", roles.join(", ")),
            )),
            (Some(role), Account { roles, .. }) if !roles.contains(role) => Some((
                "role-not-granted",
                format!("{user} may not take the role {role}"),
            )),
            _ => None,
        }
    }

    fn who(&mut self, opened: Opened) -> Vec<Reaction> {
        let instances = &self.config.instances;
        let instance = instances.iter().find(|one| one.name == opened.instance);
        let who = Who {
            instance: Some(opened.instance.clone()),
            version: instance.map(|one| one.version.clone()),
            started: instance.map(|one| one.started.clone()),
            service: Some(opened.service.clone()),
            user: Some(opened.user.clone()),
            role: opened.role.clone(),
            databases: instance.map_or_else(Vec::new, |one| one.databases.clone()),
        };
        self.state = State::Open(opened);
        answer(&Answer::Accepted(who))
    }

    fn refuse_and_close(&mut self, code: &str, text: &str) -> Vec<Reaction> {
        self.state = State::Over;
        let mut out = refusal(code, text);
        out.push(Reaction::Close);
        out
    }
}

fn answer(answer: &Answer) -> Vec<Reaction> {
    vec![Reaction::Send(answer.framed())]
}

fn refusal(code: &str, text: &str) -> Vec<Reaction> {
    answer(&Answer::Refused {
        code: code.to_owned(),
        text: text.to_owned(),
    })
}

impl Server for Session {
    fn received(&mut self, bytes: &[u8]) -> Vec<Reaction> {
        let fresh = matches!(self.state, State::Fresh) && self.inbox.is_empty();
        if fresh && self.half.is_none() && bytes.first() == Some(&0x16) {
            self.half = self.config.encryption.map(|side| side.begin());
        }
        let Some(mut half) = self.half.take() else {
            return self.said(bytes);
        };
        self.secured = true;
        let out = half.received(bytes, &mut |plain, _| self.said(plain));
        self.half = Some(half);
        out
    }

    fn ends_idle(&mut self) -> Option<(u64, Vec<Reaction>)> {
        let after = self.config.ends_idle_after_ms?;
        matches!(self.state, State::Open(_)).then(|| {
            (
                after,
                refusal("stopping", "idle for too long")
                    .into_iter()
                    .chain([Reaction::Close])
                    .collect(),
            )
        })
    }
}

impl Config {
    /// The services as they are listed.
    fn services(&self) -> Vec<Service> {
        let mut names: Vec<&String> = self.instances.iter().flat_map(|i| &i.services).collect();
        names.sort_unstable();
        names.dedup();
        let listed = |one: &InstanceConfig| Instance {
            name: one.name.clone(),
            state: one.state.as_str().to_owned(),
            since: Some(one.since.clone()),
            address: match &one.place {
                Place::Here => None,
                Place::Elsewhere(host, port) if host.contains(':') => {
                    Some(format!("[{host}]:{port}"))
                }
                Place::Elsewhere(host, port) => Some(format!("{host}:{port}")),
            },
        };
        names
            .into_iter()
            .map(|name| Service {
                name: name.clone(),
                instances: self.offering(name).iter().map(listed).collect(),
            })
            .collect()
    }
}
