//! INI files as Python's `configparser` reads them (its documentation, "Supported INI File
//! Structure"): keys in small letters, values over several lines, what is doubled refused.

use std::collections::BTreeSet;

use super::percent;
use crate::entry::{Entry, Parsed, Part, Quotes, Value};
use crate::text::Text;
use crate::traced::Traced;

/// How a program set its reader up.
#[derive(Clone, Copy)]
pub(crate) struct Setup {
    /// Whether percent signs are interpreted.
    pub(crate) interpolates: bool,
    /// Whether a line may be a key alone.
    pub(crate) keys_alone: bool,
}

/// The key that is being read, and where its line began.
struct Open {
    entry: usize,
    /// Blank lines since its last one: they are part of the value if it goes on.
    blank: usize,
}

/// Most values under `[DEFAULT]` that are followed into other sections.
const MOST_DEFAULTS: usize = 100;

/// Most entries that a file may grow to by them.
const MOST_ENTRIES: usize = 100_000;

const DOUBLED: &str = "Python's configparser gives up a file with the same key twice";

pub(crate) fn read(text: &Text, setup: Setup) -> Parsed {
    let mut parsed = Parsed::default();
    let mut section: Option<String> = None;
    let mut sections: BTreeSet<String> = BTreeSet::new();
    let mut open: Option<Open> = None;
    let mut indent = 0;
    let mut key_alone = false;
    let mut seen: BTreeSet<Vec<String>> = BTreeSet::new();
    for (start, line) in text.lines() {
        let bare = line.trim_start();
        let own_indent = line.len() - bare.len();
        let at = start + own_indent;
        let bare = bare.trim_end();
        let remark = bare.starts_with(['#', ';']);
        if bare.is_empty() || remark {
            if let Some(open) = open.as_mut().filter(|_| !remark) {
                open.blank += 1;
            }
            continue;
        }
        if key_alone && own_indent > indent {
            let what =
                "Python's configparser gives up a file in which a line goes on that has no value";
            parsed.refuse(at, what, "no blanks before the key");
        }
        key_alone = false;
        if let Some(open) = open.as_mut().filter(|_| own_indent > indent) {
            if let Some(entry) = parsed.entries.get_mut(open.entry) {
                goes_on(entry, bare, at, open.blank);
            }
            open.blank = 0;
            continue;
        }
        indent = own_indent;
        let header = bare.strip_prefix('[').and_then(|b| b.rsplit_once(']'));
        if let Some((name, _)) = header.filter(|(name, _)| !name.is_empty()) {
            if !sections.insert(name.to_owned()) && name != "DEFAULT" {
                let what = "Python's configparser gives up a file with the same section twice";
                parsed.refuse(at, what, "each section once");
            }
            section = Some(name.to_owned());
            open = None;
            continue;
        }
        let Some(section) = &section else {
            let what = "Python's configparser gives up a file with a line before its first section";
            parsed.refuse(at, what, "[section]");
            continue;
        };
        let sign = bare.find(['=', ':']);
        let key = bare.get(..sign.unwrap_or(bare.len())).unwrap_or_default();
        let key = key.trim_end();
        if key.is_empty() || (sign.is_none() && !setup.keys_alone) {
            let what = "Python's configparser gives up a file with a line that is no key=value";
            parsed.refuse(at, what, "key=value");
            continue;
        }
        let path = vec![section.clone(), key.to_lowercase()];
        if !seen.insert(path.clone()) {
            parsed.refuse(at, DOUBLED, "each key once");
        }
        let raw = sign
            .and_then(|sign| bare.get(sign + 1..))
            .unwrap_or_default();
        let from = at + bare.len() - raw.trim_start().len();
        let raw = raw.trim();
        let value = Value::text(
            Traced::verbatim(raw, from),
            from..from + raw.len(),
            Quotes::None,
        );
        key_alone = sign.is_none();
        open = sign.map(|_| Open {
            entry: parsed.entries.len(),
            blank: 0,
        });
        let key_at = at..at + key.len();
        if key_alone {
            continue;
        }
        parsed.entries.push(Entry::new(path, key_at, value));
    }
    defaults(&mut parsed, &sections);
    if setup.interpolates {
        percent::interpolated(&mut parsed);
    }
    parsed
}

/// A further line of a value.
fn goes_on(entry: &mut Entry, line: &str, at: usize, blank: usize) {
    let mut whole = entry.value.plain().unwrap_or_default();
    for _ in 0..=blank {
        whole.push('\n', at);
    }
    whole.push_str(line, at);
    entry.value.parts = vec![Part::Text(whole)];
    entry.value.at.end = at + line.len();
}

/// What stands under `[DEFAULT]` counts in every section that does not say otherwise.
fn defaults(parsed: &mut Parsed, sections: &BTreeSet<String>) {
    let of_default = |e: &&Entry| e.path.first().is_some_and(|s| s == "DEFAULT");
    let all: Vec<Entry> = parsed.entries.iter().filter(of_default).cloned().collect();
    let own: BTreeSet<Vec<String>> = parsed.entries.iter().map(|e| e.path.clone()).collect();
    for section in sections.iter().filter(|s| *s != "DEFAULT") {
        // Each could have as many: only what a person wrote is followed.
        for entry in all.iter().take(MOST_DEFAULTS) {
            let path = vec![section.clone(), entry.key().to_owned()];
            if !own.contains(&path) && parsed.entries.len() < MOST_ENTRIES {
                parsed.entries.push(Entry {
                    path,
                    ..entry.clone()
                });
            }
        }
    }
}
