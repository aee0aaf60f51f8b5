//! Certificates and keys: dates, strength, and what does not belong together.

use chronaxis_model::certificate::{Certificate, Key, day};
use chronaxis_model::found::{CauseId, Warning};
use chronaxis_model::redact::visible;

use super::Finding;
use crate::chain::{Together, is_authority};
use crate::item::{At, Bundle, What};

/// Seconds of a day.
const DAY: i64 = 86_400;

/// So many days before its end a certificate is remarked on.
const SOON: i64 = 30;

/// Fewest bits of an RSA key that is not remarked on (NIST SP 800-57 part 1, table 2).
const FEWEST_BITS: usize = 2048;

pub(super) fn findings(bundle: &Bundle, together: &Together, now: i64) -> Vec<Finding> {
    let certificates = bundle.certificates();
    let mut out = Vec::new();
    if !bundle.single {
        out.extend(keys(bundle, together, &certificates));
    }
    let needed = Needed::of(together, &certificates, now);
    for (at, one) in &certificates {
        out.extend(dates(bundle, *at, one, &needed, now));
        out.extend(strength(bundle, *at, one));
    }
    for (at, key) in bundle.keys() {
        if let Key::Rsa(bits) = key.kind
            && bits < FEWEST_BITS
        {
            let text = format!("the private key has {bits} bits: under {FEWEST_BITS} is weak");
            out.push(Finding::remark(Warning::WeakKey, text).about(bundle, at));
        }
    }
    out
}

/// How a certificate is called in a sentence.
pub(crate) fn called(certificate: &Certificate) -> String {
    match (&certificate.common_name, is_authority(certificate)) {
        (Some(name), true) => format!("the CA certificate \"{}\"", visible(name)),
        (Some(name), false) => format!("the certificate \"{}\"", visible(name)),
        (None, true) => "a CA certificate".to_owned(),
        (None, false) => "a certificate".to_owned(),
    }
}

/// Keys that belong to no certificate, and certificates without their key.
fn keys(bundle: &Bundle, together: &Together, all: &[(At, &Certificate)]) -> Vec<Finding> {
    let mut out = Vec::new();
    let paired = |at: &At| {
        let of = |p: &crate::chain::Pair| p.certificates.contains(at) || p.open.contains(at);
        together.pairs.iter().any(of)
    };
    let own: Vec<&(At, &Certificate)> = all.iter().filter(|(_, c)| !is_authority(c)).collect();
    let unpaired: Vec<&&(At, &Certificate)> = own.iter().filter(|(at, _)| !paired(at)).collect();
    for pair in &together.pairs {
        if !pair.certificates.is_empty() || !pair.open.is_empty() {
            continue;
        }
        let file = bundle
            .files
            .get(pair.key.file)
            .map_or("", |f| f.path.as_str());
        let kind = bundle
            .keys()
            .into_iter()
            .find(|(at, _)| *at == pair.key)
            .map_or_else(String::new, |(_, key)| key.kind.to_string());
        match unpaired.first() {
            Some((at, certificate)) => {
                let other = bundle.files.get(at.file).map_or("", |f| f.path.as_str());
                let text = format!(
                    "the private key in {file} ({kind}) does not belong to {} in {other} ({}): their public keys differ",
                    called(certificate),
                    certificate.key
                );
                let found = Finding::fault(CauseId::BundleKeyMismatch, text);
                let fix = "Use the key with which this certificate was requested, or have a certificate issued for this key.";
                out.push(found.fix(fix).about(bundle, pair.key));
            }
            // Another pair is complete: this key is one too many.
            None if own.iter().any(|(at, _)| paired(at)) => {}
            None => {
                let request = bundle
                    .files
                    .iter()
                    .find(|f| f.objects.iter().any(|o| matches!(o.what, What::Request)));
                let only = request.map_or(String::new(), |f| {
                    format!("; {} is only the request for one", f.path)
                });
                let text = format!(
                    "the certificate for the private key in {file} ({kind}) is missing{only}"
                );
                let found = Finding::fault(CauseId::BundleIncomplete, text);
                let fix = "Get the client certificate from whoever issued the bundle.";
                out.push(found.fix(fix).about(bundle, pair.key));
            }
        }
    }
    let locked = bundle.is_locked();
    let any_pair_open = together.pairs.iter().any(|p| p.certificates.is_empty());
    for (at, certificate) in unpaired {
        if certificate.for_clients == Some(true) && !locked && !any_pair_open {
            let file = bundle.files.get(at.file).map_or("", |f| f.path.as_str());
            let text = format!(
                "the private key of {} in {file} is missing",
                called(certificate)
            );
            let found = Finding::fault(CauseId::BundleIncomplete, text);
            let fix = "Get the private key from where the certificate was requested; an issuer does not have it.";
            out.push(found.fix(fix).about(bundle, *at));
        }
    }
    out
}

