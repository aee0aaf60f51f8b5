//! TOML 1.0 as a tree.

use std::borrow::Cow;
use std::ops::Range;

use toml_edit::{Document, Item, Table, TableLike, Value};

use super::{Broken, Field, Is, Node};

pub(crate) fn read(text: &str) -> Result<Node<'_>, Broken> {
    let document = Document::parse(text).map_err(|error| {
        let at = error.span().map_or(0, |span| span.start.min(text.len()));
        let said = error.message().lines().next().unwrap_or_default();
        let what = format!(
            "this is no TOML: {}",
            chronaxis_model::redact::visible(said)
        );
        Broken::new(at, what, "TOML: key = \"value\" under [table]")
    })?;
    Ok(table(document.as_table(), text))
}

fn table<'a>(table: &Table, text: &'a str) -> Node<'a> {
    let mut at = table.span().unwrap_or(0..0);
    let mut fields = Vec::with_capacity(table.len());
    for (name, item) in table {
        let name_at = table.key(name).and_then(|k| k.span()).unwrap_or(0..0);
        let value = match item {
            Item::Table(inner) => self::table(inner, text),
            Item::ArrayOfTables(list) => {
                let elements: Vec<Node<'a>> =
                    list.iter().map(|inner| self::table(inner, text)).collect();
                Node {
                    at: list.span().unwrap_or_else(|| name_at.clone()),
                    is: Is::List(elements),
                }
            }
            Item::Value(inner) => value(inner, &name_at, text),
            Item::None => continue,
        };
        at.end = at.end.max(value.at.end);
        fields.push(Field {
            name: written(name, &name_at, text),
            name_at,
            value,
        });
    }
    Node {
        at,
        is: Is::Map(fields),
    }
}

/// A key, as it stands in the text where it is written as it reads.
fn written<'a>(name: &str, at: &Range<usize>, text: &'a str) -> Cow<'a, str> {
    match text.get(at.clone()) {
        Some(raw) if raw == name => Cow::Borrowed(raw),
        _ => Cow::Owned(name.to_owned()),
    }
}

fn value<'a>(value: &Value, otherwise: &Range<usize>, text: &'a str) -> Node<'a> {
    let at = value.span().unwrap_or_else(|| otherwise.clone());
    let raw = text.get(at.clone()).unwrap_or_default();
    let is = match value {
        Value::String(string) => {
            // Where nothing is escaped, the text itself serves.
            let inner = raw.get(1..raw.len().saturating_sub(1)).unwrap_or_default();
            match inner == string.value() {
                true => Is::Text(Cow::Borrowed(inner)),
                false => Is::Text(Cow::Owned(string.value().clone())),
            }
        }
        Value::Integer(number) => Is::Bare(Cow::Owned(number.value().to_string())),
        Value::Float(_) | Value::Boolean(_) | Value::Datetime(_) => Is::Bare(Cow::Borrowed(raw)),
        Value::Array(array) => Is::List(array.iter().map(|v| self::value(v, &at, text)).collect()),
        Value::InlineTable(inner) => {
            let fields = TableLike::iter(inner).filter_map(|(name, item)| {
                let name_at = inner.key(name).and_then(|k| k.span()).unwrap_or(0..0);
                let value = self::value(item.as_value()?, &name_at, text);
                Some(Field {
                    name: written(name, &name_at, text),
                    name_at,
                    value,
                })
            });
            Is::Map(fields.collect())
        }
    };
    Node { at, is }
}
