//! The page that all text output shares: 80 columns, a column of keys, a column of text,
//! and few colours, each beside a word that says the same.

use std::io::{self, Write};

use anstyle::{AnsiColor, Style};
use chronaxis_model::layer::{Micros, Outcome};
use textwrap::{Options, WordSplitter, wrap};

/// Width of the page.
pub(crate) const WIDTH: usize = 80;

/// Width of the column of keys, with its margins.
pub(crate) const KEYS: usize = 14;

/// Cells of a time bar.
const CELLS: usize = 9;

/// The bar's axis begins at 0.1 ms and ends at 15 s, whatever the run's deadline: two runs
/// can be compared by eye.
const AXIS: (f64, f64) = (100.0, 15e6);

pub(crate) const BOLD: Style = Style::new().bold();
pub(crate) const DIM: Style = Style::new().dimmed();
pub(crate) const GOOD: Style = AnsiColor::Cyan.on_default();
pub(crate) const LOOK: Style = AnsiColor::Yellow.on_default();
pub(crate) const BAD: Style = AnsiColor::Magenta.on_default().bold();

/// The colour of an outcome.
pub(crate) fn tint(outcome: Outcome) -> Style {
    match outcome {
        Outcome::Ok => GOOD,
        Outcome::Caution => LOOK,
        Outcome::Fault => BAD,
        Outcome::Unreached | Outcome::Untested => DIM,
    }
}

/// The bar of a span on the one logarithmic axis; half cells count.
pub(crate) fn bar(span: Option<Micros>) -> String {
    let Some(span) = span else {
        return " ".repeat(CELLS);
    };
    let (from, to) = AXIS;
    let share = ((span.0 as f64).max(from) / from).ln() / (to / from).ln();
    let halves = (share.clamp(0.0, 1.0) * (CELLS * 2) as f64).round() as usize;
    let halves = halves.max(1);
    let mut out = "━".repeat(halves / 2);
    if halves % 2 == 1 {
        out.push('╸');
    }
    let used = halves.div_ceil(2);
    out.push_str(&"·".repeat(CELLS - used));
    out
}

/// A key and its text, wrapped under itself.
pub(crate) fn entry(out: &mut impl Write, key: &str, text: &str) -> io::Result<()> {
    styled_entry(out, key, text, Style::new())
}

/// The same in a colour.
pub(crate) fn styled_entry(
    out: &mut impl Write,
    key: &str,
    text: &str,
    style: Style,
) -> io::Result<()> {
    lines(out, key, text, style, 0)
}

/// A key, a short figure and its text, wrapped under the text.
pub(crate) fn figure_entry(
    out: &mut impl Write,
    key: &str,
    figure: &str,
    text: &str,
) -> io::Result<()> {
    let text = format!("{figure:<FIGURE$}{text}");
    lines(out, key, &text, Style::new(), FIGURE)
}

/// Width of the column of figures.
const FIGURE: usize = 6;

fn lines(out: &mut impl Write, key: &str, text: &str, style: Style, hang: usize) -> io::Result<()> {
    let indent = " ".repeat(KEYS);
    let under = " ".repeat(hang);
    let options = Options::new(WIDTH - KEYS)
        .word_splitter(WordSplitter::NoHyphenation)
        .break_words(true)
        .subsequent_indent(&under);
    for (i, line) in wrap(text, options).iter().enumerate() {
        if i == 0 {
            write!(out, "  {DIM}{key:<width$}{DIM:#}", width = KEYS - 2)?;
        } else {
            write!(out, "{indent}")?;
        }
        writeln!(out, "{style}{line}{style:#}")?;
    }
    Ok(())
}

/// A command: never wrapped, so that it can be copied.
pub(crate) fn command(out: &mut impl Write, text: &str) -> io::Result<()> {
    writeln!(out, "{}{BOLD}{text}{BOLD:#}", " ".repeat(KEYS))
}

/// A probability in steps of 5 %.
pub(crate) fn percent(probability: f64) -> String {
    match (probability * 20.0).round() as u32 * 5 {
        0 => "<5 %".to_owned(),
        100 => ">95 %".to_owned(),
        steps => format!("{steps} %"),
    }
}
