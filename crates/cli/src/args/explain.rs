//! The arguments of `explain`.

use std::path::PathBuf;

use clap::Args;

use super::Output;
use crate::way_in::typed::Typed;

const EXPLAIN_EXAMPLES: &str = "Examples:
  chronaxis explain 'could not find driver'
  python manage.py check 2>&1 | chronaxis explain -
  chronaxis explain --file app.log
  chronaxis explain --file app.log --in .
  chronaxis explain --file /var/log/postgresql/postgresql-15-main.log";

/// Reads an error message or a log of any client or server: what failed, at which layer,
/// and the likely causes
///
/// Nothing is contacted. The message may be wrapped, cut, translated, inside a stack trace or
/// a log, repeated; secrets in it are masked. What is recognised, and from which component,
/// stands in docs/explain.md. Several failures in one text are several cases, the first in
/// time first. Exit status: 1 a cause stands out, 3 none does, 2 wrong use.
#[derive(Args, Debug)]
#[command(after_help = EXPLAIN_EXAMPLES)]
pub(crate) struct Explain {
    /// The message; - for stdin
    #[arg(value_name = "TEXT", required_unless_present = "file")]
    pub(crate) text: Vec<Typed>,

    /// Read the message, or a log of an application or a server, from this file
    ///
    /// Of a file larger than 64 MB the end is read. Files that gzip made are unpacked, up to
    /// 64 MB.
    #[arg(long, value_name = "F", conflicts_with = "text")]
    pub(crate) file: Option<PathBuf>,

    /// The project whose program says this: which of its connections is meant, and what is
    /// wrong with that one
    ///
    /// FOLDER, or one connection of it, as for diagnose.
    #[arg(long = "in", value_name = "FOLDER")]
    pub(crate) project: Option<Typed>,

    /// The form of the output
    #[arg(long, value_enum, value_name = "FORM", default_value_t = Output::Text)]
    pub(crate) output: Output,

    /// Save the case as JSON (replaces a file only if it holds a case)
    ///
    /// Several failures: one case per line.
    #[arg(long, value_name = "FILE")]
    pub(crate) save: Option<PathBuf>,

    /// No colour
    ///
    /// NO_COLOR in the environment does the same.
    #[arg(long)]
    pub(crate) plain: bool,

    /// Show all facts too
    #[arg(short, long, conflicts_with = "quiet", action = clap::ArgAction::Count)]
    pub(crate) verbose: u8,

    /// Show the verdict line only
    #[arg(short, long)]
    pub(crate) quiet: bool,
}
