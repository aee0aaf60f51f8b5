//! The case as JSON.

use std::io::{self, Write};

use chronaxis_core::case::Case;

/// One object; on one line where there are several.
pub(crate) fn case(out: &mut impl Write, case: &Case, one_line: bool) -> io::Result<()> {
    let text = if one_line {
        serde_json::to_string(case)?
    } else {
        serde_json::to_string_pretty(case)?
    };
    writeln!(out, "{text}")
}
