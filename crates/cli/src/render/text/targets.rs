//! Several targets: a line each, and what they have in common.

use std::io::{self, Write};

use anstyle::Style;
use chronaxis_diagnosis::report::{Summary, TargetGroup, TargetLine};
use unicode_width::UnicodeWidthStr as _;

use crate::render::page::{BOLD, WIDTH, entry, style};

/// Width of the column of targets.
const TARGET: usize = 29;

/// Where the column of causes begins.
const CAUSES: usize = 51;

/// Where what a group has in common begins.
const MARGIN: usize = 9;

/// The line of one target.
pub(super) fn line(out: &mut dyn Write, line: &TargetLine) -> io::Result<()> {
    let tint = style(line.tone);
    write!(
        out,
        "  {}{tint}{:<10}{tint:#}{:>7}",
        padded(&name_of(line), TARGET),
        line.state,
        line.elapsed.to_string()
    )?;
    let finding = &line.finding;
    match finding.is_empty() {
        true => writeln!(out),
        // What is too long for the page has a line of its own.
        false if CAUSES + finding.width() > WIDTH => writeln!(out, "\n{finding:>WIDTH$}"),
        false => writeln!(out, "  {finding}"),
    }
}

/// What they have in common.
pub(super) fn summary(out: &mut dyn Write, summary: &Summary) -> io::Result<()> {
    writeln!(out, "{BOLD}{}{BOLD:#}: {}", summary.title, summary.counts)?;
    if !summary.groups.is_empty() {
        writeln!(out)?;
    }
    summary
        .groups
        .iter()
        .try_for_each(|group| together(out, group))?;
    if !summary.shared.is_empty() {
        writeln!(out)?;
    }
    summary
        .shared
        .iter()
        .try_for_each(|words| entry(out, "instance", words, Style::new()))
}

fn together(out: &mut dyn Write, group: &TargetGroup) -> io::Result<()> {
    let tint = style(group.tone);
    let (finding, more) = (&group.finding, &group.more);
    write!(out, "  {tint}{:>5}  {finding}{tint:#}", group.count)?;
    match more.is_empty() {
        true => writeln!(out)?,
        false if MARGIN + finding.width() + 2 + more.width() > WIDTH => {
            writeln!(out, ":")?;
            entry(out, "", more, Style::new())?;
        }
        false => writeln!(out, ": {more}")?,
    }
    entry(out, "", &group.names, Style::new())
}

/// The label, and where it goes.
fn name_of(line: &TargetLine) -> String {
    match &line.place {
        Some(place) => format!("{} {place}", line.name),
        // What names a file and a connection in it tells it apart by its end.
        None if line.name.width() > NAMED => cut_at_a_folder(&line.name),
        None => line.name.clone(),
    }
}

/// The end of a path and name, from a folder on where that fits.
fn cut_at_a_folder(label: &str) -> String {
    let whole = label
        .match_indices('/')
        .filter_map(|(at, _)| label.get(at..))
        .find(|end| end.width() < NAMED);
    let end = whole.map(str::to_owned).unwrap_or_else(|| {
        let mut end: Vec<char> = label.chars().rev().take(NAMED - 1).collect();
        end.reverse();
        end.into_iter().collect()
    });
    format!("…{end}")
}

/// How many characters of a file and name are shown.
const NAMED: usize = 26;

/// How much of the end of a name is kept where it is cut: the port stands there.
const END: usize = 9;

/// Padded to a width, or cut to it before its end.
fn padded(text: &str, width: usize) -> String {
    if text.width() < width {
        return format!("{text}{}", " ".repeat(width - text.width()));
    }
    let mut end = String::new();
    for c in text.chars().rev() {
        if end.width() >= END {
            break;
        }
        end.insert(0, c);
    }
    let mut begin = String::new();
    for c in text.chars() {
        if begin.width() + end.width() + 3 > width {
            break;
        }
        begin.push(c);
    }
    let whole = format!("{begin}…{end}");
    let left = width.saturating_sub(whole.width());
    format!("{whole}{}", " ".repeat(left))
}

#[cfg(test)]
mod tests {
    use super::padded;
    use unicode_width::UnicodeWidthStr as _;

    #[test]
    fn a_long_name_keeps_its_port() {
        let long = "manifest lighthouse.osmary.example:3306";
        let cut = padded(long, 29);
        assert_eq!(cut, "manifest lighthous…mple:3306 ");
        assert_eq!(padded("fares quay:1433", 29).width(), 29);
        // Wide characters are never cut in half.
        let wide = padded("港港港港港港港港港港港港港港港港:5432", 29);
        assert_eq!(wide.width(), 29, "{wide:?}");
    }
}
