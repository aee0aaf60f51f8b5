//! YAML 1.2, by its events: what stands before an error is read. Aliases are followed up to
//! a bound, merge keys too.

use std::collections::{BTreeMap, BTreeSet};
use std::ops::Range;

use saphyr_parser::{Event, Parser, ScalarStyle, Span};

use super::environment::with_looks;
use super::tree::Tree;
use crate::entry::{Entry, Parsed, Part, Quotes, Value};
use crate::traced::Traced;

/// Most entries that aliases may add to a file: a few lines of aliases of aliases would
/// fill any memory.
const MOST_BY_ALIAS: usize = 5_000;

/// Deepest nesting of blocks that is followed.
const DEEPEST: usize = 200;

pub(super) fn read(text: &str) -> Parsed {
    let mut reader = Reader::new(text);
    for event in Parser::new_from_str(text) {
        match event {
            Ok((event, span)) => {
                if reader.event(&event, span).is_none() {
                    break;
                }
            }
            Err(error) => {
                let at = reader.byte(error.marker().index());
                let escape = error.info().contains("escape");
                let (what, expected) = if escape {
                    (
                        "a backslash in double quotes starts an escape, and this is not one",
                        "a doubled backslash, or single quotes around the value",
                    )
                } else {
                    (
                        "the YAML cannot be read from here on",
                        "YAML: key: value, nested by spaces",
                    )
                };
                reader.tree.parsed.trouble(at, what, expected);
                break;
            }
        }
    }
    reader.drop_templates();
    reader.tree.parsed
}

/// What a level of nesting is.
enum Level {
    /// A mapping; the key that waits for its value.
    Mapping(Option<(String, Range<usize>)>),
    /// A list; the index of the next element.
    List(usize),
}

struct Reader<'a> {
    text: &'a str,
    /// The byte of each character, where they are not the same numbers.
    bytes: Vec<usize>,
    tree: Tree,
    levels: Vec<Level>,
    /// What each anchor stands for: entries with paths from there on.
    anchors: BTreeMap<usize, Vec<Entry>>,
    /// Where the mapping of each anchor stands, and in which document.
    stands: BTreeMap<usize, (Vec<String>, usize)>,
    /// Anchors that are merged into other mappings.
    merged: BTreeSet<usize>,
    /// Anchors that are still growing: their number, their depth, the first entry.
    growing: Vec<(usize, usize, usize)>,
    by_alias: usize,
}

