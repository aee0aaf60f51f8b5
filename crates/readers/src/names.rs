//! What the name of a key says: host, port, user. And which engine a word means.

use chronaxis_engines::{Engine, engines};
use chronaxis_model::target::EngineId;

/// What a value is to a connection.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub(crate) enum Role {
    /// The host, by name or address.
    Host,
    /// The port.
    Port,
    /// The account.
    User,
    /// Its password.
    Password,
    /// The database.
    Database,
    /// The database, where the rest of the group makes it one.
    Name,
    /// Engine or driver, by a word.
    Engine,
    /// A whole connection string.
    Url,
    /// A socket file.
    Socket,
    /// An option, under the engine's own name.
    Option(&'static str),
}

/// A key taken apart: what stands before the part that says the role, and the role.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct Named {
    /// The prefix as it is written, without what joins it to the rest.
    pub(crate) prefix: String,
    /// The role.
    pub(crate) role: Role,
}

const PHRASES: &[(&str, Role)] = &[
    ("username", Role::User),
    ("hostname", Role::Host),
    ("userid", Role::User),
    ("datasource", Role::Host),
    ("initialcatalog", Role::Database),
    ("connectionstring", Role::Url),
    ("jdbcurl", Role::Url),
    ("unixsocket", Role::Socket),
    ("socketpath", Role::Socket),
    ("sslmode", Role::Option("sslmode")),
    ("sslrootcert", Role::Option("sslrootcert")),
    ("sslcert", Role::Option("sslcert")),
    ("sslkey", Role::Option("sslkey")),
    ("sslca", Role::Option("ssl_ca")),
    ("connecttimeout", Role::Option("connect_timeout")),
    ("channelbinding", Role::Option("channel_binding")),
    ("targetsessionattrs", Role::Option("target_session_attrs")),
    ("authsource", Role::Option("authSource")),
    ("replicaset", Role::Option("replicaSet")),
    ("readdefaultfile", Role::Option("read_default_file")),
    ("charset", Role::Option("charset")),
    ("servername", Role::Host),
    ("driverclass", Role::Engine),
    ("driverclassname", Role::Engine),
    ("tcpport", Role::Port),
];

const WORDS: &[(&str, Role)] = &[
    ("host", Role::Host),
    ("hosts", Role::Host),
    ("server", Role::Host),
    ("address", Role::Host),
    ("addr", Role::Host),
    ("port", Role::Port),
    ("user", Role::User),
    ("usr", Role::User),
    ("login", Role::User),
    ("uid", Role::User),
    ("password", Role::Password),
    ("passwd", Role::Password),
    ("pass", Role::Password),
    ("pwd", Role::Password),
    ("database", Role::Database),
    ("dbname", Role::Database),
    ("db", Role::Database),
    ("catalog", Role::Database),
    ("name", Role::Name),
    ("engine", Role::Engine),
    ("driver", Role::Engine),
    ("dialect", Role::Engine),
    ("adapter", Role::Engine),
    ("client", Role::Engine),
    ("backend", Role::Engine),
    ("type", Role::Engine),
    ("connection", Role::Engine),
    ("url", Role::Url),
    ("uri", Role::Url),
    ("dsn", Role::Url),
    ("connstr", Role::Url),
    ("socket", Role::Socket),
];

/// Leads that names run together with, beside those of the engines: `DBHOST`, `PGPORT`.
const GLUED: &[&str] = &["database", "db"];

/// The role that a key's last words name.
pub(crate) fn named(key: &str) -> Option<Named> {
    let words = words(key);
    for count in [3, 2, 1] {
        let Some(first) = words.len().checked_sub(count) else {
            continue;
        };
        let tail: String = words
            .get(first..)?
            .iter()
            .map(|(_, w)| w.as_str())
            .collect();
        let table = if count > 1 { PHRASES } else { WORDS };
        let found = table.iter().chain(PHRASES.iter().filter(|_| count == 1));
        if let Some((_, role)) = found.into_iter().find(|(word, _)| *word == tail) {
            let at = words.get(first).map_or(0, |(at, _)| *at);
            let before = key.get(..at).unwrap_or_default();
            return Some(Named {
                prefix: before.trim_end_matches(['_', '-', '.', ' ']).to_owned(),
                role: *role,
            });
        }
    }
    let (at, last) = words.last()?;
    let of_engines = engines().iter().flat_map(|e| e.spec.variable_leads);
    let glued = GLUED.iter().chain(of_engines).find_map(|lead| {
        let rest = last.strip_prefix(lead)?;
        let mut all = WORDS.iter().chain(PHRASES);
        let (_, role) = all.find(|(word, _)| *word == rest)?;
        let prefix = key.get(..at + lead.len()).unwrap_or_default();
        Some(Named {
            prefix: prefix.trim_end_matches(['_', '-', '.']).to_owned(),
            role: *role,
        })
    });
    glued.or_else(|| own_variable(key))
}

