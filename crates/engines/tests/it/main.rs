//! All integration tests of this crate: one program, linked once.

#![allow(
    clippy::unwrap_used,
    clippy::expect_used,
    clippy::panic,
    clippy::indexing_slicing,
    clippy::print_stderr,
    unreachable_pub,
    reason = "a test that cannot go on says so"
)]

mod directory;
mod directory_strings;
mod protocol;
mod strings;
mod unspoken;
