//! A few threads for work that takes long: deriving keys from passwords. What takes long is
//! done apart from what does not, each in the order in which it came, so that no server holds
//! up the targets of others by asking for much.

use std::sync::mpsc::{Receiver, Sender, channel};
use std::sync::{Arc, Mutex, OnceLock, PoisonError};
use std::thread;

use chronaxis_model::conversation::{Derivation, Derived};
use tokio::sync::oneshot;

/// More threads than this would only take turns.
const MOST: usize = 8;

/// Rounds of hashing over which work takes long.
const LONG: u32 = 50_000;

type Job = (Derivation, oneshot::Sender<Derived>);

/// Where short work and where long work is handed in; none where this machine gives no
/// thread.
static SHORT_JOBS: OnceLock<Option<Sender<Job>>> = OnceLock::new();
static LONG_JOBS: OnceLock<Option<Sender<Job>>> = OnceLock::new();

/// Does it on one of the threads; where there is none, here. None where nobody came to it.
pub(crate) async fn run(work: Derivation) -> Option<Derived> {
    let (answer, wait) = oneshot::channel();
    let jobs = match work.rounds() > LONG {
        true => &LONG_JOBS,
        false => &SHORT_JOBS,
    };
    let Some(jobs) = jobs.get_or_init(begin) else {
        return Some(work.run());
    };
    match jobs.send((work, answer)) {
        Ok(()) => wait.await.ok(),
        Err(unsent) => Some(unsent.0.0.run()),
    }
}

/// Starts the threads: one core is left to the lines themselves.
fn begin() -> Option<Sender<Job>> {
    let (jobs, received) = channel();
    let received = Arc::new(Mutex::new(received));
    let cores = thread::available_parallelism().map_or(1, |n| n.get());
    let mut started = 0;
    for _ in 0..cores.saturating_sub(1).clamp(1, MOST) {
        let received = received.clone();
        let worker = thread::Builder::new().name("derive".to_owned());
        started += usize::from(worker.spawn(move || work(&received)).is_ok());
    }
    (started > 0).then_some(jobs)
}

fn work(received: &Mutex<Receiver<Job>>) {
    loop {
        let next = received
            .lock()
            .unwrap_or_else(PoisonError::into_inner)
            .recv();
        let Ok((work, answer)) = next else {
            return;
        };
        // Nobody waits any more for what came too late.
        if !answer.is_closed() {
            let _ = answer.send(work.run());
        }
    }
}
