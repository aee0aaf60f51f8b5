//! How each driver writes what, and the name under which the rest of the engine knows it.

use chronaxis_model::target::ClientId;

/// The drivers that are known behind a scheme, each with the client whose rules it
/// follows.
pub(in super::super) const DRIVERS: [(&str, ClientId); 11] = [
    ("mysqldb", ClientId::Libmysqlclient),
    ("mysqlclient", ClientId::Libmysqlclient),
    ("mysqlconnector", ClientId::Libmysqlclient),
    ("mariadbconnector", ClientId::Libmariadb),
    ("pymysql", ClientId::Pymysql),
    ("aiomysql", ClientId::Pymysql),
    ("asyncmy", ClientId::Pymysql),
    ("node-mysql2", ClientId::NodeMysql),
    ("go-mysql", ClientId::GoMysql),
    ("mysql-connector", ClientId::MysqlConnector),
    ("mariadb-node", ClientId::MariadbNode),
];

/// The client whose rules a URL of this scheme follows: the family's own library, unless a
/// driver is named.
pub(super) fn client(scheme: &str) -> ClientId {
    let (base, driver) = scheme.split_once('+').unwrap_or((scheme, ""));
    let own = match base {
        "mariadb" => ClientId::Libmariadb,
        _ => ClientId::Libmysqlclient,
    };
    DRIVERS
        .iter()
        .find(|(name, _)| *name == driver)
        .map_or(own, |(_, client)| *client)
}

/// Parameters of a URL, without regard to case, dashes as underscores.
pub(super) const URL: &[(&str, &str)] = &[
    ("user", "user"),
    ("password", "password"),
    ("database", "dbname"),
    ("ssl_mode", "ssl_mode"),
    ("sslmode", "ssl_mode"),
    ("ssl", "ssl"),
    ("ssl_ca", "ssl_ca"),
    ("sslca", "ssl_ca"),
    ("ssl_cert", "ssl_cert"),
    ("sslcert", "ssl_cert"),
    ("ssl_key", "ssl_key"),
    ("sslkey", "ssl_key"),
    ("ssl_verify_server_cert", "ssl_verify_server_cert"),
    ("ssl_verify_cert", "ssl_verify_server_cert"),
    ("ssl_verify_identity", "ssl_verify_identity"),
    ("ssl_disabled", "ssl_disabled"),
    ("tls_version", "tls_version"),
    ("socket", "socket"),
    ("unix_socket", "socket"),
    ("protocol", "protocol"),
    ("connect_timeout", "connect_timeout"),
    ("default_auth", "default_auth"),
    ("enable_cleartext_plugin", "enable_cleartext_plugin"),
    ("read_default_file", "read_default_file"),
    ("read_default_group", "read_default_group"),
    ("charset", "charset"),
];

/// Parameters of both families' JDBC drivers (their documentation, "Configuration
/// Properties").
pub(super) const JDBC: &[(&str, &str)] = &[
    ("user", "user"),
    ("password", "password"),
    ("sslmode", "ssl_mode"),
    ("usessl", "ssl"),
    ("requiressl", "ssl_required"),
    ("verifyservercertificate", "ssl_verify_server_cert"),
    ("trustservercertificate", "ssl_trust_any"),
    ("disablesslhostnameverification", "ssl_any_host"),
    ("serversslcert", "ssl_ca"),
    ("trustcertificatekeystoreurl", "trust_store"),
    ("trustcertificatekeystorepassword", "trust_store_password"),
    ("truststore", "trust_store"),
    ("truststorepassword", "trust_store_password"),
    ("clientcertificatekeystoreurl", "key_store"),
    ("clientcertificatekeystorepassword", "key_store_password"),
    ("keystore", "key_store"),
    ("keystorepassword", "key_store_password"),
    ("keypassword", "key_password"),
    ("connecttimeout", "connect_timeout_ms"),
    ("localsocket", "socket"),
    ("tlsversions", "tls_version"),
    ("enabledtlsprotocols", "tls_version"),
];

/// Keywords of the plain Python driver; any that it does not know is an error there.
pub(super) const PYMYSQL: &[(&str, &str)] = &[
    ("user", "user"),
    ("password", "password"),
    ("database", "dbname"),
    ("db", "dbname"),
    ("ssl_ca", "ssl_ca"),
    ("ssl_cert", "ssl_cert"),
    ("ssl_key", "ssl_key"),
    ("ssl_verify_cert", "ssl_verify_server_cert"),
    ("ssl_verify_identity", "ssl_verify_identity"),
    ("ssl_check_hostname", "ssl_verify_identity"),
    ("ssl_disabled", "ssl_disabled"),
    ("unix_socket", "socket"),
    ("connect_timeout", "connect_timeout"),
    ("read_default_file", "read_default_file"),
    ("read_default_group", "read_default_group"),
    ("charset", "charset"),
];

