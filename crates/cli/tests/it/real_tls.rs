//! Real PostgreSQL over encrypted lines: for every defect of its papers and every level of
//! checking, whether its own client gets in where we say that it does.

use std::path::Path;
use std::process::{Command, Stdio};

use chronaxis_lab::certificates::{self, CertificateKind};

use crate::support::postgres::Postgres;
use crate::support::real::tally;
use crate::support::{chronaxis, finish, gist};

const RULES: &str = "
local all crew peer
local all all trust
hostssl all sealed all scram-sha-256
hostnossl all plainly all scram-sha-256
hostssl all paper all scram-sha-256 clientcert=verify-ca
hostssl all holder all cert
host all purser all scram-sha-256
";

const STATEMENTS: &str = "
create role purser login password 'tide-table-9';
create role sealed login password 'tide-table-9';
create role plainly login password 'tide-table-9';
create role paper login password 'tide-table-9';
create role holder login; create role crew login;
create database sailings
";

/// A server, a folder with papers, and a home.
struct Quay {
    server: Postgres,
    files: tempfile::TempDir,
    home: tempfile::TempDir,
}

impl Quay {
    fn new() -> Quay {
        let files = tempfile::tempdir().unwrap();
        crate::support::open_to_all(files.path());
        for (name, text) in certificates::files() {
            write_private(&files.path().join(name), &text);
        }
        let mut server = Postgres::prepare(RULES, "");
        // Debian's servers refuse to load a short key otherwise.
        let conf = "openssl_conf = a\n[a]\nssl_conf = b\n[b]\nsystem_default = c\n[c]\nCipherString = ALL:@SECLEVEL=0\n";
        std::fs::write(server.data().join("openssl.cnf"), conf).unwrap();
        server.up();
        server.wait();
        server.sql(STATEMENTS);
        let quay = Quay {
            server,
            files,
            home: tempfile::tempdir().unwrap(),
        };
        quay.shows(CertificateKind::Good);
        quay.server.sql(
            "alter system set ssl_cert_file = 'server.pem'; alter system set ssl_key_file = 'server-key.pem'; alter system set ssl_ca_file = 'authority.pem'; alter system set ssl = on",
        );
        quay.reload();
        quay
    }

    fn path(&self, name: &str) -> String {
        self.files.path().join(name).display().to_string()
    }

    /// Gives the server other papers.
    fn takes(&self, chain: &str, key: &str) {
        let data = self.server.data();
        write_private(&data.join("server.pem"), chain);
        write_private(&data.join("server-key.pem"), key);
        let authority = certificates::pem("CERTIFICATE", &[certificates::authority_der()]);
        write_private(&data.join("authority.pem"), &authority);
        for name in ["server.pem", "server-key.pem", "authority.pem"] {
            let owned = Command::new("chown")
                .arg("postgres")
                .arg(data.join(name))
                .status();
            assert!(owned.unwrap().success());
        }
    }

    fn shows(&self, kind: CertificateKind) {
        let made = certificates::of_server(kind);
        let chain = certificates::pem("CERTIFICATE", &made.chain);
        self.takes(&chain, &certificates::pem("PRIVATE KEY", &[made.key]));
    }

    fn reload(&self) {
        self.server.reload();
    }

    /// Whether its own client gets in.
    fn psql(&self, target: &str) -> (bool, String) {
        let done = Command::new("/usr/bin/psql")
            .env_clear()
            .env("HOME", self.home.path())
            .args(["-X", "-Atc", "select 1", target])
            .stdin(Stdio::null())
            .output()
            .expect("psql runs");
        let said = String::from_utf8_lossy(&done.stderr).into_owned();
        (done.status.success(), said)
    }

    /// Our verdict, with its gist.
    fn ours(&self, target: &str) -> String {
        let mut command = chronaxis(self.home.path());
        command.args(["diagnose", "--output", "json", target]);
        gist(&finish(&mut command).case())
    }

