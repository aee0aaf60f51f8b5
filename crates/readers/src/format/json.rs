//! JSON (RFC 8259), with comments where somebody wrote them. A text that breaks off is read
//! as YAML, of which JSON is a part, up to where it breaks.

use jsonc_parser::ast::{ObjectPropName, Value as Json};
use jsonc_parser::common::Ranged as _;
use jsonc_parser::{CollectOptions, ParseOptions, parse_to_ast};

use super::tree::Tree;
use super::yaml;
use crate::entry::{Parsed, Quotes, Value};
use crate::text::Text;
use crate::traced::Traced;

/// RFC 8259 and nothing beyond it.
pub(crate) const STRICT: ParseOptions = ParseOptions {
    allow_comments: false,
    allow_trailing_commas: false,
    allow_loose_object_property_names: false,
    allow_missing_commas: false,
    allow_single_quoted_strings: false,
    allow_hexadecimal_numbers: false,
    allow_unary_plus_numbers: false,
    allow_bare_decimal_point_numbers: false,
    allow_non_finite_numbers: false,
    allow_extended_string_escapes: false,
};

pub(super) fn read(text: &Text) -> Parsed {
    let string = text.string.as_str();
    let options = ParseOptions {
        allow_missing_commas: false,
        ..ParseOptions::default()
    };
    match parse_to_ast(string, &CollectOptions::default(), &options) {
        Ok(read) => {
            let mut tree = Tree::default();
            if let Some(root) = &read.value {
                walk(&mut tree, root, string, 0..0);
            }
            tree.parsed
        }
        Err(error) => {
            let mut parsed = yaml::read(string);
            parsed.troubles.clear();
            let at = error.range().start;
            parsed.trouble(
                at,
                "the JSON cannot be read from here on",
                "JSON (RFC 8259)",
            );
            parsed
        }
    }
}

/// The byte of the first sign that is none of RFC 8259's: a comment, a comma too many, a name
/// without quotes.
pub(crate) fn beyond_the_standard(text: &Text) -> Option<usize> {
    let read = parse_to_ast(text.string.as_str(), &CollectOptions::default(), &STRICT);
    read.err().map(|error| error.range().start)
}

fn walk(tree: &mut Tree, value: &Json<'_>, text: &str, key_at: std::ops::Range<usize>) {
    let range = value.range();
    let at = range.start..range.end;
    let raw = text.get(at.clone()).unwrap_or_default();
    match value {
        Json::Object(object) => {
            for property in &object.properties {
                let (name, range) = match &property.name {
                    ObjectPropName::String(name) => (name.value.to_string(), name.range),
                    ObjectPropName::Word(name) => (name.value.to_owned(), name.range),
                };
                tree.path.push(name);
                walk(tree, &property.value, text, range.start..range.end);
                tree.path.pop();
            }
        }
        Json::Array(array) => {
            for (index, element) in array.elements.iter().enumerate() {
                tree.path.push(index.to_string());
                walk(tree, element, text, key_at.clone());
                tree.path.pop();
            }
        }
        Json::StringLit(string) => {
            let inner = raw.get(1..raw.len().saturating_sub(1)).unwrap_or_default();
            let traced = Traced::aligned(&string.value, inner, at.start + 1);
            tree.leaf(key_at, Value::text(traced, at, Quotes::Escaped));
        }
        Json::NumberLit(_) | Json::BooleanLit(_) => {
            let traced = Traced::verbatim(raw, at.start);
            tree.leaf(key_at, Value::text(traced, at, Quotes::None));
        }
        Json::NullKeyword(_) => {}
    }
}
