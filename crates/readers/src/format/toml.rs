//! TOML 1.0. A text with an error is read up to the line before it.

use std::ops::Range;

use toml_edit::{Document, Item, Table, TableLike, Value as Toml};

use super::tree::Tree;
use crate::entry::{Parsed, Quotes, Value};
use crate::text::Text;
use crate::traced::Traced;

pub(super) fn read(text: &Text) -> Parsed {
    let string = text.string.as_str();
    let mut troubles = Parsed::default();
    let mut end = string.len();
    // Each round leaves out at least the line of one error; a few are enough for what a
    // person mistypes.
    for _ in 0..4 {
        let head = string.get(..end).unwrap_or_default();
        match Document::parse(head) {
            Ok(document) => {
                let mut tree = Tree::default();
                table(&mut tree, document.as_table(), string);
                tree.parsed.troubles = troubles.troubles;
                return tree.parsed;
            }
            Err(error) => {
                let at = error.span().map_or(0, |span| span.start.min(end));
                if troubles.troubles.is_empty() {
                    let what = "the TOML cannot be read from here on";
                    troubles.trouble(at, what, "TOML: key = \"value\" under [table]");
                }
                let (line, _) = text.position(at);
                let before = text.line_start(line as usize);
                end = if before < end { before } else { 0 };
            }
        }
    }
    troubles
}

fn table(tree: &mut Tree, table: &Table, text: &str) {
    for (name, item) in table {
        let key_at = table.key(name).and_then(|k| k.span()).unwrap_or(0..0);
        tree.path.push(name.to_owned());
        match item {
            Item::Table(inner) => self::table(tree, inner, text),
            Item::ArrayOfTables(list) => {
                for (index, inner) in list.iter().enumerate() {
                    tree.path.push(index.to_string());
                    self::table(tree, inner, text);
                    tree.path.pop();
                }
            }
            Item::Value(inner) => value(tree, inner, key_at, text),
            Item::None => {}
        }
        tree.path.pop();
    }
}

fn value(tree: &mut Tree, value: &Toml, key_at: Range<usize>, text: &str) {
    let at = value.span().unwrap_or(key_at.clone());
    let raw = text.get(at.clone()).unwrap_or_default();
    match value {
        Toml::String(string) => {
            let (length, quotes) = if raw.starts_with("\"\"\"") {
                (3, Quotes::Escaped)
            } else if raw.starts_with("'''") {
                (3, Quotes::Literal)
            } else if raw.starts_with('\'') {
                (1, Quotes::Literal)
            } else {
                (1, Quotes::Escaped)
            };
            let end = raw.len().saturating_sub(length);
            let inner = raw.get(length..end).unwrap_or_default();
            let traced = Traced::aligned(string.value(), inner, at.start + length);
            tree.leaf(key_at, Value::text(traced, at, quotes));
        }
        Toml::Array(array) => {
            for (index, inner) in array.iter().enumerate() {
                tree.path.push(index.to_string());
                self::value(tree, inner, key_at.clone(), text);
                tree.path.pop();
            }
        }
        Toml::InlineTable(inner) => {
            for (name, item) in TableLike::iter(inner) {
                let key_at = inner.key(name).and_then(|k| k.span()).unwrap_or(0..0);
                tree.path.push(name.to_owned());
                if let Item::Value(inner) = item {
                    self::value(tree, inner, key_at, text);
                }
                tree.path.pop();
            }
        }
        Toml::Integer(_) | Toml::Boolean(_) | Toml::Float(_) | Toml::Datetime(_) => {
            let traced = Traced::verbatim(raw, at.start);
            tree.leaf(key_at, Value::text(traced, at, Quotes::None));
        }
    }
}
