//! What a stand-in is like.

use std::collections::BTreeMap;

use crate::stand_in::encrypted::Side;

/// How the server lets clients prove themselves.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Method {
    /// It does not ask.
    Trust,
    /// MD5 with a salt.
    Md5,
    /// SCRAM-SHA-256 with so many iterations.
    Scram(u32),
    /// The password in clear.
    Cleartext,
    /// The method of this number.
    Number(u32),
    /// SASL with these mechanisms only.
    Sasl(Vec<&'static str>),
}

/// Whether it takes clients at all.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Mood {
    /// It does.
    Open,
    /// It is starting.
    Starting,
    /// It is going down.
    Stopping,
    /// Its slots are taken.
    Full,
    /// Its rules have no entry for this client.
    NoHostRule,
    /// Its rules have entries for encrypted lines only.
    EncryptedOnly,
    /// Its rules want a certificate of the client.
    WantsCertificate,
    /// It falls silent after the password was sent.
    SilentAfterProof,
    /// It falls silent once the session is open.
    SilentInSession,
}

/// What stands before a server and hands its connections out.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Pooler {
    /// It has a connection to give.
    Ready,
    /// It takes no more clients.
    Full,
    /// It could not reach the server before, and says so.
    BackendDown,
}

/// An account.
#[derive(Clone, Debug, Default)]
pub struct Role {
    /// Its password.
    pub password: Option<String>,
    /// It may not sign in.
    pub no_login: bool,
    /// Its own limit is reached.
    pub at_limit: bool,
    /// It sees everything.
    pub superuser: bool,
    /// A directory decides on its password.
    pub in_directory: bool,
    /// Its password is kept by another method than the one that is asked for.
    pub kept_by: Option<&'static str>,
}

/// A database.
#[derive(Clone, Copy, Debug, Default)]
pub struct Database {
    /// This user may not connect to it.
    pub forbidden: bool,
    /// It takes no connections.
    pub closed: bool,
}

/// One server.
#[derive(Clone, Debug)]
pub struct Config {
    /// Whether it takes clients.
    pub mood: Mood,
    /// How they prove themselves.
    pub method: Method,
    /// The byte with which it answers the question whether it encrypts.
    pub encryption: u8,
    /// How it encrypts, where it answers that it does.
    pub tls: Option<Side>,
    /// Whether it encrypts from the first byte, without being asked in the protocol.
    pub direct: bool,
    /// Accounts.
    pub roles: BTreeMap<String, Role>,
    /// Databases.
    pub databases: BTreeMap<String, Database>,
    /// Its schemas, each with whether they may be used and added to (`11`).
    pub schemas: Vec<(&'static str, &'static str)>,
    /// What tells it from other instances.
    pub identifier: &'static str,
    /// How many of its hundred connections are in use.
    pub connections: u32,
    /// Whether it is a replica.
    pub in_recovery: bool,
    /// After how many milliseconds it ends an idle session, if it does.
    pub idle_limit_ms: Option<u64>,
    /// Its host rules, as an administrator sees them: line, users, method.
    pub rules: Vec<(&'static str, &'static str, &'static str)>,
    /// How long it takes before its first answer.
    pub greets_after_ms: u64,
    /// The pooler before it, if there is one: it refuses in words of its own, with one
    /// code for everything and without naming a routine, as measured with PgBouncer 1.18.
    pub pooler: Option<Pooler>,
    /// Put into the words of every refusal, for tests of what a hostile server says.
    pub echo: Option<String>,
}

impl Config {
    /// Osmary Ferries' timetable server: `purser` with this password, database `sailings`.
    pub fn sailings(password: &str) -> Config {
        let purser = Role {
            password: Some(password.to_owned()),
            ..Role::default()
        };
        Config {
            mood: Mood::Open,
            method: Method::Scram(4096),
            encryption: b'N',
            tls: None,
            direct: false,
            roles: BTreeMap::from([("purser".to_owned(), purser)]),
            databases: BTreeMap::from([("sailings".to_owned(), Database::default())]),
            schemas: vec![("public", "11")],
            identifier: "7300000000000000015",
            connections: 12,
            in_recovery: false,
            idle_limit_ms: None,
            rules: vec![("94", "all", "scram-sha-256")],
            greets_after_ms: 0,
            pooler: None,
            echo: None,
        }
    }

    /// The same with an administrator, who has this password.
    pub fn with_harbourmaster(mut self, password: &str) -> Config {
        let harbourmaster = Role {
            password: Some(password.to_owned()),
            superuser: true,
            ..Role::default()
        };
        self.roles.insert("harbourmaster".to_owned(), harbourmaster);
        let own = ("postgres".to_owned(), Database::default());
        self.databases.extend([own]);
        self
    }

    /// The same in another mood.
    pub fn in_mood(mut self, mood: Mood) -> Config {
        self.mood = mood;
        self
    }

    /// The same, encrypting so.
    pub fn encrypting(mut self, side: Side) -> Config {
        self.encryption = b'S';
        self.tls = Some(side);
        self
    }

    /// The same behind a pooler.
    pub fn behind(mut self, pooler: Pooler) -> Config {
        self.pooler = Some(pooler);
        self
    }

    /// The same, as a replica.
    pub fn standby(mut self) -> Config {
        self.in_recovery = true;
        self
    }

    /// The same with another method.
    pub fn by(mut self, method: Method) -> Config {
        self.method = method;
        self
    }

    /// The same with the purser's account changed.
    pub fn purser(mut self, change: impl FnOnce(&mut Role)) -> Config {
        change(self.roles.entry("purser".to_owned()).or_default());
        self
    }

    /// The same with the database `sailings` changed.
    pub fn sailings_database(mut self, change: impl FnOnce(&mut Database)) -> Config {
        change(self.databases.entry("sailings".to_owned()).or_default());
        self
    }
}
