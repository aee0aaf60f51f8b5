//! The process table: to whom sockets belong, as far as this user may know it (proc(5)).
//! What vanishes while it is read is skipped.

use std::collections::{HashMap, HashSet};
use std::sync::Arc;

use procfs::process::{FDTarget, Process, all_processes};

/// A process that holds a socket.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Owner {
    /// Its number.
    pub id: i32,
    /// Its name.
    pub name: String,
    /// When it started: Unix time, in seconds.
    pub started: Option<i64>,
    /// Its arguments.
    pub arguments: Vec<String>,
}

/// What one look at all processes tells.
#[derive(Debug, Default)]
pub(crate) struct Processes {
    owners: HashMap<u64, Arc<Owner>>,
    called: Vec<Arc<Owner>>,
}

impl Owner {
    /// Whether it is this program.
    pub(crate) fn is_us(&self) -> bool {
        u32::try_from(self.id) == Ok(std::process::id())
    }
}

impl Processes {
    /// Looks at every process; those of the given names are kept even where their sockets
    /// may not be known.
    pub(crate) fn read(names: &[&str]) -> Processes {
        let mut out = Processes::default();
        let Ok(all) = all_processes() else {
            return out;
        };
        for process in all.flatten() {
            let held = sockets(&process);
            let name = name(&process);
            let wanted = name.is_some_and(|name| names.contains(&name.as_str()));
            if held.is_empty() && !wanted {
                continue;
            }
            let Some(owner) = owner(&process).map(Arc::new) else {
                continue;
            };
            for inode in held {
                out.owners
                    .entry(inode)
                    .or_insert_with(|| Arc::clone(&owner));
            }
            if wanted {
                out.called.push(owner);
            }
        }
        out
    }

    /// The owner of a socket, by its inode; the oldest where several hold it.
    pub(crate) fn owner(&self, inode: u64) -> Option<&Arc<Owner>> {
        self.owners.get(&inode)
    }

    /// The processes of the names that were asked for.
    pub(crate) fn called(&self) -> &[Arc<Owner>] {
        &self.called
    }
}

/// This program's own sockets, by their inodes.
pub(crate) fn ours() -> HashSet<u64> {
    let own = Process::myself().ok();
    own.iter().flat_map(sockets).collect()
}

fn name(process: &Process) -> Option<String> {
    process.stat().ok().map(|stat| stat.comm)
}

fn sockets(process: &Process) -> Vec<u64> {
    let Ok(files) = process.fd() else {
        return Vec::new();
    };
    let inode = |target| match target {
        FDTarget::Socket(inode) => Some(inode),
        _ => None,
    };
    files
        .flatten()
        .filter_map(|file| inode(file.target))
        .collect()
}

fn owner(process: &Process) -> Option<Owner> {
    let stat = process.stat().ok()?;
    Some(Owner {
        id: process.pid,
        started: started(stat.starttime),
        name: stat.comm,
        arguments: process.cmdline().unwrap_or_default(),
    })
}

/// When a process started, from the ticks since the machine did.
fn started(ticks: u64) -> Option<i64> {
    let boot = i64::try_from(procfs::boot_time_secs().ok()?).ok()?;
    let seconds = i64::try_from(ticks / procfs::ticks_per_second()).ok()?;
    Some(boot + seconds)
}
