//! All integration tests of this crate: one program, linked once.

#![allow(
    clippy::unwrap_used,
    clippy::expect_used,
    clippy::panic,
    clippy::indexing_slicing,
    clippy::print_stderr,
    clippy::disallowed_methods,
    clippy::disallowed_types,
    unreachable_pub,
    reason = "a test that cannot go on says so; it reads what was recorded, and asks cargo"
)]

mod account;
mod forms;
mod inference;
mod purity;
mod recorded;
mod report;
mod slips;
mod survey;