/// An option that an engine's own library reads from a variable of this very name.
fn own_variable(key: &str) -> Option<Named> {
    engines().iter().find_map(|engine| {
        let of = engine.spec.option_variables.iter();
        let (_, option) = of.into_iter().find(|(variable, _)| *variable == key)?;
        let lower = key.to_ascii_lowercase();
        let leads = engine.spec.variable_leads.iter();
        let lead = leads.into_iter().find(|lead| lower.starts_with(**lead))?;
        Some(Named {
            prefix: key.get(..lead.len())?.to_owned(),
            role: Role::Option(option),
        })
    })
}

/// The words of a key in lower case, each with the byte at which it begins.
fn words(key: &str) -> Vec<(usize, String)> {
    let mut out: Vec<(usize, String)> = Vec::new();
    let mut open = false;
    let mut lower_before = false;
    for (at, c) in key.char_indices() {
        if matches!(c, '_' | '-' | '.' | ' ') {
            open = false;
            continue;
        }
        let begins = !open || (c.is_uppercase() && lower_before);
        if begins {
            out.push((at, String::new()));
        }
        open = true;
        lower_before = c.is_lowercase() || c.is_ascii_digit();
        if let Some((_, word)) = out.last_mut() {
            word.extend(c.to_lowercase());
        }
    }
    out
}

/// What a word for an engine, a driver, a dialect or an image says.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Means {
    /// One of the engines.
    Engine(EngineId),
    /// Something that is no engine of ours.
    Foreign,
}

const FOREIGN: &[&str] = &[
    "redis",
    "valkey",
    "amqp",
    "rabbit",
    "kafka",
    "smtp",
    "mail",
    "elastic",
    "opensearch",
    "memcache",
    "ldap",
    "sqlite",
    "oracle",
    "http",
    "ftp",
    "mqtt",
    "nats",
    "cassandra",
    "influx",
    "clickhouse",
    "vault",
    "etcd",
    "sentry",
    "syslog",
    "statsd",
    "grpc",
    "imap",
    "proxy",
];

/// What a word means, as far as it names something known.
pub(crate) fn engine_word(text: &str) -> Option<Means> {
    let low = text.to_ascii_lowercase();
    let holds = |e: &&&Engine| e.spec.words.iter().any(|word| low.contains(word));
    let is = |e: &&&Engine| e.spec.whole_words.contains(&low.as_str());
    let engine = engines().iter().find(holds);
    if let Some(engine) = engine.or_else(|| engines().iter().find(is)) {
        return Some(Means::Engine(engine.spec.id));
    }
    FOREIGN
        .iter()
        .any(|word| low.contains(word))
        .then_some(Means::Foreign)
}

/// Words that settings use for an engine or its driver, for the nearest one of a slip.
pub(crate) fn driver_words() -> impl Iterator<Item = &'static str> + Clone {
    let all = engines().iter().flat_map(|e| e.spec.driver_words);
    all.copied()
}

/// The name that a driver has now, where it was renamed.
pub(crate) fn renamed(low: &str) -> Option<&'static str> {
    let mut all = engines().iter().flat_map(|e| e.spec.renamed);
    all.find(|(old, _)| *old == low).map(|(_, now)| *now)
}

