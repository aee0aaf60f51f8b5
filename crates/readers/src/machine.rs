//! What checks want to know of the machine on which the files lie. It is asked, never
//! changed.

/// Answers about a machine; none where it cannot tell.
pub trait Machine {
    /// Whether something listens on this port, other than a forwarder of containers.
    fn listens(&self, port: u16) -> Option<bool>;

    /// Whether a file is there.
    fn has_file(&self, path: &str) -> Option<bool>;

    /// The text of a small file outside the reading.
    fn text_of(&self, path: &str) -> Option<String>;

    /// When a folder got the files of a database, in seconds since 1970.
    fn database_since(&self, folder: &str) -> Option<i64>;

    /// When a file last changed, in seconds since 1970.
    fn changed(&self, path: &str) -> Option<i64>;
}

/// A machine of which nothing is known.
#[derive(Clone, Copy, Debug, Default)]
pub struct Nowhere;

impl Machine for Nowhere {
    fn listens(&self, _: u16) -> Option<bool> {
        None
    }

    fn has_file(&self, _: &str) -> Option<bool> {
        None
    }

    fn text_of(&self, _: &str) -> Option<String> {
        None
    }

    fn database_since(&self, _: &str) -> Option<i64> {
        None
    }

    fn changed(&self, _: &str) -> Option<i64> {
        None
    }
}
