//! Credential bundles: made with OpenSSL and keytool, one for every defect.

use std::io::Write as _;
use std::os::unix::fs::PermissionsExt as _;
use std::path::Path;
use std::process::{Command, Stdio};

use serde_json::Value;

use crate::support::{Ran, chronaxis, finish};

const PASSPHRASE: &str = "tide-table-9";

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
    let subject = "/O=Osmary Ferries/CN=Osmary CA";
    openssl(
        top,
        &[
            "req",
            "-x509",
            "-newkey",
            "rsa:2048",
            "-nodes",
            "-keyout",
            "ca.key",
            "-out",
            "good/ca.pem",
            "-days",
            "3650",
            "-subj",
            subject,
            "-addext",
            "basicConstraints=critical,CA:TRUE",
        ],
    );
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
    let (key, certificate) = (format!("{name}.key"), format!("{name}.pem"));
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
    std::fs::set_permissions(top.join(&key), std::fs::Permissions::from_mode(0o600)).unwrap();
    openssl(
        top,
        &[
            "req",
            "-new",
            "-key",
            &key,
            "-subj",
            "/O=Osmary Ferries/CN=purser",
            "-out",
            "request",
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
            "good/ca.pem",
            "-CAkey",
            "ca.key",
            "-set_serial",
            "4711",
            "-days",
            &days.to_string(),
            "-extfile",
            extensions,
            "-out",
            &certificate,
        ],
    );
}

/// A copy of the good bundle, changed.
fn changed(top: &Path, name: &str, change: impl Fn(&Path)) {
    let to = top.join(name);
    std::fs::create_dir(&to).unwrap();
    for entry in std::fs::read_dir(top.join("good")).unwrap() {
        let entry = entry.unwrap();
        std::fs::copy(entry.path(), to.join(entry.file_name())).unwrap();
    }
    change(&to);
}

