//! Carries out the orders of the core on the real network, and says what came of them.
//! Nothing is judged here.

pub mod ask;
mod clock;
mod connect;
mod drive;
mod error_queue;
mod errors;
mod host;
mod line;
mod links;
pub mod listeners;
mod local;
pub mod local_firewall;
mod look_up;
pub mod name_service;
pub mod name_sources;
mod netlink;
mod next_hop;
mod own;
pub mod processes;
mod route;
mod sockopt;
mod step;
mod tables;
mod together;
mod tunnels;
mod workers;

pub use clock::Clock;
pub use drive::run;
pub use together::Together;
