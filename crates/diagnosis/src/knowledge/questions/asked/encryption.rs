//! Questions about encryption and certificates.

use chronaxis_model::certificate::ChainTrouble;
use chronaxis_model::fact::{Fact, HandshakeTrouble, OwnCertificate, ShownChain, ShownChainDefect};
use chronaxis_model::settings::DefectKind;

use super::super::{Answer, answers};
use super::answer;
use crate::judge::{PathView, Symptom};

/// The chain that this client refused, with what stopped it.
fn refused<'a>(
    view: &'a PathView<'_>,
    symptom: Symptom,
) -> Option<(&'a ShownChain, &'a ShownChainDefect)> {
    let chain = view
        .chain()
        .filter(|_| symptom == Symptom::TlsCertificate)?;
    Some((chain, chain.defects.iter().find(|d| d.stops)?))
}

/// A trouble of a chain, as an answer.
fn defect_of(trouble: ChainTrouble) -> answers::CertificateDefect {
    use answers::CertificateDefect as Defect;
    match trouble {
        ChainTrouble::Unreadable => Defect::Unreadable,
        ChainTrouble::Expired => Defect::Expired,
        ChainTrouble::NotYetValid => Defect::NotYetValid,
        ChainTrouble::SelfSigned => Defect::SelfSigned,
        ChainTrouble::IssuerUnknown => Defect::IssuerUnknown,
        ChainTrouble::IssuerMissing => Defect::IssuerMissing,
        ChainTrouble::SignatureWrong => Defect::SignatureWrong,
        ChainTrouble::NotAnAuthority => Defect::NoAuthority,
        ChainTrouble::WrongPurpose => Defect::WrongPurpose,
        ChainTrouble::UnknownExtension => Defect::UnknownExtension,
        ChainTrouble::TooWeak => Defect::TooWeak,
        ChainTrouble::NameMismatch => Defect::OtherName,
    }
}

pub(in crate::knowledge::questions) fn certificate_defect(
    view: &PathView<'_>,
    symptom: Symptom,
) -> Option<Answer> {
    let (_, defect) = refused(view, symptom)?;
    answer(
        defect_of(defect.trouble),
        format!("the server's certificate: {}", defect.text),
    )
}

pub(in crate::knowledge::questions) fn issuer_kin(
    view: &PathView<'_>,
    symptom: Symptom,
) -> Option<Answer> {
    let (chain, _) = refused(view, symptom)?;
    match chain.issuer_kin? {
        true => answer(
            answers::IssuerKin::Kin,
            "a CA of the same organisation is trusted",
        ),
        false => answer(
            answers::IssuerKin::Stranger,
            "no trusted CA belongs to the same organisation",
        ),
    }
}

pub(in crate::knowledge::questions) fn issuer_place(
    view: &PathView<'_>,
    symptom: Symptom,
) -> Option<Answer> {
    let (chain, defect) = refused(view, symptom)?;
    if defect.trouble != ChainTrouble::IssuerMissing {
        return None;
    }
    match chain.names_issuer_place {
        true => answer(
            answers::IssuerPlace::Named,
            "it says where its issuer's certificate can be downloaded",
        ),
        false => answer(
            answers::IssuerPlace::Unsaid,
            "it does not say where its issuer's certificate is",
        ),
    }
}

pub(in crate::knowledge::questions) fn date_spread(
    view: &PathView<'_>,
    symptom: Symptom,
) -> Option<Answer> {
    let (chain, defect) = refused(view, symptom)?;
    if !matches!(
        defect.trouble,
        ChainTrouble::Expired | ChainTrouble::NotYetValid
    ) {
        return None;
    }
    match chain.all_out_of_time {
        true => answer(
            answers::DateSpread::All,
            "every certificate of the chain is outside its validity period",
        ),
        false => answer(
            answers::DateSpread::One,
            "only part of the chain is outside its validity period",
        ),
    }
}

pub(in crate::knowledge::questions) fn own_clock(
    view: &PathView<'_>,
    symptom: Symptom,
) -> Option<Answer> {
    let (chain, defect) = refused(view, symptom)?;
    if defect.trouble != ChainTrouble::NotYetValid {
        return None;
    }
    match chain.clock_impossible {
        true => answer(
            answers::OwnClock::Impossible,
            "this machine's clock shows a time before this program was written",
        ),
        false => answer(
            answers::OwnClock::Possible,
            "this machine's clock shows a plausible time",
        ),
    }
}

