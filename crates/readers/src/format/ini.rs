//! Sections with keys. Where nothing tells who reads them, [`Custom`] says what holds; Python,
//! PHP and PostgreSQL's library have a reader each.

mod percent;
mod php;
mod python;
mod service;

pub(super) use python::{Setup as PythonSetup, read as by_python};
pub(super) use service::read as service;

use super::environment::braced;
use crate::entry::{Entry, Parsed, Part, Quotes, Value};
use crate::text::Text;
use crate::traced::Traced;

/// What a kind of file does with quotes and comments.
#[derive(Clone, Copy)]
pub(super) struct Custom {
    /// Signs that may stand between key and value.
    between: &'static [char],
    /// Whether a comment sign behind a blank cuts a value short.
    cuts: bool,
    /// Whether a line without a sign between is a fault.
    strict: bool,
}

/// Settings of programs in general.
pub(super) const GENERAL: Custom = Custom {
    between: &['=', ':'],
    cuts: true,
    strict: false,
};

/// ODBC's files (its installer's documentation, "odbc.ini").
pub(super) const ODBC: Custom = Custom {
    between: &['='],
    cuts: false,
    strict: true,
};

/// A program's reader of such files.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum IniReader {
    /// Python's `configparser`.
    Python,
    /// The same, where it leaves percent signs alone.
    PythonRaw,
    /// PHP's `parse_ini_file`.
    Php,
}

/// The reader that a program's text names.
pub(crate) fn reader(path: &str, text: &Text) -> Option<IniReader> {
    let string = text.string.as_str();
    let holds = |word: &str| string.contains(word);
    if path.ends_with(".php") && holds("parse_ini_file") {
        return Some(IniReader::Php);
    }
    if !path.ends_with(".py") || !holds("onfig") {
        return None;
    }
    let raw = holds("RawConfigParser") || holds("interpolation=None");
    let python = holds("ConfigParser(");
    python.then_some(if raw {
        IniReader::PythonRaw
    } else {
        IniReader::Python
    })
}

/// The entries as a program's reader has them.
pub fn by(reader: IniReader, text: &Text) -> Parsed {
    match reader {
        IniReader::Php => php::read(text),
        IniReader::Python | IniReader::PythonRaw => {
            let setup = python::Setup {
                interpolates: reader == IniReader::Python,
                keys_alone: false,
            };
            python::read(text, setup)
        }
    }
}

pub(super) fn read(text: &Text, custom: Custom) -> Parsed {
    let mut parsed = Parsed::default();
    let mut section: Option<String> = None;
    for (start, line) in text.lines() {
        let line = line.strip_suffix('\r').unwrap_or(line);
        let bare = line.trim_start();
        let at = start + (line.len() - bare.len());
        if bare.is_empty() || bare.starts_with(['#', ';', '!']) {
            continue;
        }
        if let Some(inner) = bare.strip_prefix('[') {
            match inner.split_once(']') {
                Some((name, _)) => section = Some(name.trim().to_owned()),
                None => parsed.trouble(at, "the bracket of a section is not closed", "[section]"),
            }
            continue;
        }
        let Some(sign) = bare.find(custom.between) else {
            if custom.strict {
                parsed.trouble(at, "a line without \"=\"", "key=value");
            }
            continue;
        };
        let key = bare.get(..sign).unwrap_or_default().trim_end();
        let raw = bare.get(sign + 1..).unwrap_or_default();
        let value = value(raw, at + sign + 1, custom, section.is_none());
        let mut path: Vec<String> = section.iter().cloned().collect();
        path.push(key.to_owned());
        parsed
            .entries
            .push(Entry::new(path, at..at + key.len(), value));
    }
    parsed
}

fn value(raw: &str, from: usize, custom: Custom, unquotes: bool) -> Value {
    let lead = raw.len() - raw.trim_start().len();
    let bare = raw.trim();
    let at = from + lead;
    let sign = match custom.cuts && !bare.starts_with(['"', '\'']) {
        true => bare.find(" #").or_else(|| bare.find(" ;")),
        false => None,
    };
    let kept = sign.map_or(bare, |cut| bare.get(..cut).unwrap_or_default().trim_end());
    let cut = sign.map(|cut| cut + 1).filter(|cut| {
        let behind = bare.get(cut + 1..).unwrap_or_default();
        !behind.is_empty() && !behind.starts_with([' ', '\t', '#', ';'])
    });
    // Three quotes on each side are those of a language's own library, and never a value's.
    let triple = kept
        .strip_prefix("\"\"\"")
        .and_then(|k| k.strip_suffix("\"\"\""));
    if let Some(inner) = triple.filter(|_| custom.cuts) {
        let traced = Traced::verbatim(inner, at + 3);
        return Value::text(traced, at..at + kept.len(), Quotes::Literal);
    }
    // Files without sections are those of other readers than Python's: they take quotes off.
    let quote = kept
        .chars()
        .next()
        .filter(|c| custom.cuts && unquotes && matches!(c, '"' | '\''));
    let inner = quote.and_then(|q| kept.strip_prefix(q)?.strip_suffix(q));
    if let Some(inner) = inner.filter(|inner| !inner.contains(['"', '\'', '\\'])) {
        let quotes = if quote == Some('"') {
            Quotes::Escaped
        } else {
            Quotes::Literal
        };
        let parts = match braced(inner, at + 1).filter(|(_, length)| *length == inner.len()) {
            Some((look, _)) => vec![Part::Look(look)],
            None => vec![Part::Text(Traced::verbatim(inner, at + 1))],
        };
        return Value {
            parts,
            at: at..at + kept.len(),
            quotes,
            cut: None,
        };
    }
    let parts = match braced(kept, at).filter(|(_, length)| *length == kept.len()) {
        Some((look, _)) => vec![Part::Look(look)],
        None => vec![Part::Text(Traced::verbatim(kept, at))],
    };
    Value {
        parts,
        at: at..at + kept.len(),
        quotes: Quotes::None,
        cut: cut.map(|cut| at + cut),
    }
}
