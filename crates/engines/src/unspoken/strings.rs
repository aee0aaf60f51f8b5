//! The strings of these engines.

use chronaxis_model::settings::DefectKind;
use chronaxis_model::shown;
use chronaxis_model::target::ClientId;

use super::Unspoken;
use crate::strings::Draft;
use crate::text::data_source::{self, Meaning, OfTwo, Others};
use crate::text::pieces::{Piece, Pieces};
use crate::text::uri::{self, Unknown, Words};
use crate::text::{self, Source};

/// Words of the semicolon-separated strings of the tabular data stream's clients, in lower
/// case (their documentation: "Connection string keywords", "Setting the connection
/// properties").
const TDS_PAIRS: &[Meaning] = &[
    ("server", "host"),
    ("servername", "host"),
    ("data source", "host"),
    ("address", "host"),
    ("addr", "host"),
    ("network address", "host"),
    ("host", "host"),
    ("port", "port"),
    ("portnumber", "port"),
    ("database", "dbname"),
    ("databasename", "dbname"),
    ("initial catalog", "dbname"),
    ("user id", "user"),
    ("userid", "user"),
    ("uid", "user"),
    ("user", "user"),
    ("username", "user"),
    ("password", "password"),
    ("pwd", "password"),
    ("encrypt", "encrypt"),
    ("trustservercertificate", "trust_server_certificate"),
    ("instancename", "instance"),
];

/// Parameters of MongoDB's URLs that bear on connecting (its connection string
/// specification); drivers pass over those that they do not know.
pub(super) const MONGODB_WORDS: &[&str] = &[
    "authSource",
    "authMechanism",
    "replicaSet",
    "tls",
    "ssl",
    "tlsCAFile",
    "tlsCertificateKeyFile",
    "tlsInsecure",
    "readPreference",
    "directConnection",
    "loadBalanced",
    "connectTimeoutMS",
    "serverSelectionTimeoutMS",
    "retryWrites",
    "w",
    "appName",
];

pub(super) const TDS_WORDS: &[&str] =
    &["database", "encrypt", "trustServerCertificate", "instance"];

pub(super) fn read(engine: &Unspoken, text: &str, line: Option<u32>) -> Draft {
    let lead = text.len() - text.trim_start().len();
    let bare = text.get(lead..).unwrap_or_default();
    let scheme = bare.split_once("://").map_or("", |(scheme, _)| scheme);
    let is_uri = !scheme.is_empty() && !scheme.contains(['=', ' ', ';']);
    let jdbc = bare.starts_with("jdbc:");
    let (form, mut pieces) = if !is_uri {
        let pieces = data_source::read(text, 0, TDS_PAIRS, Others::PassedOver, OfTwo::First);
        ("data-source string", pieces)
    } else if engine.pairs && has_pairs(bare) {
        let form = if jdbc { "JDBC URL" } else { "URL" };
        (form, url_with_pairs(text, lead))
    } else {
        let words = Words {
            known: engine.words,
            unknown: Unknown::PassedOver,
            folded: false,
        };
        ("URL", uri::read(text, lead, words))
    };
    if engine.pairs {
        tds_places(&mut pieces);
    }
    if scheme == "mongodb" {
        super::mongodb::check(&mut pieces, text, lead + scheme.len() + 3);
        // Behind a full stop stands a collection.
        let named = pieces.found.iter_mut().filter(|p| p.key == "dbname");
        let mut behind = Vec::new();
        for piece in named {
            let Some((database, collection)) = piece.value.split_once('.') else {
                continue;
            };
            // What stands there may be anything: it is shown only where it is a name.
            if !shown::is_name(collection) {
                behind.push(piece.span.clone());
            }
            piece.value = database.to_owned();
        }
        pieces.covered.extend(behind);
    }
    if scheme == "mongodb+srv" {
        by_records(&mut pieces);
    }
    let source = Source {
        text,
        line,
        lead: if is_uri { lead } else { 0 },
        form,
        client: ClientId::Plain,
        is_uri,
        usual_port: engine.spec.usual_port,
    };
    text::draft(&source, pieces)
}

