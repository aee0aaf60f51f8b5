//! Credential bundles: made with OpenSSL and keytool, one for every defect.

use std::os::unix::fs::PermissionsExt as _;
use std::path::Path;
use std::process::{Command, Stdio};

use serde_json::Value;

use crate::support::papers::{self, Paper};
use crate::support::{Ran, chronaxis, finish};

const PASSPHRASE: &str = "tide-table-9";

/// Whether OpenSSL's own program is there, with which all bundles are made.
pub(crate) fn has_openssl() -> bool {
    let there = Path::new("/usr/bin/openssl").exists();
    crate::support::real::available("openssl", there)
}

pub(crate) fn openssl(folder: &Path, args: &[&str]) {
    let ran = Command::new("openssl")
        .current_dir(folder)
        .args(args)
        .stdin(Stdio::null())
        .output()
        .expect("openssl runs");
    let said = String::from_utf8_lossy(&ran.stderr);
    assert!(ran.status.success(), "openssl {args:?}: {said}");
}

/// Certificates and keys of a ferry company: an authority, a client, a stranger's key.
pub(crate) fn office() -> tempfile::TempDir {
    let folder = tempfile::tempdir().unwrap();
    let top = folder.path();
    std::fs::create_dir(top.join("good")).unwrap();
    papers::authority(top, "ca.key", "good/ca.pem", "Osmary CA");
    std::fs::write(top.join("ext"), "extendedKeyUsage=clientAuth\n").unwrap();
    client(top, "good/client", 400, "ext");
    openssl(
        top,
        &[
            "ecparam",
            "-name",
            "prime256v1",
            "-genkey",
            "-noout",
            "-out",
            "other.key",
        ],
    );
    std::fs::write(
        top.join("good/bundle.toml"),
        "[bundle]\npurpose = \"client certificate\"\nauthorities = [\"ca.pem\"]\ncertificate = \"client.pem\"\nkey = \"client.key\"\n\n[alias.sailings]\ntarget = \"postgresql://purser@127.0.0.1:9/sailings?sslmode=verify-full&sslrootcert=${BUNDLE}/ca.pem\"\n\n[alias.night]\ntarget = \"sailings\"\n",
    )
    .unwrap();
    folder
}

/// A client's certificate with its key, valid for so many days.
fn client(top: &Path, name: &str, days: i32, extensions: &str) {
    let paper = Paper {
        name,
        subject: "purser",
        ca: ("good/ca.pem", "ca.key"),
        serial: "4711",
        days,
        extensions,
    };
    paper.issue(top);
}

/// A copy of the good bundle, changed.
pub(crate) fn changed(top: &Path, name: &str, change: impl Fn(&Path)) {
    let to = top.join(name);
    std::fs::create_dir(&to).unwrap();
    for entry in std::fs::read_dir(top.join("good")).unwrap() {
        let entry = entry.unwrap();
        std::fs::copy(entry.path(), to.join(entry.file_name())).unwrap();
    }
    change(&to);
}

pub(crate) fn ask(folder: &Path, words: &[&str], passphrase: Option<&str>) -> Ran {
    let mut command = chronaxis(folder);
    command.current_dir(folder).arg("bundle").args(words);
    if let Some(passphrase) = passphrase {
        command.env("CHRONAXIS_PASSPHRASE", passphrase);
    }
    let ran = finish(&mut command);
    let all = format!("{}{}", ran.stdout, ran.stderr);
    assert!(!all.contains(PASSPHRASE), "a passphrase in {all}");
    assert!(!all.contains("panicked"), "{all}");
    // No private half of anything.
    assert!(
        !all.contains("PRIVATE KEY-----") && !all.contains("MIG"),
        "{all}"
    );
    ran
}

pub(crate) fn json(folder: &Path, path: &str, passphrase: Option<&str>) -> Value {
    let ran = ask(folder, &[path, "--output", "json"], passphrase);
    assert_eq!(ran.stderr, "", "{path}");
    let document: Value = serde_json::from_str(&ran.stdout).unwrap();
    let validator = jsonschema::validator_for(&chronaxis_diagnosis_schema()).unwrap();
    let errors: Vec<String> = validator
        .iter_errors(&document)
        .map(|e| e.to_string())
        .collect();
    assert!(errors.is_empty(), "{path}: {errors:?}");
    document
}