pub(in crate::knowledge::questions) fn alert_says(
    view: &PathView<'_>,
    _: Symptom,
) -> Option<Answer> {
    let alert = view.find(|fact| match fact {
        Fact::HandshakeFailed {
            trouble: HandshakeTrouble::Alert,
            alert,
            ..
        } => alert.as_deref(),
        _ => None,
    })?;
    let word = match alert {
        "protocol_version" => answers::AlertSays::Version,
        "handshake_failure" | "insufficient_security" => answers::AlertSays::Handshake,
        "certificate_required" => answers::AlertSays::CertificateRequired,
        "bad_certificate"
        | "unknown_ca"
        | "certificate_expired"
        | "certificate_unknown"
        | "certificate_revoked"
        | "unsupported_certificate"
        | "access_denied"
        | "decrypt_error" => answers::AlertSays::CertificateRefused,
        "unrecognized_name" | "unrecognised_name" => answers::AlertSays::Name,
        _ => answers::AlertSays::Other,
    };
    answer(word, format!("the server's alert: {alert}"))
}

pub(in crate::knowledge::questions) fn old_hello(
    view: &PathView<'_>,
    _: Symptom,
) -> Option<Answer> {
    let (version, cipher, alert) = view.find(|fact| match fact {
        Fact::HelloAnswered {
            version,
            cipher,
            alert,
            ..
        } => Some((version.as_deref(), cipher.as_deref(), alert.as_deref())),
        _ => None,
    })?;
    let cipher = cipher.unwrap_or("none");
    match (version, alert) {
        (Some(old @ ("SSL 3.0" | "TLS 1.0" | "TLS 1.1")), _) => answer(
            answers::OldHello::OldVersion,
            format!("an old-style TLS hello is answered: the server offers no more than {old}"),
        ),
        (Some(version), _) => answer(
            answers::OldHello::OldCipher,
            format!("an old-style TLS hello is answered with {version} and cipher {cipher}"),
        ),
        (None, Some(alert)) => answer(
            answers::OldHello::Refused,
            format!("an old-style TLS hello is refused: {alert}"),
        ),
        (None, None) => None,
    }
}

pub(in crate::knowledge::questions) fn own_certificate(
    view: &PathView<'_>,
    symptom: Symptom,
) -> Option<Answer> {
    let of_the_user = symptom == Symptom::LoginIdentity;
    if !of_the_user && !matches!(symptom, Symptom::TlsAlert | Symptom::LoginHostRefused) {
        return None;
    }
    let own = shown_certificate(view)?;
    if of_the_user {
        let target = view.evidence.target;
        let (name, user) = (target.encryption.own_name.as_ref()?, target.user.as_ref()?);
        return match own == OwnCertificate::Shown && name != user {
            true => answer(
                answers::OwnCertificate::AnotherName,
                format!("the client's certificate is for {name}, and the user is {user}"),
            ),
            false => None,
        };
    }
    let word = match own {
        OwnCertificate::NotAsked => answers::OwnCertificate::NotAsked,
        OwnCertificate::AskedNoneThere => answers::OwnCertificate::NoneThere,
        OwnCertificate::Shown => answers::OwnCertificate::Shown,
    };
    answer(word, of_certificate(own))
}

/// Whether the client's own certificate came into the handshake.
fn shown_certificate(view: &PathView<'_>) -> Option<OwnCertificate> {
    view.find(|fact| match fact {
        Fact::HandshakeFailed {
            own_certificate, ..
        }
        | Fact::LineSecured {
            own_certificate, ..
        } => Some(*own_certificate),
        _ => None,
    })
}

/// An account may demand a certificate, and the server then denies it like a wrong password.
pub(in crate::knowledge::questions) fn account_certificate(
    view: &PathView<'_>,
    symptom: Symptom,
) -> Option<Answer> {
    let own = shown_certificate(view);
    if symptom == Symptom::LoginCredentials {
        // There a rule compares names, and says the same as of a wrong password.
        let target = view.evidence.target;
        let named = (&target.encryption.own_name, &target.user);
        return match (own, named) {
            (Some(OwnCertificate::Shown), (Some(name), Some(user))) if name != user => answer(
                answers::AccountCertificate::AnotherName,
                format!("the client's certificate is for {name}, and the user is {user}"),
            ),
            _ => answer(
                answers::AccountCertificate::Fits,
                "no certificate that names somebody else was shown",
            ),
        };
    }
    if symptom != Symptom::LoginDenied {
        return None;
    }
    let own = own?;
    let word = match own {
        OwnCertificate::NotAsked => answers::AccountCertificate::NotAsked,
        OwnCertificate::AskedNoneThere => answers::AccountCertificate::NoneThere,
        OwnCertificate::Shown => answers::AccountCertificate::Shown,
    };
    answer(word, of_certificate(own))
}

