//! Foreign text with a secret in it: whatever stands round the secret, it is not shown.
#![no_main]

use chronaxis_model::redact::{Redactor, visible};
use chronaxis_model::secret::Secret;

const SECRET: &str = "sea-glass-7";

libfuzzer_sys::fuzz_target!(|parts: (String, String)| {
    let (before, after) = parts;
    let redactor = Redactor::new([&Secret::new(SECRET)]);
    let text = format!("{before}{SECRET}{after}");
    let shown = redactor.text(&text);
    assert!(!shown.as_str().contains(SECRET));
    let shown = visible(shown.as_str());
    assert!(!shown.chars().any(char::is_control));
    let _ = redactor.bytes(before.as_bytes());
});
