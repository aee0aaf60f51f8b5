//! Connection strings for MySQL and MariaDB. There is no one form that a library of
//! theirs defines; each driver has its own, and all are read into the same names.

mod go;
mod php;
mod places;
mod words;

pub(super) use go::MARKS;
pub(super) use words::DRIVERS;

use chronaxis_model::target::ClientId;
use words::{DOTNET, JDBC, ODBC, PAIRS, PYMYSQL, PYMYSQL_OTHERS, URL};

use crate::strings::Draft;
use crate::text::data_source::{self, OfTwo, Others};
use crate::text::pieces::{Pieces, SECRETS};
use crate::text::uri::{self, Unknown, Words};
use crate::text::{self, Source};

/// What a client's URL calls an option; nothing where it has no word for it.
pub(super) fn word(client: ClientId, option: &str) -> Option<&'static str> {
    let words = match client {
        ClientId::Pymysql => PYMYSQL,
        ClientId::ConnectorJ | ClientId::MariadbJava => JDBC,
        _ => URL,
    };
    let known = words.iter().find(|(_, meant)| *meant == option);
    known.map(|(word, _)| *word)
}

/// The usual port.
pub(super) const USUAL_PORT: u16 = 3306;

/// What a data-source name for PHP begins with.
pub(super) const PHP_LEAD: &str = "mysql:";

/// Reads a string of any of its forms.
pub(super) fn read(text: &str, line: Option<u32>) -> Draft {
    let lead = text.len() - text.trim_start().len();
    let bare = text.get(lead..).unwrap_or_default();
    let scheme = bare.split_once("://").map_or("", |(scheme, _)| scheme);
    let is_uri = !scheme.is_empty() && !scheme.contains(['=', ' ', ';']);
    let (form, client, pieces) = if scheme.starts_with("jdbc:") {
        let client = match scheme.contains("mariadb") {
            true => ClientId::MariadbJava,
            false => ClientId::ConnectorJ,
        };
        let mut pieces = places::read(text, lead, |text| url(text, lead, JDBC, false));
        if client == ClientId::MariadbJava {
            note_escapes(text, &mut pieces);
        }
        ("JDBC URL", client, pieces)
    } else if is_uri {
        let client = words::client(scheme);
        let pieces = match client {
            ClientId::Pymysql => url(text, lead, PYMYSQL, true),
            _ => url(text, lead, URL, false),
        };
        ("URL", client, pieces)
    } else if go::is_one(bare) {
        ("data-source name", ClientId::GoMysql, go::read(text, lead))
    } else if bare.starts_with(PHP_LEAD) {
        let from = lead + PHP_LEAD.len();
        ("data-source name", ClientId::Mysqlnd, php::read(text, from))
    } else if data_source::is_one(bare) {
        let driver = data_source::driver(text).unwrap_or_default();
        let client = match driver.to_ascii_lowercase().contains("mariadb") {
            true => ClientId::Libmariadb,
            false => ClientId::Libmysqlclient,
        };
        let words = if driver.is_empty() { DOTNET } else { ODBC };
        let mut pieces = data_source::read(text, 0, words, Others::PassedOver, OfTwo::Last);
        if !driver.is_empty() {
            pieces.not_of_driver(data_source::keys(text), ODBC, DOTNET);
        }
        ("data-source string", client, pieces)
    } else {
        // Blanks between the pairs count as semicolons; the text keeps its places.
        let split = text.replace(' ', ";");
        let pieces = data_source::read(&split, 0, PAIRS, Others::RefusedBut(&[]), OfTwo::Last);
        ("keyword/value string", ClientId::Libmysqlclient, pieces)
    };
    let source = Source {
        text,
        line,
        lead: if is_uri { lead } else { 0 },
        form,
        client,
        is_uri,
        usual_port: Some(USUAL_PORT),
    };
    text::draft(&source, pieces)
}

/// Whether a text has a percent escape (RFC 3986, section 2.1).
fn has_escape(text: &str) -> bool {
    let bytes = text.as_bytes();
    bytes
        .windows(3)
        .any(|w| matches!(w, [b'%', a, b] if a.is_ascii_hexdigit() && b.is_ascii_hexdigit()))
}

/// MariaDB's driver for Java decodes percent escapes since its version 3; version 2 takes
/// them as they stand (measured with 2.7).
fn note_escapes(text: &str, pieces: &mut Pieces) {
    let escaped: Vec<String> = pieces
        .found
        .iter()
        .filter(|p| matches!(p.key.as_str(), "user" | "password" | "dbname"))
        .filter(|p| text.get(p.span.clone()).is_some_and(has_escape))
        .map(|p| crate::text::pieces::subject(&p.key).to_owned())
        .collect();
    for subject in escaped {
        let words = format!(
            "the {subject} has percent escapes: version 3 of MariaDB's driver decodes them, version 2 takes them as they stand; here they are decoded"
        );
        pieces.readers_differ(
            &subject,
            words,
            "the value without escapes, where version 2 is used",
        );
    }
}

/// A URL whose parameters are put under the names that the rest of the engine knows.
fn url(text: &str, lead: usize, means: &[(&str, &str)], strict: bool) -> Pieces {
    let others = if strict { PYMYSQL_OTHERS } else { &[] };
    let known: Vec<&str> = means
        .iter()
        .map(|(own, _)| *own)
        .chain(others.iter().copied())
        .collect();
    let words = Words {
        known: &known,
        unknown: match strict {
            true => Unknown::Refused,
            false => Unknown::PassedOver,
        },
        folded: !strict,
    };
    let mut pieces = uri::read(text, lead, words);
    for piece in &mut pieces.found {
        if let Some((_, meant)) = means.iter().find(|(own, _)| *own == piece.key) {
            (*meant).clone_into(&mut piece.key);
            if SECRETS.contains(meant) {
                pieces.covered.push(piece.span.clone());
            }
            // The drivers for Java name files by URLs too (RFC 8089).
            if let Some(path) = piece.value.strip_prefix("file:")
                && matches!(*meant, "trust_store" | "key_store" | "ssl_ca")
            {
                let bare = path.strip_prefix("//").unwrap_or(path);
                piece.value = bare.to_owned();
            }
        }
    }
    pieces
}
