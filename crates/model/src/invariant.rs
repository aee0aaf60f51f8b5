//! What must hold whatever a user, a file or a server does. Where it does not, it is this
//! program that is at fault: a build for tests stops there, any other goes on as well as it
//! can and says at its end that its result is not to be relied on.

use std::panic::Location;
use std::sync::OnceLock;

/// A broken invariant.
#[derive(Clone, Copy, Debug)]
pub struct Broken {
    /// What should hold.
    pub what: &'static str,
    /// Where it does not.
    pub place: &'static Location<'static>,
}

static FIRST: OnceLock<Broken> = OnceLock::new();

/// Notes whether something holds; `what` says it in a sentence.
///
/// # Panics
/// In a build with debug assertions, where it does not hold.
#[track_caller]
pub fn holds(holds: bool, what: &'static str) {
    debug_assert!(holds, "{what}");
    if !holds {
        let place = Location::caller();
        let _ = FIRST.set(Broken { what, place });
    }
}

/// The first invariant that was found broken, if any was.
pub fn broken() -> Option<Broken> {
    FIRST.get().copied()
}
