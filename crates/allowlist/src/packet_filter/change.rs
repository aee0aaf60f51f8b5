//! The smallest change of a packet filter: a rule for exactly one client, before whatever
//! stops it.

use std::net::SocketAddr;

use super::decide::decide;
use super::findings::{of_everybody, opens_to};
use super::{Filter, Hook};
use crate::answer::{Answer, Barrier};
use crate::attempt::Attempt;

/// A rule that is to be written: packets between one client and one port are accepted.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct NewAccept {
    /// In which chain, by its place.
    pub chain: usize,
    /// Before which of its rules; at its end where none is told.
    pub before: Option<usize>,
    /// The client.
    pub client: std::net::IpAddr,
    /// What it wants to reach.
    pub to: SocketAddr,
    /// Whether it is for what goes back to the client.
    pub back: bool,
}

/// An edit of a ruleset.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum FilterEdit {
    /// A new rule.
    Insert(NewAccept),
    /// A rule that is for this client alone from now on.
    Narrow {
        /// Its chain, by its place.
        chain: usize,
        /// The rule, by its place in the chain.
        rule: usize,
        /// The client.
        client: std::net::IpAddr,
    },
}

/// The edits that close the hole through which everybody reaches the port: one for each rule
/// that lets everybody in.
pub fn close(filter: &Filter, attempt: &Attempt) -> Vec<FilterEdit> {
    let mut out = Vec::new();
    let chains = filter.chains.iter().zip(of_everybody(filter));
    for (chain, (own, _)) in chains.enumerate().filter(|(_, (_, open))| *open) {
        for (rule, _) in own
            .rules
            .iter()
            .enumerate()
            .filter(|(_, r)| opens_to(r, attempt.to.is_ipv6(), attempt.to.port()))
        {
            let client = attempt.client;
            out.push(FilterEdit::Narrow {
                chain,
                rule,
                client,
            });
        }
    }
    out
}

/// The edit that removes what stops the client now; there may be more behind it.
pub fn let_in(filter: &Filter, attempt: &Attempt) -> Option<FilterEdit> {
    let decision = decide(filter, attempt, false);
    if decision.answer != Answer::Denied {
        return None;
    }
    let spot = decision.rule?.spot?;
    // The rule that stops it, or the chain whose policy does.
    let by_rule = filter.chains.iter().enumerate().find_map(|(index, chain)| {
        let at = chain.rules.iter().position(|r| r.spot == spot)?;
        Some((index, Some(at)))
    });
    let by_policy = || {
        let index = filter.chains.iter().position(|c| c.spot == spot)?;
        Some((index, None))
    };
    let (chain, before) = by_rule.or_else(by_policy)?;
    let hook = filter
        .chains
        .get(chain)
        .and_then(|c| c.base)
        .map(|b| b.hook);
    let back = match hook {
        Some(Hook::Output) => true,
        Some(Hook::Prerouting | Hook::Input) => false,
        _ => decision.barrier == Some(Barrier::WayBack),
    };
    Some(FilterEdit::Insert(NewAccept {
        chain,
        before,
        client: attempt.client,
        to: attempt.to,
        back,
    }))
}
