//! All integration tests of this crate: one program, linked once.

#![allow(
    clippy::unwrap_used,
    clippy::expect_used,
    clippy::panic,
    clippy::indexing_slicing,
    clippy::print_stderr,
    clippy::disallowed_methods,
    unreachable_pub,
    reason = "a test that cannot go on says so; it reads files and a clock"
)]

mod checks;
mod formats;
mod robust;
mod syntax;
mod written;
