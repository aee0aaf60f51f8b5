//! Building entries of nested formats.

use std::ops::Range;

use crate::entry::{Entry, Parsed, Value};

/// The way down to where a format's reader is, and what it has found.
#[derive(Default)]
pub(super) struct Tree {
    pub(super) parsed: Parsed,
    pub(super) path: Vec<String>,
    pub(super) document: usize,
}

impl Tree {
    /// Takes a value at this path.
    pub(super) fn leaf(&mut self, key_at: Range<usize>, value: Value) {
        let mut entry = Entry::new(self.path.clone(), key_at, value);
        entry.document = self.document;
        self.parsed.entries.push(entry);
    }
}
