//! Credential bundles: certificates, keys, keystores and names of connections that belong
//! together.
//!
//! What a file is, is read elsewhere; here the parts are held against each other: which key
//! belongs to which certificate, which chains they make, what is missing for which use, what
//! is wrong. What needs a random source or a library that the core does not have is handed in
//! ([`tools::Tools`]).

#![forbid(unsafe_code)]

pub mod alias;
pub mod analysis;
pub mod bounds;
pub mod chain;
pub mod choice;
pub mod findings;
pub mod item;
pub mod key;
pub mod manifest;
pub mod tools;
pub mod uses;
