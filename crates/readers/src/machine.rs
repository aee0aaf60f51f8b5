//! What checks want to know of the machine on which the files lie. It is asked, never
//! changed.

/// Answers about a machine; none where it cannot tell, as by default.
pub trait Machine {
    /// Whether something listens on this port, other than a forwarder of containers.
    fn listens(&self, _port: u16) -> Option<bool> {
        None
    }

    /// Whether a file is there.
    fn has_file(&self, _path: &str) -> Option<bool> {
        None
    }

    /// The text of a small file outside the reading.
    fn text_of(&self, _path: &str) -> Option<String> {
        None
    }

    /// When a folder got the files of a database, in seconds since 1970.
    fn database_since(&self, _folder: &str) -> Option<i64> {
        None
    }

    /// When a file last changed, in seconds since 1970.
    fn changed(&self, _path: &str) -> Option<i64> {
        None
    }
}

/// A machine of which nothing is known.
#[derive(Clone, Copy, Debug, Default)]
pub struct Nowhere;

impl Machine for Nowhere {}
