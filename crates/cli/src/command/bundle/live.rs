//! A bundle against its server: connected as far as the server's question for a password, which
//! is not answered.

use std::path::Path;

use chronaxis_bundle::findings::Finding;
use chronaxis_diagnosis::bundle::ShownLive;
use chronaxis_diagnosis::case::Case;
use chronaxis_diagnosis::judge::Scope;
use chronaxis_model::certificate::Check;
use chronaxis_model::found::CauseId;
use chronaxis_model::layer::{Layer, Outcome};

use crate::client_environment;
use crate::error::Failure;
use crate::side_by_side;
use crate::way_in::Wanted;

/// What the server says, and what is wrong.
pub(super) fn ask(
    wanted: Wanted,
    scope: &Scope,
    bundle: &Path,
) -> Result<(ShownLive, Vec<Finding>), Failure> {
    let Wanted { mut target, again } = wanted;
    // Nothing is proved: no secret goes along.
    target.secret = None;
    let scope = Scope {
        until: Layer::Login,
        ..scope.clone()
    };
    let runtime = client_environment::runtime()?;
    let mut cases: Vec<Case> = Vec::new();
    side_by_side::run(
        &runtime,
        vec![Wanted { target, again }],
        &scope,
        None,
        |_, case| {
            cases.push(case);
            Ok(())
        },
    )?;
    runtime.shutdown_background();
    Ok(match cases.pop() {
        Some(case) => (said(&case), findings(&case, bundle)),
        None => (
            ShownLive {
                server: String::new(),
                issued_by_bundle: "unknown".to_owned(),
                client_certificate: "unknown".to_owned(),
                summary: "nothing came back".to_owned(),
            },
            Vec::new(),
        ),
    })
}

fn layer(case: &Case, layer: Layer) -> Option<(Outcome, &str)> {
    let found = case.layers.iter().find(|l| l.layer == layer)?;
    Some((found.outcome, found.summary.as_str()))
}

/// What of the log says a word about the client's own certificate.
fn own(case: &Case) -> Option<String> {
    let facts = case.layers.iter().flat_map(|l| &l.facts);
    let mut words = facts.filter_map(|f| f.get("own_certificate")?.as_str());
    words.next_back().map(str::to_owned)
}

/// Whether an authority of the bundle issued the certificate that the server showed.
fn issued(case: &Case) -> Option<bool> {
    let how = &case.target.encryption;
    if !how.from_bundle || how.check == Check::Nothing {
        return None;
    }
    let mut facts = case.layers.iter().flat_map(|l| &l.facts);
    let shown = facts.find(|f| f.get("fact").is_some_and(|f| f == "certificate-shown"))?;
    let defects = shown.get("defects")?.as_array()?;
    let of_issuer = [
        "unreadable",
        "self-signed",
        "issuer-unknown",
        "issuer-missing",
        "signature-wrong",
        "not-an-authority",
    ];
    let says = |d: &serde_json::Value| {
        let word = d.get("trouble").and_then(serde_json::Value::as_str);
        word.is_some_and(|w| of_issuer.contains(&w))
    };
    Some(!defects.iter().any(says))
}

fn said(case: &Case) -> ShownLive {
    let cause = case.verdict.cause.as_deref();
    let issued = match issued(case) {
        Some(true) => "yes",
        Some(false) => "no",
        None => "unknown",
    };
    let refused = [CauseId::ClientCertificateRefused, CauseId::BundleExpired];
    let own = match own(case).as_deref() {
        _ if refused.iter().any(|id| cause == Some(id.as_str())) => "refused",
        Some("not-asked") => "not-asked",
        Some("asked-none-there") => "none",
        Some("shown") if answered(case) => "accepted",
        _ => "unknown",
    };
    let (_, summary) = case
        .layers
        .iter()
        .rev()
        .find(|l| !matches!(l.outcome, Outcome::Untested | Outcome::Unreached))
        .map_or((Outcome::Untested, "nothing was tested"), |l| {
            (l.outcome, l.summary.as_str())
        });
    ShownLive {
        server: case
            .target
            .ends
            .first()
            .map_or_else(String::new, ToString::to_string),
        issued_by_bundle: issued.to_owned(),
        client_certificate: own.to_owned(),
        summary: summary.to_owned(),
    }
}

/// Whether the server went on behind the handshake: under TLS 1.3 a certificate is refused
/// only then (RFC 8446, section 4.4.2).
fn answered(case: &Case) -> bool {
    let login = layer(case, Layer::Login);
    login.is_some_and(|(outcome, _)| !matches!(outcome, Outcome::Unreached))
        && case
            .verdict
            .symptom
            .as_deref()
            .is_none_or(|s| !s.starts_with("tls/"))
}

fn findings(case: &Case, bundle: &Path) -> Vec<Finding> {
    let Some(cause) = case.verdict.cause.as_deref() else {
        return Vec::new();
    };
    // That a password is asked for is as far as this goes.
    let known = [
        CauseId::BundleForOtherServer,
        CauseId::BundleExpired,
        CauseId::BundleKeyMismatch,
        CauseId::BundlePassphraseWrong,
        CauseId::BundleIncomplete,
        CauseId::CertificateIssuerUnknown,
        CauseId::CertificateSelfSigned,
        CauseId::CertificateNameMismatch,
        CauseId::CertificateExpired,
        CauseId::CertificateChainIncomplete,
        CauseId::ClientCertificateRefused,
        CauseId::ClientCertificateMissing,
        CauseId::TlsNotOffered,
    ];
    let found = known.into_iter().find(|id| id.as_str() == cause);
    let Some(id) = found else {
        return Vec::new();
    };
    let shown = chronaxis_model::shown::path(&bundle.to_string_lossy());
    let text = format!(
        "against the server: {}",
        case.verdict.headline.trim_end_matches('.')
    );
    let fix = case.verdict.fix.first().cloned();
    let fix = fix.unwrap_or_else(|| format!("chronaxis diagnose --bundle {shown} says more."));
    vec![Finding::fault(id, text).fix(fix)]
}