fn chronaxis_diagnosis_schema() -> Value {
    chronaxis_diagnosis::bundle::schema()
}

/// State, and every fault in its order.
pub(crate) fn gist(document: &Value) -> String {
    let faults: Vec<&str> = document["findings"]
        .as_array()
        .unwrap()
        .iter()
        .filter(|f| f["fault"] == true)
        .map(|f| f["id"].as_str().unwrap())
        .collect();
    let state = document["verdict"]["state"].as_str().unwrap();
    format!("{state} {}", faults.join(" "))
        .trim_end()
        .to_owned()
}

#[test]
fn a_whole_bundle_has_no_fault_in_whatever_form() {
    if !has_openssl() {
        return;
    }
    let office = office();
    let top = office.path();
    openssl(
        top,
        &[
            "pkcs12",
            "-export",
            "-in",
            "good/client.pem",
            "-inkey",
            "good/client.key",
            "-certfile",
            "good/ca.pem",
            "-name",
            "purser",
            "-passout",
            "pass:tide-table-9",
            "-out",
            "modern.p12",
        ],
    );
    openssl(
        top,
        &[
            "pkcs12",
            "-export",
            "-legacy",
            "-in",
            "good/client.pem",
            "-inkey",
            "good/client.key",
            "-certfile",
            "good/ca.pem",
            "-passout",
            "pass:tide-table-9",
            "-out",
            "old.p12",
        ],
    );
    let archive = |args: &[&str]| {
        let ran = Command::new(args[0])
            .args(&args[1..])
            .current_dir(top.join("good"))
            .output();
        assert!(ran.unwrap().status.success(), "{args:?}");
    };
    archive(&["tar", "cf", "../b.tar", "."]);
    archive(&["tar", "czf", "../b.tgz", "."]);
    archive(&[
        "python3",
        "-c",
        "import shutil; shutil.make_archive('../b', 'zip', '.')",
    ]);
    for (path, kind) in [
        ("good", "folder"),
        ("b.zip", "zip"),
        ("b.tar", "tar"),
        ("b.tgz", "tar.gz"),
        ("modern.p12", "file"),
        ("old.p12", "file"),
    ] {
        let document = json(top, path, Some(PASSPHRASE));
        assert_eq!(gist(&document), "working", "{path}: {document}");
        assert_eq!(document["kind"], kind);
        let missing = |n: usize| document["uses"][n]["missing"].as_array().unwrap().len();
        assert_eq!((missing(0), missing(1)), (0, 0), "{path}: {document}");
        let chain = document["chains"][0]["subjects"].as_array().unwrap();
        assert_eq!(chain.len(), 2, "{path}");
        let text = document.to_string();
        assert!(
            text.contains("\"serial\":\"1267\""),
            "{path}: 4711 in hexadecimal"
        );
        assert!(text.contains("\"purposes\":[\"client\"]"), "{path}");
        if kind != "file" {
            let aliases = document["aliases"].as_array().unwrap();
            assert_eq!(aliases[1]["leads_to"], "postgresql://127.0.0.1:9/sailings");
        }
    }
}

