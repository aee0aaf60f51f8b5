//! The target without its secret, in a form that this program reads.

use chronaxis_model::target::{ClientId, End, ShownTarget};

use super::string::word;
use crate::written::escaped;

/// Words of the drivers for Java as they are usually written; their case does not count.
const IN_JAVA: &[(&str, &str)] = &[
    ("connect_timeout_ms", "connectTimeout"),
    ("ssl_required", "requireSSL"),
    ("ssl_trust_any", "trustServerCertificate"),
    ("ssl_any_host", "disableSslHostnameVerification"),
    ("ssl_mode", "sslMode"),
    ("ssl", "useSSL"),
    ("ssl_verify_server_cert", "verifyServerCertificate"),
    ("ssl_ca", "serverSslCert"),
];

/// The target as a URL that makes the same client's rules count.
pub(super) fn described(target: &ShownTarget) -> String {
    let scheme = match target.client {
        ClientId::Libmariadb => "mariadb",
        ClientId::ConnectorJ => "jdbc:mysql",
        ClientId::MariadbJava => "jdbc:mariadb",
        ClientId::Pymysql => "mysql+pymysql",
        ClientId::NodeMysql => "mysql+node-mysql2",
        ClientId::GoMysql => "mysql+go-mysql",
        ClientId::MysqlConnector => "mysql+mysql-connector",
        ClientId::MariadbNode => "mysql+mariadb-node",
        _ => "mysql",
    };
    let mut after: Vec<String> = Vec::new();
    let mut places = Vec::new();
    for end in &target.ends {
        match end {
            End::Socket { socket } => {
                places.push("localhost".to_owned());
                after.push(format!("socket={}", escaped(socket)));
            }
            End::Host { .. } => places.push(end.to_string()),
        }
    }
    let user = target.user.as_deref().map_or_else(String::new, escaped);
    let jdbc = scheme.starts_with("jdbc:");
    let before = match (user.is_empty(), jdbc) {
        (true, _) => String::new(),
        (false, true) => {
            after.insert(0, format!("user={user}"));
            String::new()
        }
        (false, false) => format!("{user}@"),
    };
    let of_mysql = target.client == ClientId::ConnectorJ;
    for (key, value) in &target.options {
        let usual = IN_JAVA.iter().find(|(own, _)| own == key && jdbc);
        let name = match (key.as_str(), usual) {
            // Told by where it leads.
            ("socket", _) => continue,
            (_, Some((_, name))) => name,
            ("trust_store", _) if of_mysql => "trustCertificateKeyStoreUrl",
            ("key_store", _) if of_mysql => "clientCertificateKeyStoreUrl",
            ("trust_store", _) => "trustStore",
            ("key_store", _) => "keyStore",
            (key, None) => match word(target.client, key) {
                Some(name) => name,
                None => continue,
            },
        };
        after.push(format!("{name}={}", escaped(value)));
    }
    let database = target.database.as_deref().map_or_else(String::new, escaped);
    let query = match after.is_empty() {
        true => String::new(),
        false => format!("?{}", after.join("&")),
    };
    format!("{scheme}://{before}{}/{database}{query}", places.join(","))
}
