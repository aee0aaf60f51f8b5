//! This machine's tables, read at most so often: the targets of a run that fail together
//! would else read the same table a thousand times.

use std::sync::{Arc, Mutex};
use std::time::{Duration, Instant};

use procfs::net::TcpNetEntry;

use crate::listeners::{self, Listener};
use crate::processes::Processes;

/// How old the table of sockets may be: a run that fails together asks within this.
const SOCKETS_FOR: Duration = Duration::from_millis(100);

/// How old what is known of processes may be. It is dear: every one is looked at.
const PROCESSES_FOR: Duration = Duration::from_secs(2);

/// Programs whose arguments tell of tunnels.
const SSH_CLIENTS: [&str; 2] = ["ssh", "autossh"];

/// A machine with many sockets takes long to show them: its table is kept for so many times
/// as long as it took to read.
const TIMES_AS_LONG: u32 = 12;

/// A table, until when it is good.
type Kept<T> = Mutex<Option<(Instant, Option<Arc<T>>)>>;

static SOCKETS: Kept<Vec<TcpNetEntry>> = Mutex::new(None);
static LISTENERS: Kept<Vec<Listener>> = Mutex::new(None);
static PROCESSES: Kept<Processes> = Mutex::new(None);

/// The sockets of both families; none where the system shows no table.
pub(crate) fn sockets() -> Option<Arc<Vec<TcpNetEntry>>> {
    kept(&SOCKETS, SOCKETS_FOR, || {
        let mut table = procfs::net::tcp().ok()?;
        table.extend(procfs::net::tcp6().unwrap_or_default());
        Some(table)
    })
}

/// What listens, with its programs.
pub(crate) fn listeners() -> Option<Arc<Vec<Listener>>> {
    kept(&LISTENERS, PROCESSES_FOR, listeners::table)
}

/// The processes of this machine, with their sockets.
pub(crate) fn processes() -> Option<Arc<Processes>> {
    kept(&PROCESSES, PROCESSES_FOR, || {
        Some(Processes::read(&SSH_CLIENTS))
    })
}

fn kept<T>(place: &Kept<T>, at_most: Duration, read: impl FnOnce() -> Option<T>) -> Option<Arc<T>> {
    let Ok(mut place) = place.lock() else {
        return read().map(Arc::new);
    };
    let began = Instant::now();
    if let Some((until, table)) = &*place
        && began < *until
    {
        return table.clone();
    }
    let table = read().map(Arc::new);
    let took = began.elapsed();
    let good_for = at_most.max((took * TIMES_AS_LONG).min(PROCESSES_FOR));
    *place = Some((Instant::now() + good_for, table.clone()));
    table
}
