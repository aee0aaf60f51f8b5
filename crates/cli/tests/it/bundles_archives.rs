//! Archives of bundles: hostile ones, and what unpacking makes of good ones.

use std::io::Write as _;
use std::os::unix::fs::PermissionsExt as _;
use std::path::Path;
use std::process::{Command, Stdio};

use crate::bundles::{ask, changed, gist, has_openssl, json, office};

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
    let script = "import warnings, zipfile
warnings.simplefilter('ignore')
with zipfile.ZipFile('twice.zip', 'w') as z:
    z.writestr('ca.pem', 'x')
    z.writestr('ca.pem', 'y')
with zipfile.ZipFile('up.zip', 'w') as z:
    z.writestr('../../up.pem', 'x')
";
    let made = Command::new("python3")
        .current_dir(&inner)
        .args(["-c", script])
        .status();
    assert!(made.unwrap().success());
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
        ("twice.zip", "another entry with this path"),
        ("up.zip", "leads out of the archive"),
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
        .filter(|n| n != "in" && ![".tar", ".tgz", ".zip"].iter().any(|end| n.ends_with(end)))
        .collect();
    assert!(left.is_empty(), "{left:?}");
}

/// Unpacked: keys for their owner alone, paths led to where it now lies, nothing overwritten.
#[test]
fn unpacked_whole_or_not_at_all() {
    if !has_openssl() {
        return;
    }
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

/// Archives and keystores with changed and missing bytes: each ends in an answer.
#[test]
fn damaged_archives_end_in_an_answer() {
    if !has_openssl() {
        return;
    }
    let office = office();
    let top = office.path();
    crate::bundles::openssl(
        top,
        &[
            "pkcs12",
            "-export",
            "-in",
            "good/client.pem",
            "-inkey",
            "good/client.key",
            "-passout",
            "pass:tide-table-9",
            "-out",
            "store.p12",
        ],
    );
    for words in [
        ["tar", "cf", "../b.tar", "."],
        ["tar", "czf", "../b.tgz", "."],
    ] {
        let ran = Command::new(words[0])
            .args(&words[1..])
            .current_dir(top.join("good"))
            .status();
        assert!(ran.unwrap().success());
    }
    let script = "import shutil; shutil.make_archive('b', 'zip', 'good')";
    assert!(
        Command::new("python3")
            .args(["-c", script])
            .current_dir(top)
            .status()
            .unwrap()
            .success()
    );
    let mut draw = crate::support::filters::Draw::new(20);
    for name in ["b.zip", "b.tgz", "b.tar", "store.p12"] {
        let whole = std::fs::read(top.join(name)).unwrap();
        for round in 0..40 {
            let mut bytes = whole.clone();
            for _ in 0..1 + draw.below(5) {
                // The heads of tar stand at its beginning and every 512 bytes.
                let at = draw.below(bytes.len());
                bytes[at] = draw.below(256) as u8;
            }
            if draw.chance(40) {
                bytes.truncate(draw.below(bytes.len()));
            }
            std::fs::write(top.join("damaged"), &bytes).unwrap();
            let ran = ask(top, &["damaged", "--output", "json"], Some("tide-table-9"));
            assert!(
                [0, 1, 3].contains(&ran.status),
                "{name} {round}: {} {}",
                ran.status,
                ran.stderr
            );
            let unpacked = ask(top, &["damaged", "--unpack", "out"], None);
            assert_eq!(
                unpacked.status == 0,
                top.join("out").exists(),
                "{name} {round}"
            );
            let _ = std::fs::remove_dir_all(top.join("out"));
        }
    }
}

/// What other systems make: separators of their own, files beside the files.
#[test]
fn archives_of_other_systems() {
    if !has_openssl() {
        return;
    }
    let office = office();
    let top = office.path();
    let script = "import zipfile
z = zipfile.ZipFile('other.zip', 'w')
for name in ('ca.pem', 'client.pem', 'client.key', 'bundle.toml'):
    info = zipfile.ZipInfo('bundle\\\\' + name)
    info.create_system = 0
    z.writestr(info, open('good/' + name).read())
z.writestr('__MACOSX/bundle/._ca.pem', b'\\0\\5\\x16\\7\\0')
z.writestr('bundle/.DS_Store', b'\\0\\0\\0\\1Bud1')
z.writestr('bundle/README.txt', 'see the handbook')
z.close()
";
    let ran = Command::new("python3")
        .args(["-c", script])
        .current_dir(top)
        .status();
    assert!(ran.unwrap().success());
    let document = json(top, "other.zip", None);
    assert_eq!(gist(&document), "working", "{document:#}");
    let paths = document["items"].to_string();
    assert!(paths.contains("\"bundle/client.key\""), "{paths}");
    let unpacked = ask(top, &["other.zip", "--unpack", "here"], None);
    assert_eq!(unpacked.status, 0, "{}", unpacked.stderr);
    assert!(top.join("here/bundle/client.key").exists());
}
