//! What a value is worth, once what is known of the environment is put in.

use std::collections::BTreeMap;
use std::ops::Range;

use chronaxis_model::shown;

use crate::entry::{Entry, Look, Part, Value};
use crate::format::Format;
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
    /// By the name that a program gives a value: the file and the value.
    named: BTreeMap<String, Vec<(FileId, Value)>>,
    /// The language of each file of a program.
    languages: BTreeMap<FileId, Format>,
}

impl Variables {
    /// Notes that a file sets a variable.
    pub(crate) fn note(&mut self, name: &str, file: FileId, value: &Value) {
        let list = self.known.entry(name.to_owned()).or_default();
        list.push((file, value.clone()));
    }

    /// Notes the language of a file of a program.
    pub(crate) fn note_language(&mut self, file: FileId, language: Format) {
        self.languages.insert(file, language);
    }

    /// Notes that a file of a program gives a name a value.
    pub(crate) fn note_name(&mut self, name: String, file: FileId, value: &Value) {
        let list = self.named.entry(name).or_default();
        list.push((file, value.clone()));
    }

    /// The value of a program's name, as a file sees it: its own last word, else the only
    /// other file that gives it one.
    pub(crate) fn of_name(&self, name: &str, from: FileId) -> Option<(&Value, FileId)> {
        let list = self.named.get(name)?;
        if let Some((id, value)) = list.iter().rev().find(|(id, _)| *id == from) {
            return Some((value, *id));
        }
        let language = self.languages.get(&from)?;
        let same = |(id, _): &&(FileId, Value)| self.languages.get(id) == Some(language);
        let mut others = list.iter().rev().filter(same);
        let (id, value) = others.next()?;
        others.all(|(other, _)| other == id).then_some((value, *id))
    }

    /// The value that counts for a look from somewhere that sees these files, the nearest
    /// first.
    pub(crate) fn of(&self, look: &Look, seen: &[FileId]) -> Option<(&Value, FileId)> {
        let list = self.known.get(&look.name)?;
        seen.iter().find_map(|file| {
            let of_it = list.iter().rev().find(|(id, _)| id == file);
            of_it.map(|(id, value)| (value, *id))
        })
    }

    /// The values of the variables that the templates in a text ask for.
    pub(crate) fn of_template(&self, text: &Traced, seen: &[FileId]) -> Vec<(&Value, FileId)> {
        let mut out = Vec::new();
        let mut rest = text.as_str();
        while let Some(span) = template(rest) {
            let asked = asked_by(rest.get(span.clone()).unwrap_or_default());
            let look = asked.map(|(name, _)| Look {
                name: name.to_owned(),
                default: None,
                required: true,
                by_program: true,
                at: 0..0,
            });
            out.extend(look.and_then(|look| self.of(&look, seen)));
            rest = rest.get(span.end..).unwrap_or_default();
        }
        out
    }

    /// Puts in what is known. `seen` are the files whose variables count there.
    pub(crate) fn resolve(&self, entry: &Entry, seen: &[FileId]) -> Traced {
        let mut out = Traced::default();
        self.put(&mut out, (&entry.value, entry.file), seen, 0);
        out
    }

