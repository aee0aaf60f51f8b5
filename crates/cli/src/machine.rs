//! What the checks of settings want to know of this machine.

use std::fs;
use std::os::unix::fs::MetadataExt as _;
use std::path::Path;

use chronaxis_engines::engines;
use chronaxis_model::forwarders::is_forwarder;
use chronaxis_probe::Here;
use chronaxis_probe::listeners::{Listener, table};
use chronaxis_readers::Machine;

/// Longest list of drivers that is read.
const LONGEST: u64 = 1024 * 1024;

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
            name.as_ref().is_some_and(|name| !is_forwarder(name))
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
        let mut marks = engines().iter().flat_map(|e| e.spec.data_marks);
        let found = marks.find_map(|mark| fs::metadata(Path::new(folder).join(mark)).ok());
        found.map(|meta| meta.mtime())
    }

    fn changed(&self, path: &str) -> Option<i64> {
        fs::metadata(path).ok().map(|meta| meta.mtime())
    }
}

/// The listening ports of this machine, with the program where that may be known.
fn listening() -> Option<Vec<(u16, Option<String>)>> {
    let named = |l: Listener| Some((l.on?.port(), l.owner.map(|owner| owner.name)));
    Some(
        table(&Here::default())?
            .into_iter()
            .filter_map(named)
            .collect(),
    )
}
