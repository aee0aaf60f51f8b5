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
    reason = "a test that cannot go on says so; it reads files and a clock, and starts judges"
)]

mod bundles;
mod checks;
mod drivers;
mod formats;
mod judged;
mod judged_formats;
mod judged_urls;
mod lists;
mod lists_filters;
mod lists_host_rules;
mod lists_policies;
mod programs;
mod robust;
mod syntax;
mod whole_folders;
mod written;
mod xml;
