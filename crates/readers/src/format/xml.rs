//! XML 1.0 as frameworks of Java and .NET write their settings: properties with a name and a
//! value, elements that hold a value, and elements whose attributes are the values.

use std::ops::Range;

use roxmltree::{Attribute, Document, Node, ParsingOptions};

use super::properties::looks;
use super::tree::Tree;
use crate::entry::{Parsed, Quotes, Value};
use crate::text::Text;
use crate::traced::Traced;

/// Most elements of a file that are read: settings that a person wrote have fewer.
const MOST: u32 = 200_000;

/// What names an element among its siblings.
const NAMES: &[&str] = &["name", "id", "key"];

/// Elements that only group what belongs to the one above (WildFly's data sources).
const TRANSPARENT: &[&str] = &["security"];

/// Whether a text is XML at all: other files have these endings too.
fn is_one(text: &str) -> bool {
    text.trim_start().starts_with('<')
}

pub(super) fn read(text: &Text) -> Parsed {
    let string = text.string.as_str();
    if !is_one(string) {
        return super::plain::read(string);
    }
    let options = ParsingOptions {
        allow_dtd: true,
        nodes_limit: MOST,
        ..ParsingOptions::default()
    };
    match Document::parse_with_options(string, options) {
        Ok(document) => {
            let mut reading = Reading {
                text: string,
                tree: Tree::default(),
            };
            reading.element(document.root_element(), 0);
            reading.tree.parsed
        }
        Err(error) => {
            let mut parsed = super::plain::read(string);
            let at = error.pos();
            let line = (at.row as usize).saturating_sub(1);
            let start = text.lines().nth(line).map_or(0, |(start, _)| start);
            parsed.trouble(start, "the XML cannot be read here", "XML 1.0");
            parsed
        }
    }
}

struct Reading<'a> {
    text: &'a str,
    tree: Tree,
}

/// A tag without its name space.
fn tag<'a>(node: Node<'a, '_>) -> &'a str {
    node.tag_name().name()
}

fn named<'a, 'i>(node: Node<'a, 'i>) -> Option<Attribute<'a, 'i>> {
    let mut all = NAMES.iter();
    all.find_map(|name| node.attribute_node(*name))
}

impl Reading<'_> {
    /// Takes an element with all that stands in it.
    fn element(&mut self, node: Node<'_, '_>, above: usize) {
        if above > super::DEEPEST {
            return;
        }
        let depth = self.tree.path.len();
        let name = named(node);
        let children = node.children().any(|child| child.is_element());
        if let Some(name) = name {
            let value = match node.attribute_node("value") {
                Some(value) => Some((value.value(), value.range_value())),
                None if !children => content(node),
                None => None,
            };
            if let Some((value, at)) = value {
                // A name of dots is one of keys, as in a properties file.
                let keys = name.value().split('.').map(str::to_owned);
                self.tree.path.extend(keys);
                self.leaf(name.range_value(), value, at);
                self.tree.path.truncate(depth);
                return;
            }
        }
        if !TRANSPARENT.contains(&tag(node)) {
            let label = match name {
                Some(name) => name.value(),
                // What WildFly calls the URL, beside an account without that word.
                None if tag(node) == "connection-url" => "url",
                None => tag(node),
            };
            self.tree.path.push(label.to_owned());
        }
        for attribute in node.attributes() {
            let key = match attribute.name() {
                // What .NET calls its driver.
                "providerName" => "driver",
                key if NAMES.contains(&key) => continue,
                key => key,
            };
            self.tree.path.push(key.to_owned());
            let at = attribute.range();
            let key_at = at.start..at.start + attribute.name().len();
            self.leaf(key_at, attribute.value(), attribute.range_value());
            self.tree.path.pop();
        }
        match content(node).filter(|_| !children) {
            Some((value, at)) => {
                let start = node.range().start + 1;
                self.leaf(start..start + tag(node).len(), value, at);
            }
            None => {
                for child in node.children().filter(Node::is_element) {
                    self.element(child, above + 1);
                }
            }
        }
        self.tree.path.truncate(depth);
    }

    /// Takes a value, unless all of it is filled in elsewhere: then this file describes
    /// nothing by it.
    fn leaf(&mut self, key_at: Range<usize>, value: &str, at: Range<usize>) {
        let bare = value.trim();
        let filled_in = ["${", "#{", "@"].iter().any(|sign| bare.starts_with(sign));
        if filled_in && bare.ends_with(['}', '@']) {
            return;
        }
        let raw = self.text.get(at.clone()).unwrap_or_default();
        let traced = Traced::aligned_by(value, raw, at.start, reference);
        let value = Value {
            parts: looks(traced),
            at,
            quotes: Quotes::Escaped,
            cut: None,
        };
        self.tree.leaf(key_at, value);
    }
}

/// The text of an element without others in it, blanks around it left out.
fn content<'a>(node: Node<'a, '_>) -> Option<(&'a str, Range<usize>)> {
    let text = node.children().find(|child| child.is_text())?;
    let whole = text.text()?;
    let bare = whole.trim();
    let range = text.range();
    // With references in it the lengths differ, and the place of all of it must do.
    let lead = whole.len() - whole.trim_start().len();
    let at = match range.len() == whole.len() {
        true => range.start + lead..range.start + lead + bare.len(),
        false => range,
    };
    (!bare.is_empty()).then_some((bare, at))
}

/// How much of the raw text stands for a character: a reference (XML 1.0, section 4.1), or
/// white space, which is one blank in an attribute (section 3.3.3).
fn reference(rest: &str, c: char) -> Option<usize> {
    let first = rest.chars().next()?;
    match first {
        '&' => Some(rest.find(';').map_or(1, |end| end + 1)),
        first if first.is_whitespace() && first != c => Some(first.len_utf8()),
        _ => None,
    }
}
