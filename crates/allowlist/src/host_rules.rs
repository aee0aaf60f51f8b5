//! PostgreSQL's host rules, `pg_hba.conf` (PostgreSQL's manual, chapter "Client
//! Authentication"; PgBouncer's `auth_hba_file` has the same form): records in order, of
//! which the first that fits decides.

mod change;
mod decide;
mod findings;

pub use change::{NewRecord, RecordEdit, close, let_in};
pub use decide::decide;
pub use findings::findings;

use std::collections::BTreeSet;
use std::net::IpAddr;
use std::ops::Range;

use crate::answer::{self, Spot};
use crate::attempt::Attempt;
use crate::block::{Block, bits};
use crate::moved::Moved;

/// For which connections a record is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Kind {
    /// Over a socket file.
    Local,
    /// Over TCP.
    Host,
    /// Over TCP, encrypted by TLS.
    HostSsl,
    /// Over TCP, not encrypted by TLS.
    HostNoSsl,
    /// Over TCP, encrypted by GSSAPI: no client that is looked at here does that.
    HostGssEnc,
    /// Over TCP, not encrypted by GSSAPI.
    HostNoGssEnc,
}

impl Kind {
    /// All of them with the words for them.
    pub const WORDS: [(&'static str, Kind); 6] = [
        ("local", Kind::Local),
        ("host", Kind::Host),
        ("hostssl", Kind::HostSsl),
        ("hostnossl", Kind::HostNoSsl),
        ("hostgssenc", Kind::HostGssEnc),
        ("hostnogssenc", Kind::HostNoGssEnc),
    ];

    /// The word for it.
    pub fn as_str(self) -> &'static str {
        let found = Kind::WORDS.iter().find(|(_, kind)| *kind == self);
        found.map_or("", |(word, _)| *word)
    }
}

/// A name of a database or an account, as written.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub struct Name {
    /// The name, its quotes taken off.
    pub text: String,
    /// Whether it began with a quote: then it is no keyword.
    pub quoted: bool,
}

impl Name {
    /// Whether it is this keyword.
    pub fn is(&self, keyword: &str) -> bool {
        !self.quoted && self.text == keyword
    }

    /// The regular expression that it is (PostgreSQL 16 and later).
    pub fn expression(&self) -> Option<&str> {
        self.text.strip_prefix('/')
    }
}

/// From where.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Address {
    /// From anywhere.
    All,
    /// From an address of the server's own machine.
    SameHost,
    /// From a network to which the server's machine belongs.
    SameNet,
    /// From where the bits that the mask has are these; a mask may have holes.
    Masked {
        /// The address.
        ip: IpAddr,
        /// The bits that count.
        mask: u128,
    },
    /// From a name, looked up from the client's address and back; with a dot before it, of
    /// everything under it.
    Name(String),
}

impl Address {
    /// The block, where it is one.
    pub fn block(&self) -> Option<Block> {
        let Address::Masked { ip, mask } = self else {
            return None;
        };
        let (v6, at) = bits(*ip);
        let all = Block::all(v6).to;
        let host = all & !mask;
        // Ones behind each other at the end, or none.
        (host & host.wrapping_add(1) == 0).then_some(Block {
            v6,
            from: at & mask,
            to: (at & mask) | host,
        })
    }

    /// Whether it is a name that was meant to be an address.
    pub fn is_mistyped(&self) -> bool {
        match self {
            Address::Name(name) => {
                name.chars().all(|c| c.is_ascii_digit() || c == '.') || name.contains(':')
            }
            _ => false,
        }
    }

    /// Whether bits are set that the mask does not count.
    pub fn has_host_bits(&self) -> bool {
        match self {
            Address::Masked { ip, mask } => bits(*ip).1 & !mask & Block::all(ip.is_ipv6()).to != 0,
            _ => false,
        }
    }
}

/// A record.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Record {
    /// For which connections.
    pub kind: Kind,
    /// For which databases.
    pub databases: Vec<Name>,
    /// For which accounts.
    pub users: Vec<Name>,
    /// From where; none for socket files.
    pub address: Option<Address>,
    /// Where the address and its mask are written.
    pub address_at: Range<usize>,
    /// How the account proves itself, or `reject`.
    pub method: String,
    /// Where the record is written.
    pub spot: Spot,
    /// What is written, blanks pressed together, secrets covered.
    pub text: String,
}

impl Record {
    /// The record as an outcome names it.
    pub fn shown(&self) -> answer::Rule {
        answer::Rule {
            spot: Some(self.spot.clone()),
            text: self.text.clone(),
        }
    }

    /// Whether it turns connections away.
    pub fn rejects(&self) -> bool {
        self.method == "reject"
    }
}

impl HostRules {
    /// The names of hosts in it, in lower case; not those of whole domains.
    pub fn names(&self) -> BTreeSet<String> {
        let addresses = self.records.iter().filter_map(|r| r.address.as_ref());
        addresses
            .filter(|address| !address.is_mistyped())
            .filter_map(|address| match address {
                Address::Name(name) if !name.starts_with('.') => Some(name.to_ascii_lowercase()),
                _ => None,
            })
            .collect()
    }

    /// Those of its names that lead elsewhere than they did.
    pub fn moved(&self, attempt: &Attempt) -> Vec<Moved> {
        let found = self
            .records
            .iter()
            .filter_map(|record| match &record.address {
                Some(Address::Name(name)) => Moved::of(name, &record.spot, attempt),
                _ => None,
            });
        found.collect()
    }
}

/// The records of a file and of those that it includes, in order.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct HostRules {
    /// The records.
    pub records: Vec<Record>,
}
