//! The page that all text output shares: 80 columns, a column of keys, a column of text,
//! and few colours, each beside a word that says the same.

use std::io::{self, Write};

use anstyle::{AnsiColor, Style};
use chronaxis_diagnosis::report::{Piece, Tone};
use chronaxis_model::layer::{Micros, Outcome};
use textwrap::{Options, WordSplitter};

/// Width of the page.
pub(crate) const WIDTH: usize = 80;

/// Width of the column of keys, with its margins.
pub(crate) const KEYS: usize = 14;

/// Width of the column of figures.
const FIGURE: usize = 6;

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

/// The colour of a tone.
pub(crate) fn style(tone: Tone) -> Style {
    match tone {
        Tone::Plain => Style::new(),
        Tone::Weak => DIM,
        Tone::Strong => BOLD,
        Tone::Good => GOOD,
        Tone::Look => LOOK,
        Tone::Bad => BAD,
    }
}

/// The colour of an outcome.
pub(crate) fn tint(outcome: Outcome) -> Style {
    match outcome {
        Outcome::Ok => GOOD,
        Outcome::Caution => LOOK,
        Outcome::Fault => BAD,
        Outcome::Unreached | Outcome::Untested => DIM,
    }
}

/// Text broken at spaces into lines of so many columns; a word that is longer is broken.
pub(crate) fn broken(text: &str, width: usize) -> Vec<String> {
    broken_under(text, width, "", "")
}

/// The same, the first line and the further ones behind an indent.
pub(crate) fn broken_under(text: &str, width: usize, first: &str, further: &str) -> Vec<String> {
    let options = Options::new(width)
        .word_splitter(WordSplitter::NoHyphenation)
        .break_words(true)
        .initial_indent(first)
        .subsequent_indent(further);
    if text.is_empty() {
        return Vec::new();
    }
    let lines = textwrap::wrap(text, options);
    lines.into_iter().map(|line| line.into_owned()).collect()
}

/// Pieces one after another.
pub(crate) fn pieces(out: &mut dyn Write, line: &[Piece]) -> io::Result<()> {
    for Piece { text, tone } in line {
        let style = style(*tone);
        write!(out, "{style}{text}{style:#}")?;
    }
    writeln!(out)
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
pub(crate) fn entry(out: &mut dyn Write, key: &str, text: &str, style: Style) -> io::Result<()> {
    lines(out, key, text, style, 0)
}

/// A key, a short figure and its text, wrapped under the text.
pub(crate) fn figure(out: &mut dyn Write, key: &str, figure: &str, text: &str) -> io::Result<()> {
    let text = format!("{figure:<FIGURE$}{text}");
    lines(out, key, &text, Style::new(), FIGURE)
}

fn lines(out: &mut dyn Write, key: &str, text: &str, style: Style, hang: usize) -> io::Result<()> {
    let indent = " ".repeat(KEYS);
    let wrapped = broken_under(text, WIDTH - KEYS, "", &" ".repeat(hang));
    for (i, line) in wrapped.iter().enumerate() {
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
pub(crate) fn command(out: &mut dyn Write, text: &str) -> io::Result<()> {
    writeln!(out, "{}{BOLD}{text}{BOLD:#}", " ".repeat(KEYS))
}
