//! Certificates and keys that settings name, in every form that they may stand in: where the
//! real driver connects with them we say so, and where it does not we say why.

use std::io::Write as _;
use std::path::Path;
use std::process::{Command, Stdio};

use crate::bundles::openssl;
use crate::support::mariadb::Mariadb;
use crate::support::postgres::Postgres;
use crate::support::real::tally;
use crate::support::{chronaxis, finish, gist, papers};

const CONNECTS: &str = concat!(
    env!("CARGO_MANIFEST_DIR"),
    "/../../scripts/judges/Connects.java"
);

/// What a driver for Java says of each URL.
fn by_java(driver: &str, home: &Path, urls: &[String]) -> Vec<String> {
    let mut child = Command::new("java")
        .arg(format!("-Duser.home={}", home.display()))
        .args(["-cp", driver, CONNECTS])
        .stdin(Stdio::piped())
        .stdout(Stdio::piped())
        .stderr(Stdio::null())
        .spawn()
        .expect("java runs");
    let mut input = child.stdin.take().unwrap();
    input
        .write_all((urls.join("\n") + "\n").as_bytes())
        .unwrap();
    drop(input);
    let done = child.wait_with_output().unwrap();
    let said = String::from_utf8_lossy(&done.stdout).into_owned();
    said.lines().map(str::to_owned).collect()
}

/// What is wrong with what we say of a target: held against what was wanted, and against the
/// driver, which `said` something of it.
fn wrong(home: &Path, target: &str, wanted: &str, works: bool, said: &str) -> Option<String> {
    let mut command = chronaxis(home);
    command.args(["diagnose", "--output", "json", target]);
    let ran = finish(&mut command);
    assert!(!ran.stderr.contains("panicked"), "{}", ran.stderr);
    let shown = format!("{}{}", ran.stdout, ran.stderr);
    for secret in ["tide-table-9", "harbour-lamp-3", "lantern-oil-42"] {
        assert!(!shown.contains(secret), "{target}: {shown}");
    }
    let found = ran.case();
    let got = gist(&found);
    let fits = match wanted.strip_suffix(" - -") {
        Some(state) => got.starts_with(state),
        None => got == wanted,
    };
    let never = !got.starts_with("undecided") && works != got.starts_with("working");
    (!fits || never).then(|| {
        format!(
            "{target}\n  driver: {works} {said}\n  ours: {got}, wanted {wanted}: {}",
            found["verdict"]["headline"]
        )
    })
}

/// The client's key and certificate in all forms.
fn forms(top: &Path) {
    let p8 = ["pkcs8", "-topk8", "-in", "client.key"];
    let with = |more: &[&str]| openssl(top, &[&p8[..], more].concat());
    with(&["-outform", "DER", "-nocrypt", "-out", "client.pk8"]);
    let late = ["pkcs8", "-topk8", "-in", "late.key", "-outform", "DER"];
    openssl(
        top,
        &[&late[..], &["-nocrypt", "-out", "late.pk8"]].concat(),
    );
    let locked = ["-v2", "aes-256-cbc", "-passout", "pass:tide-table-9"];
    with(&[&locked[..], &["-outform", "DER", "-out", "locked.pk8"]].concat());
    with(&[&locked[..], &["-out", "locked.key"]].concat());
    for (name, cipher) in [
        ("old128", "-aes128"),
        ("old192", "-aes192"),
        ("old256", "-aes256"),
        ("old3des", "-des3"),
    ] {
        let out = format!("{name}.key");
        let lock = ["-passout", "pass:tide-table-9", "-out", &out];
        openssl(
            top,
            &[&["ec", "-in", "client.key", cipher][..], &lock].concat(),
        );
    }
    openssl(
        top,
        &[
            "x509",
            "-in",
            "client.pem",
            "-outform",
            "DER",
            "-out",
            "client.der",
        ],
    );
    openssl(
        top,
        &[
            "x509", "-in", "own.pem", "-outform", "DER", "-out", "own.der",
        ],
    );
    let store = [
        "pkcs12",
        "-export",
        "-in",
        "client.pem",
        "-inkey",
        "client.key",
    ];
    let lock = ["-passout", "pass:tide-table-9", "-out", "client.p12"];
    openssl(top, &[&store[..], &["-name", "holder"], &lock].concat());
    std::fs::copy(top.join("client.p12"), top.join("client.store")).unwrap();
    let lock = ["-passout", "pass:tide-table-9", "-out", "user.p12"];
    let chain = ["-name", "user", "-certfile", "own.pem"];
    openssl(top, &[&store[..], &chain, &lock].concat());
    let old = ["-v1", "PBE-SHA1-3DES", "-passout", "pass:tide-table-9"];
    with(&[&old[..], &["-outform", "DER", "-out", "old.pk8"]].concat());
    let copied = Command::new("keytool")
        .current_dir(top)
        .args([
            "-importkeystore",
            "-noprompt",
            "-srckeystore",
            "client.p12",
            "-destkeystore",
            "client.jks",
        ])
        .args([
            "-deststoretype",
            "JKS",
            "-srcstorepass",
            "tide-table-9",
            "-deststorepass",
            "tide-table-9",
        ])
        .output()
        .expect("keytool runs");
    assert!(copied.status.success());
    for (from, to) in [("own.pem", "trust.p12"), ("other.pem", "others.p12")] {
        let made = Command::new("keytool")
            .current_dir(top)
            .args([
                "-importcert",
                "-noprompt",
                "-alias",
                "ca",
                "-storetype",
                "PKCS12",
            ])
            .args([
                "-storepass",
                "harbour-lamp-3",
                "-file",
                from,
                "-keystore",
                to,
            ])
            .output()
            .expect("keytool runs");
        assert!(made.status.success());
    }
}

