//! Lists of our own format against brute force on small universes.

#![allow(
    clippy::unwrap_used,
    clippy::expect_used,
    clippy::panic,
    clippy::indexing_slicing,
    reason = "a test that cannot go on says so"
)]

mod own;
mod rules;
