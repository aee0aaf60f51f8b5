//! Parses a file with the library of its format, and does nothing else: what reading a list
//! is measured against.

#![allow(
    clippy::expect_used,
    clippy::disallowed_methods,
    reason = "a program by itself, for measurements"
)]

fn main() {
    let path = std::env::args().nth(1).expect("a file");
    let text = std::fs::read_to_string(&path).expect("read");
    let size = match path.rsplit('.').next() {
        Some("toml") => toml_edit::Document::parse(text.as_str())
            .map(|d| d.as_table().len())
            .expect("TOML"),
        Some("yaml") => saphyr_parser::Parser::new_from_str(&text).count(),
        Some("json") => {
            let options = jsonc_parser::ParseOptions::default();
            let read = jsonc_parser::parse_to_ast(&text, &Default::default(), &options);
            usize::from(read.expect("JSON").value.is_some())
        }
        _ => csv::Reader::from_reader(text.as_bytes()).records().count(),
    };
    assert!(size > 0);
}
