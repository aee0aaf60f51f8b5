//! Cautions about encryption: what works in spite of it, and what would be met next.

use chronaxis_model::certificate::{ChainTrouble, Check};
use chronaxis_model::fact::{Fact, HandshakeTrouble, ShownChain};
use chronaxis_model::found::Warning;
use chronaxis_model::layer::Layer;

use super::caution;
use crate::judge::{Evidence, Judgement, PathView, Symptom};
use crate::verdict::shape::AlsoFound;

/// Days of a certificate's life that are few.
const SOON: i64 = 21;

pub(super) fn collect(evidence: Evidence<'_>, judgement: &Judgement) -> Vec<AlsoFound> {
    let mut out = Vec::new();
    let decisive = judgement.decisive.and_then(|i| judgement.paths.get(i));
    let Some(path) = decisive else { return out };
    let view = PathView::new(evidence, &path.endpoint);
    let secured = view.find(|fact| matches!(fact, Fact::LineSecured { .. }).then_some(()));
    let here = path
        .endpoint
        .ip()
        .is_none_or(chronaxis_model::reserved_ranges::is_here);
    let check = evidence.target.encryption.check;
    if secured.is_some() && check == Check::Nothing && !here {
        out.push(caution(Warning::TlsNotVerified, Layer::Tls, ""));
    }
    let chain = view.chain().or_else(|| {
        view.find_on_other_line(|fact| match fact {
            Fact::CertificateShown(chain) => Some(chain.as_ref()),
            _ => None,
        })
    });
    if let Some(chain) = chain {
        let refused = judgement.status.symptom == Some(Symptom::TlsCertificate);
        out.extend(defects(chain, check, refused));
        out.extend(soon_or_weak(chain));
    }
    if let Some(suite) = view.older_suite() {
        let detail = format!(
            "the server accepts only older cipher suites (it chose {suite}), which the usual clients have and this program does not"
        );
        out.push(caution(Warning::BeyondUs, Layer::Tls, &detail));
    }
    for (_, fact) in evidence.facts() {
        match fact {
            Fact::HelloAnswered {
                version: Some(version),
                ..
            } if version.as_str() < "TLS 1.2" => {
                out.push(caution(Warning::OldTlsVersion, Layer::Tls, version));
                if evidence.target.encryption.takes_old_versions {
                    let detail = format!("{version}, which this client would accept");
                    out.push(caution(Warning::BeyondUs, Layer::Tls, &detail));
                }
            }
            Fact::HandshakeFailed {
                trouble: HandshakeTrouble::BeyondUs,
                detail,
                ..
            } => out.push(caution(Warning::BeyondUs, Layer::Tls, detail.as_str())),
            Fact::ServerSpared { given_up } => {
                let detail = format!(
                    "{given_up} connections to this server were closed before the sign-in; it counts these and blocks machines that make many, so no more are opened in this run"
                );
                out.push(caution(Warning::BeyondUs, Layer::Listener, &detail));
            }
            _ => {}
        }
    }
    out
}

/// What is wrong with a chain and did not stop this client, or not first.
fn defects(chain: &ShownChain, check: Check, refused: bool) -> Vec<AlsoFound> {
    let first = chain.defects.iter().position(|d| d.stops);
    let others = chain
        .defects
        .iter()
        .enumerate()
        .filter(|(index, _)| !(refused && Some(*index) == first));
    others
        .filter_map(|(_, defect)| {
            let id = match defect.trouble {
                ChainTrouble::Expired => "certificate-expired",
                ChainTrouble::NotYetValid => "certificate-not-yet-valid",
                // Where nobody is trusted or no name is checked, these are no news.
                ChainTrouble::NameMismatch if check != Check::Nothing => {
                    "certificate-name-mismatch"
                }
                ChainTrouble::SelfSigned if check != Check::Nothing => "certificate-self-signed",
                _ => return None,
            };
            Some(AlsoFound {
                id: id.to_owned(),
                layer: Layer::Tls,
                text: format!("the server's certificate: {}", defect.text),
                place: None,
            })
        })
        .collect()
}

fn soon_or_weak(chain: &ShownChain) -> Vec<AlsoFound> {
    let mut out = Vec::new();
    if (0..=SOON).contains(&chain.days_left) {
        let detail = match chain.days_left {
            0 => "today".to_owned(),
            1 => "in 1 day".to_owned(),
            days => format!("in {days} days"),
        };
        out.push(caution(
            Warning::CertificateExpiresSoon,
            Layer::Tls,
            &detail,
        ));
    }
    if let Some(weak) = chain.certificates.iter().find_map(|c| {
        let bits = c
            .key
            .strip_prefix("RSA ")
            .and_then(|b| b.parse::<u32>().ok());
        let short = bits.is_some_and(|bits| bits < 2048).then(|| c.key.clone());
        // The signature of an authority on itself proves nothing, and is not looked at.
        let own = c.subject == c.issuer;
        let old = (!own && (c.signed_by.contains("SHA-1") || c.signed_by.contains("MD5")))
            .then(|| c.signed_by.clone());
        short.or(old)
    }) {
        out.push(caution(Warning::WeakKey, Layer::Tls, &weak));
    }
    out
}
