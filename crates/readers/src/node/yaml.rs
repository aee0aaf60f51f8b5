//! YAML 1.2 as trees, one a document.

use std::borrow::Cow;
use std::collections::BTreeMap;

use saphyr_parser::{Event, Parser, ScalarStyle, Span};

use super::{Broken, Field, Is, Node};

/// Deepest nesting.
const DEEPEST: usize = 200;

/// Most values that aliases may add: a few lines of aliases of aliases fill any memory.
const MOST_BY_ALIAS: usize = 100_000;

/// A map or list that is not closed yet.
enum Open<'a> {
    List(usize, usize, Vec<Node<'a>>),
    Map(usize, usize, Vec<Field<'a>>, Option<Node<'a>>),
}

struct Reader<'a> {
    text: &'a str,
    /// The byte of each character, where they are not the same numbers.
    bytes: Vec<usize>,
    open: Vec<Open<'a>>,
    anchors: BTreeMap<usize, Node<'a>>,
    by_alias: usize,
    documents: Vec<Node<'a>>,
    last: usize,
}

pub(crate) fn read(text: &str) -> Result<Vec<Node<'_>>, Broken> {
    let bytes = match text.is_ascii() {
        true => Vec::new(),
        false => text.char_indices().map(|(at, _)| at).collect(),
    };
    let mut reader = Reader {
        text,
        bytes,
        open: Vec::new(),
        anchors: BTreeMap::new(),
        by_alias: 0,
        documents: Vec::new(),
        last: 0,
    };
    for event in Parser::new_from_str(text) {
        match event {
            Ok((event, span)) => reader.event(event, span)?,
            Err(error) => {
                let at = reader.byte(error.marker().index());
                let said = chronaxis_model::redact::visible(error.info());
                let what = format!("this is no YAML: {said}");
                return Err(Broken::new(at, what, "YAML: key: value, nested by spaces"));
            }
        }
    }
    Ok(reader.documents)
}

/// How many values a tree has.
fn size(node: &Node<'_>) -> usize {
    let fields = node.fields().iter().map(|f| size(&f.value));
    let elements = node.elements().iter().map(size);
    1 + fields.chain(elements).sum::<usize>()
}

impl<'a> Reader<'a> {
    fn byte(&self, index: usize) -> usize {
        if self.bytes.is_empty() {
            return index.min(self.text.len());
        }
        self.bytes.get(index).copied().unwrap_or(self.text.len())
    }

    fn event(&mut self, event: Event<'_>, span: Span) -> Result<(), Broken> {
        let at = self.byte(span.start.index())..self.byte(span.end.index());
        match event {
            Event::Scalar(value, style, anchor, _) => {
                self.last = at.end;
                let plain = style == ScalarStyle::Plain;
                let is = match value.as_ref() {
                    "" | "~" | "null" if plain => Is::Null,
                    bare if plain && is_bare(bare) => Is::Bare(Cow::Owned(bare.to_owned())),
                    text => Is::Text(Cow::Owned(text.to_owned())),
                };
                self.put(Node { at, is }, anchor)
            }
            Event::MappingStart(anchor, _) => {
                self.deepen(at.start, Open::Map(anchor, at.start, Vec::new(), None))
            }
            Event::SequenceStart(anchor, _) => {
                self.deepen(at.start, Open::List(anchor, at.start, Vec::new()))
            }
            Event::MappingEnd | Event::SequenceEnd => {
                let flow = self.text.get(at.clone()).unwrap_or_default();
                if flow.ends_with([']', '}']) {
                    self.last = at.end;
                }
                let end = self.last;
                let (anchor, node) = match self.open.pop() {
                    Some(Open::List(anchor, from, elements)) => (
                        anchor,
                        Node {
                            at: from..end.max(from),
                            is: Is::List(elements),
                        },
                    ),
                    Some(Open::Map(anchor, from, fields, _)) => (
                        anchor,
                        Node {
                            at: from..end.max(from),
                            is: Is::Map(fields),
                        },
                    ),
                    None => return Ok(()),
                };
                self.put(node, anchor)
            }
            Event::Alias(anchor) => {
                self.last = at.end;
                let Some(node) = self.anchors.get(&anchor).cloned() else {
                    return Err(Broken::new(
                        at.start,
                        "the alias has no anchor before it",
                        "*NAME of an earlier &NAME",
                    ));
                };
                self.by_alias += size(&node);
                if self.by_alias > MOST_BY_ALIAS {
                    return Err(Broken::new(
                        at.start,
                        "aliases repeat too much",
                        "the values themselves",
                    ));
                }
                self.put(node, 0)
            }
            _ => Ok(()),
        }
    }

    fn deepen(&mut self, at: usize, open: Open<'a>) -> Result<(), Broken> {
        if self.open.len() >= DEEPEST {
            let what = format!("values nest deeper than {DEEPEST} levels");
            return Err(Broken::new(
                at,
                what,
                "a list that a person or a system wrote",
            ));
        }
        self.open.push(open);
        Ok(())
    }

    fn put(&mut self, node: Node<'a>, anchor: usize) -> Result<(), Broken> {
        if anchor > 0 {
            self.anchors.insert(anchor, node.clone());
        }
        match self.open.last_mut() {
            None => self.documents.push(node),
            Some(Open::List(_, _, elements)) => elements.push(node),
            Some(Open::Map(_, _, fields, waiting)) => match waiting.take() {
                None => *waiting = Some(node),
                Some(key) => {
                    let name = match key.is {
                        Is::Text(name) | Is::Bare(name) => name,
                        Is::Null | Is::List(_) | Is::Map(_) => {
                            return Err(Broken::new(
                                key.at.start,
                                "a key is no plain text",
                                "key: value",
                            ));
                        }
                    };
                    if fields.iter().any(|f| f.name == name) {
                        let what = "this key stands a second time in the same place";
                        return Err(Broken::new(key.at.start, what, "each key once"));
                    }
                    fields.push(Field {
                        name,
                        name_at: key.at,
                        value: node,
                    });
                }
            },
        }
        Ok(())
    }
}

/// Whether a word without quotes is a number, a truth value or a date.
fn is_bare(word: &str) -> bool {
    matches!(word, "true" | "false" | "True" | "False" | "TRUE" | "FALSE")
        || word.parse::<f64>().is_ok_and(f64::is_finite)
        || (word.len() == 10 && word.bytes().all(|b| b.is_ascii_digit() || b == b'-'))
}