#[test]
fn every_defect_has_its_cause() {
    if !has_openssl() {
        return;
    }
    let office = office();
    let top = office.path();
    client(top, "late", -1, "ext");
    std::fs::write(top.join("server-ext"), "extendedKeyUsage=serverAuth\n").unwrap();
    client(top, "server", 400, "server-ext");
    let remove = |name: &'static str| move |to: &Path| std::fs::remove_file(to.join(name)).unwrap();
    let edit = |to: &Path, from: &str, by: &str| {
        let path = to.join("bundle.toml");
        let text = std::fs::read_to_string(&path).unwrap();
        assert!(text.contains(from), "{from}");
        std::fs::write(&path, text.replace(from, by)).unwrap();
    };
    let from = |name: &'static str, as_name: &'static str| {
        move |to: &Path| {
            std::fs::copy(top.join(name), to.join(as_name)).unwrap();
        }
    };
    changed(top, "no-key", remove("client.key"));
    changed(top, "no-certificate", remove("client.pem"));
    changed(top, "no-authority", remove("ca.pem"));
    changed(top, "other-key", from("other.key", "client.key"));
    changed(top, "late-pair", |to| {
        from("late.pem", "client.pem")(to);
        from("late.key", "client.key")(to);
    });
    changed(top, "for-servers", |to| {
        from("server.pem", "client.pem")(to);
        from("server.key", "client.key")(to);
    });
    changed(top, "old-path", |to| {
        edit(to, "\"client.key\"", "\"/opt/before/client.key\"")
    });
    changed(top, "outside", |to| {
        edit(to, "\"client.key\"", "\"../secrets/purser.key\"")
    });
    changed(top, "circle", |to| {
        edit(to, "target = \"sailings\"", "target = \"night\"")
    });
    changed(top, "nowhere", |to| {
        edit(to, "target = \"sailings\"", "target = \"sailing\"")
    });
    changed(top, "cut", |to| {
        let text = std::fs::read_to_string(to.join("ca.pem")).unwrap();
        std::fs::write(to.join("ca.pem"), &text[..text.len() / 2]).unwrap();
    });
    changed(top, "page", |to| {
        std::fs::write(to.join("ca.pem"), "<!DOCTYPE html><html>Sign in</html>").unwrap();
    });
    changed(top, "label", |to| {
        let text = std::fs::read_to_string(to.join("client.key")).unwrap();
        std::fs::write(
            to.join("client.key"),
            text.replace("EC PRIVATE KEY", "CERTIFICATE"),
        )
        .unwrap();
    });
    changed(top, "der", |to| {
        openssl(
            to,
            &[
                "x509",
                "-in",
                "client.pem",
                "-outform",
                "der",
                "-out",
                "new",
            ],
        );
        std::fs::rename(to.join("new"), to.join("client.pem")).unwrap();
    });
    changed(top, "locked", |to| {
        openssl(
            to,
            &[
                "pkey",
                "-in",
                "client.key",
                "-aes256",
                "-passout",
                "pass:tide-table-9",
                "-out",
                "new",
            ],
        );
        std::fs::rename(to.join("new"), to.join("client.key")).unwrap();
    });
    for (path, passphrase, expected) in [
        ("no-key", None, "broken bundle-incomplete"),
        ("no-certificate", None, "broken bundle-incomplete"),
        ("no-authority", None, "broken bundle-incomplete"),
        ("other-key", None, "broken bundle-key-mismatch"),
        ("late-pair", None, "broken bundle-expired"),
        ("for-servers", None, "broken bundle-incomplete"),
        ("old-path", None, "broken bundle-path-stale"),
        ("outside", None, "broken bundle-path-stale"),
        ("circle", None, "broken bundle-alias-unknown"),
        ("nowhere", None, "broken bundle-alias-unknown"),
        ("cut", None, "broken bundle-unreadable"),
        ("page", None, "broken bundle-unreadable"),
        ("label", None, "broken bundle-unreadable"),
        ("der", None, "broken bundle-unreadable"),
        ("locked", None, "undecided"),
        (
            "locked",
            Some("tide-table-8"),
            "broken bundle-passphrase-wrong",
        ),
        ("locked", Some(PASSPHRASE), "working"),
    ] {
        let document = json(top, path, passphrase);
        assert_eq!(gist(&document), expected, "{path}: {document:#}");
        let broken = expected.starts_with("broken");
        if broken {
            let verdict = &document["verdict"];
            assert_eq!(
                verdict["layer"].as_str().map(|l| l == "bundle"),
                Some(true),
                "{path}"
            );
            assert!(!verdict["fix"].as_array().unwrap().is_empty(), "{path}");
            assert!(!verdict["handover"].as_str().unwrap().is_empty());
        }
        let status = ask(top, &[path], passphrase).status;
        let expected = match () {
            () if broken => 1,
            () if expected == "undecided" => 3,
            () => 0,
        };
        assert_eq!(status, expected, "{path}");
    }
    // What whoever issued it has to know.
    let late = json(top, "late-pair", None);
    let message = late["verdict"]["handover"].as_str().unwrap();
    for part in ["CN=purser", "CN=Osmary CA", "1267", "SHA-256 fingerprint"] {
        assert!(message.contains(part), "{part}: {message}");
    }
}

/// Permissions of keys, as a remark; and what cannot be read at all.
#[test]
fn keys_that_others_can_read() {
    if !has_openssl() {
        return;
    }
    let office = office();
    let top = office.path();
    changed(top, "open", |to| {
        std::fs::set_permissions(
            to.join("client.key"),
            std::fs::Permissions::from_mode(0o644),
        )
        .unwrap();
    });
    let document = json(top, "open", None);
    assert_eq!(gist(&document), "working");
    let found = &document["also_found"][0];
    assert_eq!(found["id"], "secret-readable-by-others", "{document}");
    assert_eq!(found["place"]["file"], "client.key");
}

