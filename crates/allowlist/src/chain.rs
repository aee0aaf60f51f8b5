//! Lists one behind the other on the way of a connection.

use std::collections::BTreeMap;
use std::net::{IpAddr, SocketAddr};

use crate::answer::Decision;
use crate::moved::Moved;

/// What is known of a connection before it is made.
#[derive(Clone, Debug)]
pub struct Way<'a> {
    /// The address from which this machine sends.
    pub source: IpAddr,
    /// Where to.
    pub to: SocketAddr,
    /// The account.
    pub user: Option<&'a str>,
    /// The database.
    pub database: Option<&'a str>,
    /// Whether it is encrypted, where that is certain.
    pub encrypted: Option<bool>,
    /// The addresses of the names that stand in the lists, where they were looked up.
    pub names: BTreeMap<String, Vec<IpAddr>>,
}

/// What one list says of it.
#[derive(Clone, Debug)]
pub struct Said {
    /// The list's file.
    pub list: String,
    /// The client's address for which it was asked.
    pub client: IpAddr,
    /// The line of the rule that decides.
    pub line: Option<u32>,
    /// What was decided.
    pub decision: Decision,
    /// Names in it that lead elsewhere than they did, with the line where each stands.
    pub moved: Vec<(Moved, Option<u32>)>,
}

/// The lists of a run, in their order.
pub trait Lists: std::fmt::Debug + Send + Sync {
    /// What each says of a connection: the same whenever it is asked.
    fn says(&self, way: &Way<'_>) -> Vec<Said>;

    /// The names of hosts that stand in them, in lower case: what they say depends on where
    /// these lead.
    fn names(&self) -> Vec<String>;
}
