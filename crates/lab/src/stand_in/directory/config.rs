//! What a directory, or one of its instances, is set up to do.

use std::collections::BTreeMap;
use std::sync::Arc;
use std::sync::atomic::AtomicUsize;

use crate::stand_in::encrypted::Side;

/// How a server behaves beyond its protocol.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Mood {
    /// As it should.
    #[default]
    Usual,
    /// It takes connections and answers nothing.
    Silent,
}

/// How an instance stands.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Standing {
    /// It takes connections.
    #[default]
    Ready,
    /// Not yet.
    Starting,
    /// Of those with a role alone.
    Restricted,
    /// Not any more.
    Stopped,
}

impl Standing {
    /// Its word in the protocol.
    pub fn as_str(self) -> &'static str {
        match self {
            Standing::Ready => "ready",
            Standing::Starting => "starting",
            Standing::Restricted => "restricted",
            Standing::Stopped => "stopped",
        }
    }
}

/// Where an instance is.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub enum Place {
    /// On this very line.
    #[default]
    Here,
    /// At this host and port.
    Elsewhere(String, u16),
}

/// An instance.
#[derive(Clone, Debug, Default)]
pub struct InstanceConfig {
    /// Its name.
    pub name: String,
    /// The services that it registers.
    pub services: Vec<String>,
    /// How it stands.
    pub state: Standing,
    /// Since when: RFC 3339.
    pub since: String,
    /// Where it is.
    pub place: Place,
    /// Its version.
    pub version: String,
    /// When it started: RFC 3339.
    pub started: String,
    /// The databases that everybody may use.
    pub databases: Vec<String>,
}

/// An account.
#[derive(Clone, Debug, Default)]
pub struct Account {
    /// Its password; none where no proof is asked for.
    pub password: Option<String>,
    /// The roles that it may take.
    pub roles: Vec<String>,
    /// Whether it signs in with one of them only.
    pub needs_role: bool,
    /// Whether it is locked.
    pub locked: bool,
    /// Whether its password is past its date.
    pub expired: bool,
}

/// One server.
#[derive(Clone, Debug)]
pub struct Config {
    /// What it says it is.
    pub server: String,
    /// The version of the protocol that it has.
    pub version: u32,
    /// How it encrypts, where it can.
    pub encryption: Option<Side>,
    /// Whether it takes encrypted lines only.
    pub demands_encryption: bool,
    /// Whether it lists what it offers.
    pub lists: bool,
    /// Whether it lets nobody know which users there are.
    pub hides_users: bool,
    /// The instances, in the order in which they registered.
    pub instances: Vec<InstanceConfig>,
    /// Whether each of several instances gets its turn; else it is always the first.
    pub takes_turns: bool,
    /// Whose turn it is.
    pub turn: Arc<AtomicUsize>,
    /// The accounts, by their names.
    pub accounts: BTreeMap<String, Account>,
    /// The method of the challenge.
    pub method: &'static str,
    /// The rounds of the proof.
    pub rounds: u32,
    /// Whether its own proof is wrong.
    pub proves_wrongly: bool,
    /// How it refuses every `hello`, if it does: the code and the text.
    pub refuses_at_hello: Option<(&'static str, &'static str)>,
    /// How it refuses every `open`, if it does.
    pub refuses_at_open: Option<(&'static str, &'static str)>,
    /// After how many idle milliseconds it ends a session.
    pub ends_idle_after_ms: Option<u64>,
    /// How it behaves.
    pub mood: Mood,
}

impl Default for Config {
    fn default() -> Config {
        Config {
            server: "berths listener".to_owned(),
            version: 1,
            encryption: None,
            demands_encryption: false,
            lists: true,
            hides_users: false,
            instances: Vec::new(),
            takes_turns: false,
            turn: Arc::default(),
            accounts: BTreeMap::new(),
            method: "SCRAM-SHA-256",
            rounds: 4096,
            proves_wrongly: false,
            refuses_at_hello: None,
            refuses_at_open: None,
            ends_idle_after_ms: None,
            mood: Mood::Usual,
        }
    }
}

impl Config {
    /// The account of this name.
    pub fn account(&self, user: &str) -> Option<&Account> {
        self.accounts.get(user)
    }

    /// The instances that offer a service.
    pub fn offering(&self, service: &str) -> Vec<InstanceConfig> {
        let offers = |one: &&InstanceConfig| one.services.iter().any(|s| s == service);
        self.instances.iter().filter(offers).cloned().collect()
    }

    /// The same, with the ports of this machine that stand for a scene's own.
    #[must_use]
    pub fn moved(mut self, ports: &BTreeMap<u16, u16>) -> Config {
        for one in &mut self.instances {
            if let Place::Elsewhere(_, port) = &mut one.place {
                *port = ports.get(port).copied().unwrap_or(*port);
            }
        }
        self
    }

    /// The same, on the place of one of its instances.
    #[must_use]
    pub fn at_instance(&self, name: &str) -> Config {
        let mut there = self.clone();
        there.instances.retain(|one| one.name == name);
        for one in &mut there.instances {
            one.place = Place::Here;
        }
        there.server = format!("instance {name}");
        there
    }
}
