//! PostgreSQL's connection strings, read as its own C library reads them
//! (PostgreSQL documentation, "Connection Strings": keyword/value and URI).

mod drivers;
mod jdbc;
mod keywords;
mod odbc;

pub(super) use drivers::{DRIVERS, parameters};
pub(super) use jdbc::word as jdbc_word;
pub(super) use keywords::KEYWORDS;
pub use keywords::libpq_takes;
pub use odbc::psqlodbc_password;

use chronaxis_model::target::ClientId;

use crate::strings::Draft;
use crate::text::uri::{self, Words};
use crate::text::{self, Source, keyword_value};

/// The engine's usual port.
pub(super) const USUAL_PORT: u16 = 5432;

/// What a data-source name for PHP begins with; the driver hands the rest to the library,
/// semicolons as blanks.
pub(super) const PHP_LEAD: &str = "pgsql:";

/// Reads a string of any of its forms.
pub(super) fn read(text: &str, line: Option<u32>) -> Draft {
    let lead = text.len() - text.trim_start().len();
    let bare = text.get(lead..).unwrap_or_default();
    let scheme = bare.split_once("://").map_or("", |(scheme, _)| scheme);
    let is_jdbc = bare.starts_with(jdbc::LEAD);
    let is_uri = !scheme.is_empty() && !scheme.contains(['=', ' ', ';']);
    let (form, client, pieces) = if is_jdbc {
        ("JDBC URL", ClientId::Pgjdbc, jdbc::read(text, lead))
    } else if is_uri {
        let client = drivers::client(scheme);
        let unknown = drivers::unknown(client, scheme);
        let words = Words::these(drivers::parameters(client), unknown);
        let mut pieces = uri::read(text, lead, words);
        drivers::translate(client, &mut pieces);
        // Whoever takes the driver's name with a plus sign drops what has no value.
        if scheme.contains('+') {
            pieces.pass_over_empty_options();
        }
        if client == ClientId::Libpq && bare.trim_end().contains(' ') {
            let words = "the URL has a space in it: PostgreSQL's library takes it before version 18, and refuses it since";
            pieces.readers_differ("string", words.to_owned(), "%20 in place of the space");
        }
        ("URL", client, pieces)
    } else if bare.starts_with(PHP_LEAD) {
        // As long as the text itself, so that every place in it stays where it is.
        let name = " ".repeat(lead + PHP_LEAD.len());
        let rest = bare.get(PHP_LEAD.len()..).unwrap_or_default();
        let spaced = format!("{name}{}", rest.replace(';', " "));
        let pieces = keyword_value::read(&spaced, KEYWORDS);
        ("data-source name", ClientId::Libpq, pieces)
    } else if text::data_source::is_one(bare) {
        let mut pieces = odbc::read(text);
        pieces.pass_over_empty_options();
        ("data-source string", ClientId::Libpq, pieces)
    } else {
        let pieces = keyword_value::read(text, KEYWORDS);
        ("keyword/value string", ClientId::Libpq, pieces)
    };
    let is_uri = is_uri || is_jdbc;
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
