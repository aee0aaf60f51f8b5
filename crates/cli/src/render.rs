//! Output forms, one file each. They write to what they are handed.

pub(crate) mod json;
pub(crate) mod markdown;
pub(crate) mod page;
pub(crate) mod progress;
pub(crate) mod scenes;
pub(crate) mod text;

use std::io::{self, Write};
use std::sync::Mutex;

use anstream::{AutoStream, ColorChoice};

/// Standard output, with colour where it is a terminal that wants it.
pub(crate) fn out(plain: bool) -> impl Write {
    let choice = if plain {
        ColorChoice::Never
    } else {
        AutoStream::choice(&io::stdout())
    };
    Steady(AutoStream::new(io::stdout(), choice))
}

/// Why standard output takes nothing more, once it does not.
static TROUBLE: Mutex<Option<io::Error>> = Mutex::new(None);

/// What went wrong with standard output, unless its reader just went away.
pub(crate) fn trouble() -> Option<io::Error> {
    let mut trouble = TROUBLE.lock().ok()?;
    trouble
        .take()
        .filter(|error| error.kind() != io::ErrorKind::BrokenPipe)
}

/// Standard output that never fails: what was found, and is saved, does not hang on whether
/// somebody still reads.
struct Steady(AutoStream<io::Stdout>);

impl Steady {
    fn unless_broken(&mut self, write: impl FnOnce(&mut AutoStream<io::Stdout>) -> io::Result<()>) {
        let Ok(mut trouble) = TROUBLE.lock() else {
            return;
        };
        if trouble.is_none() {
            *trouble = write(&mut self.0).err();
        }
    }
}

impl Write for Steady {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        self.unless_broken(|out| out.write_all(bytes));
        Ok(bytes.len())
    }

    fn flush(&mut self) -> io::Result<()> {
        self.unless_broken(Write::flush);
        Ok(())
    }
}
