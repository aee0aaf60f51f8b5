//! OpenSSL says of drawn chains and keys what we say of them.

use std::path::Path;
use std::process::{Command, Stdio};

use crate::bundles::{has_openssl, json, openssl};

/// OpenSSL's own answer to a command: whether it succeeds.
fn agrees(folder: &Path, args: &[&str]) -> bool {
    let ran = Command::new("openssl")
        .current_dir(folder)
        .args(args)
        .stdin(Stdio::null())
        .output();
    ran.expect("openssl runs").status.success()
}

fn printed(folder: &Path, args: &[&str]) -> String {
    let ran = Command::new("openssl")
        .current_dir(folder)
        .args(args)
        .stdin(Stdio::null())
        .output();
    String::from_utf8_lossy(&ran.expect("openssl runs").stdout)
        .trim()
        .to_owned()
}

/// Drawn chains: OpenSSL's `verify`, `x509` and `pkey` say of the same files what we say.
#[test]
fn openssl_agrees_on_drawn_chains() {
    if !has_openssl() {
        return;
    }
    let mut draw = crate::support::filters::Draw::new(19);
    let kinds: [&[&str]; 6] = [
        &["ecparam", "-name", "prime256v1", "-genkey", "-noout"],
        &["ecparam", "-name", "secp384r1", "-genkey", "-noout"],
        &["genpkey", "-algorithm", "ED25519"],
        &["genrsa", "2048"],
        &["ecparam", "-name", "secp521r1", "-genkey", "-noout"],
        &["genpkey", "-algorithm", "RSA-PSS"],
    ];
    let (mut whole, mut broken, mut late) = (0, 0, 0);
    for round in 0..24 {
        let folder = tempfile::tempdir().unwrap();
        let top = folder.path();
        let parts = top.join("parts");
        std::fs::create_dir(&parts).unwrap();
        std::fs::write(top.join("ca-ext"), "basicConstraints=critical,CA:TRUE\n").unwrap();
        std::fs::write(top.join("leaf-ext"), "extendedKeyUsage=clientAuth\n").unwrap();
        let key = |name: &str, kind: usize| {
            let mut args = kinds[kind].to_vec();
            let out = format!("{name}.key");
            args.extend(["-out", &out]);
            // The size of an RSA key comes last.
            if kind == 3 {
                args = vec!["genrsa", "-out", &out, "2048"];
            }
            openssl(top, &args);
        };
        // The kinds of which both sides can check signatures here.
        key("root", draw.below(2));
        openssl(
            top,
            &[
                "req",
                "-x509",
                "-new",
                "-key",
                "root.key",
                "-subj",
                "/CN=root",
                "-days",
                "3000",
                "-out",
                "root.pem",
                "-addext",
                "basicConstraints=critical,CA:TRUE",
            ],
        );
        let depth = draw.below(3);
        let mut issuer = "root".to_owned();
        let mut names = Vec::new();
        for level in 0..=depth {
            let leaf = level == depth;
            let name = if leaf {
                "leaf".to_owned()
            } else {
                format!("middle{level}")
            };
            key(&name, if leaf { draw.below(6) } else { draw.below(2) });
            let (own, request) = (format!("{name}.key"), format!("{name}.csr"));
            openssl(
                top,
                &[
                    "req",
                    "-new",
                    "-key",
                    &own,
                    "-subj",
                    &format!("/CN={name}"),
                    "-out",
                    &request,
                ],
            );
            let days = if leaf && draw.chance(30) { "-1" } else { "300" };
            let (ca, ca_key, out) = (
                format!("{issuer}.pem"),
                format!("{issuer}.key"),
                format!("{name}.pem"),
            );
            let extensions = if leaf { "leaf-ext" } else { "ca-ext" };
            openssl(
                top,
                &[
                    "x509",
                    "-req",
                    "-in",
                    &request,
                    "-CA",
                    &ca,
                    "-CAkey",
                    &ca_key,
                    "-set_serial",
                    "7",
                    "-days",
                    days,
                    "-extfile",
                    extensions,
                    "-out",
                    &out,
                ],
            );
            issuer.clone_from(&name);
            names.push(name);
        }
        // One of the parts between may be left out; the key may be another's.
        let left_out = if names.len() > 1 && draw.chance(40) {
            Some(names[0].clone())
        } else {
            None
        };
        let other_key = draw.chance(25);
        if other_key {
            key("leaf-other", 0);
        }
        let mut middles = String::new();
        for name in names
            .iter()
            .chain([&"root".to_owned()])
            .filter(|n| Some(*n) != left_out.as_ref())
        {
            std::fs::copy(
                top.join(format!("{name}.pem")),
                parts.join(format!("{name}.pem")),
            )
            .unwrap();
            if name.starts_with("middle") {
                middles
                    .push_str(&std::fs::read_to_string(top.join(format!("{name}.pem"))).unwrap());
            }
        }
        std::fs::write(top.join("middles.pem"), &middles).unwrap();
        let from = if other_key {
            "leaf-other.key"
        } else {
            "leaf.key"
        };
        std::fs::copy(top.join(from), parts.join("leaf.key")).unwrap();
        let document = json(top, "parts", None);

        let mut verify = vec!["verify", "-no_check_time", "-CAfile", "root.pem"];
        if !middles.is_empty() {
            verify.extend(["-untrusted", "middles.pem"]);
        }
        verify.push("leaf.pem");
        let theirs = agrees(top, &verify);
        let ours = document["chains"]
            .as_array()
            .unwrap()
            .iter()
            .find(|c| c["subjects"][0] == "CN=leaf");
        let ours = ours.unwrap()["whole"] == true;
        assert_eq!(ours, theirs, "round {round}: {document:#}");
        let item = |name: &str| {
            let items = document["items"].as_array().unwrap().iter();
            items.clone().find(|i| i["path"] == name).unwrap()["objects"][0].clone()
        };
        let same = printed(top, &["x509", "-in", "leaf.pem", "-noout", "-pubkey"])
            == printed(&parts, &["pkey", "-in", "leaf.key", "-pubout"]);
        let belongs = item("leaf.key")["belongs_to"]
            .to_string()
            .contains("leaf.pem");
        assert_eq!(belongs, same, "round {round}: {document:#}");
        let expired = !agrees(
            top,
            &["x509", "-in", "leaf.pem", "-noout", "-checkend", "0"],
        );
        let found = document["findings"].as_array().unwrap();
        assert_eq!(
            found.iter().any(|f| f["id"] == "bundle-expired"),
            expired,
            "round {round}"
        );
        let certificate = &item("leaf.pem")["certificate"];
        let fingerprint = printed(
            top,
            &[
                "x509",
                "-in",
                "leaf.pem",
                "-noout",
                "-fingerprint",
                "-sha256",
            ],
        );
        assert!(
            fingerprint.ends_with(certificate["fingerprint"].as_str().unwrap()),
            "{fingerprint}"
        );
        let serial = printed(top, &["x509", "-in", "leaf.pem", "-noout", "-serial"]);
        assert_eq!(serial, "serial=07");
        assert_eq!(certificate["serial"], "07");
        whole += usize::from(theirs);
        broken += usize::from(!theirs);
        late += usize::from(expired);
        crate::support::real::tally("openssl", &format!("chain {round}"));
    }
    assert!(
        whole > 3 && broken > 3 && late > 3,
        "{whole} {broken} {late}"
    );
}
