//! What every conversation notes of encryption, whichever the engine.

use chronaxis_model::certificate::{Certificate, Judged, day};
use chronaxis_model::conversation::{NotSecured, Secured};
use chronaxis_model::fact::{
    Fact, HandshakeTrouble, OwnCertificate, ShownCertificate, ShownChain, ShownChainDefect,
};
use chronaxis_model::layer::Micros;
use chronaxis_model::redact::Redactor;

/// When this program was written: no clock that shows less is right.
const WRITTEN: i64 = 1_795_132_800;

/// Seconds of a day.
const DAY: i64 = 86_400;

/// What there is to note once a line is encrypted.
pub(super) fn secured(secured: &Secured, elapsed_us: Micros, redactor: &Redactor) -> Vec<Fact> {
    let line = Fact::LineSecured {
        version: secured.version.title(),
        cipher: redactor.text(&secured.cipher),
        own_certificate: own_certificate(secured.asked_certificate, secured.showed_certificate),
        elapsed_us,
    };
    shown(&secured.judged, redactor)
        .into_iter()
        .chain([line])
        .collect()
}

/// What there is to note where it is not, or no longer. `own` says whether the client has
/// a certificate to show.
pub(super) fn not_secured(
    ended: &NotSecured,
    after: bool,
    own: bool,
    elapsed_us: Micros,
    redactor: &Redactor,
) -> Vec<Fact> {
    let failed = Fact::HandshakeFailed {
        trouble: ended.trouble,
        alert: ended.alert.clone(),
        detail: redactor.text(&ended.detail),
        after,
        own_certificate: own_certificate(ended.asked_certificate, own),
        elapsed_us,
    };
    let chain = ended.judged.as_ref().filter(|_| !after);
    let chain = chain.and_then(|judged| shown(judged, redactor));
    chain.into_iter().chain([failed]).collect()
}

/// How the client's own certificate came into it: whether it was asked for, and there.
fn own_certificate(asked: bool, there: bool) -> OwnCertificate {
    match (asked, there) {
        (false, _) => OwnCertificate::NotAsked,
        (true, false) => OwnCertificate::AskedNoneThere,
        (true, true) => OwnCertificate::Shown,
    }
}

/// The handshake ended because the line did.
pub(super) fn line_ended(trouble: HandshakeTrouble) -> NotSecured {
    NotSecured {
        trouble,
        alert: None,
        detail: String::new(),
        judged: None,
        asked_certificate: false,
    }
}

fn shown(judged: &Judged, redactor: &Redactor) -> Option<Fact> {
    let leaf = judged.chain.first();
    if leaf.is_none() && judged.defects.is_empty() {
        return None;
    }
    let chain = ShownChain {
        certificates: judged
            .chain
            .iter()
            .map(|c| shown_one(c, redactor))
            .collect(),
        defects: judged
            .defects
            .iter()
            .map(|d| ShownChainDefect {
                trouble: d.trouble,
                text: redactor.text(&d.text),
                stops: d.stops,
            })
            .collect(),
        days_left: leaf.map_or(0, |leaf| (leaf.not_after - judged.now).div_euclid(DAY)),
        issuer_kin: judged.issuer_kin,
        names_issuer_place: judged.chain.last().is_some_and(|c| c.names_issuer_place),
        all_out_of_time: judged.all_out_of_time,
        clock_impossible: judged.now < WRITTEN,
    };
    Some(Fact::CertificateShown(Box::new(chain)))
}

fn shown_one(one: &Certificate, redactor: &Redactor) -> ShownCertificate {
    let addresses = one.addresses.iter().map(ToString::to_string);
    let names = one.dns_names.iter().cloned().chain(addresses);
    ShownCertificate {
        subject: redactor.text(&one.subject),
        issuer: redactor.text(&one.issuer),
        names: names.take(16).map(|n| redactor.text(&n)).collect(),
        not_before: day(one.not_before),
        not_after: day(one.not_after),
        key: one.key.to_string(),
        signed_by: one.signed_by.clone(),
    }
}
