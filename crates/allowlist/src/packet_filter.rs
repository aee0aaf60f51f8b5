//! Packet filters of Linux: the rulesets of nftables (nft(8), libnftables-json(5)) and of
//! iptables (iptables-extensions(8)), as one kind of rules.
//!
//! A rule is a row of tests and actions. A test of which the outcome cannot be known from
//! outside (a rate, a mark that something else sets, a set that is filled while the machine
//! runs) leaves both ways open, and whatever is the same on both is known all the same.

mod change;
mod decide;
mod findings;
mod hidden;
mod packet;
mod test;
mod through;

pub use change::{FilterEdit, NewAccept, close, let_in};
pub use decide::decide;
pub use findings::findings;
pub use test::{Bits, Item, Key, Operand, Test, Values, Wanted};

use crate::answer::{self, Spot};

/// Which packets a table sees.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Family {
    /// IPv4 alone.
    Ip,
    /// IPv6 alone.
    Ip6,
    /// Both.
    Inet,
    /// Frames of devices and bridges, before either.
    Frames,
}

impl Family {
    /// Whether packets of IPv6, or of IPv4, come by.
    pub fn sees(self, v6: bool) -> bool {
        match self {
            Family::Ip => !v6,
            Family::Ip6 => v6,
            Family::Inet | Family::Frames => true,
        }
    }
}

/// Where a chain is asked.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Hook {
    /// When a packet comes off a device.
    Ingress,
    /// When it comes in.
    Prerouting,
    /// When it is for this machine.
    Input,
    /// When it is for another machine.
    Forward,
    /// When this machine sends it.
    Output,
    /// When it goes out.
    Postrouting,
}

/// What a chain is for.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Purpose {
    /// To let through or not.
    Filter,
    /// To change addresses: asked for the first packet of a connection only.
    Nat,
}

/// Where and when a chain is asked by itself.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Base {
    /// Where.
    pub hook: Hook,
    /// In which order: the lowest number first.
    pub priority: i64,
    /// What for.
    pub purpose: Purpose,
    /// Whether what reaches its end is thrown away.
    pub drops: bool,
}

/// A chain of rules.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Chain {
    /// Its table and its name, for people.
    pub title: String,
    /// Which packets its table sees.
    pub family: Family,
    /// Where it is asked; none where only other chains lead to it.
    pub base: Option<Base>,
    /// Its rules, in order.
    pub rules: Vec<Rule>,
    /// Where it is written.
    pub spot: Spot,
}

/// A rule.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Rule {
    /// Where it is written.
    pub spot: Spot,
    /// What it says, on one line.
    pub text: String,
    /// Its tests and actions, in order.
    pub steps: Vec<Step>,
}

impl Rule {
    /// The rule as an outcome names it.
    pub fn shown(&self) -> answer::Rule {
        answer::Rule {
            spot: Some(self.spot.clone()),
            text: self.text.clone(),
        }
    }
}

/// One of the things of which a rule consists.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Step {
    /// The rule goes on only where this fits.
    Test(Test),
    /// Something is decided.
    Verdict(Verdict),
    /// Something is decided by a value of the packet.
    VerdictMap {
        /// The value.
        key: Vec<Operand>,
        /// What is decided for which value; the first that fits.
        choices: Vec<(Vec<Item>, Verdict)>,
        /// Whether entries come and go while the machine runs.
        filled: bool,
    },
    /// A mark is set.
    SetMark(Mark),
    /// The destination changes.
    Redirect(Redirect),
    /// Conntrack is told to leave the packet alone.
    Untrack,
}

/// What is decided.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Verdict {
    /// It passes this chain.
    Accept,
    /// It is thrown away.
    Drop,
    /// It is thrown away, and its sender is told.
    Reject,
    /// Another chain is asked, and then the next rule.
    Jump(usize),
    /// Another chain is asked in the place of the rest of this one.
    Goto(usize),
    /// The rest of this chain is not asked.
    Return,
    /// The next rule is asked.
    Continue,
    /// Something outside decides.
    Elsewhere(String),
}

/// How a mark is set: of the packet, or of its connection.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Mark {
    /// Whether it is the connection's.
    pub connection: bool,
    /// What it becomes.
    pub to: MarkValue,
}

/// What a mark becomes.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum MarkValue {
    /// What it was (of the packet or the connection), with these bits kept, then those
    /// turned.
    Of {
        /// Whether the connection's mark is taken.
        connection: bool,
        /// The bits that are kept.
        keep: u32,
        /// The bits that are turned then.
        turn: u32,
    },
    /// Something that is not known here.
    Unknown,
}

/// Where a packet goes on to.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Redirect {
    /// To this machine itself, and to this port where one is told.
    Here(Option<u16>),
    /// To another address, and port.
    To(std::net::IpAddr, Option<u16>),
    /// Somewhere that is not known here.
    Unknown,
}

/// A ruleset.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Filter {
    /// Its chains.
    pub chains: Vec<Chain>,
    /// Whether it is for one family only; then it says nothing of the other.
    pub only: Option<Family>,
}
