//! The process table: to whom sockets belong, as far as this user may know it (proc(5)).
//! What vanishes while it is read is skipped.

use std::collections::BTreeMap;

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

/// The owners of these sockets, by the sockets' inodes. One that belongs to several
/// processes is given to the oldest.
pub fn owners(sockets: &[u64]) -> BTreeMap<u64, Owner> {
    let mut out = BTreeMap::new();
    if sockets.is_empty() {
        return out;
    }
    let Ok(all) = all_processes() else {
        return out;
    };
    for process in all.flatten() {
        let Ok(files) = process.fd() else { continue };
        let held = files.flatten().filter_map(|file| match file.target {
            FDTarget::Socket(inode) if sockets.contains(&inode) => Some(inode),
            _ => None,
        });
        let held: Vec<u64> = held.collect();
        if held.is_empty() {
            continue;
        }
        let Some(owner) = owner(&process) else {
            continue;
        };
        for inode in held {
            out.entry(inode).or_insert_with(|| owner.clone());
        }
    }
    out
}

/// All processes of these names.
pub fn called(names: &[&str]) -> Vec<Owner> {
    let Ok(all) = all_processes() else {
        return Vec::new();
    };
    let of_name = |process: &Process| {
        let stat = process.stat().ok();
        stat.is_some_and(|stat| names.contains(&stat.comm.as_str()))
    };
    all.flatten()
        .filter(of_name)
        .filter_map(|process| owner(&process))
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
