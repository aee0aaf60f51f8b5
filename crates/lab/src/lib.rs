//! The lab: stand-in servers, a simulated network, and the scenes of Osmary Ferries.
//!
//! A scene states only a world (names, hosts, rules, servers) and what must be concluded;
//! never a fact. The same world is played on loopback ports by [`loopback`] or in memory by
//! [`world`].

#![forbid(unsafe_code)]

pub mod certificates;
pub mod directory_file;
pub mod examples;
pub mod loopback;
pub mod rehearsal;
pub mod scene;
pub mod scenes;
pub mod stand_in;
pub mod world;
