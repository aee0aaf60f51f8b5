//! The system's errors by their names.

use std::io;

use nix::errno::Errno;

/// `ECONNREFUSED`, …; for errors without a number, their kind.
pub(crate) fn name(error: &io::Error) -> String {
    match error.raw_os_error() {
        Some(code) => format!("{:?}", Errno::from_raw(code)),
        None => format!("{:?}", error.kind()),
    }
}

pub(crate) fn errno(error: &io::Error) -> Errno {
    error
        .raw_os_error()
        .map_or(Errno::UnknownErrno, Errno::from_raw)
}