#[test]
fn keystores_of_java() {
    let there = Command::new("keytool").arg("-help").output().is_ok();
    if !crate::support::real::available("keytool", there) {
        return;
    }
    let folder = tempfile::tempdir().unwrap();
    let top = folder.path();
    let keytool = |kind: &str, file: &str| {
        let ran = Command::new("keytool")
            .current_dir(top)
            .args([
                "-genkeypair",
                "-alias",
                "purser",
                "-keyalg",
                "EC",
                "-dname",
                "CN=purser",
            ])
            .args([
                "-keystore",
                file,
                "-storetype",
                kind,
                "-storepass",
                PASSPHRASE,
                "-keypass",
                PASSPHRASE,
            ])
            .output();
        let ran = ran.unwrap();
        let said = String::from_utf8_lossy(&ran.stdout);
        assert!(ran.status.success(), "{said}");
    };
    keytool("PKCS12", "store.p12");
    keytool("JKS", "store.jks");
    let document = json(top, "store.p12", Some(PASSPHRASE));
    assert_eq!(gist(&document), "working", "{document}");
    assert_eq!(document["items"][0]["objects"][0]["name"], "purser");
    assert_eq!(
        gist(&json(top, "store.p12", Some("wrong"))),
        "broken bundle-passphrase-wrong"
    );
    let java = json(top, "store.jks", Some(PASSPHRASE));
    assert_eq!(java["items"][0]["content"], "java-keystore");
    assert_eq!(java["verdict"]["state"], "undecided", "{java}");
    let fix = java["findings"][0]["fix"].as_str().unwrap();
    assert!(
        fix.starts_with("keytool -importkeystore -srckeystore store.jks"),
        "{fix}"
    );
}

/// What stands in the place of a label may be a key: it is not shown.
#[test]
fn a_key_on_one_line_is_not_shown() {
    if !has_openssl() {
        return;
    }
    let office = office();
    let top = office.path();
    let text = std::fs::read_to_string(top.join("good/client.key")).unwrap();
    let secret: String = text.lines().filter(|l| !l.starts_with('-')).collect();
    for (name, text) in [
        ("one.key", text.replace('\n', "")),
        ("spaces.key", text.replace('\n', " ")),
        ("label.key", text.replace("EC PRIVATE KEY", &secret)),
        ("bare.key", secret.clone()),
    ] {
        std::fs::write(top.join(name), text).unwrap();
        for form in ["text", "json"] {
            let ran = ask(top, &[name, "--output", form], None);
            for piece in secret.as_bytes().windows(16) {
                let piece = std::str::from_utf8(piece).unwrap();
                assert!(!ran.stdout.contains(piece), "{name}: {}", ran.stdout);
            }
            assert_eq!(ran.status, 1, "{name}: {}", ran.stdout);
        }
    }
    let said = ask(top, &["one.key"], None).stdout;
    assert!(said.contains("its line breaks are lost"), "{said}");
}

/// Certificates kept elsewhere and linked to, as programs that renew them leave them; a folder
/// that a link leads to is not walked.
#[test]
fn files_that_links_lead_to() {
    use std::os::unix::fs::symlink;
    if !has_openssl() {
        return;
    }
    let office = office();
    let top = office.path();
    std::fs::create_dir(top.join("live")).unwrap();
    for name in ["ca.pem", "client.pem", "client.key"] {
        symlink(format!("../good/{name}"), top.join("live").join(name)).unwrap();
    }
    let document = json(top, "live", None);
    assert_eq!(gist(&document), "working", "{document:#}");
    symlink("../good", top.join("live/more")).unwrap();
    symlink("../gone.pem", top.join("live/gone.pem")).unwrap();
    let document = json(top, "live", None);
    assert_eq!(document["items"].as_array().unwrap().len(), 3);
    let left = document["left_out"].to_string();
    assert!(
        left.contains("more: a link that leads to no file"),
        "{left}"
    );
    assert!(
        left.contains("gone.pem: a link that leads to no file"),
        "{left}"
    );
}