/// Whether semicolons follow the place.
fn has_pairs(bare: &str) -> bool {
    let rest = bare.split_once("://").map_or("", |(_, rest)| rest);
    let end = rest.find(['?', '/']).unwrap_or(rest.len());
    rest.get(..end).is_some_and(|place| place.contains(';')) || bare.starts_with("jdbc:")
}

/// `scheme://host\instance:port;key=value;…`.
fn url_with_pairs(text: &str, lead: usize) -> Pieces {
    let start = text
        .get(lead..)
        .and_then(|t| t.find("://"))
        .map_or(text.len(), |at| lead + at + 3);
    let place = text.get(start..).unwrap_or_default();
    let end = start + place.find(';').unwrap_or(place.len());
    let place = text.get(start..end).unwrap_or_default();
    let mut pieces = data_source::read(text, end, TDS_PAIRS, Others::PassedOver, OfTwo::First);
    // Another form's signs: any of it may be a password.
    if place.contains(['/', '?', '@', '=']) {
        let span = start..end;
        pieces.covered.push(span.clone());
        let what = "this form has its database, user and password behind semicolons".to_owned();
        let expected = "jdbc:sqlserver://host:port;databaseName=…;user=…;password=…";
        pieces.fail(DefectKind::Unreadable, "string", span, what, expected);
        return pieces;
    }
    let (host, port) = match place.rsplit_once(':') {
        Some((host, port)) => (host, Some(port)),
        None => (place, None),
    };
    if !host.is_empty() {
        pieces.add("host", host.to_owned(), start..start + host.len());
    }
    if let Some(port) = port {
        pieces.add("port", port.to_owned(), end - port.len()..end);
    }
    pieces
}

/// Takes `tcp:host,port` and `host\instance` apart.
fn tds_places(pieces: &mut Pieces) {
    for piece in &mut pieces.found {
        if piece.key == "database" {
            "dbname".clone_into(&mut piece.key);
        }
    }
    let has_port = pieces.found.iter().any(|p| p.key == "port");
    let Some(host) = pieces.found.iter_mut().find(|p| p.key == "host") else {
        return;
    };
    let mut more: Vec<Piece> = Vec::new();
    if let Some(rest) = host.value.strip_prefix("tcp:") {
        host.span.start += 4;
        host.value = rest.to_owned();
    }
    if let Some((name, port)) = host.value.split_once(',').filter(|_| !has_port) {
        let from = (host.span.start + name.len() + 1).min(host.span.end);
        more.push(Piece {
            key: "port".to_owned(),
            value: port.trim().to_owned(),
            span: from..host.span.end,
        });
        host.span.end = host.span.start + name.len();
        host.value = name.to_owned();
    }
    if let Some((name, instance)) = host.value.split_once('\\') {
        // A port beside it wins, and the instance then says nothing.
        if !has_port && more.is_empty() {
            let from = (host.span.start + name.len() + 1).min(host.span.end);
            more.push(Piece {
                key: "instance".to_owned(),
                value: instance.to_owned(),
                span: from..host.span.end,
            });
        }
        host.span.end = host.span.start + name.len();
        host.value = name.to_owned();
    }
    if matches!(host.value.as_str(), "." | "(local)") {
        "localhost".clone_into(&mut host.value);
    }
    pieces.places.clear();
    pieces.found.extend(more);
}

/// One name without a port: the records say the rest (MongoDB's specification of the seed
/// list, "Specification").
fn by_records(pieces: &mut Pieces) {
    if let Some(host) = pieces.found.iter().find(|p| p.key == "host") {
        let span = host.span.clone();
        if host.value.contains(',') {
            let what = "several hosts beside mongodb+srv, which takes one name".to_owned();
            pieces.fail(DefectKind::Unreadable, "host", span, what, "one name");
        } else {
            pieces.found.push(Piece {
                key: "srv".to_owned(),
                value: "true".to_owned(),
                span,
            });
        }
    }
    let is_port = |p: &&Piece| p.key == "port" && p.value.chars().any(|c| c != ',');
    if let Some(port) = pieces.found.iter().find(is_port) {
        let span = port.span.clone();
        let what = "a port beside mongodb+srv, where SRV records say the port".to_owned();
        pieces.fail(DefectKind::Unreadable, "port", span, what, "the name alone");
    }
}