    /// A text as it stands, but for the templates in it: what those give is known where they
    /// ask for a variable that is.
    fn put_text(
        &self,
        out: &mut Traced,
        text: &Traced,
        (value, file): (&Value, FileId),
        seen: &[FileId],
        depth: usize,
    ) {
        let Some(span) = template(text.as_str()) else {
            return out.append(text);
        };
        out.append(&text.slice(0..span.start));
        let asked = asked_by(text.as_str().get(span.clone()).unwrap_or_default());
        let look = Look {
            name: asked.map_or("", |(name, _)| name).to_owned(),
            default: None,
            required: true,
            by_program: true,
            at: value.at.clone(),
        };
        match self
            .of(&look, seen)
            .filter(|_| asked.is_some() && depth < 8)
        {
            Some(found) => self.put(out, found, seen, depth + 1),
            None if let Some((_, Some(default))) = asked => {
                let mut told = Traced::opaque(default, text.origin(span.start).1);
                told.in_file(file);
                out.append(&told);
            }
            None => {
                let mark = format!("{OPENS}{}{CLOSES}", look.name);
                let mut unknown = Traced::opaque(mark, text.origin(span.start).1);
                unknown.in_file(file);
                out.append(&unknown);
            }
        }
        let rest = text.slice(span.end..text.as_str().len());
        if !rest.as_str().is_empty() {
            self.put_text(out, &rest, (value, file), seen, depth);
        }
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
                Part::Text(text) => self.put_text(out, text, (value, file), seen, depth),
                Part::Unknown => out.append(&stands("", value.at.start)),
                Part::Name(name) => match self.of_name(name, file).filter(|_| depth < 8) {
                    Some(found) => self.put(out, found, seen, depth + 1),
                    None => out.append(&stands("", value.at.start)),
                },
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

/// Marks of templates that fill in files before a program reads them, and their ends.
const TEMPLATES: &[(&str, &str)] = &[("<%", "%>"), ("{{", "}}")];

/// The first template in a text.
fn template(text: &str) -> Option<Range<usize>> {
    let of = |(begin, end): &(&str, &str)| {
        let from = text.find(begin)?;
        let to = from + text.get(from..)?.find(end)? + end.len();
        Some(from..to)
    };
    TEMPLATES
        .iter()
        .filter_map(of)
        .min_by_key(|span| span.start)
}

/// The variable that a template asks for, if it asks for one, and what counts in its place:
/// `ENV["X"]`, `ENV.fetch("X")`, `ENV.fetch("X", "y")`, `ENV.fetch("X") { "y" }`,
/// `ENV["X"] || "y"`. Anything else only a run would tell.
fn asked_by(template: &str) -> Option<(&str, Option<&str>)> {
    let behind = template.split_once("ENV")?.1;
    let behind = behind
        .trim_start_matches(".fetch")
        .strip_prefix(['[', '('])?;
    let quote = behind.chars().next().filter(|c| matches!(c, '"' | '\''))?;
    let name = behind.get(1..)?.split(quote).next()?;
    let plain = name.chars().all(|c| c.is_ascii_alphanumeric() || c == '_');
    if !plain || name.is_empty() {
        return None;
    }
    let rest = behind.get(name.len() + 2..)?.trim_start();
    let rest = rest.trim_end_matches(['%', '>', '-']).trim_end();
    if matches!(rest, "]" | ")") {
        return Some((name, None));
    }
    let told = rest
        .strip_prefix(',')
        .and_then(|r| r.strip_suffix(')'))
        .or_else(|| {
            let block = rest.strip_prefix(')')?.trim_start();
            block.strip_prefix('{')?.strip_suffix('}')
        })
        .or_else(|| rest.strip_prefix(']')?.trim_start().strip_prefix("||"))?;
    Some((name, Some(literal(told.trim())?)))
}

/// A literal of Ruby: a string in quotes, or a number.
fn literal(text: &str) -> Option<&str> {
    let quoted = |quote: char| text.strip_prefix(quote)?.strip_suffix(quote);
    let inner = quoted('"').or_else(|| quoted('\''));
    let plain = inner.filter(|t| !t.contains(['\\', '#', '"', '\'']));
    let number = Some(text).filter(|t| !t.is_empty() && t.chars().all(|c| c.is_ascii_digit()));
    plain.or(number)
}

/// Whether one variable that is not known is all that a text is.
pub(crate) fn is_nothing_but_unknown(text: &str) -> bool {
    let alone = text.starts_with(OPENS) && text.find(CLOSES) == text.rfind(CLOSES);
    alone && text.ends_with(CLOSES)
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

/// A text with what is not known replaced, by the variable's name.
pub(crate) fn with_names(text: &str, instead: impl Fn(&str) -> String) -> String {
    let mut out = String::new();
    let mut pieces = text.split(OPENS);
    out.push_str(pieces.next().unwrap_or_default());
    for piece in pieces {
        let (name, rest) = piece.split_once(CLOSES).unwrap_or((piece, ""));
        out.push_str(&instead(name));
        out.push_str(rest);
    }
    out
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
