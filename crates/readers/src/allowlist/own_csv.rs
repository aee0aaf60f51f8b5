//! The list of our own format as CSV: a rule a line, the names as its header, what describes
//! the list in leading lines `# kind: stateless` (RFC 4180).

use std::ops::Range;

use chronaxis_allowlist::own::List;
use csv::{ByteRecord, ReaderBuilder};

use super::own::{Draft, DraftRule, HEAD_KEYS, KEYS, some_rules, unknown};
use crate::node::Broken;

/// Where the header of the table begins; before it are comments and empty lines.
pub(super) fn header(text: &str) -> Option<Range<usize>> {
    let mut at = 0;
    for line in text.split_inclusive('\n') {
        let shown = line.trim();
        if !shown.is_empty() && !shown.starts_with('#') {
            return Some(at..at + line.trim_end_matches(['\r', '\n']).len());
        }
        at += line.len();
    }
    None
}

/// A line: its place, and its cells.
pub(super) type Line = (Range<usize>, Vec<String>);

/// A table in a text: its header, and each line with the byte at which it begins.
pub(super) struct Table<'a> {
    pub(super) text: &'a str,
    pub(super) from: usize,
    pub(super) names: Vec<String>,
    reader: csv::Reader<&'a [u8]>,
}

impl<'a> Table<'a> {
    pub(super) fn open(text: &'a str) -> Result<Table<'a>, Broken> {
        let Some(head) = header(text) else {
            return Err(Broken::new(0, "the table is empty", "a header line"));
        };
        let body = text.get(head.start..).unwrap_or_default();
        let mut reader = ReaderBuilder::new()
            .comment(Some(b'#'))
            .flexible(true)
            .trim(csv::Trim::All)
            .from_reader(body.as_bytes());
        let names = match reader.headers() {
            Ok(names) => names.iter().map(str::to_ascii_lowercase).collect(),
            Err(_) => return Err(Broken::new(head.start, "the header cannot be read", "CSV")),
        };
        Ok(Table {
            text,
            from: head.start,
            names,
            reader,
        })
    }

    /// The next line, its place, and its cells.
    pub(super) fn next(&mut self) -> Option<Result<Line, Broken>> {
        let mut record = ByteRecord::new();
        loop {
            let position = self.from + self.reader.position().byte() as usize;
            match self.reader.read_byte_record(&mut record) {
                Ok(true) => {}
                Ok(false) => return None,
                Err(_) => {
                    return Some(Err(Broken::new(position, "this line is no CSV", "CSV")));
                }
            }
            let begin = record
                .position()
                .map_or(position, |p| self.from + p.byte() as usize);
            let end = self.from + self.reader.position().byte() as usize;
            let raw = self.text.get(begin..end).unwrap_or_default();
            // The reader's place is before the comments and empty lines that it passes over.
            let skipped = lead(raw);
            let begin = begin + skipped;
            let kept = raw.get(skipped..).unwrap_or_default();
            let at = begin..begin + kept.trim_end().len();
            let cells: Vec<String> = record
                .iter()
                .map(|cell| String::from_utf8_lossy(cell).into_owned())
                .collect();
            if cells.iter().all(String::is_empty) {
                continue;
            }
            if cells.len() > self.names.len() {
                let what = format!(
                    "this line has {} values, and the header has {} names",
                    cells.len(),
                    self.names.len()
                );
                let expected = "as many; several peers or ports are separated by spaces";
                return Some(Err(Broken::new(at.start, what, expected)));
            }
            return Some(Ok((at, cells)));
        }
    }
}

/// How much of a text is comments and empty lines.
fn lead(text: &str) -> usize {
    let lines = text.split_inclusive('\n');
    lines
        .take_while(|line| line.trim().is_empty() || line.trim_start().starts_with('#'))
        .map(str::len)
        .sum()
}

pub(super) fn read(text: &str) -> Result<List, Broken> {
    let mut draft = Draft::new();
    let mut table = Table::open(text)?;
    let mut at = 0;
    for line in text
        .get(..table.from)
        .unwrap_or_default()
        .split_inclusive('\n')
    {
        let here = at;
        at += line.len();
        let Some((name, value)) = line.trim().trim_start_matches('#').split_once(':') else {
            continue;
        };
        let name = name.trim().to_ascii_lowercase();
        // Any other comment is one.
        if HEAD_KEYS.contains(&name.as_str()) {
            let place = here..here + line.trim_end().len();
            draft.head(&name, &place, value.trim(), &place)?;
        }
    }
    if table.names.iter().any(|name| name.contains(';')) {
        let what = "the columns are separated by semicolons";
        return Err(Broken::new(table.from, what, "commas (RFC 4180)"));
    }
    for name in &table.names {
        if !KEYS.contains(&name.as_str()) {
            return Err(unknown(name, &(table.from..table.from), &KEYS));
        }
    }
    while let Some(line) = table.next() {
        let (at, cells) = line?;
        let mut rule = DraftRule::new(at.clone());
        for (name, cell) in table.names.iter().zip(&cells) {
            if !cell.is_empty() {
                rule.put(name, &at, cell, &cell_at(text, &at, cell))?;
            }
        }
        draft.list.rules.push(rule.done()?);
    }
    some_rules(draft.list, table.from)
}

/// Where a cell stands in its line, where it is written as it reads.
pub(super) fn cell_at(text: &str, line: &Range<usize>, cell: &str) -> Range<usize> {
    let raw = text.get(line.clone()).unwrap_or_default();
    let found = raw.match_indices(cell).find(|(at, _)| {
        let edge = |c: Option<char>| c.is_none_or(|c| matches!(c, ',' | '"' | ' ' | '\t'));
        edge(raw.get(..*at).and_then(|s| s.chars().next_back()))
            && edge(raw.get(at + cell.len()..).and_then(|s| s.chars().next()))
    });
    match found {
        Some((at, _)) => line.start + at..line.start + at + cell.len(),
        None => line.clone(),
    }
}
