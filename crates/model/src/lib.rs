//! The vocabulary: what was told ([`target`]), what was seen ([`fact`]), what may be tried
//! ([`permit`]), what an edge is asked to do ([`order`]) and how a protocol is spoken
//! ([`conversation`]). Everything else is built of these words.
//!
//! Nothing in this crate opens a socket, reads a file, a clock, the environment or a
//! random source: all of these are parameters.

#![forbid(unsafe_code)]

pub mod account;
pub mod certificate;
pub mod conversation;
pub mod document;
pub mod endpoint;
pub mod fact;
pub mod forwarders;
pub mod found;
pub mod invariant;
pub mod layer;
mod open_id;
pub mod order;
pub mod permit;
pub mod redact;
pub mod reference;
pub mod reserved_ranges;
pub mod secret;
pub mod settings;
pub mod shell;
pub mod shown;
pub mod sourced;
pub mod target;
pub mod token;
