//! A value that the client was told, and who told it.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// Where a value came from, so that a finding can point to the place to edit.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(tag = "source", rename_all = "kebab-case")]
pub enum Origin {
    /// The target itself, as typed on the command line.
    Target {
        /// Column of the value, counted in characters from 1.
        column: u32,
    },
    /// The target itself, as read from standard input.
    Stdin {
        /// Line, from 1.
        line: u32,
        /// Column of the value, counted in characters from 1.
        column: u32,
    },
    /// An error message, or a log, that was given in place of a target.
    Message {
        /// Line of the text, from 1.
        line: u32,
    },
    /// An option of the command line.
    Argument {
        /// The option, with its dashes.
        name: String,
    },
    /// An environment variable.
    Variable {
        /// The variable's name.
        name: String,
    },
    /// A file.
    File {
        /// Its path.
        file: String,
        /// Line, from 1.
        line: u32,
        /// Column, counted in characters from 1.
        column: u32,
        /// What the file calls the value.
        name: String,
    },
    /// Nobody said it: the client's own default.
    Default {
        /// The rule behind the default.
        name: String,
    },
}

impl Origin {
    /// Short words for the place, for people.
    pub fn shown(&self) -> String {
        match self {
            Origin::Target { column } => format!("the target, column {column}"),
            Origin::Stdin { line, column } => {
                format!("standard input, line {line}, column {column}")
            }
            Origin::Message { line } => format!("the message in line {line} of the text"),
            Origin::Argument { name } => format!("the option {name}"),
            Origin::Variable { name } => format!("the variable {name}"),
            Origin::File {
                file, line, column, ..
            } => format!("{file}, line {line}, column {column}"),
            Origin::Default { name } => format!("by default: {name}"),
        }
    }

    /// Whether nobody said it.
    pub fn is_default(&self) -> bool {
        matches!(self, Origin::Default { .. })
    }
}

/// A value with its origin.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Sourced<T> {
    /// The value.
    pub value: T,
    /// Who said it.
    pub origin: Origin,
}

impl<T> Sourced<T> {
    /// Binds a value to its origin.
    pub fn new(value: T, origin: Origin) -> Sourced<T> {
        Sourced { value, origin }
    }

    /// The same origin for a value made from this one.
    pub fn map<U>(self, f: impl FnOnce(T) -> U) -> Sourced<U> {
        Sourced {
            value: f(self.value),
            origin: self.origin,
        }
    }
}
