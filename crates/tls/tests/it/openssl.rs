//! Two hundred chains, by our judge and by OpenSSL's: both say the same of each.

use std::path::Path;
use std::process::{Command, Stdio};

use chronaxis_lab::certificates::pem;
use chronaxis_model::certificate::{Check, CommonName, Policy, Trusted, judge};
use chronaxis_tls::ByRing;
use rcgen::{
    BasicConstraints, CertificateParams, DnType, ExtendedKeyUsagePurpose, IsCa, Issuer, KeyPair,
    KeyUsagePurpose, PKCS_ECDSA_P256_SHA256, PKCS_ECDSA_P384_SHA384, PKCS_ED25519, SanType,
    date_time_ymd,
};

/// Noon of 23 November 2026.
const NOW: i64 = 1_795_435_200;

/// Digits of one number, each choosing among a few.
struct Choice(usize);

impl Choice {
    fn of(&mut self, most: usize) -> usize {
        let chosen = self.0 % most;
        self.0 /= most;
        chosen
    }
}

fn authority(name: &str, choice: usize) -> CertificateParams {
    let mut out = CertificateParams::default();
    out.distinguished_name.push(DnType::CommonName, name);
    out.not_before = date_time_ymd(2020, 1, 1);
    out.not_after = date_time_ymd(2040, 1, 1);
    out.is_ca = IsCa::Ca(BasicConstraints::Unconstrained);
    out.key_usages = vec![KeyUsagePurpose::KeyCertSign];
    match choice {
        1 => out.is_ca = IsCa::Ca(BasicConstraints::Constrained(0)),
        2 => out.is_ca = IsCa::ExplicitNoCa,
        3 => out.not_after = date_time_ymd(2026, 1, 1),
        4 => out.key_usages = vec![KeyUsagePurpose::DigitalSignature],
        5 => out.extended_key_usages = vec![ExtendedKeyUsagePurpose::ClientAuth],
        6 => out.key_usages.clear(),
        _ => {}
    }
    out
}

fn leaf(choice: usize) -> CertificateParams {
    let mut out = CertificateParams::default();
    out.distinguished_name
        .push(DnType::CommonName, "quay.osmary.example");
    let name = match choice {
        1 => "*.osmary.example",
        2 => "north-quay.osmary.example",
        _ => "quay.osmary.example",
    };
    if choice != 3 {
        let san = SanType::DnsName(name.try_into().unwrap());
        out.subject_alt_names = vec![san];
    }
    out.not_before = date_time_ymd(2024, 1, 1);
    out.not_after = date_time_ymd(2030, 1, 1);
    match choice {
        4 => out.not_after = date_time_ymd(2026, 6, 1),
        5 => out.not_before = date_time_ymd(2028, 1, 1),
        6 => out.extended_key_usages = vec![ExtendedKeyUsagePurpose::ClientAuth],
        7 => out.extended_key_usages = vec![ExtendedKeyUsagePurpose::ServerAuth],
        _ => {}
    }
    out
}

fn key(choice: usize) -> KeyPair {
    let kind = [
        &PKCS_ECDSA_P256_SHA256,
        &PKCS_ECDSA_P384_SHA384,
        &PKCS_ED25519,
    ][choice];
    KeyPair::generate_for(kind).unwrap()
}

/// A chain, and what is trusted.
fn made(number: usize) -> (Vec<Vec<u8>>, Vec<Vec<u8>>) {
    let mut choice = Choice(number.wrapping_mul(2_654_435_761) >> 7);
    let root_params = authority("Root", [0, 0, 0, 0, 0, 0, 0, 0, 0, 3, 4, 6][choice.of(12)]);
    let root_key = key(choice.of(3));
    let root = root_params.self_signed(&root_key).unwrap();
    let other_key = key(0);
    let middle_params = authority("Issuer", choice.of(14));
    let middle_key = key(choice.of(3));
    // Now and then signed by another key than the root's.
    let wrong_key = choice.of(9) == 0;
    let signer = if wrong_key { &other_key } else { &root_key };
    let by_root = Issuer::from_params(&root_params, signer);
    let middle = middle_params.signed_by(&middle_key, &by_root).unwrap();
    let leaf_key = key(choice.of(3));
    let by_middle = Issuer::from_params(&middle_params, &middle_key);
    let leaf = leaf(choice.of(14))
        .signed_by(&leaf_key, &by_middle)
        .unwrap();
    let der = |c: &rcgen::Certificate| c.der().to_vec();
    let sent = match choice.of(6) {
        0 => vec![der(&leaf)],
        1 => vec![der(&leaf), der(&middle), der(&root)],
        _ => vec![der(&leaf), der(&middle)],
    };
    let trusted = match choice.of(8) {
        0 => vec![der(&middle)],
        1 => {
            let strange = authority("Strange", 0).self_signed(&other_key).unwrap();
            vec![der(&strange)]
        }
        2 => vec![der(&middle), der(&root)],
        _ => vec![der(&root)],
    };
    (sent, trusted)
}

/// What OpenSSL says, and why.
fn theirs(folder: &Path, sent: &[Vec<u8>], trusted: &[Vec<u8>]) -> (bool, String) {
    let write = |name: &str, blocks: &[Vec<u8>]| {
        let path = folder.join(name);
        std::fs::write(&path, pem("CERTIFICATE", blocks)).unwrap();
        path
    };
    let done = Command::new("openssl")
        .args([
            "verify",
            "-no-CApath",
            "-no-CAstore",
            "-purpose",
            "sslserver",
        ])
        .args(["-attime", &NOW.to_string()])
        .args(["-verify_hostname", "quay.osmary.example"])
        .arg("-CAfile")
        .arg(write("trusted.pem", trusted))
        .arg("-untrusted")
        .arg(write("sent.pem", sent))
        .arg(write("leaf.pem", &sent[..1]))
        .stdin(Stdio::null())
        .output()
        .expect("openssl runs");
    (
        done.status.success(),
        String::from_utf8_lossy(&done.stderr).into_owned(),
    )
}

#[test]
fn both_say_the_same_of_two_hundred_chains() {
    let folder = tempfile::tempdir().unwrap();
    let policy = Policy {
        check: Check::ChainAndName,
        trusted: Trusted::Nobody,
        common_name: CommonName::WithoutSuchNames,
        partial_chain: false,
        fewest_rsa_bits: 0,
    };
    let (mut valid, mut wrong) = (0, Vec::new());
    for number in 1..=200 {
        let (sent, trusted) = made(number);
        let ours = judge(
            &sent,
            &policy,
            &trusted,
            "quay.osmary.example",
            NOW,
            &ByRing,
        );
        let (accepts, why) = theirs(folder.path(), &sent, &trusted);
        valid += usize::from(accepts);
        if ours.accepts() != accepts {
            let found: Vec<_> = ours.defects.iter().map(|d| d.trouble).collect();
            wrong.push(format!(
                "{number}: ours {found:?} {:?}; theirs {why}",
                ours.beyond
            ));
        }
    }
    assert!(
        wrong.is_empty(),
        "{} differ\n{}",
        wrong.len(),
        wrong.join("\n")
    );
    // Neither all good nor all bad: the claim would be an empty one.
    assert!((20..=180).contains(&valid), "{valid} of 200 are valid");
}
