//! Whatever bytes a file of a bundle has, it ends in a finding: no panic, and nothing private
//! in what is shown.

use base64::Engine as _;
use base64::engine::general_purpose::STANDARD;
use chronaxis_bundle::chain::together;
use chronaxis_bundle::findings::findings;
use chronaxis_bundle::tools::{Opened, Shut, Tools};
use chronaxis_bundle::uses::uses;
use chronaxis_model::certificate::{Signatures, Signed};
use chronaxis_model::secret::Secret;
use chronaxis_readers::bundle::{Keyring, Source, bundle, file, manifest, moved};
use proptest::prelude::*;
use zeroize::Zeroizing;

/// Nothing is opened, nothing proved.
struct None;

impl Signatures for None {
    fn check(&self, _: &[u8], _: &[u8], _: &[u8], _: &[u8]) -> Signed {
        Signed::CannotTell
    }
}

impl Tools for None {
    fn belongs(&self, _: &str, _: &[u8], _: &[u8]) -> Option<bool> {
        Option::None
    }

    fn open_keystore(&self, _: &[u8], _: &Secret) -> Result<Opened, Shut> {
        Err(Shut::Passphrase)
    }

    fn open_old_key(&self, _: &str, _: &[u8], _: &Secret) -> Result<Zeroizing<Vec<u8>>, Shut> {
        Err(Shut::Unknown)
    }

    fn open_key(&self, _: &[u8], _: &Secret) -> Result<Zeroizing<Vec<u8>>, Shut> {
        Err(Shut::Unknown)
    }
}

fn pem(label: &str, der: &[u8]) -> Vec<u8> {
    let text = STANDARD.encode(der);
    format!("-----BEGIN {label}-----\n{text}\n-----END {label}-----\n").into_bytes()
}

/// A certificate and its key of an elliptic curve, as PEM and DER.
fn parts() -> Vec<Vec<u8>> {
    let key = rcgen::KeyPair::generate().unwrap();
    let made = rcgen::CertificateParams::new(vec!["quay.osmary.example".to_owned()])
        .unwrap()
        .self_signed(&key)
        .unwrap();
    vec![
        made.der().to_vec(),
        key.serialize_der(),
        pem("CERTIFICATE", made.der()),
        pem("PRIVATE KEY", &key.serialize_der()),
        b"[bundle]\npurpose = \"server check\"\nauthorities = [\"a.pem\"]\n[alias.a]\ntarget = \"a\"\n".to_vec(),
    ]
}

fn look(name: &str, bytes: Vec<u8>) {
    let keyring = Keyring {
        tools: &None,
        passphrase: Option::None,
    };
    let source = Source {
        path: name.to_owned(),
        bytes: Zeroizing::new(bytes),
        access: Option::None,
    };
    let all = bundle(vec![file(source, keyring)]);
    let together = together(&all, &None);
    let uses = uses(&all, &together, 1_790_000_000);
    for found in findings(&all, &together, &uses, 1_790_000_000) {
        assert!(!found.text.is_empty());
        assert!(!found.text.contains('\u{1b}'), "{found:?}");
    }
}

const NAMES: [&str; 7] = [
    "a.pem",
    "a.der",
    "a.p12",
    "a.key",
    "bundle.toml",
    "a.jks",
    "a",
];

proptest! {
    #![proptest_config(ProptestConfig::with_cases(300))]

    #[test]
    fn no_bytes_make_it_panic(bytes in prop::collection::vec(any::<u8>(), 0..400), name in 0..NAMES.len()) {
        look(NAMES[name], bytes);
    }

    /// Real parts, with some of their bytes changed, cut, or one behind the other.
    #[test]
    fn damaged_parts_end_in_a_finding(
        changes in prop::collection::vec((any::<prop::sample::Index>(), any::<u8>()), 0..6),
        cut in any::<prop::sample::Index>(),
        part in 0usize..5,
        other in 0usize..5,
        name in 0..NAMES.len(),
    ) {
        let parts = parts();
        let mut bytes = parts[part].clone();
        for (at, byte) in changes {
            let at = at.index(bytes.len());
            bytes[at] = byte;
        }
        bytes.truncate(1 + cut.index(bytes.len()));
        look(NAMES[name], bytes.clone());
        bytes.extend(&parts[other]);
        look(NAMES[name], bytes);
    }

    #[test]
    fn no_manifest_makes_it_panic(text in "(\\[|\\]|=|\"|alias|bundle|target|\\.|\n| |a|\\$\\{BUNDLE\\}){0,40}") {
        let _ = manifest(&text);
    }

    /// What is led elsewhere is a path that was whole before, and nothing else changes.
    #[test]
    fn only_paths_of_files_are_led_elsewhere(before in "[a-z =\"]{0,12}", folder in "(/[a-z]{1,4}){0,3}", after in "[ \"&,;]{0,1}[a-z ]{0,8}") {
        let text = format!("{before} {folder}/ca.pem{after}");
        let files = ["certs/ca.pem".to_owned(), "client.pem".to_owned()];
        let ends = !after.starts_with(|c: char| c.is_alphanumeric());
        match moved("notes.txt", &text, &files, "/srv/bundle") {
            Some(made) => prop_assert_eq!(made.after, format!("{before} /srv/bundle/certs/ca.pem{after}")),
            Option::None => prop_assert!(!ends),
        }
    }
}

#[test]
fn endless_files_end() {
    for bytes in [
        b"-----BEGIN CERTIFICATE-----\n".repeat(60_000),
        b"-----BEGIN A-----\n-----END A-----\n".repeat(60_000),
        vec![0x30; 1_500_000],
        b"\x30\x80".repeat(500_000),
        b"[".repeat(500_000),
        b"/".repeat(1_000_000),
    ] {
        for name in NAMES {
            look(name, bytes.clone());
        }
        let text = String::from_utf8_lossy(&bytes);
        let _ = moved("notes.txt", &text, &["ca.pem".to_owned()], "/srv/bundle");
    }
}
