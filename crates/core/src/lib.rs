//! What Chronaxis decides, without touching the world.
//!
//! Data goes one way: what was told ([`target`]) and what was seen ([`fact`]) are
//! judged ([`judge`]), weighed against the table ([`knowledge`], [`inference`]) and put
//! into words ([`verdict`]); the whole of it is a [`case`]. The only thing here with a
//! state is [`walk`], which decides what to try next and gives [`order`]s to an edge.
//!
//! Nothing in this crate opens a socket, reads a file, a clock, the environment or a
//! random source: all of these are parameters.

#![forbid(unsafe_code)]

pub mod board;
pub mod case;
pub mod certificate;
pub mod conversation;
pub mod document;
pub mod endpoint;
pub mod engine;
pub mod fact;
pub mod forwarders;
pub mod inference;
pub mod judge;
pub mod knowledge;
pub mod layer;
pub mod listed;
pub mod near_names;
pub mod order;
pub mod own_filter;
pub mod permit;
pub mod redact;
pub mod secret;
pub mod settings;
pub mod shell;
pub mod shown;
pub mod special;
pub mod survey;
pub mod target;
pub mod told;
pub mod verdict;
pub mod walk;
