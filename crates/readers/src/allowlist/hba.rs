//! PostgreSQL's host rules as a text: `pg_hba.conf` with everything it includes, taken apart
//! as the server does (its manual, section "The pg_hba.conf File").

mod record;
mod tokens;

use std::ops::Range;

use chronaxis_allowlist::answer::Spot;
use chronaxis_allowlist::host_rules::HostRules;

use super::{Others, Sheet, beside};
use crate::node::Broken;
use crate::text::Text;
use tokens::{Field, Line, Token};

/// How deep files may include each other: the server's own limit.
const DEEPEST: usize = 10;

/// Most names that one `@file` may give.
const MOST_NAMES: usize = 100_000;

/// The kinds of connections with which a record begins, and the lines that include others.
pub(super) fn begins(word: &str) -> bool {
    chronaxis_allowlist::host_rules::Kind::WORDS
        .iter()
        .any(|(known, _)| *known == word)
        || INCLUDES.contains(&word)
}

const INCLUDES: [&str; 3] = ["include", "include_if_exists", "include_dir"];

/// Reads the first sheet, and all that it includes into further ones.
pub(super) fn read(sheets: &mut Vec<Sheet>, others: &dyn Others) -> Result<HostRules, Broken> {
    let mut reader = Reader {
        sheets,
        others,
        rules: HostRules::default(),
        way: Vec::new(),
    };
    reader.file(0)?;
    match reader.rules.records.is_empty() {
        false => Ok(reader.rules),
        true => Err(Broken::new(
            0,
            "there is no record in it, and the server refuses such a file",
            "records like: host all all 10.8.0.0/16 scram-sha-256",
        )),
    }
}

struct Reader<'a> {
    sheets: &'a mut Vec<Sheet>,
    others: &'a dyn Others,
    rules: HostRules,
    /// The files on the way to the one that is read now.
    way: Vec<String>,
}

impl Reader<'_> {
    fn file(&mut self, sheet: usize) -> Result<(), Broken> {
        let Some(path) = self.sheets.get(sheet).map(|s| s.path.clone()) else {
            return Ok(());
        };
        self.way.push(path.clone());
        let lines = match self.sheets.get(sheet) {
            Some(sheet) => tokens::lines(&sheet.text.string),
            None => Vec::new(),
        };
        for line in lines {
            let first = line.fields.first().and_then(|f| f.tokens.first());
            match first.map(|t| t.text.clone()) {
                Some(word) if INCLUDES.contains(&word.as_str()) => {
                    self.include(&word, &line, sheet, &path)?;
                }
                Some(_) => {
                    let line = self.expanded(line, sheet, &path)?;
                    let spot = Spot {
                        sheet,
                        at: line.at.clone(),
                    };
                    let text = self.sheets.get(sheet).map_or("", |s| &s.text.string);
                    let read = record::read(&line, spot, text);
                    self.rules
                        .records
                        .push(read.map_err(|b| Broken { sheet, ..b })?);
                }
                None => {}
            }
        }
        self.way.pop();
        Ok(())
    }

    fn include(&mut self, word: &str, line: &Line, sheet: usize, path: &str) -> Result<(), Broken> {
        let broken = |at: usize, what: String| Broken {
            sheet,
            at,
            what,
            expected: format!("{word} FILE, which can be read"),
        };
        let (Some(token), 2) = (
            line.fields.get(1).and_then(|f| f.tokens.first()),
            line.fields.len(),
        ) else {
            return Err(broken(
                line.at.start,
                format!("{word} takes exactly one name"),
            ));
        };
        let wanted = beside(path, &token.text);
        let files = match word {
            "include_dir" => {
                let mut names = self.others.folder(&wanted).map_err(|why| {
                    broken(
                        token.at.start,
                        format!("the folder that it includes cannot be read: {why}"),
                    )
                })?;
                // Those alone, in the order of their names.
                names.retain(|n| {
                    let name = n.rsplit('/').next().unwrap_or(n);
                    name.ends_with(".conf") && !name.starts_with('.')
                });
                names.sort();
                names
            }
            _ => vec![wanted],
        };
        for file in files {
            if self.way.contains(&file) || self.way.len() >= DEEPEST {
                let what = match self.way.contains(&file) {
                    true => "this file includes itself, directly or through others",
                    false => "files include each other more than 10 levels deep",
                };
                return Err(broken(token.at.start, what.to_owned()));
            }
            match self.sheet(&file) {
                Ok(index) => self.file(index)?,
                Err(None) if word == "include_if_exists" => {}
                Err(why) => {
                    let why = why.unwrap_or_else(|| "there is no such file".to_owned());
                    return Err(broken(
                        token.at.start,
                        format!("the file that it includes cannot be read: {why}"),
                    ));
                }
            }
        }
        Ok(())
    }

    /// A further file; none as the error where it does not exist.
    fn sheet(&mut self, path: &str) -> Result<usize, Option<String>> {
        let bytes = self.others.file(path)?;
        let text = Text::decode(&bytes).map_err(|_| Some("it is no text".to_owned()))?;
        self.sheets.push(Sheet {
            path: path.to_owned(),
            text,
        });
        Ok(self.sheets.len() - 1)
    }

    /// The line with what stands in files put in the place of `@file`.
    fn expanded(&mut self, line: Line, sheet: usize, path: &str) -> Result<Line, Broken> {
        let mut out = Line {
            at: line.at,
            fields: Vec::new(),
        };
        for field in line.fields {
            let mut tokens = Vec::new();
            for token in field.tokens {
                self.expand(token, sheet, path, 0, &mut tokens)?;
            }
            out.fields.push(Field { tokens });
        }
        Ok(out)
    }

    fn expand(
        &mut self,
        token: Token,
        sheet: usize,
        path: &str,
        depth: usize,
        out: &mut Vec<Token>,
    ) -> Result<(), Broken> {
        let named = token
            .text
            .strip_prefix('@')
            .filter(|n| !n.is_empty() && !token.quoted);
        let Some(name) = named else {
            out.push(token);
            return Ok(());
        };
        let at: Range<usize> = token.at.clone();
        let broken = |what: String| Broken {
            sheet,
            at: at.start,
            what,
            expected: "@FILE with names in it".to_owned(),
        };
        if depth >= DEEPEST {
            let what =
                "files of names refer to each other more than 10 levels deep, or in a circle";
            return Err(broken(what.to_owned()));
        }
        let file = beside(path, name);
        let bytes = self.others.file(&file).map_err(|why| {
            let why = why.unwrap_or_else(|| "there is no such file".to_owned());
            broken(format!("the file of names cannot be read: {why}"))
        })?;
        let text =
            Text::decode(&bytes).map_err(|_| broken("the file of names is no text".into()))?;
        for line in tokens::lines(&text.string) {
            for field in line.fields {
                for mut inner in field.tokens {
                    if out.len() >= MOST_NAMES {
                        return Err(broken(format!("it gives over {MOST_NAMES} names")));
                    }
                    inner.at = at.clone();
                    self.expand(inner, sheet, &file, depth + 1, out)?;
                }
            }
        }
        Ok(())
    }
}
