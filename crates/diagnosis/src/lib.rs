//! What Chronaxis decides, without touching the world.
//!
//! Data goes one way: what was told and what was seen are judged ([`judge`]), weighed
//! against the table ([`knowledge`], [`inference`]) and put into words ([`verdict`]); the
//! whole of it is a [`case`]. The only thing here with a state is [`walk`], which decides
//! what to try next and gives orders to an edge.
//!
//! Nothing in this crate opens a socket, reads a file, a clock, the environment or a
//! random source: all of these are parameters.

#![forbid(unsafe_code)]

pub mod administrator;
pub mod allowlist;
pub mod bundle;
pub mod case;
pub mod inference;
pub mod judge;
pub mod knowledge;
pub mod lasting;
pub mod listed;
pub mod meeting;
pub mod near_names;
pub mod repeats;
pub mod report;
pub mod run_cache;
pub mod run_state;
mod schema;
pub mod sides;
pub mod survey;
pub mod verdict;
pub mod waiting;
pub mod walk;
