//! What MongoDB's drivers refuse in a URL (its connection string specification; measured
//! with pymongo 4.20).

use std::ops::Range;

use chronaxis_model::settings::DefectKind;
use percent_encoding::percent_decode_str;

use crate::text::pieces::Pieces;
use crate::text::uri::bad_escape;

/// Adds what stops a client to the pieces of a text whose scheme ends at byte `from`.
pub(super) fn check(pieces: &mut Pieces, text: &str, from: usize) {
    // What every URL must be was looked at before.
    if pieces.fault.is_some() {
        return;
    }
    let rest = text.get(from..).unwrap_or_default();
    let end = rest.find(['/', '?']).unwrap_or(rest.len());
    let authority = rest.get(..end).unwrap_or_default();
    let (account, hosts) = match authority.rsplit_once('@') {
        Some((account, hosts)) => (Some(account), hosts),
        None => (None, authority),
    };
    if let Some(account) = account {
        let span = from..from + account.len();
        let odd = account.contains('@') || account.matches(':').count() > 1;
        if odd || bad_escape(account).is_some() {
            let what = "a sign in the user or password is not escaped: MongoDB's drivers refuse it";
            fail(
                pieces,
                DefectKind::NotEscaped,
                "password",
                span,
                what,
                "@ as %40, : as %3A, / as %2F, % as %25",
            );
        } else if account.is_empty() || account.starts_with(':') {
            fail(
                pieces,
                DefectKind::Unreadable,
                "user",
                span,
                "the user is empty",
                "user:password@",
            );
        }
    }
    let behind = rest
        .get(end..)
        .and_then(|r| r.strip_prefix('/'))
        .unwrap_or_default();
    let database = behind.split('?').next().unwrap_or_default();
    let decoded = percent_decode_str(database).decode_utf8_lossy();
    if decoded.contains([' ', '"', '$', '\\', '/']) {
        let at = from + end + 1;
        let what = "the database's name has a sign that MongoDB does not take";
        let span = at..at + database.len();
        fail(
            pieces,
            DefectKind::Unreadable,
            "database",
            span,
            what,
            "letters, digits, - and _",
        );
    }
    let hosts_at = from + authority.len() - hosts.len();
    let mut at = hosts_at;
    for one in hosts.split(',') {
        let span = at..at + one.len();
        at = span.end + 1;
        let behind = one.rsplit_once(']').map_or(one, |(_, behind)| behind);
        let port = behind.rsplit_once(':').map(|(_, port)| port);
        let number = |port: &str| port.parse::<u16>().is_ok_and(|p| p > 0);
        if one.is_empty() || one.starts_with(':') {
            fail(
                pieces,
                DefectKind::Unreadable,
                "host",
                span,
                "a host is missing",
                "host:port",
            );
        } else if port.is_some_and(|port| !number(port)) {
            let what = "the port is not a number from 1 to 65535";
            fail(
                pieces,
                DefectKind::Unreadable,
                "port",
                span,
                what,
                "a number, or no colon",
            );
        }
    }
}

fn fail(
    pieces: &mut Pieces,
    kind: DefectKind,
    subject: &str,
    span: Range<usize>,
    what: &str,
    expected: &str,
) {
    pieces.covered.push(span.clone());
    pieces.fail(kind, subject, span, what.to_owned(), expected);
}
