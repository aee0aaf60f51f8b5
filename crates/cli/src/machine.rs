//! What the checks of settings want to know of this machine.

use std::fs;
use std::os::unix::fs::MetadataExt as _;
use std::path::Path;

use chronaxis_readers::Machine;

/// Longest list of drivers that is read.
const LONGEST: u64 = 1024 * 1024;

/// Programs that pass the published ports of containers on.
const FORWARDERS: &[&str] = &[
    "docker-proxy",
    "rootlessport",
    "rootlesskit",
    "conmon",
    "slirp4netns",
    "pasta",
    "passt",
    "containerd",
    "dockerd",
    "ssh",
];

/// This machine.
pub(crate) struct ThisMachine {
    /// Listening ports and the programs behind them; none where the table is not there.
    listening: Option<Vec<(u16, Option<String>)>>,
}

impl ThisMachine {
    pub(crate) fn new() -> ThisMachine {
        ThisMachine {
            listening: listening(),
        }
    }
}

impl Machine for ThisMachine {
    fn listens(&self, port: u16) -> Option<bool> {
        let mut own = self
            .listening
            .as_ref()?
            .iter()
            .filter(|(p, _)| *p == port)
            .peekable();
        own.peek()?;
        // Who owns a port is told to its owner alone: a nameless one may be a forwarder.
        let foreign = |(_, name): &(u16, Option<String>)| {
            name.as_ref()
                .is_some_and(|name| !FORWARDERS.iter().any(|f| name.starts_with(f)))
        };
        Some(own.any(foreign))
    }

    fn has_file(&self, path: &str) -> Option<bool> {
        Some(Path::new(path).exists())
    }

    fn text_of(&self, path: &str) -> Option<String> {
        let found = fs::metadata(path).ok()?;
        if !found.is_file() || found.len() > LONGEST {
            return None;
        }
        fs::read_to_string(path).ok()
    }

    fn database_since(&self, folder: &str) -> Option<i64> {
        let marks = [
            "PG_VERSION",
            "data/PG_VERSION",
            "pgdata/PG_VERSION",
            "ibdata1",
            "mysql",
            "WiredTiger",
        ];
        let found = marks
            .iter()
            .find_map(|mark| fs::metadata(Path::new(folder).join(mark)).ok());
        found.map(|meta| meta.mtime())
    }

    fn changed(&self, path: &str) -> Option<i64> {
        fs::metadata(path).ok().map(|meta| meta.mtime())
    }
}

/// The listening ports of this machine, with the program where that may be known.
fn listening() -> Option<Vec<(u16, Option<String>)>> {
    let four = procfs::net::tcp().ok()?;
    let six = procfs::net::tcp6().unwrap_or_default();
    let entries = four.into_iter().chain(six);
    let listens = entries.filter(|e| e.state == procfs::net::TcpState::Listen);
    let sockets: Vec<(u16, u64)> = listens.map(|e| (e.local_address.port(), e.inode)).collect();
    if sockets.is_empty() {
        return Some(Vec::new());
    }
    let owners = owners(&sockets.iter().map(|(_, inode)| *inode).collect::<Vec<_>>());
    let named = sockets.into_iter().map(|(port, inode)| {
        let owner = owners.iter().find(|(own, _)| *own == inode);
        (port, owner.map(|(_, name)| name.clone()))
    });
    Some(named.collect())
}

fn owners(inodes: &[u64]) -> Vec<(u64, String)> {
    let mut out = Vec::new();
    let Ok(all) = procfs::process::all_processes() else {
        return out;
    };
    for process in all.flatten() {
        let Ok(files) = process.fd() else { continue };
        for file in files.flatten() {
            if let procfs::process::FDTarget::Socket(inode) = file.target
                && inodes.contains(&inode)
                && let Ok(stat) = process.stat()
            {
                out.push((inode, stat.comm));
            }
        }
    }
    out
}
