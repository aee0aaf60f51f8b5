//! What a value is worth, once what is known of the environment is put in.

use std::collections::BTreeMap;

use chronaxis_core::shown;

use crate::entry::{Entry, Look, Part, Value};
use crate::traced::{FileId, Traced};

/// Begins what stands for a piece that is not known. A private character: no settings hold
/// it by themselves.
const OPENS: char = '\u{e000}';

/// Ends it.
const CLOSES: char = '\u{e001}';

/// Most characters that a value may grow to.
const LONGEST: usize = 64 * 1024;

/// Where the variables of each file's surroundings are found, the nearest first.
#[derive(Default)]
pub(crate) struct Variables {
    /// By name: the file and its value there.
    known: BTreeMap<String, Vec<(FileId, Value)>>,
}

impl Variables {
    /// Notes that a file sets a variable.
    pub(crate) fn note(&mut self, name: &str, file: FileId, value: &Value) {
        let list = self.known.entry(name.to_owned()).or_default();
        list.push((file, value.clone()));
    }

    /// The value that counts for a look from somewhere that sees these files, the nearest
    /// first.
    fn of(&self, look: &Look, seen: &[FileId]) -> Option<(&Value, FileId)> {
        let list = self.known.get(&look.name)?;
        seen.iter().find_map(|file| {
            let of_it = list.iter().rev().find(|(id, _)| id == file);
            of_it.map(|(id, value)| (value, *id))
        })
    }

    /// Puts in what is known. `seen` are the files whose variables count there.
    pub(crate) fn resolve(&self, entry: &Entry, seen: &[FileId]) -> Traced {
        let mut out = Traced::default();
        self.put(&mut out, (&entry.value, entry.file), seen, 0);
        out
    }

    fn put(&self, out: &mut Traced, of: (&Value, FileId), seen: &[FileId], depth: usize) {
        let (value, file) = of;
        let stands = |name: &str, at: usize| {
            let mut traced = Traced::opaque(format!("{OPENS}{name}{CLOSES}"), at);
            traced.in_file(file);
            traced
        };
        for part in &value.parts {
            if out.as_str().len() > LONGEST {
                return;
            }
            match part {
                Part::Text(text) => out.append(text),
                Part::Unknown => out.append(&stands("", value.at.start)),
                Part::Look(look) => match (self.of(look, seen), &look.default) {
                    // A variable may speak of another one, or of itself.
                    (Some(found), _) if depth < 8 => self.put(out, found, seen, depth + 1),
                    (_, Some(default)) => out.append(default),
                    _ => out.append(&stands(&look.name, look.at.start)),
                },
            }
        }
    }
}

/// Whether a piece of a text is not known.
pub(crate) fn is_unknown(text: &str) -> bool {
    text.contains(OPENS)
}

/// The variables that a text waits for, as they may be shown: where something else stands
/// beside one, it is shown only if its name says what it holds. A `$` in a password makes a
/// variable of the password's own rest.
pub(crate) fn shown_variables(text: &str) -> Vec<String> {
    let alone = text.starts_with(OPENS) && text.find(CLOSES) == text.rfind(CLOSES);
    let whole = alone && text.ends_with(CLOSES);
    let says = |name: &String| {
        let named = crate::names::named(name).is_some() || shown::is_secret_key(name);
        named && shown::is_name(name)
    };
    let mut names = waits_for(text);
    names.retain(|name| says(name) || (whole && shown::is_name(name)));
    names
}

/// The variables that a text waits for; an empty name stands for what only a run tells.
pub(crate) fn waits_for(text: &str) -> Vec<String> {
    let pieces = text.split(OPENS).skip(1);
    let names = pieces.filter_map(|piece| piece.split_once(CLOSES));
    names
        .map(|(name, _)| name.to_owned())
        .filter(|name| !name.is_empty())
        .collect()
}
