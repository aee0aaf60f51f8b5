//! The keywords and schemes that any form knows: words that cannot be somebody's secret.

use crate::engine::registry::ENGINES;

/// Keywords of connection strings, in lower case: those of this project's engines and of
/// their drivers, poolers and frameworks.
const KEYS: &[&str] = &[
    "addr",
    "address",
    "advisory_locks",
    "allow_public_key_retrieval",
    "allowpublickeyretrieval",
    "application name",
    "application_name",
    "applicationname",
    "appname",
    "authmechanism",
    "authsource",
    "autocommit",
    "binary_parameters",
    "channel_binding",
    "charset",
    "checkout_timeout",
    "client_encoding",
    "command_timeout",
    "conn_health_checks",
    "conn_max_age",
    "connect_timeout",
    "connection timeout",
    "connection_limit",
    "connectionlimit",
    "connecttimeout",
    "connecttimeoutms",
    "currentschema",
    "data source",
    "database",
    "databasename",
    "db",
    "dbname",
    "default_auth",
    "default_query_exec_mode",
    "directconnection",
    "driver",
    "dsn",
    "enable_cleartext_plugin",
    "encoding",
    "encrypt",
    "fallback_application_name",
    "forcetls",
    "gssencmode",
    "host",
    "hostaddr",
    "hostname",
    "idle_timeout",
    "initial catalog",
    "instance",
    "instancename",
    "keepalives",
    "keepalives_count",
    "keepalives_idle",
    "keepalives_interval",
    "load_balance_hosts",
    "loadbalanced",
    "loadbalancehosts",
    "localsocket",
    "max_connections",
    "maxpoolsize",
    "minpoolsize",
    "network address",
    "oauth_client_secret",
    "options",
    "passfile",
    "passwd",
    "password",
    "pgbouncer",
    "pool",
    "pool_max_conns",
    "pool_min_conns",
    "pool_recycle",
    "pool_size",
    "pool_timeout",
    "poolsize",
    "port",
    "portnumber",
    "prepared_statements",
    "preparethreshold",
    "protocol",
    "pwd",
    "read_default_file",
    "read_default_group",
    "readpreference",
    "reconnect",
    "replicaset",
    "replication",
    "require_auth",
    "requiressl",
    "retrywrites",
    "role",
    "schema",
    "search_path",
    "server",
    "servername",
    "serverselectiontimeoutms",
    "servertimezone",
    "serverversion",
    "service",
    "socket",
    "socket_timeout",
    "sockettimeout",
    "ssl mode",
    "ssl",
    "ssl-ca",
    "ssl-cert",
    "ssl-key",
    "ssl-mode",
    "ssl-verify-server-cert",
    "ssl_ca",
    "ssl_cert",
    "ssl_context",
    "ssl_disabled",
    "ssl_key",
    "ssl_mode",
    "ssl_require",
    "ssl_verify_cert",
    "ssl_verify_identity",
    "ssl_verify_server_cert",
    "sslaccept",
    "sslca",
    "sslcert",
    "sslfactory",
    "sslkey",
    "sslmode",
    "sslnegotiation",
    "sslpassword",
    "sslrootcert",
    "sslverify",
    "statement_cache_size",
    "statement_timeout",
    "target_session_attrs",
    "targetservertype",
    "tcpip",
    "timeout",
    "tls",
    "tls_version",
    "tlscafile",
    "tlscertificatekeyfile",
    "tlsinsecure",
    "trusted_connection",
    "trustservercertificate",
    "uid",
    "unix_sock",
    "unix_socket",
    "uselibpqcompat",
    "user id",
    "user name",
    "user",
    "userid",
    "username",
    "usessl",
    "verifyservercertificate",
    "w",
];

/// Words before `://` that are known, though no engine has them: open protocols, common
/// files, the words of adapters.
const FOREIGN: &[&str] = &[
    "http",
    "https",
    "ftp",
    "sftp",
    "ssh",
    "file",
    "redis",
    "rediss",
    "amqp",
    "amqps",
    "ldap",
    "ldaps",
    "smtp",
    "smtps",
    "imap",
    "mqtt",
    "nats",
    "kafka",
    "ws",
    "wss",
    "sqlite",
    "sqlite3",
    "cassandra",
    "couchdb",
    "elasticsearch",
    "etcd",
    "valkey",
    "zookeeper",
    "git",
    "udp",
    "unix",
    "grpc",
    "memcached",
    "odbc",
];

/// Whether a word, in lower case, is a keyword that some form knows.
pub(crate) fn is_key(low: &str) -> bool {
    KEYS.contains(&low)
}

/// Whether a word, in lower case, is a keyword but for one letter.
pub(crate) fn is_near_key(low: &str) -> bool {
    const SHORTEST: usize = 6;
    let slip = |key: &&str| key.len() >= SHORTEST && strsim::damerau_levenshtein(low, key) <= 1;
    is_key(low) || (low.len() >= SHORTEST && KEYS.iter().any(slip))
}

/// Whether a text has a known keyword before an equals sign: only then it is a list of
/// pairs.
pub(in super::super) fn has_key(text: &str) -> bool {
    text.match_indices('=').any(|(at, _)| {
        let before = text.get(..at).unwrap_or_default().trim_end();
        let from = before
            .rfind(|c: char| c.is_whitespace() || matches!(c, ';' | '&' | '?' | ':'))
            .map_or(0, |p| p + 1);
        is_key(&before.get(from..).unwrap_or_default().to_ascii_lowercase())
    })
}

/// Whether every part of a scheme is known: engine, driver, `jdbc`.
pub(crate) fn is_scheme(scheme: &str) -> bool {
    scheme.split([':', '+']).all(is_scheme_word)
        || ENGINES.iter().any(|e| e.schemes().contains(&scheme))
}

/// Whether a word before `://` is known, and no engine's.
pub(in super::super) fn is_foreign(word: &str) -> bool {
    FOREIGN.contains(&word)
}

fn is_scheme_word(word: &str) -> bool {
    word == "jdbc"
        || FOREIGN.contains(&word)
        || ENGINES.iter().any(|e| {
            e.schemes().contains(&word)
                || e.adapters().contains(&word)
                || e.jdbc_names().contains(&word)
                || e.drivers().contains(&word)
        })
}
