//! The case as JSON.

use std::io::{self, Write};

use chronaxis_core::case::Case;
use chronaxis_core::document::to_json;

/// One object; on one line where there are several.
pub(crate) fn case(out: &mut impl Write, case: &Case, one_line: bool) -> io::Result<()> {
    writeln!(out, "{}", to_json(case, one_line)?)
}
