//! Which parts belong together: keys to certificates, certificates to their issuers.

use std::collections::BTreeMap;

use chronaxis_model::certificate::{Certificate, Signed};

use crate::item::{At, Bundle};
use crate::key::Belongs;
use crate::tools::Tools;

/// Longest chain that is built.
const LONGEST: usize = 10;

/// Most certificates that are held against every key and every other one.
pub const MOST_HELD: usize = 4_000;

/// A chain: the certificate first, then its issuers.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Chain {
    /// Its certificates.
    pub links: Vec<At>,
    /// Whether it ends in a certificate that issued itself.
    pub whole: bool,
    /// Whether some signature could not be checked here.
    pub unproved: bool,
}

/// A key with the certificates to which it belongs.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Pair {
    /// The key.
    pub key: At,
    /// Its certificates.
    pub certificates: Vec<At>,
    /// Those of which nobody here can tell.
    pub open: Vec<At>,
}

/// What belongs together.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Together {
    /// Keys with their certificates.
    pub pairs: Vec<Pair>,
    /// A chain for each certificate that is no authority, or has a key.
    pub chains: Vec<Chain>,
}

/// Whether a certificate is one of an authority, or may stand for one: what issued itself is
/// trusted as such by who is given it.
pub fn is_authority(certificate: &Certificate) -> bool {
    matches!(certificate.authority, Some((true, _))) || certificate.is_self_issued()
}

/// Finds out what belongs together.
pub fn together(bundle: &Bundle, tools: &dyn Tools) -> Together {
    let mut certificates = bundle.certificates();
    certificates.truncate(MOST_HELD);
    let mut out = Together::default();
    for (key, one) in bundle.keys() {
        let mut pair = Pair {
            key,
            certificates: Vec::new(),
            open: Vec::new(),
        };
        for (at, certificate) in &certificates {
            match one.belongs_to(certificate, tools) {
                Belongs::Yes => pair.certificates.push(*at),
                Belongs::Unknown => pair.open.push(*at),
                Belongs::No => {}
            }
        }
        out.pairs.push(pair);
    }
    let mut by_subject: BTreeMap<&str, Vec<(At, &Certificate)>> = BTreeMap::new();
    for (at, one) in &certificates {
        by_subject.entry(&one.subject).or_default().push((*at, one));
    }
    for (at, one) in &certificates {
        let paired = out.pairs.iter().any(|p| p.certificates.contains(at));
        if !is_authority(one) || paired {
            out.chains.push(chain(*at, one, &by_subject, tools));
        }
    }
    out
}

fn chain(
    at: At,
    certificate: &Certificate,
    by_subject: &BTreeMap<&str, Vec<(At, &Certificate)>>,
    tools: &dyn Tools,
) -> Chain {
    let mut out = Chain {
        links: vec![at],
        whole: certificate.is_self_issued(),
        unproved: false,
    };
    let mut last = certificate;
    while !out.whole && out.links.len() < LONGEST {
        let issuers = by_subject.get(last.issuer.as_str());
        let signed = issuers.into_iter().flatten().filter_map(|(at, issuer)| {
            if out.links.contains(at) {
                return None;
            }
            match last.is_signed_by(issuer, tools)? {
                Signed::DoesNot => None,
                how => Some((how == Signed::CannotTell, *at, *issuer)),
            }
        });
        // One that is proved before one that is not, then the one that lasts longest.
        let best = signed.min_by_key(|(open, _, issuer)| (*open, -issuer.not_after));
        let Some((open, at, issuer)) = best else {
            break;
        };
        out.links.push(at);
        out.unproved |= open;
        out.whole = issuer.is_self_issued();
        last = issuer;
    }
    out
}