/// Further keywords of that driver, which change nothing about connecting.
pub(super) const PYMYSQL_OTHERS: &[&str] = &[
    "host",
    "port",
    "bind_address",
    "sql_mode",
    "use_unicode",
    "client_flag",
    "init_command",
    "read_timeout",
    "write_timeout",
    "autocommit",
    "local_infile",
    "max_allowed_packet",
    "program_name",
    "collation",
    "binary_prefix",
    "server_public_key",
];

/// Words of PHP's data-source names (PHP manual, "PDO_MYSQL DSN").
pub(super) const PHP: &[(&str, &str)] = &[
    ("host", "host"),
    ("port", "port"),
    ("dbname", "dbname"),
    ("unix_socket", "socket"),
    ("user", "user"),
    ("password", "password"),
    ("charset", "charset"),
];

/// Words of both families' ODBC drivers (MariaDB Connector/ODBC documentation,
/// "Parameters"; measured with its version 3.1).
pub(super) const ODBC: &[(&str, &str)] = &[
    ("server", "host"),
    ("servername", "host"),
    ("host", "host"),
    ("tcpip", "host"),
    ("port", "port"),
    ("database", "dbname"),
    ("db", "dbname"),
    ("uid", "user"),
    ("user", "user"),
    ("pwd", "password"),
    ("password", "password"),
    ("socket", "socket"),
    ("sslmode", "ssl_mode"),
    ("sslca", "ssl_ca"),
    ("sslcert", "ssl_cert"),
    ("sslkey", "ssl_key"),
    ("sslverify", "ssl_verify_server_cert"),
    ("forcetls", "ssl"),
    ("charset", "charset"),
    ("connect_timeout", "connect_timeout"),
    ("conn_timeout", "connect_timeout"),
    ("enable_cleartext_plugin", "enable_cleartext_plugin"),
];

/// Words of the .NET drivers, which need no `Driver` (MySqlConnector documentation,
/// "Connection String Options").
pub(super) const DOTNET: &[(&str, &str)] = &[
    ("server", "host"),
    ("host", "host"),
    ("data source", "host"),
    ("datasource", "host"),
    ("address", "host"),
    ("addr", "host"),
    ("network address", "host"),
    ("port", "port"),
    ("database", "dbname"),
    ("initial catalog", "dbname"),
    ("uid", "user"),
    ("user", "user"),
    ("user id", "user"),
    ("userid", "user"),
    ("username", "user"),
    ("user name", "user"),
    ("pwd", "password"),
    ("password", "password"),
    ("sslmode", "ssl_mode"),
    ("ssl mode", "ssl_mode"),
    ("ssl-mode", "ssl_mode"),
    ("sslca", "ssl_ca"),
    ("ssl ca", "ssl_ca"),
    ("cacertificatefile", "ssl_ca"),
    ("sslcert", "ssl_cert"),
    ("sslkey", "ssl_key"),
    ("charset", "charset"),
    ("character set", "charset"),
    ("connect timeout", "connect_timeout"),
    ("connection timeout", "connect_timeout"),
    ("connectiontimeout", "connect_timeout"),
];

/// Words of plain pairs: as the options of the families' own programs are called.
pub(super) const PAIRS: &[(&str, &str)] = &[
    ("host", "host"),
    ("port", "port"),
    ("dbname", "dbname"),
    ("database", "dbname"),
    ("user", "user"),
    ("password", "password"),
    ("socket", "socket"),
    ("ssl_mode", "ssl_mode"),
    ("ssl-mode", "ssl_mode"),
    ("ssl", "ssl"),
    ("ssl_ca", "ssl_ca"),
    ("ssl-ca", "ssl_ca"),
    ("ssl_cert", "ssl_cert"),
    ("ssl-cert", "ssl_cert"),
    ("ssl_key", "ssl_key"),
    ("ssl-key", "ssl_key"),
    ("ssl-verify-server-cert", "ssl_verify_server_cert"),
    ("connect_timeout", "connect_timeout"),
    ("connect-timeout", "connect_timeout"),
    ("protocol", "protocol"),
];
