//! What a parser found in a string; all forms end here.

use std::ops::Range;

use chronaxis_model::settings::{DefectKind, Field};

/// Keywords whose values nobody may see.
pub(in super::super) const SECRETS: &[&str] = &[
    "password",
    "sslpassword",
    "trust_store_password",
    "key_store_password",
    "key_password",
    "oauth_client_secret",
];

/// Passphrases of files, and the options that name what they open.
pub(in super::super) const PASSPHRASES: &[(&str, &[&str])] = &[
    ("sslpassword", &["sslkey"]),
    ("trust_store_password", &["trust_store"]),
    ("key_store_password", &["key_store"]),
    ("key_password", &["key_store"]),
];

/// One value as it stands in the text.
pub(in super::super) struct Piece {
    pub(in super::super) key: String,
    pub(in super::super) value: String,
    pub(in super::super) span: Range<usize>,
}

/// What a parser found; all forms end here.
#[derive(Default)]
pub(in super::super) struct Pieces {
    pub(in super::super) found: Vec<Piece>,
    /// Hosts and ports one by one, where several stand in the text.
    pub(in super::super) places: Vec<Piece>,
    /// Byte spans that hold a secret, or may.
    pub(in super::super) covered: Vec<Range<usize>>,
    /// Byte spans that were recognised, though nothing was made of them.
    pub(in super::super) recognised: Vec<Range<usize>>,
    /// The names of parameters that this client does not know.
    pub(in super::super) unknown: Vec<String>,
    pub(in super::super) fault: Option<Fault>,
    /// What is worth a word and stops nothing.
    pub(in super::super) remarks: Vec<Fault>,
}

/// Why parsing ended.
pub(in super::super) struct Fault {
    pub(in super::super) kind: DefectKind,
    pub(in super::super) subject: Field,
    pub(in super::super) span: Range<usize>,
    pub(in super::super) text: String,
    pub(in super::super) expected: String,
    pub(in super::super) mended: Option<String>,
}

impl Pieces {
    pub(in super::super) fn add(&mut self, key: &str, value: String, span: Range<usize>) {
        if SECRETS.contains(&key) {
            self.covered.push(span.clone());
        }
        self.found.push(Piece {
            key: key.to_owned(),
            value,
            span,
        });
    }

    /// Passes over options without a value, as readers do that do not hand them on.
    pub(in super::super) fn pass_over_empty_options(&mut self) {
        const FIELDS: [&str; 5] = ["host", "port", "user", "password", "dbname"];
        let (kept, empty): (Vec<Piece>, Vec<Piece>) = std::mem::take(&mut self.found)
            .into_iter()
            .partition(|p| !p.value.is_empty() || FIELDS.contains(&p.key.as_str()));
        self.recognised.extend(empty.into_iter().map(|p| p.span));
        self.found = kept;
    }

    /// Adds one of several hosts or ports: the library keeps each list as one value, with
    /// commas between.
    pub(in super::super) fn add_place(&mut self, key: &str, value: String, span: Range<usize>) {
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

    pub(in super::super) fn fail(
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
                subject: Field::of(subject),
                span,
                text,
                expected: expected.to_owned(),
                mended: None,
            });
        }
    }
}

impl Pieces {
    /// A secret that two versions of a client read differently.
    pub(in super::super) fn readers_differ(&mut self, subject: &str, text: String, expected: &str) {
        self.remarks.push(Fault {
            kind: DefectKind::ReadersDiffer,
            subject: Field::of(subject),
            span: 0..0,
            text,
            expected: expected.to_owned(),
            mended: None,
        });
    }

    /// Keys that another kind of driver takes for the place or the account, and this one does
    /// not see.
    pub(in super::super) fn not_of_driver(
        &mut self,
        keys: Vec<(String, Range<usize>)>,
        own: &[(&str, &str)],
        others: &[(&str, &str)],
    ) {
        for (key, span) in keys {
            let low = key.to_ascii_lowercase();
            let known = own.iter().any(|(word, _)| *word == low);
            let Some((_, meant)) = others.iter().find(|(word, _)| *word == low && !known) else {
                continue;
            };
            let mut right = own.iter().filter(|(_, means)| means == meant);
            let right = right.next().map_or("", |(word, _)| *word);
            self.remarks.push(Fault {
                kind: DefectKind::ParameterUnknown,
                subject: Field::PARAMETERS,
                span,
                text: format!("this ODBC driver has no key {key:?} and passes it over"),
                expected: format!("{right}="),
                mended: None,
            });
        }
    }

    /// A parameter that this client does not know, and that another program may take.
    pub(in super::super) fn unknown_parameter(&mut self, span: Range<usize>, text: String) {
        self.remarks.push(Fault {
            kind: DefectKind::ParameterUnknown,
            subject: Field::PARAMETERS,
            span,
            text,
            expected: "a parameter of this client, unless the program takes it for itself"
                .to_owned(),
            mended: None,
        });
    }
}

/// What findings call a keyword's value.
pub(in super::super) fn subject(keyword: &str) -> &str {
    match keyword {
        "dbname" => "database",
        other => other,
    }
}
