//! The tests of this crate, in one program.

mod catalogue;