#[test]
fn files_of_postgresql() {
    if !Postgres::available() {
        return;
    }
    let (folder, home) = (papers::papers(), tempfile::tempdir().unwrap());
    let top = folder.path();
    forms(top);
    let server = papers::postgres(top);
    let dir = top.display().to_string();
    // What stands behind `sslmode=verify-full`, and what is to be said of it: by psql, by
    // PostgreSQL's driver for Java.
    const LOCK: &str = "broken bundle-passphrase-wrong bundle/passphrase-wrong";
    const FORM: &str = "broken bundle-unreadable bundle/unreadable";
    const GOOD: &str = "working - -";
    const NONE: &str = "broken client-certificate-missing login/host-refused";
    const STALE: &str = "broken bundle-path-stale bundle/path-stale";
    const OTHER: &str = "broken bundle-key-mismatch bundle/key-mismatch";
    const OPEN: &str = "undecided - -";
    const PAST: &str = "broken bundle-expired tls/alert";
    let lock = "tide-table-9";
    let wrong_lock = "harbour-lamp-3";
    let cases = [
        ("own.pem", "client.pem", "client.key", "", GOOD, FORM),
        ("own.pem", "client.pem", "client.pk8", "", GOOD, GOOD),
        ("own.pem", "client.der", "client.pk8", "", FORM, GOOD),
        ("own.der", "client.pem", "client.pk8", "", FORM, GOOD),
        ("own.pem", "client.pem", "locked.pk8", lock, FORM, FORM),
        (
            "own.pem",
            "client.pem",
            "locked.pk8",
            wrong_lock,
            FORM,
            FORM,
        ),
        ("own.pem", "client.pem", "locked.pk8", "", FORM, LOCK),
        ("own.pem", "client.pem", "locked.key", lock, GOOD, FORM),
        ("own.pem", "client.key", "own.pem", "", FORM, FORM),
        (
            "own.pem",
            "client.pem",
            "locked.key",
            wrong_lock,
            LOCK,
            FORM,
        ),
        ("own.pem", "client.pem", "locked.key", "", LOCK, FORM),
        ("own.pem", "client.pem", "client.p12", lock, FORM, NONE),
        ("own.pem", "", "user.p12", lock, "broken - -", GOOD),
        ("own.pem", "client.pem", "user.p12", lock, FORM, GOOD),
        ("own.pem", "", "user.p12", wrong_lock, "broken - -", LOCK),
        ("own.pem", "client.pem", "client.store", lock, FORM, FORM),
        ("own.pem", "client.pem", "late.key", "", OTHER, FORM),
        ("own.pem", "late.pem", "late.key", "", PAST, FORM),
        ("own.pem", "late.pem", "late.pk8", "", PAST, PAST),
        ("own.pem", "client.pem", "old128.key", lock, GOOD, FORM),
        ("own.pem", "client.pem", "old192.key", lock, GOOD, FORM),
        ("own.pem", "client.pem", "old256.key", lock, GOOD, FORM),
        ("own.pem", "client.pem", "old3des.key", lock, GOOD, FORM),
        (
            "own.pem",
            "client.pem",
            "old128.key",
            wrong_lock,
            LOCK,
            FORM,
        ),
        ("own.pem", "client.pem", "old128.key", "", LOCK, FORM),
        (
            "other.pem",
            "client.pem",
            "client.pk8",
            "",
            "broken - -",
            "broken - -",
        ),
        ("absent.pem", "client.pem", "client.pk8", "", STALE, STALE),
        ("own.pem", "client.pem", "old.pk8", lock, FORM, OPEN),
    ];
    let url = |scheme: &str, user: &str, case: &(&str, &str, &str, &str, &str, &str)| {
        let (ca, certificate, key, lock, ..) = case;
        let mut out = format!(
            "{scheme}://{}127.0.0.1:{}/sailings?{}sslmode=verify-full&sslrootcert={dir}/{ca}&sslkey={dir}/{key}",
            if user.is_empty() { "holder@" } else { "" },
            server.port(),
            user
        );
        if !certificate.is_empty() {
            out.push_str(&format!("&sslcert={dir}/{certificate}"));
        }
        if !lock.is_empty() {
            out.push_str(&format!("&sslpassword={lock}"));
        }
        out
    };
    let of_java: Vec<String> = cases
        .iter()
        .map(|case| url("jdbc:postgresql", "user=holder&", case))
        .collect();
    let said = by_java("/usr/share/java/postgresql.jar", home.path(), &of_java);
    assert_eq!(said.len(), cases.len(), "{said:?}");
    let mut all_wrong = Vec::new();
    for ((case, java), said) in cases.iter().zip(&of_java).zip(&said) {
        let of_library = url("postgresql", "", case);
        let psql = Command::new("/usr/bin/psql")
            .env_clear()
            .env("HOME", home.path())
            .args(["-X", "-Atc", "select 1", &of_library])
            .stdin(Stdio::null())
            .output()
            .expect("psql runs");
        let psql_said = String::from_utf8_lossy(&psql.stderr).into_owned();
        for (target, works, said, wanted) in [
            (&of_library, psql.status.success(), &psql_said, case.4),
            (java, said == "works", said, case.5),
        ] {
            all_wrong.extend(wrong(home.path(), target, wanted, works, said));
            tally("postgresql", &format!("key files {target}"));
        }
    }
    assert!(
        all_wrong.is_empty(),
        "{} wrong\n{}",
        all_wrong.len(),
        all_wrong.join("\n")
    );
}

