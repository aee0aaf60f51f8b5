//! The strings of an engine that has URLs and nothing else: `scheme://user@host:port/database`.

use chronaxis_model::target::{ClientId, End, ShownTarget, Target};

use crate::spec::EngineSpec;
use crate::strings::{ClientEnvironment, Draft};
use crate::text::uri::{self, Unknown, Words};
use crate::text::{self, Source};
use crate::written::escaped;

/// Reads a URL whose parameters are these; a client of this engine refuses others.
pub fn read_url(
    spec: &EngineSpec,
    client: ClientId,
    words: &'static [&'static str],
    (text, line): (&str, Option<u32>),
) -> Draft {
    let lead = text.len() - text.trim_start().len();
    let source = Source {
        text,
        line,
        lead,
        form: "URL",
        client,
        is_uri: true,
        usual_port: spec.usual_port,
    };
    text::draft(
        &source,
        uri::read(text, lead, Words::these(words, Unknown::Refused)),
    )
}

/// Fills in what the draft of a URL leaves open, for a client that has no rules of its own.
pub fn complete_url(spec: &EngineSpec, draft: Draft, around: &ClientEnvironment) -> Target {
    crate::unspoken::complete(spec, draft, around)
}

/// The target as a URL, without its secret.
pub fn url_of(scheme: &str, target: &ShownTarget) -> String {
    let places: Vec<String> = target.ends.iter().map(End::to_string).collect();
    url_to(scheme, &places, target)
}

/// The same, with these places.
pub(crate) fn url_to(scheme: &str, places: &[String], target: &ShownTarget) -> String {
    let user = target
        .user
        .as_deref()
        .map_or_else(String::new, |u| format!("{}@", escaped(u)));
    let database = target.database.as_deref().map_or_else(String::new, escaped);
    format!("{scheme}://{user}{}/{database}", places.join(","))
}
