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
    authority(top, "own.key", "own.pem", "Osmary CA");
    authority(top, "other.key", "other.pem", "Harbour CA");
    std::fs::write(
        top.join("server-ext"),
        "subjectAltName=IP:127.0.0.1\nextendedKeyUsage=serverAuth\n",
    )
    .unwrap();
    std::fs::write(top.join("client-ext"), "extendedKeyUsage=clientAuth\n").unwrap();
    for (name, subject, ca, days, extensions) in [
        ("server", "quay", "own", 400, "server-ext"),
        ("client", "holder", "own", 400, "client-ext"),
        ("late", "holder", "own", -1, "client-ext"),
        ("stranger", "holder", "other", 400, "client-ext"),
        ("purser", "purser", "own", 400, "client-ext"),
    ] {
        let paper = Paper {
            name,
            subject,
            ca: (&format!("{ca}.pem"), &format!("{ca}.key")),
            serial: "12",
            days,
            extensions,
        };
        paper.issue(top);
    }
    folder
}

/// An authority's key and certificate.
pub fn authority(top: &Path, key: &str, out: &str, name: &str) {
    let subject = format!("/O=Osmary Ferries/CN={name}");
    let made = ["req", "-x509", "-newkey", "rsa:2048", "-nodes"];
    let files = ["-keyout", key, "-out", out, "-days", "3650"];
    let says = ["-subj", &subject];
    let extension = ["-addext", "basicConstraints=critical,CA:TRUE"];
    openssl(top, &[&made[..], &files, &says, &extension].concat());
}

/// A certificate that is to be issued, with a key of its own.
pub struct Paper<'a> {
    /// What its files are called.
    pub name: &'a str,
    /// Its common name.
    pub subject: &'a str,
    /// The issuer's certificate and key.
    pub ca: (&'a str, &'a str),
    /// Its serial number.
    pub serial: &'a str,
    /// How long it counts.
    pub days: i32,
    /// The file with its extensions.
    pub extensions: &'a str,
}

impl Paper<'_> {
    /// Issues it.
    pub fn issue(&self, top: &Path) {
        let (key, out) = (format!("{}.key", self.name), format!("{}.pem", self.name));
        let subject = format!("/O=Osmary Ferries/CN={}", self.subject);
        let curve = ["ecparam", "-name", "prime256v1", "-genkey", "-noout"];
        openssl(top, &[&curve[..], &["-out", &key]].concat());
        let alone = std::fs::Permissions::from_mode(0o600);
        std::fs::set_permissions(top.join(&key), alone).unwrap();
        let asked = ["req", "-new", "-key", &key, "-subj", &subject];
        openssl(top, &[&asked[..], &["-out", "request"]].concat());
        let days = self.days.to_string();
        let by = ["-CA", self.ca.0, "-CAkey", self.ca.1];
        let says = ["-set_serial", self.serial, "-days", &days];
        let files = ["-extfile", self.extensions, "-out", &out];
        let issued = ["x509", "-req", "-in", "request"];
        openssl(top, &[&issued[..], &by, &says, &files].concat());
    }
}

/// A PostgreSQL server that encrypts with these papers, asks for certificates of the first
/// authority, and lets `holder` in by one.
pub fn postgres(top: &Path) -> Postgres {
    let rules =
        "local all all trust\nhostssl all holder all cert\nhostssl all all all scram-sha-256\n";
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
    server.sql("create role holder login; create database sailings");
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
