//! One connection to look into, as it was told.

use std::collections::BTreeMap;
use std::fmt;
use std::net::IpAddr;

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::certificate::{ShownTlsPolicy, TlsPolicy};
use crate::fact::Fact;
use crate::open_id::open_id;
use crate::secret::{Secret, Shape};
use crate::settings::Defect;
use crate::shown;
use crate::sourced::{Origin, Sourced};

open_id! {
    /// The protocol spoken. Each engine brings its own.
    EngineId
}

/// The client family whose rules the verdict follows: which address it takes first, what
/// it does by default, what it falls back to, what it trusts.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum ClientId {
    /// PostgreSQL's own C library, and every driver built on it.
    #[default]
    Libpq,
    /// PostgreSQL's JDBC driver.
    Pgjdbc,
    /// An asynchronous driver for Python that speaks the protocol itself.
    Asyncpg,
    /// A driver in plain Python that speaks the protocol itself.
    Pg8000,
    /// MySQL's own C library, and every driver built on it.
    Libmysqlclient,
    /// MariaDB's own C library, and every driver built on it.
    Libmariadb,
    /// MySQL's JDBC driver.
    ConnectorJ,
    /// MariaDB's JDBC driver.
    MariadbJava,
    /// A driver in plain Python that speaks MySQL's protocol itself.
    Pymysql,
    /// PHP's own driver for MySQL.
    Mysqlnd,
    /// The usual driver for Node, `pg`.
    NodePostgres,
    /// Another one for Node, `postgres`.
    PostgresJs,
    /// The usual driver of MySQL for Node, `mysql2`, and its kin.
    NodeMysql,
    /// A driver for Go that goes by the C library's rules, `pgx`.
    Pgx,
    /// The older driver for Go, `lib/pq`: it encrypts unless told not to.
    GoPq,
    /// The driver of PostgreSQL for .NET.
    Npgsql,
    /// The usual driver of MySQL for Go.
    GoMysql,
    /// The usual driver of MySQL for .NET.
    MysqlConnector,
    /// MariaDB's own driver for Node.
    MariadbNode,
    /// A client of a directory, as its protocol describes it.
    Directory,
    /// A careful client of nothing but TLS: it checks by the system's authorities.
    StrictTls,
    /// A client of an engine whose protocol is not spoken: it takes every address in the
    /// system's order.
    Plain,
}

impl ClientId {
    /// The name by which outputs call it.
    pub fn as_str(self) -> &'static str {
        match self {
            ClientId::Libpq => "libpq",
            ClientId::Pgjdbc => "pgjdbc",
            ClientId::Asyncpg => "asyncpg",
            ClientId::Pg8000 => "pg8000",
            ClientId::Libmysqlclient => "libmysqlclient",
            ClientId::Libmariadb => "libmariadb",
            ClientId::ConnectorJ => "connector-j",
            ClientId::MariadbJava => "mariadb-java",
            ClientId::Pymysql => "pymysql",
            ClientId::Mysqlnd => "mysqlnd",
            ClientId::NodePostgres => "node-postgres",
            ClientId::PostgresJs => "postgresjs",
            ClientId::NodeMysql => "node-mysql2",
            ClientId::Pgx => "pgx",
            ClientId::GoPq => "go-pq",
            ClientId::Npgsql => "npgsql",
            ClientId::GoMysql => "go-mysql",
            ClientId::MysqlConnector => "mysql-connector",
            ClientId::MariadbNode => "mariadb-node",
            ClientId::Directory => "directory",
            ClientId::StrictTls => "strict-tls",
            ClientId::Plain => "plain",
        }
    }
}

/// Where a target is to be found.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(untagged)]
pub enum End {
    /// A host, by name or address, and a port.
    Host {
        /// Name or literal address, as told.
        host: String,
        /// TCP port.
        port: u16,
        /// The address to dial instead of asking for the name's, where one is told.
        #[serde(skip_serializing_if = "Option::is_none", default)]
        address: Option<IpAddr>,
    },
    /// A socket file on this machine.
    Socket {
        /// Its whole path.
        socket: String,
    },
}

impl fmt::Display for End {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            End::Host { host, port, .. } if host.contains(':') => write!(f, "[{host}]:{port}"),
            End::Host { host, port, .. } => write!(f, "{host}:{port}"),
            End::Socket { socket } => f.write_str(socket),
        }
    }
}

impl End {
    /// The address that is dialled without asking any name service, if there is one: told
    /// beside the name, or in its place.
    pub fn dialled_address(&self) -> Option<IpAddr> {
        match self {
            End::Host { host, address, .. } => address.or_else(|| host.parse().ok()),
            End::Socket { .. } => None,
        }
    }

    /// The name that has to be looked up, if there is one.
    pub fn name(&self) -> Option<&str> {
        match self {
            End::Host { host, .. } if self.dialled_address().is_none() => Some(host),
            _ => None,
        }
    }
}

/// Everything that the client was told, each value with its origin.
#[derive(Clone, Debug)]
pub struct Target {
    /// What outputs call this connection.
    pub label: String,
    /// The protocol.
    pub engine: EngineId,
    /// Whose rules count.
    pub client: ClientId,
    /// Where to go; none where the settings do not say it in a way that can be dialled.
    pub ends: Vec<End>,
    /// The database asked for.
    pub database: Option<String>,
    /// The account.
    pub user: Option<String>,
    /// The password, which may be empty.
    pub secret: Option<Sourced<Secret>>,
    /// Whether and how its lines are encrypted.
    pub encryption: TlsPolicy,
    /// Further values, under the engine's own names.
    pub options: BTreeMap<String, String>,
    /// Where each value came from: `host`, `port`, `database`, `user`, `secret`, options.
    pub origins: BTreeMap<String, Origin>,
    /// In which form it was written, in words.
    pub form: String,
    /// The readers, by the names that people know, which turned the words of its files
    /// into values.
    pub read_by: Vec<String>,
    /// What is wrong with it.
    pub defects: Vec<Defect>,
    /// Hosts that were told and are none: neither looked up nor shown.
    pub withheld: Vec<Secret>,
    /// What else was seen while it was put together: password files, read or skipped.
    pub remarks: Vec<Fact>,
}

