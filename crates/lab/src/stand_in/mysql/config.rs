//! What a stand-in is like.

use std::collections::{BTreeMap, BTreeSet};

use chronaxis_engines::mysql::methods::Method;

use crate::stand_in::encrypted::Side;

/// Whether it takes clients at all.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Mood {
    /// It does.
    Open,
    /// It refuses in place of the greeting, with this number and these words.
    RefusesAtOnce(u16, &'static str),
    /// It lets nobody in in clear.
    EncryptedOnly,
    /// It falls silent before it greets.
    Mute,
    /// It falls silent after the password was sent.
    SilentAfterProof,
    /// It answers every query by asking for a file of the client's.
    AsksForFile,
}

/// What an account wants of the line.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Wants {
    /// Nothing.
    #[default]
    Nothing,
    /// Encryption.
    Encryption,
    /// A certificate of the client.
    Certificate,
}

/// An account.
#[derive(Clone, Debug)]
pub struct Account {
    /// Its password; empty for none.
    pub password: String,
    /// Its method, by its name.
    pub method: &'static str,
    /// What it wants of the line.
    pub wants: Wants,
    /// The method of a further factor behind the first, if it needs one.
    pub further: Option<&'static str>,
    /// A refusal after the right proof, with this number and these words.
    pub refused: Option<(u16, &'static str)>,
    /// The databases that it may use.
    pub databases: BTreeSet<String>,
}

/// One server.
#[derive(Clone, Debug)]
pub struct Config {
    /// Whether it takes clients.
    pub mood: Mood,
    /// Its version, as it greets.
    pub version: &'static str,
    /// The method that it proposes.
    pub proposes: &'static str,
    /// How it encrypts, if it does.
    pub tls: Option<Side>,
    /// Accounts.
    pub accounts: BTreeMap<String, Account>,
    /// Databases.
    pub databases: BTreeSet<String>,
    /// Whether it remembers the passwords of those who were here before.
    pub remembers: bool,
    /// Whether it is read-only.
    pub read_only: bool,
    /// How many of its connections are in use.
    pub connections: u32,
    /// How long it takes before it greets.
    pub greets_after_ms: u64,
    /// Put into the words of every refusal, for tests of what a hostile server says.
    pub echo: Option<String>,
}

impl Config {
    /// Osmary Ferries' manifest server, as MariaDB: `purser` with this password, database
    /// `manifest`.
    pub fn manifest(password: &str) -> Config {
        let purser = Account {
            password: password.to_owned(),
            method: Method::Native.name(),
            wants: Wants::Nothing,
            further: None,
            refused: None,
            databases: BTreeSet::from(["manifest".to_owned()]),
        };
        Config {
            mood: Mood::Open,
            version: "5.5.5-10.11.6-MariaDB",
            proposes: Method::Native.name(),
            tls: None,
            accounts: BTreeMap::from([("purser".to_owned(), purser)]),
            databases: BTreeSet::from(["manifest".to_owned(), "crew".to_owned()]),
            remembers: false,
            read_only: false,
            connections: 12,
            greets_after_ms: 0,
            echo: None,
        }
    }

    /// The same, as MySQL 8.
    pub fn as_mysql(mut self) -> Config {
        self.version = "8.0.36";
        self.proposes = Method::CachingSha2.name();
        self.purser(|purser| purser.method = Method::CachingSha2.name())
    }

    /// The same in another mood.
    pub fn in_mood(mut self, mood: Mood) -> Config {
        self.mood = mood;
        self
    }

    /// The same, encrypting so.
    pub fn encrypting(mut self, side: Side) -> Config {
        self.tls = Some(side);
        self
    }

    /// The same with the purser's account changed.
    pub fn purser(mut self, change: impl FnOnce(&mut Account)) -> Config {
        self.accounts.get_mut("purser").map(change);
        self
    }

    /// The same with another method for the purser.
    pub fn by(self, method: &'static str) -> Config {
        self.purser(|purser| purser.method = method)
    }
}
