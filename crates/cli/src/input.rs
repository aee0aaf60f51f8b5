//! Reading what the user names: files, pipes, standard input. Bounded in size and, for a
//! pipe, in time; what is over a bound is refused, never cut.

use std::fs::{File, OpenOptions};
use std::io::{self, Read, Seek as _, SeekFrom};
use std::os::fd::AsFd as _;
use std::os::unix::fs::OpenOptionsExt as _;
use std::path::Path;
use std::time::{Duration, Instant};

use nix::poll::{PollFd, PollFlags, PollTimeout, poll};

/// How long a pipe may take to bring what it brings.
const PIPE_PATIENCE: Duration = Duration::from_secs(10);

/// The whole of a file or pipe.
///
/// # Errors
/// Passes on why it cannot be read; says so where it holds more than `most` bytes, is a
/// folder, or nobody writes into the pipe.
pub(crate) fn whole(path: &Path, most: u64) -> io::Result<Vec<u8>> {
    // Not to wait in the opening of a pipe into which nobody writes.
    let file = OpenOptions::new()
        .read(true)
        .custom_flags(nix::libc::O_NONBLOCK | nix::libc::O_NOCTTY)
        .open(path)?;
    let meta = file.metadata()?;
    if meta.is_dir() {
        return Err(io::Error::other("a folder; expected a file"));
    }
    if meta.is_file() && meta.len() > most {
        return Err(too_large(most));
    }
    match meta.is_file() {
        true => bounded(&file, most),
        false => bounded(Patient::new(file), most),
    }
}

/// The end of a file.
pub(crate) struct Tail {
    pub(crate) bytes: Vec<u8>,
    /// What was not read, in words.
    pub(crate) left_out: Option<String>,
}

/// The last bytes of a file, at most so many; of a pipe all of it, if it is no more. What
/// gzip made is unpacked.
///
/// # Errors
/// Passes on why it cannot be read.
pub(crate) fn tail(path: &Path, most: u64) -> io::Result<Tail> {
    let meta = std::fs::metadata(path)?;
    if !meta.is_file() || meta.len() <= most {
        let bytes = whole(path, most)?;
        return unpacked(bytes, most);
    }
    let mut file = File::open(path)?;
    let mut first = [0; 2];
    file.read_exact(&mut first)?;
    if first == GZIP {
        return Err(io::Error::other(format!(
            "compressed, and larger than {} MB; unpack it and give the file",
            most / 1024 / 1024
        )));
    }
    let from = meta.len() - most;
    file.seek(SeekFrom::Start(from))?;
    let mut bytes = bounded(&file, most)?;
    // It begins in the middle of a line.
    let whole_line = bytes
        .iter()
        .position(|b| *b == b'\n')
        .map_or(0, |at| at + 1);
    bytes.drain(..whole_line);
    Ok(Tail {
        bytes,
        left_out: Some(format!(
            "only the last {} MB of {} MB were read",
            most / 1024 / 1024,
            meta.len() / 1024 / 1024
        )),
    })
}

/// With what files begin that gzip made (RFC 1952, section 2.3.1).
const GZIP: [u8; 2] = [0x1f, 0x8b];

fn unpacked(bytes: Vec<u8>, most: u64) -> io::Result<Tail> {
    if !bytes.starts_with(&GZIP) {
        return Ok(Tail {
            bytes,
            left_out: None,
        });
    }
    let mut out = Vec::new();
    flate2::read::MultiGzDecoder::new(bytes.as_slice())
        .take(most + 1)
        .read_to_end(&mut out)?;
    let longer = out.len() as u64 > most;
    out.truncate(usize::try_from(most).unwrap_or(usize::MAX));
    Ok(Tail {
        bytes: out,
        left_out: longer.then(|| {
            format!(
                "only the first {} MB of what it unpacks to were read",
                most / 1024 / 1024
            )
        }),
    })
}

/// All of standard input, at most so many bytes. Of a file it is known how long it is.
///
/// # Errors
/// Passes on why it cannot be read; says so where it holds more.
pub(crate) fn stdin(most: u64) -> io::Result<Vec<u8>> {
    let own = io::stdin().as_fd().try_clone_to_owned()?;
    bounded(File::from(own), most)
}

/// All that a stream brings, at most so many bytes.
pub(crate) fn bounded(from: impl Read, most: u64) -> io::Result<Vec<u8>> {
    let mut bytes = Vec::new();
    from.take(most + 1).read_to_end(&mut bytes)?;
    match bytes.len() as u64 > most {
        true => Err(too_large(most)),
        false => Ok(bytes),
    }
}

fn too_large(most: u64) -> io::Error {
    let shown = match most / 1024 {
        kb if kb < 1024 => format!("{kb} kB"),
        kb => format!("{} MB", kb / 1024),
    };
    io::Error::other(format!("larger than {shown}; it is refused, not cut"))
}

/// A pipe or device that is read for so long and no longer.
struct Patient {
    file: File,
    until: Instant,
}

impl Patient {
    fn new(file: File) -> Patient {
        Patient {
            file,
            until: Instant::now() + PIPE_PATIENCE,
        }
    }

    fn ready(&self) -> io::Result<()> {
        let left = self.until.saturating_duration_since(Instant::now());
        let timeout = PollTimeout::try_from(left).unwrap_or(PollTimeout::ZERO);
        let mut asked = [PollFd::new(self.file.as_fd(), PollFlags::POLLIN)];
        match poll(&mut asked, timeout) {
            Ok(0) => Err(io::Error::other(format!(
                "nothing came within {} s: does anybody write into it?",
                PIPE_PATIENCE.as_secs()
            ))),
            Ok(_) => Ok(()),
            Err(nix::Error::EINTR) => Err(io::ErrorKind::Interrupted.into()),
            Err(error) => Err(error.into()),
        }
    }
}

impl Read for Patient {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        loop {
            self.ready()?;
            match self.file.read(buffer) {
                Err(error) if error.kind() == io::ErrorKind::WouldBlock => {}
                other => return other,
            }
        }
    }
}
