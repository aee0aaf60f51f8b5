//! JSON (RFC 8259) as a tree.

use std::borrow::Cow;

use jsonc_parser::ast::{ObjectPropName, Value};
use jsonc_parser::common::{Range as Span, Ranged as _};
use jsonc_parser::{CollectOptions, parse_to_ast};

use super::{Broken, Field, Is, Node};
use crate::format::STRICT_JSON;

/// Deepest nesting: the parser calls itself.
const DEEPEST: usize = 200;

pub(crate) fn read(text: &str) -> Result<Node<'_>, Broken> {
    if crate::text::depth(text) > DEEPEST {
        let what = format!("brackets nest deeper than {DEEPEST} levels");
        return Err(Broken::new(
            0,
            what,
            "a list that a person or a system wrote",
        ));
    }
    let read = parse_to_ast(text, &CollectOptions::default(), &STRICT_JSON).map_err(|error| {
        let said = chronaxis_model::redact::visible(&error.kind().to_string());
        let what = format!("this is no JSON: {}", said.trim_end_matches('.'));
        Broken::new(error.range().start.min(text.len()), what, "JSON (RFC 8259)")
    })?;
    match read.value {
        Some(value) => Ok(node(value)),
        None => Err(Broken::new(0, "the file is empty", "JSON (RFC 8259)")),
    }
}

fn range(span: Span) -> std::ops::Range<usize> {
    span.start..span.end
}

fn node(value: Value<'_>) -> Node<'_> {
    let at = range(value.range());
    let is = match value {
        Value::NullKeyword(_) => Is::Null,
        Value::StringLit(text) => Is::Text(text.value),
        Value::NumberLit(number) => Is::Bare(Cow::Borrowed(number.value)),
        Value::BooleanLit(truth) => {
            Is::Bare(Cow::Borrowed(if truth.value { "true" } else { "false" }))
        }
        Value::Array(array) => Is::List(array.elements.into_iter().map(node).collect()),
        Value::Object(object) => {
            let fields = object.properties.into_iter().map(|property| {
                let (name, name_at) = match property.name {
                    ObjectPropName::String(name) => (name.value, range(name.range)),
                    ObjectPropName::Word(name) => (Cow::Borrowed(name.value), range(name.range)),
                };
                Field {
                    name,
                    name_at,
                    value: node(property.value),
                }
            });
            Is::Map(fields.collect())
        }
    };
    Node { at, is }
}
