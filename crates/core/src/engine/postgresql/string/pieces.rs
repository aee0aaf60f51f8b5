//! What a parser found in a string; both forms end here.

use std::ops::Range;

use crate::settings::DefectKind;

/// The keywords that the library takes in a string, but for the password.
pub(in super::super) const KEYWORDS: &[&str] = &[
    "host",
    "hostaddr",
    "port",
    "dbname",
    "user",
    "passfile",
    "channel_binding",
    "connect_timeout",
    "client_encoding",
    "options",
    "application_name",
    "fallback_application_name",
    "keepalives",
    "keepalives_idle",
    "keepalives_interval",
    "keepalives_count",
    "tcp_user_timeout",
    "replication",
    "gssencmode",
    "sslmode",
    "requiressl",
    "sslnegotiation",
    "sslcompression",
    "sslcert",
    "sslkey",
    "sslrootcert",
    "sslcrl",
    "sslcrldir",
    "sslsni",
    "requirepeer",
    "ssl_min_protocol_version",
    "ssl_max_protocol_version",
    "krbsrvname",
    "gsslib",
    "gssdelegation",
    "service",
    "target_session_attrs",
    "load_balance_hosts",
    "require_auth",
    "sslcertmode",
];

/// Keywords whose values nobody may see.
pub(super) const SECRETS: &[&str] = &["password", "sslpassword", "oauth_client_secret"];

/// One value as it stands in the text.
pub(super) struct Piece {
    pub(super) key: String,
    pub(super) value: String,
    pub(super) span: Range<usize>,
}

/// What a parser found; both forms end here.
#[derive(Default)]
pub(super) struct Pieces {
    pub(super) found: Vec<Piece>,
    /// Hosts and ports one by one, where several stand in the text.
    pub(super) places: Vec<Piece>,
    /// Byte spans that hold a secret, or may.
    pub(super) covered: Vec<Range<usize>>,
    pub(super) fault: Option<Fault>,
}

/// Why parsing ended.
pub(super) struct Fault {
    pub(super) kind: DefectKind,
    pub(super) subject: String,
    pub(super) span: Range<usize>,
    pub(super) text: String,
    pub(super) expected: String,
    pub(super) mended: Option<String>,
}

impl Pieces {
    pub(super) fn add(&mut self, key: &str, value: String, span: Range<usize>) {
        if SECRETS.contains(&key) {
            self.covered.push(span.clone());
        }
        self.found.push(Piece {
            key: key.to_owned(),
            value,
            span,
        });
    }

    /// Adds one of several hosts or ports: the library keeps each list as one value, with
    /// commas between.
    pub(super) fn add_place(&mut self, key: &str, value: String, span: Range<usize>) {
        match self.found.iter_mut().find(|p| p.key == key) {
            Some(list) => {
                list.value.push(',');
                list.value.push_str(&value);
                list.span.end = span.end;
            }
            None => self.add(key, value.clone(), span.clone()),
        }
        self.places.push(Piece {
            key: key.to_owned(),
            value,
            span,
        });
    }

    pub(super) fn fail(
        &mut self,
        kind: DefectKind,
        subject: &str,
        span: Range<usize>,
        text: String,
        expected: &str,
    ) {
        if self.fault.is_none() {
            self.fault = Some(Fault {
                kind,
                subject: subject.to_owned(),
                span,
                text,
                expected: expected.to_owned(),
                mended: None,
            });
        }
    }
}

/// What findings call a keyword's value.
pub(in super::super) fn subject(keyword: &str) -> &str {
    match keyword {
        "dbname" => "database",
        other => other,
    }
}
