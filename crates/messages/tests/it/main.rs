//! The tests of this crate, in one program.

#![allow(clippy::expect_used, reason = "a test that cannot go on has failed")]

mod catalogue;
mod logs;
mod robust;