/// What came of the client's own certificate.
fn of_certificate(own: OwnCertificate) -> &'static str {
    match own {
        OwnCertificate::NotAsked => "the server asks for no certificate",
        OwnCertificate::AskedNoneThere => {
            "the server asked for the client's certificate, and there is none"
        }
        OwnCertificate::Shown => "the client's certificate was shown",
    }
}

pub(in crate::knowledge::questions) fn bundle_says(
    view: &PathView<'_>,
    symptom: Symptom,
) -> Option<Answer> {
    let of_it = matches!(
        symptom,
        Symptom::TlsCertificate
            | Symptom::TlsAlert
            | Symptom::LoginHostRefused
            | Symptom::LoginIdentity
    );
    if !of_it {
        return None;
    }
    let past = view.evidence.facts().find_map(|(_, fact)| match fact {
        Fact::SettingDefect(defect) if defect.kind == DefectKind::FileExpired => Some(defect),
        _ => None,
    });
    if let Some(defect) = past {
        return answer(answers::BundleSays::Past, defect.text.clone());
    }
    match view.evidence.target.encryption.from_bundle && symptom == Symptom::TlsCertificate {
        true => answer(
            answers::BundleSays::Given,
            "the client trusts the CA certificates of this bundle, and no others",
        ),
        false => answer(
            answers::BundleSays::Nothing,
            "no certificate of a bundle explains it",
        ),
    }
}

pub(in crate::knowledge::questions) fn line_encryption(
    view: &PathView<'_>,
    symptom: Symptom,
) -> Option<Answer> {
    let secured = view.find(|fact| matches!(fact, Fact::LineSecured { .. }).then_some(()));
    let tried = view.find(|fact| match fact {
        Fact::EncryptedTried { passed } => Some(*passed),
        _ => None,
    });
    match (symptom, tried) {
        (Symptom::LoginHostRefused, Some(true)) => {
            return answer(
                answers::LineEncryption::LetsPass,
                "over an encrypted connection, tried without the password, the server's host rules let this user in",
            );
        }
        (Symptom::LoginHostRefused, Some(false)) => {
            return answer(
                answers::LineEncryption::Encrypted,
                "over an encrypted connection, also tried, the server says the same",
            );
        }
        _ => {}
    }
    match (symptom, secured) {
        (Symptom::LoginDenied | Symptom::LoginHostRefused, Some(())) => answer(
            answers::LineEncryption::Encrypted,
            "the connection was encrypted",
        ),
        // Of a host's rules it says nothing: some are for either kind of line.
        (Symptom::LoginDenied, None) => answer(
            answers::LineEncryption::Clear,
            "the connection was not encrypted; an account may require that",
        ),
        _ => None,
    }
}

pub(in crate::knowledge::questions) fn ordinary_request(
    view: &PathView<'_>,
    symptom: Symptom,
) -> Option<Answer> {
    if !matches!(symptom, Symptom::TlsClosed | Symptom::TlsGarbled) {
        return None;
    }
    let asked_first = |fact: &Fact| matches!(fact, Fact::EncryptionAnswered { .. }).then_some(());
    let beside = |fact: &Fact| match fact {
        Fact::EncryptionOffer { offered } => Some(*offered),
        _ => None,
    };
    match view
        .find(beside)
        .filter(|_| view.find(asked_first).is_none())
    {
        None => answer(
            answers::OrdinaryRequest::Untold,
            "the server was asked whether it encrypts, or did not answer that",
        ),
        Some(true) => answer(
            answers::OrdinaryRequest::Offered,
            "asked first whether it encrypts, the server offers encryption; a TLS handshake without asking it closes",
        ),
        Some(false) => answer(
            answers::OrdinaryRequest::Refused,
            "asked first whether it encrypts, the server says no",
        ),
    }
}

pub(in crate::knowledge::questions) fn encryption_offer(
    view: &PathView<'_>,
    _: Symptom,
) -> Option<Answer> {
    let told = |fact: &Fact| match fact {
        Fact::EncryptionAnswered { offered, .. } | Fact::EncryptionOffer { offered } => {
            Some(*offered)
        }
        _ => None,
    };
    let offered = view.find(told).or_else(|| view.find_on_other_line(told))?;
    if offered {
        answer(
            answers::EncryptionOffer::Offered,
            "the server offers encryption",
        )
    } else {
        answer(
            answers::EncryptionOffer::Refused,
            "the server offers no encryption",
        )
    }
}
