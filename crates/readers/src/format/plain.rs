//! Any text: only whole connection strings are seen in it.

use std::ops::Range;
use std::sync::OnceLock;

use aho_corasick::AhoCorasick;
use chronaxis_engines::engines;

use crate::entry::{Entry, Parsed, Quotes, Value};
use crate::traced::Traced;

/// What a connection string in running text begins with.
pub(crate) fn begins() -> Vec<String> {
    let mut out = Vec::new();
    for engine in engines().iter().filter(|e| e.spec.in_settings) {
        for scheme in engine.spec.schemes {
            out.push(format!("{scheme}://"));
            out.push(format!("{scheme}+"));
        }
        for name in engine.spec.jdbc_names {
            out.push(format!("jdbc:{name}:"));
        }
        out.extend(engine.spec.php_name.map(|name| format!("{name}host=")));
    }
    out
}

/// What an ODBC string without a data source begins with, but for its first letter: looked
/// for by itself, for a search for few and long words is the quicker one.
pub(crate) const OF_ODBC: &[&str] = &["river={", "RIVER={"];

/// Most strings that are taken of one text.
const MOST: usize = 200;

pub(super) fn read(text: &str) -> Parsed {
    let mut parsed = Parsed::default();
    for span in found(text) {
        let string = text.get(span.clone()).unwrap_or_default();
        let line = text
            .get(..span.start)
            .unwrap_or_default()
            .matches('\n')
            .count()
            + 1;
        let traced = Traced::verbatim(string, span.start);
        let value = Value::text(traced, span.clone(), Quotes::None);
        let path = vec![format!("line-{line}")];
        parsed
            .entries
            .push(Entry::new(path, span.start..span.start, value));
    }
    parsed
}

/// Where connection strings stand in a text.
fn found(text: &str) -> Vec<Range<usize>> {
    static SEARCH: OnceLock<Option<AhoCorasick>> = OnceLock::new();
    let Some(search) = SEARCH.get_or_init(|| AhoCorasick::new(begins()).ok()) else {
        return Vec::new();
    };
    let mut out: Vec<Range<usize>> = Vec::new();
    let mut hits: Vec<(Range<usize>, bool)> = search
        .find_iter(text)
        .map(|hit| (hit.range(), false))
        .collect();
    for word in OF_ODBC {
        let found = text.match_indices(word).filter(|(at, _)| *at > 0);
        hits.extend(found.map(|(at, word)| (at - 1..at + word.len(), true)));
    }
    hits.sort_by_key(|(range, _)| range.start);
    for (hit, of_odbc) in hits {
        let start = hit.start;
        if out.last().is_some_and(|last| start < last.end) || out.len() >= MOST {
            continue;
        }
        let before = text.get(..start).and_then(|t| t.chars().next_back());
        if before.is_some_and(|c| c.is_alphanumeric() || matches!(c, ':' | '+' | '.' | '_')) {
            continue;
        }
        let rest = text.get(start..).unwrap_or_default();
        // In quotes it ends with them, elsewhere with the first blank.
        let ends = match before {
            None | Some('\n') if of_odbc => rest.find('\n'),
            Some(quote @ ('"' | '\'' | '`')) => rest.find([quote, '\n']),
            _ => rest.find(|c: char| {
                c.is_whitespace() || matches!(c, '"' | '\'' | '`' | '<' | '>' | '|')
            }),
        };
        let whole = rest.get(..ends.unwrap_or(rest.len())).unwrap_or_default();
        let bare = whole.trim_end_matches(['.', ',', ')', ']', ';']);
        let head = text.get(start..hit.end).unwrap_or_default();
        // A template of a program's is filled in when it runs.
        if ["${", "{$", "#{"].iter().any(|opens| bare.contains(opens)) {
            continue;
        }
        if bare.len() > head.len() && (bare.contains("://") || bare.contains("host=") || of_odbc) {
            out.push(start..start + bare.len());
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn strings_are_seen_in_running_text_and_end_where_they_end() {
        let text = "call db(\"postgresql://purser@quay.osmary.example/sail ings\"), or\n\
                    mysql://deckhand@quay.osmary.example:3306/manifest. Not https://osmary.example.";
        let strings: Vec<&str> = found(text).into_iter().map(|s| &text[s]).collect();
        assert_eq!(
            strings,
            [
                "postgresql://purser@quay.osmary.example/sail ings",
                "mysql://deckhand@quay.osmary.example:3306/manifest"
            ]
        );
        assert!(found("see postgresql:// and xpostgresql://quay").is_empty());
    }
}
