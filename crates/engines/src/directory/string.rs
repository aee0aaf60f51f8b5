//! Its strings: a URL, or keywords with values.

use chronaxis_model::target::ClientId;

use super::USUAL_PORT;
use crate::strings::Draft;
use crate::text::uri::{self, Unknown, Words};
use crate::text::{self, Source, keyword_value};

/// The parameters of its URLs.
const PARAMETERS: &[&str] = &["instance", "role", "tls"];

/// The keywords of its strings, but for the password.
const KEYWORDS: &[&str] = &["host", "port", "service", "user", "instance", "role", "tls"];

/// Reads a string of either form.
pub(super) fn read(text: &str, line: Option<u32>) -> Draft {
    let lead = text.len() - text.trim_start().len();
    let bare = text.get(lead..).unwrap_or_default();
    let scheme = bare.split_once("://").map_or("", |(scheme, _)| scheme);
    let is_uri = !scheme.is_empty() && !scheme.contains(['=', ' ', ';']);
    let (form, mut pieces) = match is_uri {
        true => {
            let words = Words::these(PARAMETERS, Unknown::Refused);
            ("URL", uri::read(text, lead, words))
        }
        false => ("keyword/value string", keyword_value::read(text, KEYWORDS)),
    };
    for piece in pieces.found.iter_mut().filter(|p| p.key == "service") {
        "dbname".clone_into(&mut piece.key);
    }
    let source = Source {
        text,
        line,
        lead: if is_uri { lead } else { 0 },
        form,
        client: ClientId::Directory,
        is_uri,
        usual_port: Some(USUAL_PORT),
    };
    text::draft(&source, pieces)
}