/// Which certificates the uses of a bundle stand on.
struct Needed {
    /// Whether some authority is valid today: then old ones beside it harm nobody.
    authority_in_time: bool,
    /// Certificates with a key, or in the chain of one.
    in_chains: Vec<At>,
}

impl Needed {
    fn of(together: &Together, all: &[(At, &Certificate)], now: i64) -> Needed {
        let in_time = |c: &Certificate| c.not_before <= now && now <= c.not_after;
        Needed {
            authority_in_time: all.iter().any(|(_, c)| is_authority(c) && in_time(c)),
            in_chains: together
                .chains
                .iter()
                .flat_map(|c| c.links.clone())
                .collect(),
        }
    }

    fn needs(&self, at: At, certificate: &Certificate) -> bool {
        match is_authority(certificate) {
            true => !self.authority_in_time,
            false => self.in_chains.contains(&at),
        }
    }
}

fn dates(
    bundle: &Bundle,
    at: At,
    certificate: &Certificate,
    needed: &Needed,
    now: i64,
) -> Option<Finding> {
    let name = called(certificate);
    let fault = needed.needs(at, certificate);
    let days = |seconds: i64| seconds / DAY;
    if let Some(past) = certificate.past(now) {
        let text = format!("{name} {past}");
        let found = Finding::fault(CauseId::BundleExpired, text).about(bundle, at);
        let fix = "Get a new bundle from whoever issued this one.";
        return Some(Finding {
            fault,
            ..found.fix(fix)
        });
    }
    if now < certificate.not_before {
        let text = format!(
            "{name} is valid only from {} on",
            day(certificate.not_before)
        );
        let found = Finding::fault(CauseId::CertificateNotYetValid, text).about(bundle, at);
        let fix =
            "Check this machine's date; if it is right, the certificate was issued for later.";
        return Some(Finding {
            fault,
            ..found.fix(fix)
        });
    }
    let left = days(certificate.not_after - now);
    (left < SOON).then(|| {
        let text = format!(
            "{name} expires on {}, in {left} days",
            day(certificate.not_after)
        );
        Finding::remark(Warning::CertificateExpiresSoon, text)
            .fix("Ask for a new bundle now.")
            .about(bundle, at)
    })
}

fn strength(bundle: &Bundle, at: At, certificate: &Certificate) -> Option<Finding> {
    let name = called(certificate);
    let text = match (&certificate.key, certificate.signed_by.as_str()) {
        (Key::Rsa(bits), _) if *bits < FEWEST_BITS => {
            format!("{name} has an RSA key of {bits} bits: under {FEWEST_BITS} is weak")
        }
        // What signs itself proves nothing by that signature.
        (_, how)
            if !certificate.is_self_issued()
                && (how.ends_with("SHA-1") || how.ends_with("MD5")) =>
        {
            format!("{name} is signed by {how}, which many clients no longer take")
        }
        _ => return None,
    };
    Some(Finding::remark(Warning::WeakKey, text).about(bundle, at))
}