    /// The key of the certificate that the server shows.
    fn key_shown(&self) -> String {
        let target = format!(
            "host=127.0.0.1 port={} dbname=sailings user=purser sslmode=require",
            self.server.port()
        );
        let mut command = chronaxis(self.home.path());
        command.args(["diagnose", "--output", "json", "--until", "tls", &target]);
        let case = finish(&mut command).case();
        let facts = case["layers"][6]["facts"].as_array().unwrap();
        let shown = facts.iter().find(|f| f["fact"] == "certificate-shown");
        let key = &shown.expect("a certificate")["certificates"][0]["key"];
        key.as_str().unwrap().to_owned()
    }

    /// Both; what differs is told.
    fn compare(&self, what: &str, user: &str, more: &str, wanted: Option<&str>) -> Option<String> {
        let port = self.server.port();
        let target = format!(
            "host=127.0.0.1 port={port} dbname=sailings user={user} password=tide-table-9 {more}"
        );
        let ours = self.ours(&target);
        let (theirs, said) = self.psql(&target);
        tally("postgresql", &format!("{what}: {user} {more}"));
        let agrees = ours.starts_with("working") == theirs;
        let as_wanted = wanted.is_none_or(|wanted| ours == wanted);
        (!agrees || !as_wanted).then(|| format!("{what}, {user} {more}: {ours} | {said}"))
    }
}

fn write_private(path: &Path, text: &str) {
    use std::os::unix::fs::PermissionsExt as _;
    std::fs::write(path, text).unwrap();
    std::fs::set_permissions(path, std::fs::Permissions::from_mode(0o600)).unwrap();
}

fn openssl(folder: &Path, args: &[&str]) {
    let done = Command::new("openssl")
        .current_dir(folder)
        .args(args)
        .stderr(Stdio::null())
        .stdout(Stdio::null())
        .status();
    assert!(done.expect("openssl runs").success(), "{args:?}");
}

#[test]
fn its_own_client_gets_in_where_we_say_so() {
    if !Postgres::available() {
        return;
    }
    let quay = Quay::new();
    let root = quay.path("authority.pem");
    let mut wrong = Vec::new();
    let refused = |cause: &str| format!("broken {cause} tls/certificate-refused");
    for (kind, cause) in [
        (CertificateKind::Good, None),
        (CertificateKind::Expired, Some("certificate-expired")),
        (
            CertificateKind::NotYetValid,
            Some("certificate-not-yet-valid"),
        ),
        (
            CertificateKind::StrangeIssuer,
            Some("certificate-issuer-unknown"),
        ),
        (CertificateKind::SelfSigned, Some("certificate-self-signed")),
        (
            CertificateKind::NoIntermediate,
            Some("certificate-chain-incomplete"),
        ),
    ] {
        quay.shows(kind);
        quay.reload();
        let what = format!("{kind:?}");
        for mode in [
            "disable",
            "allow",
            "prefer",
            "require",
            "verify-ca",
            "verify-full",
        ] {
            let bare = format!("sslmode={mode}");
            let file = format!("sslmode={mode} sslrootcert={root}");
            wrong.extend(quay.compare(&what, "purser", &bare, None));
            let checks = matches!(mode, "require" | "verify-ca" | "verify-full");
            let wanted = cause.filter(|_| checks).map(refused);
            wrong.extend(quay.compare(&what, "purser", &file, wanted.as_deref()));
        }
    }
    quay.shows(CertificateKind::OtherName);
    quay.reload();
    let name = |host: &str, mode: &str| {
        format!("host={host} hostaddr=127.0.0.1 sslmode={mode} sslrootcert={root}")
    };
    let mismatch = refused("certificate-name-mismatch");
    wrong.extend(quay.compare("names", "purser", &name("quay", "verify-ca"), None));
    wrong.extend(quay.compare(
        "names",
        "purser",
        &name("quay", "verify-full"),
        Some(&mismatch),
    ));
    let right = name("north-quay.osmary.example", "verify-full");
    wrong.extend(quay.compare("names", "purser", &right, Some("working - -")));
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
}

