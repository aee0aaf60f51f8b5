//! Nested texts as trees: TOML, YAML and JSON alike, each value with its place.
//!
//! For files that are read whole or not at all; settings, of which every readable piece
//! counts, are read into entries instead.

mod json;
mod toml;
mod yaml;

use std::borrow::Cow;
use std::ops::Range;

pub(crate) use json::read as json;
pub(crate) use toml::{half as toml_half, pieces as toml_pieces, read as toml};
pub(crate) use yaml::read as yaml;

/// A value.
#[derive(Clone, Debug)]
pub(crate) struct Node<'a> {
    pub(crate) at: Range<usize>,
    pub(crate) is: Is<'a>,
}

/// What a value is.
#[derive(Clone, Debug)]
pub(crate) enum Is<'a> {
    Null,
    /// Text, in quotes or, in YAML, without.
    Text(Cow<'a, str>),
    /// A number, a truth value, a date: as it is written.
    Bare(Cow<'a, str>),
    List(Vec<Node<'a>>),
    Map(Vec<Field<'a>>),
}

/// A key with its value.
#[derive(Clone, Debug)]
pub(crate) struct Field<'a> {
    pub(crate) name: Cow<'a, str>,
    pub(crate) name_at: Range<usize>,
    pub(crate) value: Node<'a>,
}

/// Where a text cannot be read.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Broken {
    /// In which of the texts of a list.
    pub sheet: usize,
    /// The byte.
    pub at: usize,
    /// What is wrong there, a sentence without its full stop.
    pub what: String,
    /// What was expected.
    pub expected: String,
}

impl Broken {
    pub(crate) fn new(at: usize, what: impl Into<String>, expected: impl Into<String>) -> Broken {
        Broken {
            sheet: 0,
            at,
            what: what.into(),
            expected: expected.into(),
        }
    }
}

impl<'a> Node<'a> {
    /// The value of a key.
    pub(crate) fn get(&self, name: &str) -> Option<&Node<'a>> {
        self.fields()
            .iter()
            .find(|f| f.name == name)
            .map(|f| &f.value)
    }

    /// The keys of a map; none of anything else.
    pub(crate) fn fields(&self) -> &[Field<'a>] {
        match &self.is {
            Is::Map(fields) => fields,
            _ => &[],
        }
    }

    /// The elements of a list; none of anything else.
    pub(crate) fn elements(&self) -> &[Node<'a>] {
        match &self.is {
            Is::List(elements) => elements,
            _ => &[],
        }
    }

    /// Its text, number or truth value, as written.
    pub(crate) fn scalar(&self) -> Option<&str> {
        match &self.is {
            Is::Text(text) | Is::Bare(text) => Some(text),
            _ => None,
        }
    }

    /// Its number.
    pub(crate) fn number(&self) -> Option<i64> {
        match &self.is {
            Is::Bare(text) => text.parse().ok(),
            _ => None,
        }
    }

    /// What it is, for messages.
    pub(crate) fn kind(&self) -> &'static str {
        match &self.is {
            Is::Null => "nothing",
            Is::Text(_) => "text",
            Is::Bare(_) => "a number, a truth value or a date",
            Is::List(_) => "a list",
            Is::Map(_) => "keys with values",
        }
    }
}
