//! Certificates of two authorities, and servers that go by them.

use std::os::unix::fs::PermissionsExt as _;
use std::path::Path;
use std::process::Command;

use super::mariadb::Mariadb;
use super::postgres::Postgres;
use crate::bundles::openssl;

/// Two authorities; a server's certificate of the first; clients' of both.
pub fn papers() -> tempfile::TempDir {
    let folder = tempfile::tempdir().unwrap();
    super::open_to_all(folder.path());
    let top = folder.path();
    for (ca, name) in [("own", "Osmary CA"), ("other", "Harbour CA")] {
        let (key, out) = (format!("{ca}.key"), format!("{ca}.pem"));
        let subject = format!("/O=Osmary Ferries/CN={name}");
        openssl(
            top,
            &[
                "req",
                "-x509",
                "-newkey",
                "rsa:2048",
                "-nodes",
                "-keyout",
                &key,
                "-out",
                &out,
                "-days",
                "3650",
                "-subj",
                &subject,
                "-addext",
                "basicConstraints=critical,CA:TRUE",
            ],
        );
    }
    std::fs::write(
        top.join("server-ext"),
        "subjectAltName=IP:127.0.0.1\nextendedKeyUsage=serverAuth\n",
    )
    .unwrap();
    std::fs::write(top.join("client-ext"), "extendedKeyUsage=clientAuth\n").unwrap();
    issue(top, "server", "quay", "own", 400, "server-ext");
    issue(top, "client", "holder", "own", 400, "client-ext");
    issue(top, "late", "holder", "own", -1, "client-ext");
    issue(top, "stranger", "holder", "other", 400, "client-ext");
    issue(top, "purser", "purser", "own", 400, "client-ext");
    folder
}

pub fn issue(top: &Path, name: &str, subject: &str, ca: &str, days: i32, extensions: &str) {
    let (key, out, subject) = (
        format!("{name}.key"),
        format!("{name}.pem"),
        format!("/O=Osmary Ferries/CN={subject}"),
    );
    openssl(
        top,
        &[
            "ecparam",
            "-name",
            "prime256v1",
            "-genkey",
            "-noout",
            "-out",
            &key,
        ],
    );
    openssl(
        top,
        &[
            "req", "-new", "-key", &key, "-subj", &subject, "-out", "request",
        ],
    );
    openssl(
        top,
        &[
            "x509",
            "-req",
            "-in",
            "request",
            "-CA",
            &format!("{ca}.pem"),
            "-CAkey",
            &format!("{ca}.key"),
            "-set_serial",
            "12",
            "-days",
            &days.to_string(),
            "-extfile",
            extensions,
            "-out",
            &out,
        ],
    );
}

/// A PostgreSQL server that encrypts with these papers, and asks for certificates of the first
/// authority.
pub fn postgres(top: &Path, rules: &str, statements: &str) -> Postgres {
    let mut server = Postgres::prepare(rules, "");
    for (from, to) in [
        ("server.pem", "server.pem"),
        ("server.key", "server-key.pem"),
        ("own.pem", "authority.pem"),
    ] {
        let path = server.data().join(to);
        std::fs::copy(top.join(from), &path).unwrap();
        std::fs::set_permissions(&path, std::fs::Permissions::from_mode(0o600)).unwrap();
        let given = Command::new("chown").arg("postgres").arg(&path).status();
        assert!(given.unwrap().success());
    }
    server.up();
    server.wait();
    server.sql(statements);
    server.sql("alter system set ssl_cert_file = 'server.pem'; alter system set ssl_key_file = 'server-key.pem'; alter system set ssl_ca_file = 'authority.pem'; alter system set ssl = on");
    server.reload();
    server
}

/// The same of MariaDB.
pub fn mariadb(top: &Path, statements: &str) -> Mariadb {
    let path = |name: &str| top.join(name).display().to_string();
    for name in ["server.key", "server.pem", "own.pem"] {
        let open = std::fs::Permissions::from_mode(0o644);
        std::fs::set_permissions(top.join(name), open).unwrap();
    }
    let settings = [
        format!("--ssl-cert={}", path("server.pem")),
        format!("--ssl-key={}", path("server.key")),
        format!("--ssl-ca={}", path("own.pem")),
    ];
    let settings: Vec<&str> = settings.iter().map(String::as_str).collect();
    Mariadb::start(&settings, statements)
}
