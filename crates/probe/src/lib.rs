//! Carries out the orders of the core on the real network, and says what came of them.
//! Nothing is judged here.

pub mod ask;
pub mod carrier;
mod clock;
mod connect;
mod drive;
mod error_queue;
mod errors;
mod here;
mod host;
mod line;
mod links;
pub mod listeners;
pub mod local_firewall;
mod look_up;
mod looks;
pub mod name_service;
pub mod name_sources;
mod netlink;
mod next_hop;
mod own;
mod pool;
pub mod processes;
mod queue;
mod route;
mod sockopt;
mod step;
mod together;
mod tunnels;
mod workers;

pub use clock::Clock;
pub use drive::run;
pub use here::Here;
pub use together::Together;
