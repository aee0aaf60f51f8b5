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

mod carried;
mod cautions;
mod directory_page;
mod directory_remedies;
mod fall_back;
mod hosts;
mod independent_client;
mod mysql;
mod recorded;
mod run_cache;
mod scenes;
mod verdict;
mod walk;
mod way;
