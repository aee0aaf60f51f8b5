//! Saved cases: read, judged again, laid out.
#![no_main]

use chronaxis_diagnosis::case::Case;
use chronaxis_diagnosis::report::diagnosis;

libfuzzer_sys::fuzz_target!(|text: &str| {
    if let Ok(case) = Case::read(text) {
        let _ = case.judged_again();
        let _ = diagnosis::whole(&case, true);
        let _ = diagnosis::in_a_line(&case);
    }
});
