//! Paths in the texts of a bundle that led to where it lay before.

use super::manifest::NAME;
use crate::allowlist::{covered, diff};

/// A text whose paths were made to fit.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Moved {
    /// The text.
    pub after: String,
    /// What changed, as a unified diff.
    pub diff: String,
}

/// Longest text that is rewritten.
const LONGEST: usize = 1024 * 1024;

/// What stands in a path.
fn in_path(c: char) -> bool {
    c.is_alphanumeric() || matches!(c, '/' | '.' | '_' | '-' | '+' | '~' | '@')
}

/// Absolute paths of a text that end in the name of exactly one file of the bundle, led to
/// `top`, where the bundle now lies; nothing where there is none. A value of a manifest
/// becomes relative to it. Blocks of PEM are left alone.
pub fn moved(path: &str, text: &str, files: &[String], top: &str) -> Option<Moved> {
    if text.len() > LONGEST || text.contains("-----BEGIN ") {
        return None;
    }
    let folder = path.rsplit_once('/').map_or("", |(folder, _)| folder);
    let manifest = path.ends_with(NAME);
    let mut after = Vec::new();
    let (mut shown_before, mut shown_after) = (String::new(), String::new());
    for line in text.split_inclusive('\n') {
        let mut pairs = Vec::new();
        let new = line_moved(line, |found, whole| {
            let file = lies(found, files)?;
            let to = match file.strip_prefix(folder).map(|f| f.trim_start_matches('/')) {
                Some(inner) if manifest && whole => inner.to_owned(),
                _ if manifest && whole => format!("${{BUNDLE}}/{file}"),
                _ => format!("{top}/{file}"),
            };
            pairs.push((found.to_owned(), to.clone()));
            Some(to)
        });
        let (old_paths, new_paths): (Vec<_>, Vec<_>) = pairs.into_iter().unzip();
        shown_before.push_str(&shown(line, &old_paths));
        shown_after.push_str(&shown(&new, &new_paths));
        after.push(new);
    }
    let after = after.concat();
    (after != text).then(|| Moved {
        diff: diff(path, &shown_before, &shown_after),
        after,
    })
}

/// A line as it may be shown, with these paths of it, which are no secret.
fn shown(line: &str, paths: &[String]) -> String {
    let bare = line.trim_end_matches(['\n', '\r']);
    let mut out = covered(bare);
    for path in paths
        .iter()
        .filter(|p| !out.contains(p.as_str()))
        .collect::<Vec<_>>()
    {
        out.push_str(&format!(" … {path}"));
    }
    out.push('\n');
    out
}

/// A line with its absolute paths replaced; `to` is asked for each, and told whether it is a
/// whole value in quotes.
fn line_moved(line: &str, mut to: impl FnMut(&str, bool) -> Option<String>) -> String {
    let mut after = String::with_capacity(line.len());
    let mut rest = line;
    while let Some(start) = rest.find('/') {
        let (before, tail) = rest.split_at(start);
        let length = tail.find(|c| !in_path(c)).unwrap_or(tail.len());
        let (found, behind) = tail.split_at(length);
        after.push_str(before);
        // A path begins where no other word goes on: not within a URL or a relative path.
        let begins = !after.ends_with(|c: char| in_path(c) || c == ':' || c == '}');
        let whole = after.ends_with(['"', '\'']) && behind.starts_with(['"', '\'']);
        match begins.then(|| to(found, whole)).flatten() {
            Some(new) => after.push_str(&new),
            None => after.push_str(found),
        }
        rest = behind;
    }
    after.push_str(rest);
    after
}

/// The file of the bundle with the name in which a path ends, if there is exactly one.
fn lies<'a>(path: &str, files: &'a [String]) -> Option<&'a str> {
    let name = path.rsplit('/').next().filter(|n| n.contains('.'))?;
    let of = |file: &&String| file.rsplit('/').next() == Some(name);
    let mut all = files.iter().filter(of);
    match (all.next(), all.next()) {
        (Some(one), None) => Some(one),
        _ => None,
    }
}
