//! Carries out the orders of the core on the real network, and says what came of them.
//! Nothing is judged here.

mod clock;
mod connect;
mod drive;
mod error_queue;
mod errors;
mod line;
mod local;
mod look_up;
mod sockopt;

pub use clock::Clock;
pub use drive::run;