/// Rules of the server's, and papers of the client's.
#[test]
fn rules_for_encrypted_lines_and_for_papers() {
    if !Postgres::available() {
        return;
    }
    let quay = Quay::new();
    let (root, own, key) = (
        quay.path("authority.pem"),
        quay.path("purser.pem"),
        quay.path("purser-key.pem"),
    );
    let (strange, strange_key) = (quay.path("stowaway.pem"), quay.path("stowaway-key.pem"));
    let open_key = quay.path("open-key.pem");
    std::fs::copy(&key, &open_key).unwrap();
    crate::support::open_to_all(Path::new(&open_key));
    let full = format!("sslmode=verify-full sslrootcert={root}");
    let with = |c: &str, k: &str| format!("{full} sslcert={c} sslkey={k}");
    let mut wrong = Vec::new();
    for (user, more, wanted) in [
        ("sealed", "sslmode=require".to_owned(), "working - -"),
        ("sealed", "sslmode=allow".to_owned(), "working - -"),
        (
            "only",
            "sslmode=disable".to_owned(),
            "broken client-host-not-permitted login/host-refused",
        ),
        (
            "sealed",
            "sslmode=disable".to_owned(),
            "broken tls-required login/host-refused",
        ),
        // Over either kind of line: what the server said first counts.
        (
            "only",
            "sslmode=prefer".to_owned(),
            "broken client-host-not-permitted login/host-refused",
        ),
        (
            "sealed",
            "sslmode=prefer password=low-tide".to_owned(),
            "broken credentials-rejected login/credentials-refused",
        ),
        (
            "plainly",
            "sslmode=prefer password=low-tide".to_owned(),
            "broken credentials-rejected login/credentials-refused",
        ),
        (
            "purser",
            "sslmode=prefer password=low-tide".to_owned(),
            "broken credentials-rejected login/credentials-refused",
        ),
        ("plainly", "sslmode=prefer".to_owned(), "working - -"),
        (
            "plainly",
            "sslmode=require".to_owned(),
            "broken client-host-not-permitted login/host-refused",
        ),
        (
            "purser",
            format!("{full} channel_binding=require"),
            "working - -",
        ),
        (
            "purser",
            "sslmode=disable channel_binding=require".to_owned(),
            "broken login-method-unsupported login/method",
        ),
        ("paper", with(&own, &key), "working - -"),
        // Its certificate is for the user purser.
        (
            "holder",
            with(&own, &key),
            "broken client-certificate-refused login/identity-refused",
        ),
        (
            "paper",
            full.clone(),
            "broken client-certificate-missing login/host-refused",
        ),
        (
            "paper",
            with(&strange, &strange_key),
            "broken client-certificate-refused tls/alert",
        ),
        (
            "paper",
            with(&own, &open_key),
            "broken bundle-permissions bundle/open-to-others",
        ),
        (
            "paper",
            with(&own, "/nowhere/key.pem"),
            "broken bundle-path-stale bundle/path-stale",
        ),
        // It does without a certificate that is not there; and gives encryption up where it
        // need not insist.
        (
            "purser",
            "sslmode=require sslcert=/nowhere/own.pem sslkey=/nowhere/key.pem".to_owned(),
            "working - -",
        ),
        (
            "purser",
            format!("sslmode=prefer sslcert={own} sslkey=/nowhere/key.pem"),
            "working - -",
        ),
        (
            "sealed",
            format!("sslmode=prefer sslcert={own} sslkey=/nowhere/key.pem"),
            "broken tls-required login/host-refused",
        ),
        (
            "purser",
            "sslmode=verify-full".to_owned(),
            "broken bundle-incomplete bundle/incomplete",
        ),
    ] {
        wrong.extend(quay.compare("rules", user, &more, Some(wanted)));
    }
    // By the account of the operating system no password is asked for, and none is advised.
    let folder = quay.server.socket_folder().display().to_string();
    let port = quay.server.port();
    let peer = format!("host={folder} port={port} dbname=sailings user=crew password=tide-table-9");
    let ran = finish(chronaxis(quay.home.path()).args(["diagnose", "--output", "json", &peer]));
    let verdict = &ran.case()["verdict"];
    assert_eq!(
        gist(&ran.case()),
        "broken credentials-rejected login/identity-refused"
    );
    let fix = verdict["fix"][0].as_str().unwrap();
    assert!(fix.contains("as the account crew"), "{fix}");
    // A server that is set up wrongly says so itself: no pooler is suspected.
    quay.server.sql("alter system reset ssl_ca_file");
    quay.reload();
    let unchecked = format!("host=127.0.0.1 port={port} dbname=sailings user=holder {full}");
    let ran =
        finish(chronaxis(quay.home.path()).args(["diagnose", "--output", "json", &unchecked]));
    let case = ran.case();
    assert_eq!(case["verdict"]["state"], "undecided", "{case:#}");
    assert_eq!(case["verdict"]["cause"], "something-else", "{case:#}");
    quay.server
        .sql("alter system set ssl_ca_file = 'authority.pem'");
    quay.reload();
    // With a root file of its own the library checks in any mode, and goes on in clear.
    let folder = quay.home.path().join(".postgresql");
    std::fs::create_dir_all(&folder).unwrap();
    let strange_root = certificates::pem("CERTIFICATE", &[certificates::strange_der()]);
    std::fs::write(folder.join("root.crt"), strange_root).unwrap();
    let cause = "broken certificate-issuer-unknown tls/certificate-refused";
    for (user, mode, wanted) in [
        ("purser", "prefer", "working - -"),
        ("purser", "require", cause),
        ("sealed", "prefer", cause),
    ] {
        let more = format!("sslmode={mode}");
        wrong.extend(quay.compare("root file", user, &more, Some(wanted)));
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
}

/// CertificateFiles that only the openssl command makes.
#[test]
fn strange_papers() {
    if !Postgres::available() {
        return;
    }
    let quay = Quay::new();
    let folder = quay.files.path();
    let req = |name: &str, key: &[&str], more: &[&str]| {
        openssl(
            folder,
            &[&["genpkey", "-out", &format!("{name}.key")], key].concat(),
        );
        let (out, key) = (format!("{name}.crt"), format!("{name}.key"));
        let base = [
            "req",
            "-x509",
            "-new",
            "-days",
            "30",
            "-subj",
            "/CN=127.0.0.1",
        ];
        openssl(
            folder,
            &[&base[..], &["-key", &key, "-out", &out], more].concat(),
        );
    };
    let p256: &[&str] = &["-algorithm", "EC", "-pkeyopt", "ec_paramgen_curve:P-256"];
    let san = ["-addext", "subjectAltName=IP:127.0.0.1"];
    let not_signing = ["-addext", "keyUsage=digitalSignature"];
    req("authority-with-name", p256, &[]);
    req("not-signing", p256, &[&san[..], &not_signing].concat());
    req(
        "rsa-1024",
        &["-algorithm", "RSA", "-pkeyopt", "rsa_keygen_bits:1024"],
        &san,
    );
    req(
        "p-521",
        &["-algorithm", "EC", "-pkeyopt", "ec_paramgen_curve:P-521"],
        &san,
    );
    req("ed25519", &["-algorithm", "ED25519"], &san);
    // Version 1: no extensions at all.
    openssl(
        folder,
        &[
            "req",
            "-new",
            "-key",
            "not-signing.key",
            "-subj",
            "/CN=127.0.0.1",
            "-out",
            "v1.csr",
        ],
    );
    openssl(
        folder,
        &[
            "x509",
            "-req",
            "-in",
            "v1.csr",
            "-signkey",
            "not-signing.key",
            "-days",
            "30",
            "-out",
            "v1.crt",
        ],
    );
    std::fs::copy(folder.join("not-signing.key"), folder.join("v1.key")).unwrap();
    req(
        "star",
        p256,
        &["-addext", "subjectAltName=DNS:*.osmary.example"],
    );
    let mut wrong = Vec::new();
    for (name, key) in [
        ("authority-with-name", "P-256"),
        ("not-signing", "P-256"),
        ("rsa-1024", "RSA 1024"),
        ("p-521", "P-521"),
        ("ed25519", "Ed25519"),
        ("v1", "P-256"),
    ] {
        let read =
            |kind: &str| std::fs::read_to_string(folder.join(format!("{name}.{kind}"))).unwrap();
        quay.takes(&read("crt"), &read("key"));
        quay.reload();
        let own = quay.path(&format!("{name}.crt"));
        assert_eq!(quay.key_shown(), key, "{name}: the server took it");
        for more in [
            "sslmode=require".to_owned(),
            format!("sslmode=verify-ca sslrootcert={own}"),
            format!("sslmode=verify-full sslrootcert={own}"),
        ] {
            let differs = quay.compare(name, "purser", &more, None);
            // What only this program cannot check is said to be beyond it.
            let beyond = |text: &String| text.contains(": undecided - -");
            wrong.extend(
                differs.filter(|text| !(matches!(name, "p-521" | "rsa-1024") && beyond(text))),
            );
        }
    }
    let read = |kind: &str| std::fs::read_to_string(folder.join(format!("star.{kind}"))).unwrap();
    quay.takes(&read("crt"), &read("key"));
    quay.reload();
    let own = quay.path("star.crt");
    for (host, wanted) in [
        ("quay.osmary.example", "working - -"),
        (
            "a.quay.osmary.example",
            "broken certificate-name-mismatch tls/certificate-refused",
        ),
    ] {
        let more = format!("host={host} hostaddr=127.0.0.1 sslmode=verify-full sslrootcert={own}");
        wrong.extend(quay.compare("a star", "purser", &more, Some(wanted)));
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
}

/// A server of old versions only, and one of none.
#[test]
fn old_versions_and_none() {
    if !Postgres::available() {
        return;
    }
    let quay = Quay::new();
    let mut wrong = Vec::new();
    quay.server.sql(
        "alter system set ssl_ciphers = 'ALL:@SECLEVEL=0'; alter system set ssl_min_protocol_version = 'TLSv1'; alter system set ssl_max_protocol_version = 'TLSv1.1'",
    );
    quay.reload();
    for (more, wanted) in [
        ("sslmode=require", "broken tls-version-gap tls/alert"),
        ("sslmode=prefer", "working - -"),
    ] {
        wrong.extend(quay.compare("old versions", "purser", more, Some(wanted)));
    }
    // Suites that its own client takes and only this program lacks are nobody's fault.
    quay.server.sql(
        "alter system set ssl_ciphers = 'ECDHE-ECDSA-AES256-SHA'; alter system set ssl_min_protocol_version = 'TLSv1.2'; alter system set ssl_max_protocol_version = 'TLSv1.2'",
    );
    quay.reload();
    let port = quay.server.port();
    let older = format!(
        "host=127.0.0.1 port={port} dbname=sailings user=purser password=tide-table-9 sslmode=require"
    );
    let (theirs, said) = quay.psql(&older);
    let ours = quay.ours(&older);
    if !theirs || ours != "undecided - -" {
        wrong.push(format!("older suites: {ours} | {theirs} {said}"));
    }
    tally("postgresql", "older suites");
    quay.server.sql("alter system set ssl = off");
    quay.reload();
    for (more, wanted) in [
        ("sslmode=require", "broken tls-not-offered tls/not-offered"),
        // It asks before it looks for its files.
        (
            "sslmode=verify-full sslrootcert=/nowhere/root.pem",
            "broken tls-not-offered tls/not-offered",
        ),
        ("sslmode=prefer", "working - -"),
    ] {
        wrong.extend(quay.compare("none", "purser", more, Some(wanted)));
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
}
