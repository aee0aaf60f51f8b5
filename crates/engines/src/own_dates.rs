//! What has dates of its own: certificates in the files that settings name, and tokens that are
//! given as passwords. No client looks at the date of
//! its own certificate: the server refuses it, without saying why.

use chronaxis_model::certificate::{self, Trusted};
use chronaxis_model::fact::Fact;
use chronaxis_model::redact::visible;
use chronaxis_model::settings::{Defect, DefectKind, Field};
use chronaxis_model::shown;
use chronaxis_model::target::Target;
use chronaxis_model::token::Token;

use crate::registry::by_id;

/// Notes what of a target has dates of its own: certificates of the files that its settings name,
/// where they are past, and a token that is given as password. `now` in seconds of Unix time.
pub fn note_dates(target: &mut Target, now: i64) {
    note_past_certificates(target, now);
    note_token(target, now);
}

/// Notes what a token says of itself.
pub fn note_token(target: &mut Target, now: i64) {
    let secret = target.secret.as_ref().map(|told| &told.value);
    if let Some(token) = secret.and_then(|secret| Token::read(secret.expose())) {
        let dates = token.dates(now);
        target.remarks.push(Fact::TokenGiven { token, dates });
    }
}

fn note_past_certificates(target: &mut Target, now: i64) {
    let shown = target.shown();
    let files = by_id(target.engine).strings.tls_files(&shown);
    let mut found = Vec::new();
    if let (Some(own), Some(path)) = (&target.encryption.identity, files.certificate) {
        let first = own.chain.first().map_or(&[][..], Vec::as_slice);
        found.extend(past(first, "the client's certificate", path, now));
    }
    if let (Trusted::These(all), Some(path)) =
        (&target.encryption.policy.trusted, files.authorities)
    {
        let each: Vec<Option<String>> = all
            .iter()
            .map(|one| past(one, "the CA certificate", path, now))
            .collect();
        // An old one beside one in time harms nobody.
        if each.iter().all(Option::is_some) {
            found.extend(each.into_iter().flatten().next());
        }
    }
    target.defects.extend(found.into_iter().map(|text| Defect {
        kind: DefectKind::FileExpired,
        subject: Field::CERTIFICATES,
        stops: false,
        text,
        expected: "Get a new certificate from whoever issued this one.".to_owned(),
        place: None,
        mended: None,
    }));
}

fn past(der: &[u8], what: &str, path: &str, now: i64) -> Option<String> {
    let one = certificate::read(der).ok()?;
    let past = one.past(now)?;
    let name = one.common_name.as_ref().unwrap_or(&one.subject);
    Some(format!(
        "{what} \"{}\" in {} {past}",
        visible(name),
        shown::path(path)
    ))
}