/// The word that a slip of a letter or two made this one of: none where it is known, or
/// too short to tell.
pub(crate) fn misspelt(word: &str) -> Option<&'static str> {
    let low = word.to_ascii_lowercase();
    let known = driver_words().any(|k| k.eq_ignore_ascii_case(&low)) || renamed(&low).is_some();
    let plain = |c: char| c.is_ascii_alphanumeric() || matches!(c, '.' | '_' | '-');
    if low.len() < 6 || known || !low.chars().all(plain) {
        return None;
    }
    let slips = |k: &&str| {
        let distance = strsim::damerau_levenshtein(&low, &k.to_ascii_lowercase());
        distance <= if low.len() > 9 { 2 } else { 1 }
    };
    driver_words().find(slips)
}

/// Words of a stage of work: what differs by them is meant to differ.
const STAGES: &[(&str, &str)] = &[
    ("production", "production"),
    ("prod", "production"),
    ("staging", "staging"),
    ("stage", "staging"),
    ("development", "development"),
    ("dev", "development"),
    ("testing", "test"),
    ("test", "test"),
    ("tests", "test"),
    ("ci", "test"),
    ("local", "local"),
    ("example", "sample"),
    ("sample", "sample"),
    ("template", "sample"),
    ("tmpl", "sample"),
    ("dist", "sample"),
    ("skel", "sample"),
];

/// The stage that a file speaks of: by its name, or the folder that it lies in. A folder of
/// examples makes nothing a sample: people begin with them.
pub(crate) fn stage_of_file(path: &str) -> Option<&'static str> {
    let mut pieces = path.rsplit('/');
    let own = stage(pieces.next().unwrap_or_default());
    let folder = || stage(pieces.next()?).filter(|stage| *stage != "sample");
    own.or_else(folder)
}

/// The stage that the name of a class begins with: `DevelopmentConfig`.
pub(crate) fn stage_of_class(name: &str) -> Option<&'static str> {
    let rest = name
        .strip_suffix("Config")
        .or_else(|| name.strip_suffix("Settings"))?;
    stage(rest)
}

/// The stage that a name speaks of.
pub(crate) fn stage(text: &str) -> Option<&'static str> {
    let low = text.to_ascii_lowercase();
    low.split(|c: char| !c.is_ascii_alphanumeric())
        .find_map(|word| {
            STAGES
                .iter()
                .find(|(known, _)| *known == word)
                .map(|(_, stage)| *stage)
        })
}

#[cfg(test)]
mod tests {
    use super::*;

    fn taken(key: &str) -> Option<(String, Role)> {
        named(key).map(|n| (n.prefix, n.role))
    }

    #[test]
    fn keys_are_taken_apart_at_their_last_words() {
        let cases = [
            ("DB_HOST", "DB", Role::Host),
            ("PGHOST", "PG", Role::Host),
            ("DBPASSWORD", "DB", Role::Password),
            ("DB_USER_NAME", "DB", Role::User),
            ("DATABASE_URL", "DATABASE", Role::Url),
            ("POSTGRES_DB", "POSTGRES", Role::Database),
            (
                "spring.datasource.username",
                "spring.datasource",
                Role::User,
            ),
            ("driverClassName", "", Role::Engine),
            ("jdbcUrl", "", Role::Url),
            ("dbname", "", Role::Database),
            (
                "SAILINGS_DB_SSLMODE",
                "SAILINGS_DB",
                Role::Option("sslmode"),
            ),
            ("User Id", "", Role::User),
            ("MYSQL_TCP_PORT", "MYSQL", Role::Port),
            ("PGREQUIREAUTH", "PG", Role::Option("require_auth")),
            ("PGOPTIONS", "PG", Role::Option("options")),
        ];
        for (key, prefix, role) in cases {
            assert_eq!(taken(key), Some((prefix.to_owned(), role)), "{key}");
        }
        for key in [
            "PASSWORD_FILE",
            "hostess",
            "portal",
            "SECRET_KEY",
            "REQUIRE_AUTH",
        ] {
            assert_eq!(taken(key), None, "{key}");
        }
    }

    #[test]
    fn words_for_engines_and_stages() {
        let pg = Some(Means::Engine(chronaxis_engines::POSTGRESQL));
        assert_eq!(engine_word("django.db.backends.postgresql"), pg);
        assert_eq!(engine_word("redis:7"), Some(Means::Foreign));
        assert_eq!(engine_word("booking"), None);
        assert_eq!(stage(".env.production"), Some("production"));
        assert_eq!(stage("deployment/app.yaml"), None);
    }
}
