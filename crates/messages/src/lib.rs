//! What programs and servers say of a connection that failed: words in, facts out.
//!
//! The table of what is said ([`catalogue`]) is data; one automaton looks for all of it
//! ([`search`]); what belongs together becomes a failure ([`failures`]). Nothing is opened
//! and nothing is guessed here: what a message means for the way to the server is the
//! diagnosis's to say.

#![forbid(unsafe_code)]

pub mod catalogue;
pub mod codes;
pub mod failures;
pub mod log;
pub mod moment;
pub mod parts;
pub mod pattern;
pub mod search;
pub mod secrets;
pub mod shape;
pub mod target;
pub mod text;