#[test]
fn files_of_mariadb() {
    if !Mariadb::available() {
        return;
    }
    let (folder, home) = (papers::papers(), tempfile::tempdir().unwrap());
    let top = folder.path();
    forms(top);
    let server = papers::mariadb(
        top,
        "create database manifest;
create user holder@'%' identified by 'lantern-oil-42' require x509;
grant select on manifest.* to holder@'%';",
    );
    let dir = top.display().to_string();
    const LOCK: &str = "broken bundle-passphrase-wrong bundle/passphrase-wrong";
    const FORM: &str = "broken bundle-unreadable bundle/unreadable";
    let good = format!("keyStore={dir}/client.p12&keyStorePassword=tide-table-9");
    let cases = [
        (format!("serverSslCert={dir}/own.pem&{good}"), "working - -"),
        (format!("serverSslCert={dir}/own.der&{good}"), "working - -"),
        (
            format!("trustStore={dir}/trust.p12&trustStorePassword=harbour-lamp-3&{good}"),
            "working - -",
        ),
        (
            format!("trustStore=file:{dir}/trust.p12&trustStorePassword=harbour-lamp-3&{good}"),
            "working - -",
        ),
        (
            format!("trustStore={dir}/others.p12&trustStorePassword=harbour-lamp-3&{good}"),
            "broken - -",
        ),
        (
            format!("trustStore={dir}/trust.p12&trustStorePassword=tide-table-9&{good}"),
            LOCK,
        ),
        (
            format!(
                "serverSslCert={dir}/own.pem&keyStore={dir}/client.p12&keyStorePassword=harbour-lamp-3"
            ),
            LOCK,
        ),
        (
            format!(
                "serverSslCert={dir}/own.pem&keyStore={dir}/client.pem&keyStorePassword=tide-table-9"
            ),
            FORM,
        ),
        (format!("serverSslCert={dir}/own.pem"), "broken - -"),
        (
            format!(
                "serverSslCert={dir}/own.pem&keyStore={dir}/client.jks&keyStorePassword=tide-table-9"
            ),
            "undecided - -",
        ),
        (
            format!("serverSslCert={dir}/absent.pem&{good}"),
            "broken bundle-path-stale bundle/path-stale",
        ),
    ];
    let urls: Vec<String> = cases
        .iter()
        .map(|(more, _)| {
            format!(
                "jdbc:mariadb://127.0.0.1:{}/manifest?user=holder&password=lantern-oil-42&useSSL=true&{more}",
                server.port()
            )
        })
        .collect();
    let said = by_java(
        "/usr/share/java/mariadb-java-client.jar",
        home.path(),
        &urls,
    );
    assert_eq!(said.len(), cases.len(), "{said:?}");
    let mut all_wrong = Vec::new();
    for (((_, wanted), url), said) in cases.iter().zip(&urls).zip(&said) {
        all_wrong.extend(wrong(home.path(), url, wanted, said == "works", said));
        tally("mariadb", &format!("key files {url}"));
    }
    assert!(
        all_wrong.is_empty(),
        "{} wrong\n{}",
        all_wrong.len(),
        all_wrong.join("\n")
    );
}
