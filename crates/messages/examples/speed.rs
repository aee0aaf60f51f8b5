//! Where the time of reading goes: `speed FILE` prints each step's.

#![allow(clippy::print_stdout, clippy::expect_used, clippy::disallowed_methods)]

use std::time::Instant;

use chronaxis_messages::failures;
use chronaxis_messages::search::Search;
use chronaxis_messages::text::Flat;

fn main() {
    let file = std::env::args().nth(1).expect("a file");
    let text = std::fs::read_to_string(file).expect("readable");
    for _ in 0..3 {
        let begun = Instant::now();
        let flat = Flat::of(&text);
        let flattened = begun.elapsed();
        let search = Search::for_size(text.len()).expect("whole");
        let prepared = begun.elapsed();
        let found = search.find(&flat).len();
        let searched = begun.elapsed();
        let told = failures::read(&text, 2026).failures.len();
        let read = begun.elapsed();
        println!(
            "{found} {told}: flat {flattened:?}, prepared {:?}, searched {:?}, read {:?}",
            prepared - flattened,
            searched - prepared,
            read - searched
        );
    }
}