impl Target {
    /// What may be shown and saved of it.
    pub fn shown(&self) -> ShownTarget {
        ShownTarget {
            label: self.label_shown(),
            engine: self.engine,
            client: self.client,
            ends: self.ends.clone(),
            database: shown_as("database", self.database.as_ref()),
            user: shown_as("user", self.user.as_ref()),
            secret: ShownSecret::of(self.secret.as_ref().map(|s| &s.value)),
            encryption: self.encryption.shown(),
            options: self
                .options
                .iter()
                .map(|(key, value)| (key.clone(), shown::value(key, value)))
                .collect(),
            origins: self.origins.clone(),
            form: self.form.clone(),
            read_by: self.read_by.clone(),
            partly_hidden: self.unrecognised().next().is_some(),
        }
    }

    /// The same with every value as it was told, the secret left out: for writing it in
    /// another form, into the hands of whoever wrote it.
    pub fn told(&self) -> ShownTarget {
        ShownTarget {
            label: self.label.clone(),
            database: self.database.clone(),
            user: self.user.clone(),
            options: self.options.clone(),
            ..self.shown()
        }
    }

    /// The label, unless a value that is not shown stands in it.
    fn label_shown(&self) -> String {
        let odd = self.unrecognised().any(|value| self.label.contains(value));
        match odd {
            true => shown::hidden(&self.label),
            false => self.label.clone(),
        }
    }

    /// The values that were not recognised for what they should be: each may be a secret in
    /// the wrong place.
    fn unrecognised(&self) -> impl Iterator<Item = &str> {
        let named = [("database", &self.database), ("user", &self.user)];
        let named = named
            .into_iter()
            .filter_map(|(key, value)| Some((key, value.as_deref()?)));
        let options = self.options.iter().map(|(k, v)| (k.as_str(), v.as_str()));
        named
            .chain(options)
            .filter(|(key, value)| !shown::may_show(key, value))
            .map(|(_, value)| value)
            .chain(self.withheld.iter().map(Secret::expose))
    }

    /// All that no output may show: the secret, its repaired forms, and every value that
    /// may be one in the wrong place, with the parts of it.
    pub fn hidden(&self) -> Vec<Secret> {
        /// A shorter part says nothing, and would be masked everywhere.
        const SHORTEST_PART: usize = 4;
        let mut out = Vec::new();
        if let Some(told) = &self.secret {
            out.extend(
                told.value
                    .repairs()
                    .into_iter()
                    .map(|(_, repaired)| repaired),
            );
            out.push(told.value.clone());
        }
        for value in self.unrecognised() {
            let parts = value.split(|c: char| ";&?=,:/@(){}\"' ".contains(c));
            let telling = parts.filter(|part| {
                part.chars().count() >= SHORTEST_PART
                    && !crate::shown::keywords::is_key(&part.to_ascii_lowercase())
            });
            out.extend(telling.map(Secret::new));
            out.push(Secret::new(value));
        }
        out
    }

    /// An option's value, or the client's default for it.
    pub fn option_or<'a>(&'a self, name: &str, default: &'a str) -> &'a str {
        self.options.get(name).map_or(default, String::as_str)
    }
}

/// A value as it is shown.
fn shown_as(subject: &str, value: Option<&String>) -> Option<String> {
    value.map(|value| shown::value(subject, value))
}

/// A secret by its shape.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct ShownSecret {
    /// Whether there is one.
    pub present: bool,
    /// Its shape in words.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub shape: Option<String>,
    /// Its shape for the judge.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub form: Option<Shape>,
}

impl ShownSecret {
    /// The shape of this secret, or of none.
    pub fn of(secret: Option<&Secret>) -> ShownSecret {
        let form = secret.map(Secret::shape);
        ShownSecret {
            present: secret.is_some(),
            shape: form.as_ref().map(Shape::to_string),
            form,
        }
    }
}

/// A target in the form in which it is shown, saved and judged: without the secret.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct ShownTarget {
    /// What outputs call this connection.
    pub label: String,
    /// The protocol.
    pub engine: EngineId,
    /// Whose rules count.
    pub client: ClientId,
    /// Where to go.
    pub ends: Vec<End>,
    /// The database asked for.
    pub database: Option<String>,
    /// The account.
    pub user: Option<String>,
    /// The secret's shape.
    pub secret: ShownSecret,
    /// Whether and how its lines are encrypted.
    #[serde(default)]
    pub encryption: ShownTlsPolicy,
    /// Further values, under the engine's own names.
    pub options: BTreeMap<String, String>,
    /// Where each value came from.
    pub origins: BTreeMap<String, Origin>,
    /// In which form it was written, in words.
    pub form: String,
    /// The readers, by the names that people know, which turned the words of its files
    /// into values.
    #[serde(skip_serializing_if = "Vec::is_empty", default)]
    pub read_by: Vec<String>,
    /// Whether a value is not shown, for it may be a secret in the wrong place.
    #[serde(skip_serializing_if = "std::ops::Not::not", default)]
    pub partly_hidden: bool,
}

impl ShownTarget {
    /// Whether a file holds this connection's settings, rather than a bare string.
    pub fn from_file(&self) -> bool {
        self.origins
            .iter()
            .any(|(key, o)| key != "secret" && matches!(o, Origin::File { .. }))
    }
}