impl<'a> Reader<'a> {
    fn new(text: &'a str) -> Reader<'a> {
        let bytes = match text.is_ascii() {
            true => Vec::new(),
            false => text.char_indices().map(|(at, _)| at).collect(),
        };
        Reader {
            text,
            bytes,
            tree: Tree::default(),
            levels: Vec::new(),
            anchors: BTreeMap::new(),
            stands: BTreeMap::new(),
            merged: BTreeSet::new(),
            growing: Vec::new(),
            by_alias: 0,
        }
    }

    fn byte(&self, index: usize) -> usize {
        if self.bytes.is_empty() {
            return index.min(self.text.len());
        }
        self.bytes.get(index).copied().unwrap_or(self.text.len())
    }

    fn event(&mut self, event: &Event<'_>, span: Span) -> Option<()> {
        match event {
            Event::DocumentStart(_) => self.levels.clear(),
            Event::DocumentEnd => self.tree.document += 1,
            Event::Scalar(value, style, anchor, _) => self.scalar(value, *style, *anchor, span),
            Event::MappingStart(anchor, _) => self.open(*anchor, Level::Mapping(None))?,
            Event::SequenceStart(anchor, _) => self.open(*anchor, Level::List(0))?,
            Event::MappingEnd | Event::SequenceEnd => self.close(),
            Event::Alias(anchor) => self.alias(*anchor),
            Event::Nothing | Event::StreamStart | Event::StreamEnd => {}
        }
        Some(())
    }

    /// The key or index of the value that comes now goes on the path.
    fn enter(&mut self) -> Range<usize> {
        match self.levels.last_mut() {
            Some(Level::Mapping(key)) => {
                let (name, at) = key.take().unwrap_or_default();
                self.tree.path.push(name);
                at
            }
            Some(Level::List(next)) => {
                self.tree.path.push(next.to_string());
                *next += 1;
                0..0
            }
            None => 0..0,
        }
    }

    fn leave(&mut self) {
        if !self.levels.is_empty() {
            self.tree.path.pop();
        }
    }

    fn open(&mut self, anchor: usize, level: Level) -> Option<()> {
        if self.levels.len() >= DEEPEST {
            self.tree
                .parsed
                .trouble(0, "blocks nest too deep; the rest is not read", "settings");
            return None;
        }
        self.enter();
        if anchor > 0 {
            let first = self.tree.parsed.entries.len();
            self.growing.push((anchor, self.levels.len(), first));
        }
        self.levels.push(level);
        Some(())
    }

    fn close(&mut self) {
        self.levels.pop();
        if let Some((anchor, _, first)) = self
            .growing
            .pop_if(|(_, depth, _)| *depth == self.levels.len())
        {
            self.remember(anchor, first);
        }
        self.leave();
    }

    /// Keeps what an anchor stands for, its paths cut to begin there.
    fn remember(&mut self, anchor: usize, first: usize) {
        let depth = self.tree.path.len();
        let entries = self.tree.parsed.entries.get(first..).unwrap_or_default();
        let kept = entries.iter().take(MOST_BY_ALIAS).map(|entry| Entry {
            path: entry.path.get(depth..).unwrap_or_default().to_vec(),
            ..entry.clone()
        });
        let kept = kept.collect();
        let place = (self.tree.path.clone(), self.tree.document);
        self.stands.insert(anchor, place);
        self.anchors.insert(anchor, kept);
    }

    fn alias(&mut self, anchor: usize) {
        self.enter();
        let mut base = self.tree.path.clone();
        // One mapping, or a list of them (YAML merge key type, 1.1).
        let key = base.iter().rposition(|key| key == "<<");
        let merges = key.is_some_and(|at| at + 2 >= base.len());
        if let Some(at) = key.filter(|_| merges) {
            base.truncate(at);
            self.merged.insert(anchor);
        }
        let stands_for = self.anchors.get(&anchor).cloned().unwrap_or_default();
        for mut entry in stands_for {
            self.by_alias += 1;
            if self.by_alias > MOST_BY_ALIAS {
                break;
            }
            entry.path = base.iter().cloned().chain(entry.path).collect();
            entry.document = self.tree.document;
            // What the mapping says itself wins over what is merged into it.
            let said = |e: &Entry| e.path == entry.path && e.document == entry.document;
            if !merges || !self.tree.parsed.entries.iter().any(said) {
                self.tree.parsed.entries.push(entry);
            }
        }
        self.leave();
    }

    /// Takes out the mappings that only lend their values to others: they name no database
    /// of their own.
    fn drop_templates(&mut self) {
        let whole = |key: &str| {
            let key = key.to_ascii_lowercase();
            ["database", "dbname", "db", "name", "url", "uri", "dsn"].contains(&key.as_str())
        };
        for anchor in &self.merged {
            let Some((place, document)) = self.stands.get(anchor).filter(|(p, _)| !p.is_empty())
            else {
                continue;
            };
            let within = |e: &Entry| e.document == *document && e.path.starts_with(place);
            let entries = &mut self.tree.parsed.entries;
            let mut own = entries.iter().filter(|e| within(e));
            if !own.any(|e| e.path.last().is_some_and(|key| whole(key))) {
                entries.retain(|e| !within(e));
            }
        }
    }

    fn scalar(&mut self, value: &str, style: ScalarStyle, anchor: usize, span: Span) {
        let at = self.byte(span.start.index())..self.byte(span.end.index());
        let awaits_key = matches!(self.levels.last(), Some(Level::Mapping(None)));
        if awaits_key {
            if let Some(Level::Mapping(key)) = self.levels.last_mut() {
                *key = Some((value.to_owned(), at));
            }
            return;
        }
        let key_at = self.enter();
        let nothing = style == ScalarStyle::Plain && matches!(value, "" | "~" | "null");
        if !nothing {
            let first = self.tree.parsed.entries.len();
            let value = self.value(value, style, at);
            self.tree.leaf(key_at, value);
            if anchor > 0 {
                self.remember(anchor, first);
            }
        }
        self.leave();
    }

    fn value(&self, value: &str, style: ScalarStyle, at: Range<usize>) -> Value {
        let raw = self.text.get(at.clone()).unwrap_or_default();
        let inner = raw.get(1..raw.len().saturating_sub(1)).unwrap_or_default();
        let (traced, quotes) = match style {
            ScalarStyle::Plain => {
                let kept = raw.trim_end();
                match kept == value {
                    true => (Traced::verbatim(value, at.start), Quotes::None),
                    false => (Traced::opaque(value, at.start), Quotes::None),
                }
            }
            ScalarStyle::SingleQuoted if inner == value => {
                (Traced::verbatim(value, at.start + 1), Quotes::Literal)
            }
            ScalarStyle::SingleQuoted => (Traced::opaque(value, at.start + 1), Quotes::Literal),
            ScalarStyle::DoubleQuoted => {
                (Traced::aligned(value, inner, at.start + 1), Quotes::Escaped)
            }
            ScalarStyle::Literal | ScalarStyle::Folded => {
                (Traced::opaque(value, at.start), Quotes::Literal)
            }
        };
        let cut = self.cut(style, at.end);
        let end = at.start + raw.trim_end().len();
        let mut whole = Value::text(traced, at.start..end, quotes);
        whole.cut = cut;
        whole
    }

    /// Where a comment sign cuts a plain value short, if what follows it looks like more
    /// of the value: no blank stands behind the sign.
    fn cut(&self, style: ScalarStyle, end: usize) -> Option<usize> {
        if style != ScalarStyle::Plain {
            return None;
        }
        let before = self.text.get(..end)?;
        let blanks = before.len() - before.trim_end_matches([' ', '\t']).len();
        let rest = self.text.get(end..)?;
        let behind = rest.trim_start_matches([' ', '\t']);
        let skipped = rest.len() - behind.len();
        let after = behind.strip_prefix('#')?;
        let more = after.chars().next()?;
        let blank_between = skipped + blanks > 0;
        (blank_between && !matches!(more, ' ' | '\t' | '#' | '\n' | '\r' | '!'))
            .then_some(end + skipped)
    }
}

/// A value whose `${NAME}` a framework replaces.
pub(crate) fn with_interpolation(value: &Value) -> Value {
    let parts = value.parts.iter().flat_map(|part| match part {
        Part::Text(text) if text.as_str().contains("${") => {
            let (file, from) = text.origin(0);
            let mut parts = with_looks(text.as_str(), from, false);
            for part in &mut parts {
                if let Part::Text(text) = part {
                    text.in_file(file);
                }
            }
            parts
        }
        part => vec![part.clone()],
    });
    Value {
        parts: parts.collect(),
        ..value.clone()
    }
}