fn ask(folder: &Path, words: &[&str], passphrase: Option<&str>) -> Ran {
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

fn json(folder: &Path, path: &str, passphrase: Option<&str>) -> Value {
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
fn gist(document: &Value) -> String {
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
        match ran {
            Ok(ran) => assert!(
                ran.status.success(),
                "{}",
                String::from_utf8_lossy(&ran.stdout)
            ),
            Err(_) => panic!("keytool is part of what scripts/test installs"),
        }
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

/// An archive with these entries, made by hand: name, kind, bytes.
fn tar(path: &Path, entries: &[(&str, u8, &[u8])]) {
    let mut out = Vec::new();
    for (name, kind, body) in entries {
        let mut head = [0u8; 512];
        head[..name.len()].copy_from_slice(name.as_bytes());
        head[100..107].copy_from_slice(b"0000644");
        head[124..135].copy_from_slice(format!("{:011o}", body.len()).as_bytes());
        head[136..147].copy_from_slice(b"00000000000");
        head[156] = *kind;
        head[157..168].copy_from_slice(b"/etc/passwd");
        head[257..263].copy_from_slice(b"ustar\0");
        head[148..156].copy_from_slice(b"        ");
        let sum: u32 = head.iter().map(|b| u32::from(*b)).sum();
        head[148..155].copy_from_slice(format!("{sum:06o}\0").as_bytes());
        out.extend(head);
        out.extend(*body);
        out.resize(out.len().next_multiple_of(512), 0);
    }
    out.resize(out.len() + 1024, 0);
    std::fs::write(path, out).unwrap();
}

/// Archives that harm whoever unpacks them: said, and nothing is written anywhere.
#[test]
fn hostile_archives() {
    let folder = tempfile::tempdir().unwrap();
    let top = folder.path();
    std::fs::create_dir(top.join("in")).unwrap();
    let inner = top.join("in");
    tar(&inner.join("up.tar"), &[("../../up.pem", b'0', b"x")]);
    tar(&inner.join("root.tar"), &[("/tmp/root.pem", b'0', b"x")]);
    tar(&inner.join("device.tar"), &[("ca.pem", b'3', b"")]);
    tar(&inner.join("pipe.tar"), &[("ca.pem", b'6', b"")]);
    tar(&inner.join("link.tar"), &[("ca.pem", b'2', b"")]);
    tar(&inner.join("hard.tar"), &[("ca.pem", b'1', b"")]);
    tar(
        &inner.join("twice.tar"),
        &[("ca.pem", b'0', b"x"), ("./ca.pem", b'0', b"y")],
    );
    let many: Vec<(String, u8)> = (0..12_000).map(|n| (format!("{n}.pem"), b'0')).collect();
    let many: Vec<(&str, u8, &[u8])> = many
        .iter()
        .map(|(n, k)| (n.as_str(), *k, &b""[..]))
        .collect();
    tar(&inner.join("many.tar"), &many);
    // A gigabyte of zeros, some 1 MB packed.
    let bomb = std::fs::File::create(inner.join("bomb.tgz")).unwrap();
    let mut gzip = Command::new("gzip")
        .stdin(Stdio::piped())
        .stdout(bomb)
        .spawn()
        .unwrap();
    let mut into = gzip.stdin.take().unwrap();
    let zeros = vec![0u8; 1 << 20];
    tar(&inner.join("head.tar"), &[("a.pem", b'0', b"")]);
    let mut head = std::fs::read(inner.join("head.tar")).unwrap();
    head[124..135].copy_from_slice(format!("{:011o}", 1u64 << 30).as_bytes());
    head[148..156].copy_from_slice(b"        ");
    let sum: u32 = head[..512].iter().map(|b| u32::from(*b)).sum();
    head[148..155].copy_from_slice(format!("{sum:06o}\0").as_bytes());
    into.write_all(&head[..512]).unwrap();
    for _ in 0..1024 {
        into.write_all(&zeros).unwrap();
    }
    drop(into);
    assert!(gzip.wait().unwrap().success());
    std::fs::remove_file(inner.join("head.tar")).unwrap();
    for (file, words) in [
        ("up.tar", "leads out of the archive"),
        ("root.tar", "leads out of the archive"),
        ("device.tar", "no regular file"),
        ("pipe.tar", "no regular file"),
        ("link.tar", "it is a link"),
        ("hard.tar", "it is a link"),
        ("twice.tar", "another entry with this path"),
        ("many.tar", "more than 10000 entries"),
        ("bomb.tgz", "times its size"),
    ] {
        let looked = ask(&inner, &[file], None);
        assert!(
            looked.stdout.replace("\n  ", " ").contains(words),
            "{file}: {}",
            looked.stdout
        );
        let unpacked = ask(&inner, &[file, "--unpack", "out"], None);
        assert_eq!(unpacked.status, 2, "{file}");
        assert!(
            unpacked.stderr.contains(words),
            "{file}: {}",
            unpacked.stderr
        );
        assert!(!inner.join("out").exists(), "{file} left a folder");
    }
    let left: Vec<String> = std::fs::read_dir(top)
        .unwrap()
        .chain(std::fs::read_dir(&inner).unwrap())
        .map(|e| e.unwrap().file_name().into_string().unwrap())
        .filter(|n| n != "in" && !n.ends_with(".tar") && !n.ends_with(".tgz"))
        .collect();
    assert!(left.is_empty(), "{left:?}");
}

/// Unpacked: keys for their owner alone, paths led to where it now lies, nothing overwritten.
#[test]
fn unpacked_whole_or_not_at_all() {
    let office = office();
    let top = office.path();
    changed(top, "before", |to| {
        let path = to.join("bundle.toml");
        let text = std::fs::read_to_string(&path).unwrap();
        let text = text.replace("\"client.key\"", "\"/opt/before/client.key\"");
        std::fs::write(
            &path,
            text.replace("${BUNDLE}/ca.pem", "/opt/before/ca.pem"),
        )
        .unwrap();
        std::fs::write(to.join("pg_service.conf"), "[sailings]\nhost=quay.osmary.example\nsslrootcert=/opt/before/ca.pem\npassword=tide-table-9\n").unwrap();
        std::fs::create_dir(to.join("more")).unwrap();
        std::fs::write(
            to.join("more/readme.txt"),
            "see https://quay.osmary.example/ca.pem\n",
        )
        .unwrap();
    });
    let ran = Command::new("tar")
        .args(["czf", "../b.tgz", "."])
        .current_dir(top.join("before"))
        .status();
    assert!(ran.unwrap().success());
    let dry = ask(top, &["b.tgz", "--unpack", "here", "--dry-run"], None);
    assert!(dry.stdout.contains("nothing was written") && !top.join("here").exists());
    let ran = ask(top, &["b.tgz", "--unpack", "here"], None);
    assert_eq!((ran.status, ran.stderr.as_str()), (0, ""), "{}", ran.stdout);
    let here = std::fs::canonicalize(top.join("here")).unwrap();
    let mode = |name: &str| {
        std::fs::metadata(here.join(name))
            .unwrap()
            .permissions()
            .mode()
            & 0o777
    };
    assert_eq!((mode("client.key"), mode("ca.pem")), (0o600, 0o644));
    assert_eq!(
        std::fs::metadata(&here).unwrap().permissions().mode() & 0o777,
        0o700
    );
    let text = |name: &str| std::fs::read_to_string(here.join(name)).unwrap();
    assert!(text("bundle.toml").contains("key = \"client.key\""));
    let now = format!("sslrootcert={}/ca.pem", here.display());
    assert!(
        text("bundle.toml").contains(&now),
        "{}",
        text("bundle.toml")
    );
    assert!(text("pg_service.conf").contains(&now));
    assert!(text("more/readme.txt").contains("https://quay.osmary.example/ca.pem"));
    assert!(
        ran.stdout
            .contains("-key = \"/opt/before/client.key\"\n+key = \"client.key\""),
        "{}",
        ran.stdout
    );
    assert_eq!(gist(&json(top, "here", None)), "working");
    let again = ask(top, &["b.tgz", "--unpack", "here"], None);
    assert_eq!(again.status, 2);
    assert!(
        again
            .stderr
            .contains("it exists; nothing that exists is overwritten")
    );
}
